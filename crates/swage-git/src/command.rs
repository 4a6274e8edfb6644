//! The one place where git commands are built.

use std::path::Path;
use std::process::Command;

use crate::GitError;

/// A git command in a folder, deaf to whatever would change its output.
pub(crate) fn git(folder: &Path) -> Command {
    let mut command = Command::new("git");
    // Whatever a user has set for merges and renames, the verdict is the same.
    command.arg("-C").arg(folder).args([
        "-c",
        "merge.renames=true",
        "-c",
        "merge.directoryRenames=conflict",
        "-c",
        "merge.renormalize=false",
        "-c",
        "merge.renameLimit=2000",
        "-c",
        "core.quotePath=true",
        "-c",
        "diff.orderFile=/dev/null",
        "-c",
        "core.pager=cat",
    ]);
    command.env("LC_ALL", "C").env("GIT_OPTIONAL_LOCKS", "0").env("GIT_TERMINAL_PROMPT", "0");
    for name in [
        "GIT_ATTR_SOURCE",
        "GIT_EXTERNAL_DIFF",
        "GIT_DIFF_OPTS",
        "GIT_PREFIX",
        "GIT_LITERAL_PATHSPECS",
        "GIT_GLOB_PATHSPECS",
        "GIT_ICASE_PATHSPECS",
    ] {
        command.env_remove(name);
    }
    command.stdin(std::process::Stdio::null());
    command
}

/// Runs a command; its standard output and exit code when that is one of `accepted`.
pub(crate) fn run(mut command: Command, name: &str, accepted: &[i32]) -> Result<(Vec<u8>, i32), GitError> {
    let arguments = || command.get_args().map(|word| word.to_string_lossy()).collect::<Vec<_>>().join(" ");
    tracing::debug!("git {}", arguments());
    let output = command.output().map_err(GitError::NoGit)?;
    match output.status.code() {
        Some(code) if accepted.contains(&code) => Ok((output.stdout, code)),
        _ => {
            let text = String::from_utf8_lossy(&output.stderr);
            if text.contains("unknown option: --attr-source") {
                return Err(GitError::OldGit);
            }
            // git's advice on ownership is at the end.
            let lines = if text.contains("dubious ownership") { 8 } else { 3 };
            let message = text.lines().filter(|l| !l.trim().is_empty()).take(lines).collect::<Vec<_>>().join("; ");
            let message = if message.is_empty() { format!("it ended with {}", output.status) } else { message };
            Err(GitError::Failed { command: name.to_owned(), message })
        }
    }
}
