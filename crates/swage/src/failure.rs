//! Errors, classified once, at the edge: each with its exit code and the way out.

use std::fmt::Display;
use std::io::ErrorKind;
use std::path::Path;
use std::process::ExitCode;

use swage_core::config::LoadError;
use swage_core::config::packs::pack_of;
use swage_core::rule::Problem;
use swage_git::GitError;

use crate::output::for_people;
use crate::terminal::{Paint, printable};

/// The gate says no, or a rule's example doesn't hold.
pub const SAYS_NO: u8 = 1;
/// The call, the configuration or the input is wrong.
pub const WRONG: u8 = 2;
/// It couldn't be finished: input and output, network, an incomplete verdict.
pub const UNFINISHED: u8 = 3;

/// Why a command stopped.
#[derive(Debug)]
pub struct Failure {
    code: u8,
    message: String,
    remedy: Option<String>,
}

impl Failure {
    /// The call, the configuration or the input is wrong.
    pub fn wrong(message: impl Display) -> Self {
        Self { code: WRONG, message: message.to_string(), remedy: None }
    }

    /// It couldn't be finished.
    pub fn unfinished(message: impl Display) -> Self {
        Self { code: UNFINISHED, message: message.to_string(), remedy: None }
    }

    /// A file that was named can't be read. `what` says what it is for, and ends in a space unless it is empty: the call is wrong
    /// where no such file is there, and otherwise it couldn't be finished.
    pub fn unreadable(what: &str, path: &Path, error: &std::io::Error) -> Self {
        let message = format!("{what}{} can't be read: {error}", path.display());
        match error.kind() {
            ErrorKind::NotFound | ErrorKind::IsADirectory | ErrorKind::NotADirectory => {
                Self::wrong(message).hint("Give the path of a file, from the folder that the command is called in.")
            }
            ErrorKind::PermissionDenied => Self::unfinished(message).hint("Give yourself the right to read it."),
            _ => Self::unfinished(message),
        }
    }

    /// A file can't be written, for this reason.
    pub fn unwritable(path: &Path, why: &dyn Display) -> Self {
        Self::unfinished(format!("{} can't be written: {why}", path.display())).hint(
            "Nothing was written. Give the path of a file in a folder that is there, with room and the right to write.",
        )
    }

    /// A rule is named that none of those that are on is called.
    pub fn no_rule<'w>(id: &str, on: impl IntoIterator<Item = &'w str>) -> Self {
        if let Some(pack) = pack_of(id) {
            return Self::wrong(format!("the rule `{id}` isn't on")).hint(format!(
                "Add its pack `{}` to `packs` in swage.toml, unless the configuration switches the rule itself off.",
                pack.name
            ));
        }
        let near = swage_core::rule::nearest(id, on);
        Self::wrong(format!("no rule `{id}` is on; {near}")).hint("`swage rules list` lists the rules that are on.")
    }

    /// Adds what the user can do.
    pub fn hint(mut self, remedy: impl Display) -> Self {
        self.remedy = Some(remedy.to_string());
        self
    }

    /// What went wrong, in a line.
    pub fn message(&self) -> String {
        self.message.lines().map(str::trim).collect::<Vec<_>>().join(" ")
    }

    /// Reports it to the user and gives the exit code.
    pub fn report(self) -> ExitCode {
        let paint = Paint;
        let text = self.message.lines().map(printable).collect::<Vec<_>>().join("\n");
        let rendered = format!("{} {text}", paint.error("swage:"));
        let remedy = self.remedy.as_ref().map(|remedy| format!("\n{}", printable(remedy)));
        let rendered = rendered + &remedy.unwrap_or_default();
        anstream::eprintln!("{}", for_people(&rendered));
        ExitCode::from(self.code)
    }
}

impl From<GitError> for Failure {
    fn from(error: GitError) -> Self {
        let failure = if error.is_usage() { Self::wrong(&error) } else { Self::unfinished(&error) };
        match error.remedy() {
            Some(remedy) => failure.hint(remedy),
            None => failure,
        }
    }
}

impl From<Vec<Problem>> for Failure {
    fn from(problems: Vec<Problem>) -> Self {
        let count = problems.len();
        let list: Vec<String> = problems.iter().map(ToString::to_string).collect();
        let heading = if count == 1 {
            "the configuration has a mistake".to_owned()
        } else {
            format!("the configuration has {count} mistakes")
        };
        Self::wrong(format!("{heading}\n{}", list.join("\n")))
    }
}

impl From<LoadError> for Failure {
    fn from(error: LoadError) -> Self {
        match error {
            LoadError::Problems(problems) => problems.into(),
            LoadError::Unreadable(why) => Self::wrong(format!("the configuration can't be read: {why}"))
                .hint("It must be a file of TOML in UTF-8 that can be read."),
        }
    }
}
