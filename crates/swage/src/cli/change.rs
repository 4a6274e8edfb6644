//! Which change is meant, what is known of it, and how the result is put out.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use swage_core::change::{Change, Contents};
use swage_core::review::Review;
use swage_core::rule::Severity;

use super::shown::ShownArgs;
use crate::checkers::GivenReport;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::output::html::Page;
use crate::output::{self, Document, Format};

/// Which change is meant.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Which change")]
pub struct ChangeArgs {
    /// A range: A..B compares the two, A...B takes B since it left A [default: all work since the target]
    #[arg(value_name = "RANGE", conflicts_with_all = ["staged", "uncommitted", "committed", "patch"])]
    pub range: Option<String>,
    /// Only what is staged for the next commit
    #[arg(long, conflicts_with_all = ["uncommitted", "committed", "patch"])]
    pub staged: bool,
    /// Only what isn't committed, untracked files included
    #[arg(long, conflicts_with_all = ["committed", "patch"])]
    pub uncommitted: bool,
    /// Only what is committed since the target
    #[arg(long, conflicts_with = "patch")]
    pub committed: bool,
    /// Diffs in files, one after another, or in a folder, by name; `-` is standard input
    #[arg(long, value_name = "FILE", num_args = 1..)]
    pub patch: Vec<PathBuf>,
    /// The folder with the files of --patch, before or after it
    #[arg(long, value_name = "DIR", requires = "patch")]
    pub tree: Option<PathBuf>,
    /// Leading path components to take off the names in --patch [default: found by comparing them]
    #[arg(long, value_name = "N", value_parser = super::whole::<usize>, requires = "patch")]
    pub strip: Option<usize>,
    /// Take an empty diff for a change that changes nothing, rather than for a program that failed
    #[arg(long, requires = "patch")]
    pub allow_empty: bool,
    /// A proposal on a review host: its newest revision, and the target as it is there
    #[arg(long, value_name = "N", value_parser = super::whole::<u64>, conflicts_with_all = ["range", "staged", "uncommitted", "committed", "patch", "target"])]
    pub proposal: Option<u64>,
    /// The title under which the change is offered [default: the subject of its only commit]
    #[arg(long, value_name = "TEXT")]
    pub title: Option<String>,
    /// A file with the text with which the change is offered [default: the message of its only commit]
    #[arg(long, value_name = "FILE")]
    pub description: Option<PathBuf>,
    /// The branch that the change wants to enter [default: `target` in swage.toml, else the remote's default, main or master]
    #[arg(long, value_name = "BRANCH")]
    pub target: Option<String>,
    /// The repository on the host, such as http://127.0.0.1:8417/git/ferry.git [default: git's swage.host, else origin]
    #[arg(long, value_name = "URL", requires = "proposal")]
    pub host: Option<String>,
}

impl ChangeArgs {
    /// The words that name the change, each after a blank, to be typed again.
    pub fn as_typed(&self) -> String {
        let flags = [(self.staged, "--staged"), (self.uncommitted, "--uncommitted"), (self.committed, "--committed")];
        let flags = flags.into_iter().filter(|(given, _)| *given).map(|(_, flag)| flag.to_owned());
        let patch = self.patch.iter().map(|file| format!("--patch {}", file.display()));
        let target = self.target.iter().map(|target| format!("--target {target}"));
        let proposal = self.proposal.iter().map(|number| format!("--proposal {number}"));
        self.range
            .iter()
            .cloned()
            .chain(flags)
            .chain(patch)
            .chain(target)
            .chain(proposal)
            .map(|word| format!(" {word}"))
            .collect()
    }
}

/// Where rules come from, and whether results are kept.
#[derive(Debug, Clone, Default, Args)]
pub struct SetupArgs {
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
}

/// What outside programs found, when it is known already.
#[derive(Debug, Clone, Default, Args)]
pub struct OutsideArgs {
    /// Take the results of the outside program of a rule from files, and don't run it
    #[arg(long, value_name = "RULE=BEFORE,AFTER", help_heading = "Outside programs")]
    pub checker_results: Vec<GivenReport>,
}

/// How the result is put out.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Output")]
pub struct OutputArgs {
    /// The form of the result
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: Format,
    /// Write the result to a file, which is replaced whole or not at all [default: standard output]
    #[arg(long, value_name = "FILE")]
    pub output: Option<PathBuf>,
    /// With --format lines: name files from the root of the file system on
    #[arg(long)]
    pub absolute: bool,
    #[command(flatten)]
    pub shown: ShownArgs,
}

impl OutputArgs {
    /// What a page shows apart from the review, when a page is asked for.
    pub fn page(
        &self,
        change: &Change,
        contents: &dyn Contents,
        review: &Review,
        configuration: &Configuration,
    ) -> Option<Page> {
        (self.format == Format::Html).then(|| Page::of(change, contents, review, configuration))
    }

    /// Puts a document out as asked.
    pub fn write(&self, document: &Document<'_>) -> Result<(), Failure> {
        let shown = self.shown.shown(document.root)?;
        if self.absolute && self.format != Format::Lines {
            return Err(Failure::wrong("only lines name files in full").hint("Give --absolute with --format lines."));
        }
        shown.are_of(document.review)?;
        let root = document.root.filter(|_| self.absolute).map(std::path::absolute).transpose();
        let root = root.map_err(|e| Failure::unfinished(format!("the folder can't be found: {e}")))?;
        let document = Document { shown: &shown, root: root.as_deref(), ..*document };
        output::write(self.format, self.output.as_deref(), &document)
    }
}

/// The least severity of a finding that counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum FailOn {
    Error,
    Warning,
    Note,
}

impl FailOn {
    /// The severity that is meant.
    pub fn severity(self) -> Severity {
        match self {
            Self::Error => Severity::Error,
            Self::Warning => Severity::Warning,
            Self::Note => Severity::Note,
        }
    }
}
