//! Where decisions come from, and what day it is.

use std::path::Path;

use jiff::Zoned;
use swage_core::config::FileReader;
use swage_core::decision::{DECISIONS_FILE, Decision, read_decisions, write_decisions};
use swage_core::review::{Review, settle_findings};

use crate::failure::Failure;
use crate::output::write_file;

/// Today, where the program runs, as `YYYY-MM-DD`.
pub fn today() -> String {
    Zoned::now().date().to_string()
}

/// The decisions of a folder or a commit; none when there is no such file.
pub fn decisions_of(files: &dyn FileReader) -> Result<Vec<Decision>, Failure> {
    let bytes = files.read(DECISIONS_FILE).map_err(Failure::unfinished)?;
    let Some(bytes) = bytes else { return Ok(Vec::new()) };
    let text = String::from_utf8(bytes).map_err(|_| Failure::wrong(format!("{DECISIONS_FILE} isn't UTF-8")))?;
    Ok(read_decisions(DECISIONS_FILE, &text)?)
}

/// Lets the findings of a review be of which decisions say so.
pub fn settle(review: &mut Review, decisions: &[Decision]) {
    settle_findings(review, decisions, &today());
}

/// Writes the decisions of a working tree; without any, the file goes.
pub fn write(root: &Path, decisions: &[Decision]) -> Result<(), Failure> {
    let path = root.join(DECISIONS_FILE);
    if decisions.is_empty() && path.is_file() {
        return std::fs::remove_file(&path)
            .map_err(|e| Failure::unfinished(format!("{} can't be removed: {e}", path.display())));
    }
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder)
            .map_err(|e| Failure::unfinished(format!("{} can't be made: {e}", folder.display())))?;
    }
    write_file(&path, write_decisions(decisions).as_bytes())
}
