//! The commands that the merged tree must pass. They are the target's, and so are the programs that lie in its tree; each runs
//! in an export of its own, so that none sees what another leaves there.

use swage_core::change::{Change, Contents, Tree};
use swage_core::config::NamedProgram;
use swage_core::gate::{Condition, Outcome};
use swage_core::sides::Side;
use tempfile::TempDir;

use crate::export::{export_side, export_tree};
use crate::failure::Failure;
use crate::orphans;
use crate::program::{Program, is_interrupted, watch_interrupts};

/// Runs all checks at the same time; a condition for each.
pub fn run_checks(
    checks: &[(String, NamedProgram)],
    change: &Change,
    contents: &dyn Contents,
    target: &dyn Tree,
) -> Result<Vec<Condition>, Failure> {
    if checks.is_empty() {
        return Ok(Vec::new());
    }
    watch_interrupts();
    orphans::adopt();
    let temporary =
        || TempDir::with_prefix("swage-").map_err(|e| Failure::unfinished(format!("no temporary folder: {e}")));
    let home = temporary()?;
    if checks.iter().any(|(_, spec)| Program::from(spec).is_in_tree()) {
        export_tree(target, home.path()).map_err(Failure::unfinished)?;
    }
    let one = |name: &str, spec: &NamedProgram| {
        let condition = |result, reason: String| Condition { name: format!("checks.{name}"), result, reason };
        let folder = match TempDir::with_prefix("swage-") {
            Ok(folder) => folder,
            Err(e) => return condition(Outcome::Incomplete, format!("there is no temporary folder: {e}")),
        };
        if let Err(why) = export_side(change, contents, Side::New, folder.path()) {
            return condition(Outcome::Incomplete, why);
        }
        match Program::from(spec).run(folder.path(), home.path(), None) {
            Err(why) => condition(Outcome::Incomplete, why),
            Ok(ran) if ran.status.success() => {
                condition(Outcome::Pass, format!("`{}` succeeds", spec.command.join(" ")))
            }
            Ok(ran) => {
                let said = ran.complaint();
                let said = if said.is_empty() { last_words(ran.output.as_deref().unwrap_or_default()) } else { said };
                condition(Outcome::Fail, format!("`{}` failed with {}{said}", spec.command.join(" "), ran.status))
            }
        }
    };
    let conditions = std::thread::scope(|scope| {
        let one = &one;
        let running: Vec<_> = checks.iter().map(|(name, spec)| scope.spawn(move || one(name, spec))).collect();
        let ended = running.into_iter().zip(checks).map(|(thread, (name, _))| {
            thread.join().unwrap_or_else(|_| Condition {
                name: format!("checks.{name}"),
                result: Outcome::Incomplete,
                reason: "running it went wrong".to_owned(),
            })
        });
        ended.collect()
    });
    orphans::end();
    if is_interrupted() {
        return Err(Failure::unfinished("interrupted; the checks that were running have been ended"));
    }
    Ok(conditions)
}

/// The last lines that a program put out.
fn last_words(output: &[u8]) -> String {
    let text = String::from_utf8_lossy(output);
    let lines: Vec<&str> = text.lines().filter(|line| !line.trim().is_empty()).collect();
    let last = &lines[lines.len().saturating_sub(3)..];
    if last.is_empty() { String::new() } else { format!(": {}", last.join("; ")) }
}
