//! Which findings a result shows. What is counted and decided is of all of them.

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
}

/// Which findings are shown, ready to be asked.
#[derive(Debug, Clone, Default)]
pub struct Shown {
    args: ShownArgs,
    paths: Option<PathSet>,
}

impl ShownArgs {
    /// What was typed, with its path patterns compiled.
    pub fn shown(&self) -> Result<Shown, Failure> {
        Ok(Shown { args: self.clone(), paths: compiled(&self.path)? })
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

    /// Whether the rules that are asked for are among those of a review.
    ///
    /// # Errors
    /// When one isn't: nothing would be shown, and that would look as if nothing had been found.
    pub fn are_rules_of(&self, review: &Review) -> Result<(), Failure> {
        are_rules_of(&self.args.rule, review)
    }

    /// Whether findings of some states are asked for.
    pub fn names_states(&self) -> bool {
        !self.args.state.is_empty()
    }

    /// Whether a finding is among those that are shown.
    pub fn has(&self, f: &Finding) -> bool {
        let args = &self.args;
        (args.rule.is_empty() || args.rule.contains(&f.rule))
            && args.severity.is_none_or(|least| f.severity <= least.severity())
            && (args.state.is_empty() || args.state.iter().any(|state| state.word() == f.state_word()))
            && self.paths.as_ref().is_none_or(|set| f.path().is_some_and(|path| set.has(path.text.as_bytes())))
    }
}
