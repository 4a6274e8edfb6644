//! What can be typed for the overview of a change.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{ChangeArgs, SetupArgs};

/// Examples of `swage brief`.
pub(super) const EXAMPLES: &str = "docs/brief.md says how reading time, order and risk are computed.

Examples:
  swage brief                              the work since the target
  swage brief main...quay-times --map quay-times.svg
  swage brief main...quay-times --flow BerthService.times times.svg
  swage brief --points ticket.md           which acceptance points the change mentions";

/// The form of an overview.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum BriefFormat {
    /// Text for people
    Human,
    /// One JSON object; docs/formats.md describes it
    Json,
    /// Markdown, to be read as a comment
    Markdown,
    /// A page in one file, with the change line by line
    Html,
}

#[derive(Debug, Args)]
pub struct BriefArgs {
    #[command(flatten)]
    pub change: ChangeArgs,
    #[command(flatten)]
    pub setup: SetupArgs,
    /// A file with the acceptance points of the ticket, a Markdown list
    #[arg(long, value_name = "FILE")]
    pub points: Option<PathBuf>,
    /// Draw the files and who refers to whom: an .svg picture, or .dot text for Graphviz
    #[arg(long, value_name = "FILE", help_heading = "Pictures")]
    pub map: Option<PathBuf>,
    /// Draw what a changed definition calls, in order, as an .svg picture
    #[arg(long, num_args = 2, value_names = ["NAME", "FILE"], help_heading = "Pictures")]
    pub flow: Option<Vec<String>>,
    /// The form of the overview
    #[arg(long, value_name = "FORM", default_value = "human", help_heading = "Output")]
    pub format: BriefFormat,
    /// Write the overview to a file, which is replaced whole or not at all [default: standard output]
    #[arg(long, value_name = "FILE", help_heading = "Output")]
    pub output: Option<PathBuf>,
}
