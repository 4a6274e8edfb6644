//! The arguments of `swage rules`.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

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
        #[arg(value_name = "RULE")]
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
    /// Show what became of each rule's findings: fixed, suppressed, settled; and what follows from it for the configuration
    #[command(
        after_help = "It knows what review and gate found in this clone, and the decisions of the working tree.\n\nExamples:\n  swage rules report\n  swage rules report --apply 1"
    )]
    Report(ReportArgs),
    /// Propose a rule, with a fix and examples, from code before and after a fix
    #[command(after_help = LEARN_EXAMPLES)]
    Learn(LearnArgs),
    /// Show what a rule would have said of past changes: how much, how fast, and how often its lines were changed again soon
    #[command(
        after_help = "Rules of packs that are off can be replayed, too.\n\nExamples:\n  swage rules replay debug-print\n  swage rules replay too-many-parameters --since v1.0"
    )]
    Replay(ReplayArgs),
    /// Run every rule's examples: exit code 1 when one doesn't hold
    Test(RulesArgs),
}

const TRY_EXAMPLES: &str = "Examples:
  swage rules try 'store.CALL(ARGS)' --language typescript --many ARGS src
  swage rules try 'open(PATH)' --language python --text 'PATH=^\"/tmp' --node PATH=string
  swage rules try 'CALL(ARGS)' --language python --many ARGS --stands-for 'CALL=^subprocess\\.run$'
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
    /// A hole whose text must match with what the file's imports say that its first name stands for
    #[arg(long, value_name = "NAME=REGEX")]
    pub stands_for: Vec<String>,
    /// A hole that takes nodes of a class only
    #[arg(long, value_name = "NAME=CLASS")]
    pub node: Vec<String>,
    /// A hole that takes only what may differ from run to run
    #[arg(long, value_name = "NAME")]
    pub varies: Vec<String>,
    /// A name in capitals that is no hole
    #[arg(long, value_name = "NAME")]
    pub plain: Vec<String>,
    /// Files and folders [default: the current folder]
    #[arg(value_name = "PATH")]
    pub paths: Vec<PathBuf>,
}

/// The form of a report on rules.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ReportFormat {
    /// A table for people
    Human,
    /// One JSON object; docs/formats.md describes it
    Json,
}

#[derive(Debug, Args)]
pub struct ReportArgs {
    /// Write the proposal with this number to swage.toml
    #[arg(long, value_name = "N", value_parser = super::whole::<usize>)]
    pub apply: Option<usize>,
    #[command(flatten)]
    pub rules: RulesArgs,
    /// The form of the report
    #[arg(long, value_name = "FORM", default_value = "human", conflicts_with = "apply")]
    pub format: ReportFormat,
}

const LEARN_EXAMPLES: &str =
    "What differs between the places becomes holes; what is the same stays. More pairs make a better rule.

Examples:
  swage rules learn old.py new.py --id wait-in-route
  swage rules learn a-before.ts a-after.ts b-before.ts b-after.ts > .swage/rules/learned.toml
  swage rules learn --commit 4f2a9c1 --commit 9e03b77 --language python";

#[derive(Debug, Args)]
pub struct LearnArgs {
    /// Files in pairs: before, after, before, after, ...
    #[arg(value_name = "BEFORE AFTER")]
    pub files: Vec<PathBuf>,
    /// Learn from what this commit changed; may be given several times
    #[arg(long, value_name = "REVISION")]
    pub commit: Vec<String>,
    /// Of the commits, only files of this language
    #[arg(long, value_name = "LANGUAGE", requires = "commit")]
    pub language: Option<String>,
    /// The id of the rule
    #[arg(long, value_name = "ID", default_value = "learned")]
    pub id: String,
    /// Write the rule to a file, which is replaced whole or not at all [default: standard output]
    #[arg(long, value_name = "FILE")]
    pub output: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub struct ReplayArgs {
    /// The rule's id
    #[arg(value_name = "RULE")]
    pub id: String,
    /// Look at the changes of the target since this revision [default: the last 100]
    #[arg(long, value_name = "REVISION")]
    pub since: Option<String>,
    /// The branch [default: as for review]
    #[arg(long, value_name = "BRANCH")]
    pub target: Option<String>,
    #[command(flatten)]
    pub rules: RulesArgs,
    /// The form of the report
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: ReportFormat,
}

#[derive(Debug, Args)]
pub struct RulesArgs {
    /// Read rules from this file instead of the working tree's swage.toml
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
}
