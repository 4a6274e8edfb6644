//! Output formats. Each is a function of the review and the verdict alone, in a file of its own.

mod human;
mod json;
mod lines;
mod sarif;

use std::io::{ErrorKind, Write};
use std::path::Path;

use clap::ValueEnum;
use swage_core::gate::Verdict;
use swage_core::review::Review;

use crate::failure::Failure;

pub use json::FORMAT as JSON_FORMAT;
pub use sarif::{IDENTITY_FINGERPRINT, KEY_FINGERPRINT, TEXT_FINGERPRINT};

/// The form of a result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// Text for people
    Human,
    /// One JSON object; docs/formats.md describes it
    Json,
    /// SARIF 2.1.0
    Sarif,
    /// One line a finding: `file:line:column: severity: message`
    Lines,
}

/// Why a review was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    Review,
    Gate,
    Compare,
    Scan,
}

/// What is put out.
#[derive(Debug, Clone, Copy)]
pub struct Document<'a> {
    pub purpose: Purpose,
    pub review: &'a Review,
    pub verdict: Option<&'a Verdict>,
    /// Show findings that were there before, too.
    pub show_all: bool,
}

/// Puts a document out in the form and to the place that were asked for.
pub fn write(format: Format, to: Option<&Path>, document: &Document<'_>) -> Result<(), Failure> {
    let text = match format {
        Format::Human => human::format(document),
        Format::Json => json::format(document),
        Format::Sarif => sarif::format(document),
        Format::Lines => lines::format(document),
    };
    match to {
        None => print(text.as_bytes()),
        Some(path) => {
            let plain = anstream::adapter::strip_str(&text).to_string();
            write_file(path, plain.as_bytes())
        }
    }
}

/// Writes to standard output; a reader that went away is no failure.
pub fn print(bytes: &[u8]) -> Result<(), Failure> {
    let mut out = anstream::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        Err(e) if e.kind() == ErrorKind::BrokenPipe => Ok(()),
        other => other.map_err(|e| Failure::unfinished(format!("standard output can't be written: {e}"))),
    }
}

/// Replaces a file whole or not at all.
pub fn write_file(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    use std::os::unix::fs::PermissionsExt;
    let failed = |e: &dyn std::fmt::Display| Failure::unfinished(format!("{} can't be written: {e}", path.display()));
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    if !folder.is_dir() {
        return Err(failed(&format!("there is no folder {}", folder.display())));
    }
    let builder = tempfile::Builder::new().permissions(std::fs::Permissions::from_mode(0o666)).tempfile_in(folder);
    let mut file = builder.map_err(|e| failed(&e))?;
    file.write_all(bytes).map_err(|e| failed(&e))?;
    file.persist(path).map_err(|e| failed(&e.error))?;
    Ok(())
}
