//! What can be typed for the history.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::SetupArgs;

/// Examples of `swage trend`.
pub(super) const EXAMPLES: &str =
    "Every run of review, gate and scan leaves a row in the clone's own history, unless it has --no-cache.

Examples:
  swage trend                           the target's commits that were scanned
  swage trend --since v1.0              scan the others, too
  swage trend --since v1.0 --plot findings.svg
  swage trend --rule long-function
  swage trend --runs                    what was run here lately
  swage trend --prune 2031-01-01        forget what is older";

/// The form of a history.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum TrendFormat {
    /// A table for people
    Human,
    /// One JSON object; docs/formats.md describes it
    Json,
}

#[derive(Debug, Args)]
pub struct TrendArgs {
    /// Scan the target's commits since this revision that have no row yet
    #[arg(long, value_name = "REVISION")]
    pub since: Option<String>,
    /// Only findings of this rule
    #[arg(long, value_name = "RULE")]
    pub rule: Option<String>,
    /// Draw findings by severity, and what each commit introduced and fixed, as an .svg picture
    #[arg(long, value_name = "FILE")]
    pub plot: Option<PathBuf>,
    /// List the latest runs of review, gate and scan instead
    #[arg(long, conflicts_with_all = ["since", "plot", "prune"])]
    pub runs: bool,
    /// Forget runs before this day (YYYY-MM-DD)
    #[arg(long, value_name = "DATE", conflicts_with_all = ["since", "plot", "rule"])]
    pub prune: Option<String>,
    /// Show all rows, not only the latest 40
    #[arg(long)]
    pub all: bool,
    /// The branch [default: as for review]
    #[arg(long, value_name = "BRANCH")]
    pub target: Option<String>,
    #[command(flatten)]
    pub setup: SetupArgs,
    /// The form of the history
    #[arg(long, value_name = "FORM", default_value = "human", help_heading = "Output")]
    pub format: TrendFormat,
}
