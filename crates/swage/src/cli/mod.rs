//! What can be typed.

mod brief;
mod change;
mod finding;
mod host;
mod post;
mod rules;
mod shown;
mod trend;

use std::path::PathBuf;
use std::str::FromStr;

use clap::{Arg, Args, CommandFactory, FromArgMatches, Parser, Subcommand, ValueEnum};

pub use self::brief::{BriefArgs, BriefFormat};
pub use self::change::{ChangeArgs, FailOn, OutputArgs, OutsideArgs, SetupArgs};
pub use self::finding::{
    AnswerArg, ExplainArgs, ExplainFormat, FindingArgs, FixArgs, HandoffArgs, HandoffFormat, ScopeArg, SettleArgs,
    StepArgs,
};
use self::finding::{FIX_EXAMPLES, SETTLE_EXAMPLES};
pub use self::host::{
    AnswerFormat, CloseArgs, HostArgs, HostCommand, InboxArgs, MergeArgs, ProposeArgs, RepositoryArgs, ReviewersArgs,
    SayArgs, ServeArgs, ShowArgs, StanceArgs, TokenArgs, TryProposalArgs,
};
use self::host::{MERGE_EXAMPLES, PROPOSE_EXAMPLES, SAY_EXAMPLES};
pub use self::post::{PostArgs, PostWay};
pub use self::rules::{LearnArgs, ReplayArgs, ReportArgs, ReportFormat, RulesArgs, RulesCommand, TryArgs};
pub use self::shown::Shown;
pub use self::trend::{TrendArgs, TrendFormat};

/// A whole number, or what is wanted instead of what was typed.
fn whole<T: FromStr>(text: &str) -> Result<T, &'static str> {
    text.parse().map_err(|_| "a whole number is wanted, 0 or more")
}

fn thread_count(text: &str) -> Result<u16, &'static str> {
    text.parse().ok().filter(|n| (1..=256).contains(n)).ok_or("a whole number from 1 to 256 is wanted")
}

/// Options that say which change is meant and that a command always refuses, since its change must be a branch, or
/// committed; help and completions leave them out, and who types one gets the reason.
const REFUSED: [(&str, &[&str]); 2] =
    [("gate", &["patch", "tree", "strip", "allow_empty"]), ("post", &["staged", "uncommitted"])];

/// The command line as it is offered.
pub fn command() -> clap::Command {
    REFUSED.iter().fold(Cli::command(), |all, (name, refused)| {
        let offered = |arg: Arg| if refused.contains(&arg.get_id().as_str()) { arg.hide(true) } else { arg };
        all.mut_subcommand(name, |command| command.mut_args(offered))
    })
}

/// What was typed; ends the program where that can't be read.
pub fn typed() -> Cli {
    Cli::from_arg_matches(&command().get_matches()).unwrap_or_else(|fault| fault.exit())
}

/// Reviews a proposed change with the project's own rules and decides whether it may be merged.
#[derive(Debug, Parser)]
#[command(
    name = "swage",
    version,
    max_term_width = 100,
    after_help = "Exit codes: 0 done, or the gate passes; 1 the gate says no; 2 the call, the configuration or the input is wrong; 3 it couldn't be finished.\nBegin with `swage demo`, or with `swage init` in a repository of your own."
)]
pub struct Cli {
    /// When to use colours; `auto` means on a terminal, unless NO_COLOR is set
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub color: Color,
    /// How many threads to use, at most 256 [default: one per processor]
    #[arg(long, global = true, value_name = "N", value_parser = thread_count)]
    pub threads: Option<u16>,
    /// Log progress to standard error
    #[arg(long, global = true)]
    pub verbose: bool,
    #[command(subcommand)]
    pub command: Command,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Color {
    Auto,
    Always,
    Never,
}

impl Color {
    /// Sets the choice for all output of this process.
    pub fn apply(self) {
        let choice = match self {
            Self::Auto => return,
            Self::Always => anstream::ColorChoice::Always,
            Self::Never => anstream::ColorChoice::Never,
        };
        choice.write_global();
    }
}

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Review a change and report its findings
    #[command(after_help = REVIEW_EXAMPLES)]
    Review(ReviewArgs),
    /// Decide whether a change may be merged: exit code 0 when it passes, 1 when it doesn't
    #[command(after_help = GATE_EXAMPLES)]
    Gate(GateArgs),
    /// Compare two revisions, folders or result files of `scan`: what is new, fixed, worse or improved
    #[command(
        after_help = "Examples:\n  swage compare v1.2 v1.3\n  swage compare old-copy new-copy\n  swage compare old.json new.json --format json\n  swage compare --proposal 7"
    )]
    Compare(CompareArgs),
    /// Find everything that the rules find in a whole tree
    #[command(
        after_help = "Examples:\n  swage scan\n  swage scan main --format sarif --output main.sarif\n  swage scan --baseline main.sarif       what came and went since, without history"
    )]
    Scan(ScanArgs),
    /// Show or apply the fixes that rules propose, each proved before it is offered
    #[command(after_help = FIX_EXAMPLES)]
    Fix(FixArgs),
    /// Go through findings one at a time: take the fix, settle, edit, pass over
    #[command(
        after_help = "It takes a terminal. What was passed over is remembered, so that the next run goes on there.\n\nExamples:\n  swage step\n  swage step --rule long-function --all"
    )]
    Step(StepArgs),
    /// Offer the current branch for merging on a review host
    #[command(after_help = PROPOSE_EXAMPLES)]
    Propose(ProposeArgs),
    /// List the proposals that wait for you, and those that you wait for
    #[command(after_help = "Examples:\n  swage inbox\n  swage inbox --open")]
    Inbox(InboxArgs),
    /// Show a proposal: threads in place, conditions of the gate, stances, timeline
    #[command(after_help = "Examples:\n  swage show 7\n  swage show 7 --since-seen")]
    Show(ShowArgs),
    /// Say something about a proposal: on lines, a file or the whole; answer; close a thread
    #[command(after_help = SAY_EXAMPLES)]
    Say(SayArgs),
    /// Approve the newest revision of a proposal, and publish your drafts
    #[command(after_help = "Examples:\n  swage approve 7\n  swage approve 7 \"Tried it at the quay.\"")]
    Approve(StanceArgs),
    /// Object to a proposal, and publish your drafts
    #[command(after_help = "Example:\n  swage object 7 \"The gate closes too late.\"")]
    Object(StanceArgs),
    /// Close a proposal without merging, or open it again
    #[command(after_help = "Examples:\n  swage close 7\n  swage close 7 --reopen")]
    Close(CloseArgs),
    /// Suggest who should review a change: the owners of its paths, and who worked on its files
    #[command(after_help = "Examples:\n  swage reviewers\n  swage reviewers --proposal 7")]
    Reviewers(ReviewersArgs),
    /// Check a proposal out into a folder of its own, and run a command there
    #[command(after_help = "Examples:\n  swage try 7 -- make test\n  swage try 7 --merged --keep")]
    Try(TryProposalArgs),
    /// Merge a proposal, when the gate passes for exactly these commits
    #[command(after_help = MERGE_EXAMPLES)]
    Merge(MergeArgs),
    /// Post a review: as threads on a review host, as mail, or through a program of your own
    #[command(after_help = post::EXAMPLES)]
    Post(PostArgs),
    /// Show what a change is made of: files, definitions, who refers to them, risks, and an order to read it in
    #[command(after_help = brief::EXAMPLES)]
    Brief(BriefArgs),
    /// Explain one finding: what matched, why, how to write it instead, decisions on similar findings, and the commit that introduced it
    #[command(after_help = "Examples:\n  swage explain 5daf2d13\n  swage explain 5daf2d13 --format json")]
    Explain(ExplainArgs),
    /// Write findings as a work list for a colleague or an assistant
    #[command(
        after_help = "Examples:\n  swage handoff                       what is new, with code, help and proved fixes\n  swage handoff --rule long-function --all --output work.md\n  swage handoff main...quay-times --format json"
    )]
    Handoff(HandoffArgs),
    /// Record a decision about a finding, with the reason, so that it no longer counts
    #[command(after_help = SETTLE_EXAMPLES)]
    Settle(SettleArgs),
    /// Show how the findings of the target developed, commit by commit, as a table or a plot
    #[command(after_help = trend::EXAMPLES)]
    Trend(TrendArgs),
    /// List, show and test rules
    Rules {
        #[command(subcommand)]
        command: RulesCommand,
    },
    /// The stand-in review host
    Host {
        #[command(subcommand)]
        command: HostCommand,
    },
    /// Set Swage up in this repository
    #[command(after_help = "Examples:\n  swage init\n  swage init --hook commit")]
    Init(InitArgs),
    /// Build a small repository with four branches and show everything on it
    #[command(after_help = "Examples:\n  swage demo\n  swage demo ~/ferry\n  swage demo ~/ferry --again")]
    Demo(DemoArgs),
    /// Print a completion script for a shell
    #[command(after_help = "Example:\n  swage completions bash > ~/.local/share/bash-completion/completions/swage")]
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
    /// Write manual pages and the completions of all shells into a folder, for packagers
    #[command(after_help = "Example:\n  swage man build/share      writes man/man1/*.1 and completions/* there")]
    Man {
        /// The folder; files of these names that are there already are replaced
        #[arg(value_name = "FOLDER")]
        folder: PathBuf,
    },
}

const REVIEW_EXAMPLES: &str = "Examples:
  swage review                        all work since the target, committed or not
  swage review --staged               what is about to be committed
  swage review main...quay-times      a branch against where it left main
  swage review --patch change.diff --tree .
  git diff | swage review --patch - --tree . --format lines
  swage review --staged --fail-on error    in a hook";

const GATE_EXAMPLES: &str = "Rules and policy are read from the target, never from the change.

Examples:
  swage gate                          would this work pass if it were merged now?
  swage gate main..quay-times         may quay-times enter main?
  swage gate --format json --output verdict.json";

#[derive(Debug, Args)]
pub struct ReviewArgs {
    #[command(flatten)]
    pub change: ChangeArgs,
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Show findings that were there before, too
    #[arg(long)]
    pub all: bool,
    /// End with exit code 1 when there is a new finding of at least this severity
    #[arg(long, value_name = "SEVERITY")]
    pub fail_on: Option<FailOn>,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
    #[command(flatten)]
    pub outside: OutsideArgs,
    #[command(flatten)]
    pub output: OutputArgs,
}

#[derive(Debug, Args)]
pub struct GateArgs {
    #[command(flatten)]
    pub change: ChangeArgs,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
    #[command(flatten)]
    pub outside: OutsideArgs,
    #[command(flatten)]
    pub output: OutputArgs,
    /// Run the target's `[checks]` in the merged tree
    #[arg(long, help_heading = "Outside programs")]
    pub run_checks: bool,
}

#[derive(Debug, Args)]
pub struct CompareArgs {
    /// A revision, a folder, or a file that `scan --format json` or `--format sarif` wrote
    #[arg(value_name = "A", required_unless_present = "proposal")]
    pub before: Option<String>,
    /// The same, for the other side
    #[arg(value_name = "B", required_unless_present = "proposal")]
    pub after: Option<String>,
    /// Both sides of a proposal on a review host: where its newest revision left the target, and that revision
    #[arg(long, value_name = "N", value_parser = whole::<u64>, conflicts_with_all = ["before", "after"])]
    pub proposal: Option<u64>,
    #[command(flatten)]
    pub host: HostArgs,
    #[command(flatten)]
    pub setup: SetupArgs,
    #[command(flatten)]
    pub outside: OutsideArgs,
    #[command(flatten)]
    pub output: OutputArgs,
}

#[derive(Debug, Args)]
pub struct ScanArgs {
    /// A revision [default: the working tree's tracked and untracked files]
    #[arg(value_name = "REVISION")]
    pub revision: Option<String>,
    /// A folder that needn't be a repository
    #[arg(long, value_name = "DIR", conflicts_with = "revision")]
    pub tree: Option<PathBuf>,
    /// Compare with the results of an earlier scan, JSON or SARIF; it takes no history, so shallow clones will do
    #[arg(long, value_name = "FILE")]
    pub baseline: Option<PathBuf>,
    #[command(flatten)]
    pub setup: SetupArgs,
    #[command(flatten)]
    pub outside: OutsideArgs,
    #[command(flatten)]
    pub output: OutputArgs,
}

#[derive(Debug, Args)]
pub struct InitArgs {
    /// Install a git hook that reviews what is about to be committed or pushed
    #[arg(long, value_name = "WHEN")]
    pub hook: Option<Hook>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Hook {
    /// Before each commit
    Commit,
    /// Before each push
    Push,
}

#[derive(Debug, Args)]
pub struct DemoArgs {
    /// A folder that is empty or doesn't exist yet [default: swage-demo in the temporary folder, recreated]
    #[arg(value_name = "DIR")]
    pub folder: Option<PathBuf>,
    /// Recreate a demo's folder, unless anything in it was changed
    #[arg(long)]
    pub again: bool,
    /// Leave the pages of the demo's review host up until interrupted
    #[arg(long)]
    pub keep_serving: bool,
}
