//! The arguments of `swage rules`.

use std::path::PathBuf;

use clap::{Args, Subcommand};

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
