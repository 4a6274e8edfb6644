//! What can be typed about proposals on a review host.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};
use swage_host::{MergeKind, Role};

/// Which host.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Review host")]
pub struct HostArgs {
    /// The repository on the host, such as http://127.0.0.1:8417/git/ferry.git [default: git's swage.host, else origin]
    #[arg(long, value_name = "URL")]
    pub host: Option<String>,
}

/// The form of an answer.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum AnswerFormat {
    /// For people
    #[default]
    Human,
    /// As the host says it
    Json,
}

pub const PROPOSE_EXAMPLES: &str = "The token is taken from SWAGE_TOKEN.

Examples:
  swage propose                              offer the current branch, or push to its open proposal
  swage propose --title \"Winter times\" --ticket QUAY-7 --reviewer pier-dev --delete-branch
  swage propose --source ferry-pier          from a repository of your own, which is made when it isn't there
  swage propose --after main~3               have the last three commits of a branch reviewed after the fact
  swage propose --ready                      what was work in progress is ready now";

#[derive(Debug, Args)]
pub struct ProposeArgs {
    /// What it is, in a line [default: the subject of its only commit, else the name of the branch]
    #[arg(long, value_name = "TEXT")]
    pub title: Option<String>,
    /// A file with the description in Markdown; `-` is standard input [default: the commits' messages]
    #[arg(long, value_name = "FILE", conflicts_with = "describe")]
    pub description: Option<PathBuf>,
    /// Write the description from the brief of the change
    #[arg(long)]
    pub describe: bool,
    /// The branch that it wants to enter [default: as for `swage review`]
    #[arg(long, value_name = "BRANCH")]
    pub target: Option<String>,
    /// Push to this branch on the host [default: the current one; for contributors, below their name]
    #[arg(long, value_name = "NAME")]
    pub branch: Option<String>,
    /// Push to this repository of your own instead, and offer it from there
    #[arg(long, value_name = "NAME")]
    pub source: Option<String>,
    /// Have what came after this commit reviewed, although the target has it already
    #[arg(long, value_name = "REVISION")]
    pub after: Option<String>,
    /// It is still being worked on
    #[arg(long, conflicts_with = "ready")]
    pub draft: bool,
    /// It is ready for review
    #[arg(long)]
    pub ready: bool,
    /// Ask somebody to review it; may be given several times
    #[arg(long, value_name = "PERSON")]
    pub reviewer: Vec<String>,
    /// Put a label on it; may be given several times
    #[arg(long, value_name = "LABEL")]
    pub label: Vec<String>,
    /// A ticket that it closes; may be given several times [default: those that the commits name]
    #[arg(long, value_name = "NAME")]
    pub ticket: Vec<String>,
    /// The day by which a review is wanted
    #[arg(long, value_name = "YYYY-MM-DD")]
    pub due: Option<String>,
    /// Take the branch away after the merge
    #[arg(long)]
    pub delete_branch: bool,
    /// Replace what was pushed before, although the new commits don't contain it
    #[arg(long)]
    pub rewritten: bool,
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: AnswerFormat,
    #[command(flatten)]
    pub host: HostArgs,
}

#[derive(Debug, Args)]
pub struct InboxArgs {
    /// All open proposals, not only those that you have to do with
    #[arg(long)]
    pub open: bool,
    /// Closed and merged ones, too
    #[arg(long, conflicts_with = "open")]
    pub all: bool,
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: AnswerFormat,
    #[command(flatten)]
    pub host: HostArgs,
}

#[derive(Debug, Args)]
pub struct ShowArgs {
    /// The proposal's number
    #[arg(value_name = "N", value_parser = super::whole::<u64>)]
    pub number: u64,
    /// Closed threads, too
    #[arg(long)]
    pub all: bool,
    /// Only what has happened since you last looked
    #[arg(long)]
    pub since_seen: bool,
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: AnswerFormat,
    #[command(flatten)]
    pub host: HostArgs,
}

pub const SAY_EXAMPLES: &str = "Examples:
  swage say 7 \"Which port is this for?\"
  swage say 7 --at quay/Gate.java:31-38 --todo \"Close the gate before the boat leaves.\"
  swage say 7 --at timetable/load.py --draft \"This file again.\"      seen by nobody until --publish
  swage say 7 --publish
  swage say 7 --thread 4 \"Done in the last commit.\" --resolve
  git log -1 --format=%B | swage say 7 -";

#[derive(Debug, Args)]
pub struct SayArgs {
    /// The proposal's number
    #[arg(value_name = "N", value_parser = super::whole::<u64>)]
    pub number: u64,
    /// What is said, in Markdown; `-` is standard input
    #[arg(value_name = "TEXT")]
    pub text: Option<String>,
    /// Where: a file, a line of it, or lines, in the newest revision [default: the whole proposal]
    #[arg(long, value_name = "PATH[:LINE[-LINE]]", conflicts_with = "thread")]
    pub at: Option<String>,
    /// The place is one before the change
    #[arg(long, requires = "at")]
    pub old: bool,
    /// It must be done before merging
    #[arg(long, conflicts_with_all = ["praise", "thread"])]
    pub todo: bool,
    /// It is good
    #[arg(long, conflicts_with = "thread")]
    pub praise: bool,
    /// Answer in this thread
    #[arg(long, value_name = "THREAD")]
    pub thread: Option<u64>,
    /// Close the thread
    #[arg(long, requires = "thread", conflicts_with = "reopen")]
    pub resolve: bool,
    /// Open the thread again
    #[arg(long, requires = "thread")]
    pub reopen: bool,
    /// React to the thread's last remark with a word, such as `agreed`
    #[arg(long, value_name = "WORD", requires = "thread")]
    pub react: Option<String>,
    /// Keep it for yourself until you publish it
    #[arg(long, conflicts_with = "publish")]
    pub draft: bool,
    /// Let others see your drafts
    #[arg(long)]
    pub publish: bool,
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: AnswerFormat,
    #[command(flatten)]
    pub host: HostArgs,
}

#[derive(Debug, Args)]
pub struct StanceArgs {
    /// The proposal's number
    #[arg(value_name = "N", value_parser = super::whole::<u64>)]
    pub number: u64,
    /// Why, in Markdown; `-` is standard input
    #[arg(value_name = "TEXT")]
    pub text: Option<String>,
    /// The commit that you looked at, or its first digits [default: the newest revision, unless it came since you last looked]
    #[arg(long, value_name = "COMMIT")]
    pub head: Option<String>,
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: AnswerFormat,
    #[command(flatten)]
    pub host: HostArgs,
}

#[derive(Debug, Args)]
pub struct CloseArgs {
    /// The proposal's number
    #[arg(value_name = "N", value_parser = super::whole::<u64>)]
    pub number: u64,
    /// Open it again
    #[arg(long)]
    pub reopen: bool,
    #[command(flatten)]
    pub host: HostArgs,
}

#[derive(Debug, Args)]
pub struct ReviewersArgs {
    #[command(flatten)]
    pub change: super::ChangeArgs,
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub format: AnswerFormat,
}

#[derive(Debug, Args)]
pub struct TryProposalArgs {
    /// The proposal's number
    #[arg(value_name = "N", value_parser = super::whole::<u64>)]
    pub number: u64,
    /// The command to run there; without one, the folder is kept and named
    #[arg(value_name = "COMMAND", last = true)]
    pub command: Vec<String>,
    /// What the target would be after the merge, instead of the revision itself
    #[arg(long)]
    pub merged: bool,
    /// Keep the folder
    #[arg(long)]
    pub keep: bool,
    #[command(flatten)]
    pub host: HostArgs,
}

pub const MERGE_EXAMPLES: &str =
    "The gate is decided for exactly the commits that are merged; when the target moves meanwhile, it is decided again.

Examples:
  swage merge 7 --dry-run
  swage merge 7 --squash --delete-branch
  swage merge --queue              all open proposals that pass, one on the other
  swage merge 7 --undo             offer a proposal that takes the merge back";

#[derive(Debug, Args)]
pub struct MergeArgs {
    /// The proposal's number
    #[arg(value_name = "N", value_parser = super::whole::<u64>, required_unless_present = "queue", conflicts_with = "queue")]
    pub number: Option<u64>,
    /// Merge all open proposals that pass, in the order of their numbers, each on what those before it give
    #[arg(long, conflicts_with = "undo")]
    pub queue: bool,
    /// One commit with all of it
    #[arg(long, conflicts_with = "fast_forward")]
    pub squash: bool,
    /// Move the target to the head, when that follows it
    #[arg(long)]
    pub fast_forward: bool,
    /// The message of the commit [default: title and description, and for --squash the commits]
    #[arg(long, value_name = "TEXT")]
    pub message: Option<String>,
    /// Take the branch away afterwards
    #[arg(long)]
    pub delete_branch: bool,
    /// Say what would be done, and do nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Offer a proposal that takes the merge back
    #[arg(long, conflicts_with_all = ["squash", "fast_forward", "message", "delete_branch", "dry_run"])]
    pub undo: bool,
    /// Neither use nor fill the cache
    #[arg(long)]
    pub no_cache: bool,
    #[command(flatten)]
    pub host: HostArgs,
}

impl MergeArgs {
    /// How the change enters the target.
    pub fn kind(&self) -> MergeKind {
        match () {
            () if self.squash => MergeKind::Squash,
            () if self.fast_forward => MergeKind::FastForward,
            () => MergeKind::Merge,
        }
    }
}

#[derive(Debug, Subcommand)]
pub enum HostCommand {
    /// Serve repositories, proposals and threads on loopback until interrupted
    #[command(
        after_help = "Examples:\n  swage host serve --data ~/ferry-host\n  swage host serve --data ~/ferry-host --check        reviews each push to a proposal by itself\n  swage host serve --data ~/ferry-host --mail localhost:25 --mail-from host@example.org"
    )]
    Serve(ServeArgs),
    /// Give somebody a role and a token, which is printed this once
    #[command(
        after_help = "Roles: a reader reads; a contributor proposes and speaks; a maintainer does all that and merges; a checker reports.\n\nExamples:\n  swage host token harbour-dev --role contributor --data ~/ferry-host\n  swage host token harbour-dev --revoke --data ~/ferry-host"
    )]
    Token(TokenArgs),
    /// Make an empty repository that maintainers and contributors share
    #[command(
        after_help = "Example:\n  swage host repository ferry --data ~/ferry-host\n  git push http://127.0.0.1:8417/git/ferry.git main      by a maintainer, once the host serves"
    )]
    Repository(RepositoryArgs),
}

#[derive(Debug, Args)]
pub struct RepositoryArgs {
    /// Its name
    #[arg(value_name = "NAME")]
    pub name: String,
    /// A branch to which nobody may push once it is there; the first one is the default branch
    #[arg(long, value_name = "BRANCH", default_value = "main")]
    pub protect: Vec<String>,
    /// The folder of the host
    #[arg(long, value_name = "DIR", default_value = "swage-host")]
    pub data: PathBuf,
}

fn address(text: &str) -> Result<std::net::SocketAddr, &'static str> {
    text.parse().map_err(|_| "an address with a port is wanted, such as 127.0.0.1:8417")
}

#[derive(Debug, Args)]
pub struct ServeArgs {
    /// Where to listen; only loopback addresses are served
    #[arg(long, value_name = "ADDRESS", default_value = "127.0.0.1:8417", value_parser = address)]
    pub listen: std::net::SocketAddr,
    /// The folder that keeps everything; it is made when it isn't there
    #[arg(long, value_name = "DIR", default_value = "swage-host")]
    pub data: PathBuf,
    /// Stop by itself after this many seconds without a request
    #[arg(long, value_name = "SECONDS")]
    pub idle: Option<u64>,
    /// Review each new revision as `swage post` does, and answer what is asked in the threads of that
    #[arg(long)]
    pub check: bool,
    /// Review work in progress, too
    #[arg(long, requires = "check")]
    pub check_drafts: bool,
    /// Notify people by mail of what happened to their proposals, through this server; it is spoken to without encryption
    #[arg(long, value_name = "HOST:PORT", requires = "mail_from")]
    pub mail: Option<String>,
    /// Who writes that mail, as `ADDRESS` or `NAME <ADDRESS>`
    #[arg(long, value_name = "ADDRESS", requires = "mail")]
    pub mail_from: Option<String>,
}

#[derive(Debug, Args)]
pub struct TokenArgs {
    /// Whose token it is
    #[arg(value_name = "NAME")]
    pub name: String,
    /// What they may do
    #[arg(long, value_name = "ROLE", required_unless_present = "revoke")]
    pub role: Option<RoleArg>,
    /// Where they get mail
    #[arg(long, value_name = "ADDRESS", conflicts_with = "revoke")]
    pub mail: Option<String>,
    /// Take all tokens of theirs away instead
    #[arg(long, conflicts_with = "role")]
    pub revoke: bool,
    /// The folder of the host
    #[arg(long, value_name = "DIR", default_value = "swage-host")]
    pub data: PathBuf,
}

/// What somebody may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum RoleArg {
    Reader,
    Contributor,
    Maintainer,
    Checker,
}

impl RoleArg {
    /// The role that is meant.
    pub fn role(self) -> Role {
        match self {
            Self::Reader => Role::Reader,
            Self::Contributor => Role::Contributor,
            Self::Maintainer => Role::Maintainer,
            Self::Checker => Role::Checker,
        }
    }
}
