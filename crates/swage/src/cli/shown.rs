//! Which findings a result shows. What is counted and decided is of all of them.

use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum};
use swage_core::review::{Finding, Review};
use swage_core::rule::PathSet;

use super::FailOn;
use crate::chosen::{are_rules_of, compiled};
use crate::failure::Failure;

/// What became of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum StateArg {
    New,
    Fixed,
    Unchanged,
    Worse,
    Improved,
}

impl StateArg {
    fn word(self) -> &'static str {
        match self {
            Self::New => "new",
            Self::Fixed => "fixed",
            Self::Unchanged => "unchanged",
            Self::Worse => "worse",
            Self::Improved => "improved",
        }
    }
}

/// Which findings are shown.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Which findings are shown")]
pub struct ShownArgs {
    /// Show only findings of this rule; may be given several times
    #[arg(long, value_name = "RULE")]
    pub rule: Vec<String>,
    /// Show only findings in files whose paths match; may be given several times
    #[arg(long, value_name = "PATTERN")]
    pub path: Vec<String>,
    /// Show only findings of at least this severity
    #[arg(long, value_name = "SEVERITY")]
    pub severity: Option<FailOn>,
    /// Show only findings in this state; may be given several times [default: new and worse]
    #[arg(long, value_name = "STATE")]
    pub state: Vec<StateArg>,
    /// Show counts by rule and by file instead of findings
    #[arg(long)]
    pub summary: bool,
    /// Show only findings in these files and folders, named after `--` from the current folder on
    #[arg(last = true, value_name = "PATHS")]
    pub only: Vec<PathBuf>,
}

/// Which findings are shown, ready to be asked.
#[derive(Debug, Clone, Default)]
pub struct Shown {
    args: ShownArgs,
    paths: Option<PathSet>,
    /// Files and folders from the root on; the root is empty.
    only: Vec<Vec<u8>>,
}

impl ShownArgs {
    /// What was typed, with its path patterns compiled; `root` is the folder that paths of findings begin in.
    pub fn shown(&self, root: Option<&Path>) -> Result<Shown, Failure> {
        let only = self.only.iter().map(|path| from_root(path, root)).collect::<Result<_, _>>()?;
        Ok(Shown { args: self.clone(), paths: compiled(&self.path)?, only })
    }
}

/// A path as it was typed in the current folder, from the root on.
fn from_root(path: &Path, root: Option<&Path>) -> Result<Vec<u8>, Failure> {
    let Some(root) = root.and_then(|root| root.canonicalize().ok()) else {
        return Ok(path.as_os_str().as_bytes().to_vec());
    };
    // The path needn't be there any more; its folder is as it is written.
    let full = path.canonicalize().or_else(|_| std::path::absolute(path)).unwrap_or_else(|_| path.to_owned());
    match full.strip_prefix(&root) {
        Ok(inside) => Ok(inside.as_os_str().as_bytes().to_vec()),
        Err(_) => Err(Failure::wrong(format!("{} lies outside of {}", path.display(), root.display()))
            .hint("Name files and folders of the tree that is looked at.")),
    }
}

impl Shown {
    /// Whether counts are shown instead of findings.
    pub fn is_summary(&self) -> bool {
        self.args.summary
    }

    /// Whether findings are chosen by their rule, so that all of them are of interest.
    pub fn names_rules(&self) -> bool {
        !self.args.rule.is_empty()
    }

    /// Whether the rules and paths that are asked for are among those of a review.
    ///
    /// # Errors
    /// When one isn't: nothing would be shown, and that would look as if nothing had been found.
    pub fn are_of(&self, review: &Review) -> Result<(), Failure> {
        are_rules_of(&self.args.rule, review)?;
        let files = || review.files.iter().flat_map(|f| [&f.old_path, &f.new_path]);
        let known = |named: &Vec<u8>| files().any(|path| is_within(named, path.text.as_bytes()));
        match self.args.only.iter().zip(&self.only).find(|(typed, named)| !known(named) && !typed.exists()) {
            Some((typed, _)) => Err(Failure::wrong(format!("there is no file or folder {}", typed.display()))
                .hint("Name files and folders from the current folder on.")),
            None => Ok(()),
        }
    }

    /// Whether findings of some states are asked for.
    pub fn names_states(&self) -> bool {
        !self.args.state.is_empty()
    }

    /// Whether a finding is among those that are shown.
    pub fn has(&self, f: &Finding) -> bool {
        let args = &self.args;
        (args.rule.is_empty() || args.rule.iter().any(|id| f.rule == *id))
            && args.severity.is_none_or(|least| f.severity <= least.severity())
            && (args.state.is_empty() || args.state.iter().any(|state| state.word() == f.state_word()))
            && self.paths.as_ref().is_none_or(|set| f.path().is_some_and(|path| set.has(path.text.as_bytes())))
            && (self.only.is_empty()
                || f.path().is_some_and(|path| self.only.iter().any(|named| is_within(named, path.text.as_bytes()))))
    }
}

/// Whether a path is the one that was named, or lies in it.
fn is_within(named: &[u8], path: &[u8]) -> bool {
    let after = path.strip_prefix(named);
    named.is_empty() || after.is_some_and(|rest| rest.is_empty() || rest.starts_with(b"/"))
}
