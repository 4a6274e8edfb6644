//! What is done about findings: which are meant, and the arguments of the commands that deal with them.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{ChangeArgs, SetupArgs};

/// Examples of `swage fix`.
pub(super) const FIX_EXAMPLES: &str =
    "A fix is proved when, with it, the file parses, the finding is gone and no other has come.

Examples:
  swage fix                           a diff of what would be fixed of this work
  swage fix --apply                   change the files
  swage fix --rule unused-import --path 'src/**' --all --apply
  swage fix --key 5daf2d13 > one.patch
  swage fix --committed --branch tidy    on a branch of its own, stacked on HEAD";

/// Examples of `swage settle`.
pub(super) const SETTLE_EXAMPLES: &str =
    "Decisions are kept in .swage/decisions.toml. The gate takes those that are on the target.

Examples:
  swage settle 5daf2d13 --as intended --because \"the board needs the pause\"
  swage settle 5daf2d13 --as wrong --scope pattern --because \"these calls never block\"
  swage settle 5daf2d13 --as later --until 2031-05-01 --because \"after the summer timetable\"
  swage settle --list
  swage settle --check                decisions that no longer have an effect";

/// Which findings are meant.
#[derive(Debug, Args)]
#[command(next_help_heading = "Which findings")]
pub struct FindingArgs {
    /// Only findings of this rule; may be given several times
    #[arg(long, value_name = "RULE")]
    pub rule: Vec<String>,
    /// Only findings in files whose paths match; may be given several times
    #[arg(long, value_name = "PATTERN")]
    pub path: Vec<String>,
    /// Only the finding with this key, or with a key that begins so
    #[arg(long, value_name = "KEY")]
    pub key: Vec<String>,
    /// Only what is new with the change; this is the default
    #[arg(long, conflicts_with = "all")]
    pub new: bool,
    /// All findings in the files of the change, unchanged ones included
    #[arg(long)]
    pub all: bool,
}

/// The form of a list of work.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum HandoffFormat {
    /// Markdown
    Markdown,
    /// One JSON object; docs/formats.md describes it
    Json,
}

/// The form of an explanation.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ExplainFormat {
    /// Text for people
    Human,
    /// One JSON object; docs/formats.md describes it
    Json,
}

#[derive(Debug, Args)]
pub struct ExplainArgs {
    /// The finding's key, or its first digits
    #[arg(value_name = "KEY")]
    pub key: String,
    /// Put this question to the advisor, a program that git's `swage.advisor` or the target's `[advisor]` names
    #[arg(long, value_name = "TEXT")]
    pub ask: Option<String>,
    /// The form of the explanation
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: ExplainFormat,
    /// The branch that the change wants to enter [default: as for `swage review`]
    #[arg(long, value_name = "BRANCH")]
    pub target: Option<String>,
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub struct HandoffArgs {
    #[command(flatten)]
    pub change: ChangeArgs,
    #[command(flatten)]
    pub findings: FindingArgs,
    /// The form of the list
    #[arg(long, value_name = "FORM", default_value = "markdown", help_heading = "Output")]
    pub format: HandoffFormat,
    /// Write the list to a file [default: standard output]
    #[arg(long, value_name = "FILE", help_heading = "Output")]
    pub output: Option<PathBuf>,
    #[command(flatten)]
    pub setup: SetupArgs,
}

#[derive(Debug, Args)]
pub struct StepArgs {
    #[command(flatten)]
    pub change: ChangeArgs,
    #[command(flatten)]
    pub findings: FindingArgs,
    /// Begin with the first finding, whatever was passed over before
    #[arg(long)]
    pub afresh: bool,
    #[command(flatten)]
    pub setup: SetupArgs,
}

#[derive(Debug, Args)]
pub struct FixArgs {
    #[command(flatten)]
    pub change: ChangeArgs,
    #[command(flatten)]
    pub findings: FindingArgs,
    /// Change the files of the working tree [default: show a diff]
    #[arg(long, conflicts_with_all = ["commit", "branch", "output"], help_heading = "What to do")]
    pub apply: bool,
    /// Change the files and commit them
    #[arg(long, conflicts_with_all = ["branch", "output"], help_heading = "What to do")]
    pub commit: bool,
    /// Commit to a new branch on top of HEAD, without touching the working tree
    #[arg(long, value_name = "NAME", conflicts_with = "output", help_heading = "What to do")]
    pub branch: Option<String>,
    /// The message of the commit
    #[arg(long, value_name = "TEXT", help_heading = "What to do")]
    pub message: Option<String>,
    /// Write the diff to a file [default: standard output]
    #[arg(long, value_name = "FILE", help_heading = "What to do")]
    pub output: Option<PathBuf>,
    #[command(flatten)]
    pub setup: SetupArgs,
}

#[derive(Debug, Args)]
pub struct SettleArgs {
    /// The finding's key, or its first digits
    #[arg(value_name = "KEY")]
    pub key: Option<String>,
    /// What is decided
    #[arg(long = "as", value_name = "ANSWER")]
    pub answer: Option<AnswerArg>,
    /// Why
    #[arg(long, value_name = "TEXT")]
    pub because: Option<String>,
    /// The last day on which the finding does not count, with `--as later`
    #[arg(long, value_name = "YYYY-MM-DD")]
    pub until: Option<String>,
    /// How far the decision reaches [default: finding]
    #[arg(long, value_name = "SCOPE")]
    pub scope: Option<ScopeArg>,
    /// List all decisions
    #[arg(long, conflicts_with_all = ["key", "drop", "check", "answer"])]
    pub list: bool,
    /// Drop the decisions about this key
    #[arg(long, conflicts_with_all = ["check", "answer", "because"])]
    pub drop: bool,
    /// List decisions that no longer have an effect: exit code 1 when there are any
    #[arg(long, conflicts_with_all = ["key", "answer"])]
    pub check: bool,
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// The branch that the change wants to enter [default: as for `swage review`]
    #[arg(long, value_name = "BRANCH")]
    pub target: Option<String>,
}

/// What may be decided of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum AnswerArg {
    /// The code is as it should be
    Intended,
    /// The rule is wrong here
    Wrong,
    /// It is right, and will be dealt with by a date
    Later,
}

/// How far a decision reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ScopeArg {
    /// This finding, wherever it moves
    Finding,
    /// All that the rule finds in the file
    File,
    /// All places with the same text
    Pattern,
}
