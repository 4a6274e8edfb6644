//! What can be typed of `swage post`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{ChangeArgs, OutsideArgs};

pub const EXAMPLES: &str = "A host's token is taken from SWAGE_TOKEN. The rules are those of the target; of a diff in a file, those of this folder.

Examples:
  swage post --proposal 7                       threads on the review host
  swage post --proposal 7 --answer              answer what people asked in the checker's threads
  swage post --to mail --patch series.mbox --tree . --from \"Swage <swage@example.org>\" --output replies.mbox
  swage post --to mail --patch series.mbox --tree . --from swage@example.org --smtp localhost:25
  swage post --to command main...quay-times     through the program that `[post]` of the target names";

/// Where a review is posted.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum PostWay {
    /// Threads on a review host
    #[default]
    Host,
    /// Replies to the mails of a series
    Mail,
    /// A program that keeps threads elsewhere
    Command,
}

#[derive(Debug, Args)]
pub struct PostArgs {
    /// Where to
    #[arg(long, value_name = "WAY", default_value = "host")]
    pub to: PostWay,
    #[command(flatten)]
    pub change: ChangeArgs,
    /// Answer the questions in the checker's threads of the proposal instead, and offer decisions that people name there
    #[arg(long)]
    pub answer: bool,
    /// Most threads that are opened at once; the rest is in the overview [default: that of the target's `[post]`, or 50]
    #[arg(long, value_name = "N", value_parser = super::whole::<u64>)]
    pub most_threads: Option<u64>,
    #[command(flatten)]
    pub outside: OutsideArgs,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
    /// Who writes, as `ADDRESS` or `NAME <ADDRESS>`
    #[arg(long, value_name = "ADDRESS", help_heading = "Mail")]
    pub from: Option<String>,
    /// Send the replies to this server instead of writing a mailbox; it is spoken to without encryption
    #[arg(long, value_name = "HOST:PORT", help_heading = "Mail", conflicts_with = "output")]
    pub smtp: Option<String>,
    /// Write the mailbox to a file [default: standard output]
    #[arg(long, value_name = "FILE", help_heading = "Mail")]
    pub output: Option<PathBuf>,
}
