//! What can be typed.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};

use swage_core::rule::Severity;

use crate::checkers::GivenReport;
use crate::failure::Failure;
use crate::output::{self, Document, Format};

/// Reviews a proposed change with the project's own rules and decides whether it may be merged.
#[derive(Debug, Parser)]
#[command(
    name = "swage",
    version,
    max_term_width = 100,
    disable_help_subcommand = true,
    after_help = "Exit codes: 0 done, or the gate passes; 1 the gate says no; 2 the call, the configuration or the input is wrong; 3 it couldn't be finished.\nBegin with `swage demo`, or with `swage init` in a repository of your own."
)]
pub struct Cli {
    /// When to use colours; `auto` means on a terminal, unless NO_COLOR is set
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub color: Color,
    /// How many threads to use, at most 256 [default: one a processor]
    #[arg(long, global = true, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=256))]
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
        after_help = "Examples:\n  swage compare v1.2 v1.3\n  swage compare old-copy new-copy\n  swage compare old.json new.json --format json"
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
    /// Publish a review as threads on a review host
    #[command(
        after_help = "The token is taken from SWAGE_TOKEN.\n\nExamples:\n  swage post --to http://127.0.0.1:8417 --proposal 7\n  swage post main...quay-times --to http://127.0.0.1:8417 --proposal 7 --open \"Later boats\""
    )]
    Post(PostArgs),
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

const FIX_EXAMPLES: &str = "A fix is proved when, with it, the file parses, the finding is gone and no other has come.

Examples:
  swage fix                           a diff of what would be fixed of this work
  swage fix --apply                   change the files
  swage fix --rule unused-import --path 'src/**' --all --apply
  swage fix --key 5daf2d13 > one.patch
  swage fix --committed --branch tidy    on a branch of its own, stacked on HEAD";

const SETTLE_EXAMPLES: &str =
    "Decisions are kept in .swage/decisions.toml. The gate takes those that are on the target.

Examples:
  swage settle 5daf2d13 --as intended --because \"the board needs the pause\"
  swage settle 5daf2d13 --as wrong --scope pattern --because \"these calls never block\"
  swage settle 5daf2d13 --as later --until 2031-05-01 --because \"after the summer timetable\"
  swage settle --list
  swage settle --check                decisions that no longer have an effect";

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
    /// A diff in a file; `-` is standard input
    #[arg(long, value_name = "FILE")]
    pub patch: Option<PathBuf>,
    /// The folder with the files of --patch, before or after it
    #[arg(long, value_name = "DIR", requires = "patch")]
    pub tree: Option<PathBuf>,
    /// Leading path components to take off the names in --patch [default: found by comparing them]
    #[arg(long, value_name = "N", requires = "patch")]
    pub strip: Option<usize>,
    /// Take an empty diff for a change that changes nothing, rather than for a program that failed
    #[arg(long, requires = "patch")]
    pub allow_empty: bool,
    /// The title under which the change is offered [default: the subject of its only commit]
    #[arg(long, value_name = "TEXT")]
    pub title: Option<String>,
    /// A file with the text with which the change is offered [default: the message of its only commit]
    #[arg(long, value_name = "FILE")]
    pub description: Option<PathBuf>,
    /// The branch that the change wants to enter [default: `target` in swage.toml, else the remote's default, main or master]
    #[arg(long, value_name = "BRANCH")]
    pub target: Option<String>,
}

impl ChangeArgs {
    /// The words that name the change, each behind a blank, to be typed again.
    pub fn as_typed(&self) -> String {
        let flags = [(self.staged, "--staged"), (self.uncommitted, "--uncommitted"), (self.committed, "--committed")];
        let flags = flags.into_iter().filter(|(given, _)| *given).map(|(_, flag)| flag.to_owned());
        let patch = self.patch.iter().map(|file| format!("--patch {}", file.display()));
        let target = self.target.iter().map(|target| format!("--target {target}"));
        self.range.iter().cloned().chain(flags).chain(patch).chain(target).map(|word| format!(" {word}")).collect()
    }
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
}

impl OutputArgs {
    /// Puts a document out as asked.
    pub fn write(&self, document: &Document<'_>) -> Result<(), Failure> {
        output::write(self.format, self.output.as_deref(), document)
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
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
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
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
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
}

#[derive(Debug, Args)]
pub struct CompareArgs {
    /// A revision, a folder, or a file that `scan --format json` or `--format sarif` wrote
    #[arg(value_name = "A")]
    pub before: String,
    /// The same, for the other side
    #[arg(value_name = "B")]
    pub after: String,
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
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
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
    #[command(flatten)]
    pub outside: OutsideArgs,
    #[command(flatten)]
    pub output: OutputArgs,
}

#[derive(Debug, Args)]
pub struct PostArgs {
    #[command(flatten)]
    pub change: ChangeArgs,
    /// The host's address
    #[arg(long, value_name = "URL")]
    pub to: String,
    /// The proposal's number
    #[arg(long, value_name = "N")]
    pub proposal: u64,
    /// Open the proposal with this title when the host doesn't know it
    #[arg(long, value_name = "TITLE")]
    pub open: Option<String>,
    #[command(flatten)]
    pub outside: OutsideArgs,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
}

#[derive(Debug, Subcommand)]
pub enum RulesCommand {
    /// List the rules that are on
    #[command(after_help = "Examples:\n  swage rules list\n  swage rules list --languages")]
    List {
        /// List the languages instead, and what patterns, filters and measures know of each
        #[arg(long)]
        languages: bool,
        #[command(flatten)]
        rules: RulesArgs,
    },
    /// Show one rule with its help and examples
    Show {
        /// The rule's id
        id: String,
        #[command(flatten)]
        rules: RulesArgs,
    },
    /// Try a pattern on files: what it matches, or what came nearest; names in capitals are holes
    #[command(after_help = TRY_EXAMPLES)]
    Try(TryArgs),
    /// Print the JSON Schema of rule files, for editors
    #[command(after_help = "Example:\n  swage rules schema > .swage/rules.schema.json")]
    Schema,
    /// Write a page for each pack that ships, made from its rules
    #[command(after_help = "Example:\n  swage rules pages docs/packs")]
    Pages {
        /// The folder; pages that are there already are replaced
        #[arg(value_name = "FOLDER")]
        folder: PathBuf,
    },
    /// Run every rule's examples: exit code 1 when one doesn't hold
    Test(RulesArgs),
}

const TRY_EXAMPLES: &str = "Examples:
  swage rules try 'store.CALL(ARGS)' --language typescript --many ARGS src
  swage rules try 'open(PATH)' --language python --text 'PATH=^\"/tmp' --node PATH=string
  swage rules try 'MAX_BERTHS + X' --language java --plain MAX_BERTHS";

#[derive(Debug, Args)]
pub struct TryArgs {
    /// Plain code of the language, with holes
    pub pattern: String,
    /// The language of the pattern [default: that of the files, when they have only one]
    #[arg(long, value_name = "LANGUAGE")]
    pub language: Option<String>,
    /// A hole that takes any run of neighbours
    #[arg(long, value_name = "NAME")]
    pub many: Vec<String>,
    /// A hole whose text must match
    #[arg(long, value_name = "NAME=REGEX")]
    pub text: Vec<String>,
    /// A hole that takes nodes of a class only
    #[arg(long, value_name = "NAME=CLASS")]
    pub node: Vec<String>,
    /// A name in capitals that is no hole
    #[arg(long, value_name = "NAME")]
    pub plain: Vec<String>,
    /// Files and folders [default: the current folder]
    #[arg(value_name = "PATH")]
    pub paths: Vec<PathBuf>,
}

#[derive(Debug, Args)]
pub struct RulesArgs {
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
}

#[derive(Debug, Subcommand)]
pub enum HostCommand {
    /// Serve proposals, revisions and threads on loopback until interrupted
    #[command(
        after_help = "Clients must send the token that SWAGE_TOKEN holds.\n\nExample:\n  SWAGE_TOKEN=secret swage host serve --data host.db"
    )]
    Serve(ServeArgs),
}

#[derive(Debug, Args)]
pub struct ServeArgs {
    /// Where to listen; only loopback addresses are served
    #[arg(long, value_name = "ADDRESS", default_value = "127.0.0.1:8417")]
    pub listen: std::net::SocketAddr,
    /// The file that keeps proposals and threads
    #[arg(long, value_name = "FILE", default_value = "swage-host.db")]
    pub data: PathBuf,
    /// Stop by itself after so many seconds without a request
    #[arg(long, value_name = "SECONDS")]
    pub idle: Option<u64>,
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
    /// A folder that is empty or doesn't exist yet [default: swage-demo in the temporary folder, made anew]
    #[arg(value_name = "DIR")]
    pub folder: Option<PathBuf>,
    /// Make a demo's folder anew, unless anything in it was changed
    #[arg(long)]
    pub again: bool,
}
