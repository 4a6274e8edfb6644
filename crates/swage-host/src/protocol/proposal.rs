//! Proposals, their revisions, statuses from outside and what happened to them.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::thread::Stance;
use super::verdict::{Merged, Verdict};
use super::{Checked, Ticket, checks};

/// A repository that the host keeps.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Repository {
    /// Its name.
    pub name: String,
    /// The only person who may push to it; null for a shared one.
    pub owner: Option<String>,
    /// The repository that it is a copy of.
    pub copy_of: Option<String>,
    /// The branches to which nobody may push.
    pub protected: Vec<String>,
}

/// Makes a repository.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewRepository {
    /// Its name.
    #[schema(pattern = "^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")]
    pub name: String,
    /// The repository to copy, for one of one's own; null for an empty shared one, which maintainers make.
    #[serde(default)]
    pub copy_of: Option<String>,
    /// The branches to which nobody may push; the first one is the default branch.
    #[serde(default)]
    pub protected: Vec<String>,
}

impl Checked for NewRepository {
    fn check(&self) -> Result<(), String> {
        checks::name("the repository", &self.name)?;
        self.copy_of.iter().try_for_each(|name| checks::name("the repository", name))?;
        self.protected.iter().try_for_each(|name| checks::branch("the branch", name))
    }
}

/// Offers a change for merging.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewProposal {
    /// The repository that the change wants to enter.
    #[schema(pattern = "^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")]
    pub repository: String,
    /// The branch that it wants to enter.
    #[schema(min_length = 1, max_length = 200)]
    pub target: String,
    /// The repository that holds it; the same one when left out.
    #[serde(default)]
    pub source: Option<String>,
    /// The branch that holds it, whose pushed states are its revisions.
    #[schema(min_length = 1, max_length = 200)]
    pub branch: String,
    /// For a review after the fact: the commit before the change, which is on the target already.
    #[schema(pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$")]
    #[serde(default)]
    pub after: Option<String>,
    /// What it is, in a line.
    #[schema(min_length = 1, max_length = 200)]
    pub title: String,
    /// Why and how, in Markdown.
    #[serde(default)]
    pub description: String,
    /// Whether it is still being worked on.
    #[serde(default)]
    pub draft: bool,
    /// Who is asked to review it.
    #[serde(default)]
    pub reviewers: Vec<String>,
    /// Labels.
    #[serde(default)]
    pub labels: Vec<String>,
    /// The tickets that it closes.
    #[serde(default)]
    pub tickets: Vec<String>,
    /// The day by which a review is wanted, as `2031-03-01`.
    #[schema(pattern = "^[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])$")]
    #[serde(default)]
    pub due: Option<String>,
    /// Whether the branch goes away after the merge.
    #[serde(default)]
    pub delete_branch: bool,
}

impl Checked for NewProposal {
    fn check(&self) -> Result<(), String> {
        checks::name("the repository", &self.repository)?;
        self.source.iter().try_for_each(|name| checks::name("the source", name))?;
        checks::branch("the target", &self.target)?;
        checks::branch("the branch", &self.branch)?;
        self.after.iter().try_for_each(|id| checks::commit("the commit", id))?;
        checks::line("the title", &self.title)?;
        checks::text("the description", &self.description)?;
        checks::names("the reviewer", &self.reviewers)?;
        checks::names("the label", &self.labels)?;
        checks::names("the ticket", &self.tickets)?;
        self.due.iter().try_for_each(|day| checks::day("the date", day))
    }
}

/// What is changed about a proposal; what is left out stays.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Edited {
    /// Another title.
    #[schema(min_length = 1, max_length = 200)]
    #[serde(default)]
    pub title: Option<String>,
    /// Another description.
    #[serde(default)]
    pub description: Option<String>,
    /// Another target.
    #[serde(default)]
    pub target: Option<String>,
    /// Work in progress, or ready.
    #[serde(default)]
    pub draft: Option<bool>,
    /// Other reviewers.
    #[serde(default)]
    pub reviewers: Option<Vec<String>>,
    /// Other labels.
    #[serde(default)]
    pub labels: Option<Vec<String>>,
    /// Other tickets.
    #[serde(default)]
    pub tickets: Option<Vec<String>>,
    /// Another day by which a review is wanted; an empty text for none.
    #[serde(default)]
    pub due: Option<String>,
    /// Whether it is open: false closes it without merging.
    #[serde(default)]
    pub open: Option<bool>,
}

impl Checked for Edited {
    fn check(&self) -> Result<(), String> {
        self.title.iter().try_for_each(|text| checks::line("the title", text))?;
        self.description.iter().try_for_each(|text| checks::text("the description", text))?;
        self.target.iter().try_for_each(|name| checks::branch("the target", name))?;
        self.reviewers.iter().try_for_each(|list| checks::names("the reviewer", list))?;
        self.labels.iter().try_for_each(|list| checks::names("the label", list))?;
        self.tickets.iter().try_for_each(|list| checks::names("the ticket", list))?;
        self.due.iter().filter(|day| !day.is_empty()).try_for_each(|day| checks::day("the date", day))
    }
}

/// Whether a proposal is still open.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ProposalState {
    /// It wants to be merged.
    Open,
    /// It was merged.
    Merged,
    /// It was closed without merging.
    Closed,
}

impl ProposalState {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::Merged => "merged",
            Self::Closed => "closed",
        }
    }

    /// The state with this word; open for any other.
    pub(crate) fn of(word: &str) -> Self {
        [Self::Merged, Self::Closed].into_iter().find(|state| state.word() == word).unwrap_or(Self::Open)
    }
}

/// A change offered for merging.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Proposal {
    /// Its number.
    pub number: u64,
    /// The repository that it wants to enter.
    pub repository: String,
    /// The branch that it wants to enter.
    pub target: String,
    /// The commit at the tip of the target; null when there is no such branch.
    pub target_tip: Option<String>,
    /// The repository that holds it.
    pub source: String,
    /// The branch that holds it.
    pub branch: String,
    /// What it is, in a line.
    pub title: String,
    /// Why and how, in Markdown.
    pub description: String,
    /// Who offers it.
    pub author: String,
    /// Whether it is open.
    pub state: ProposalState,
    /// Whether it is still being worked on.
    pub draft: bool,
    /// When it was offered, in seconds since 1970-01-01 UTC, as all times here.
    pub created: i64,
    /// When something last happened to it.
    pub updated: i64,
    /// The day by which a review is wanted.
    pub due: Option<String>,
    /// Whether the branch goes away after the merge.
    pub delete_branch: bool,
    /// Who is asked to review it.
    pub reviewers: Vec<String>,
    /// Who watches it as well.
    pub watchers: Vec<String>,
    /// Labels.
    pub labels: Vec<String>,
    /// The tickets that it closes.
    pub tickets: Vec<Ticket>,
    /// Its revisions, oldest first.
    pub revisions: Vec<Revision>,
    /// What reviewers say, the newest of each.
    pub stances: Vec<Stance>,
    /// Statuses from outside, of all revisions.
    pub statuses: Vec<Status>,
    /// The overview of the newest report.
    pub overview: Option<Overview>,
    /// The newest verdict of the gate.
    pub verdict: Option<Verdict>,
    /// How many threads there are.
    pub threads: ThreadCounts,
    /// How it was merged.
    pub merged: Option<Merged>,
    /// The last event of the proposal that the asker has seen; 0 for none.
    pub seen: u64,
}

impl Proposal {
    /// The newest revision; there is always one.
    pub fn newest(&self) -> Option<&Revision> {
        self.revisions.last()
    }
}

/// One pushed state of a proposal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Revision {
    /// Its number in the proposal, 1-based.
    pub number: u64,
    /// Its commit.
    pub head: String,
    /// Where it left the target.
    pub base: String,
    /// When the host saw it.
    pub at: i64,
    /// How many files it changes.
    pub files: u64,
    /// Lines that it adds.
    pub added: u64,
    /// Lines that it removes.
    pub removed: u64,
}

/// A file that a revision changes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct TouchedFile {
    /// Its path after the change; of one that goes, before it.
    pub path: String,
    /// Its path before the change.
    pub old_path: String,
    /// `added`, `deleted`, `modified`, `renamed` or `copied`.
    pub kind: String,
    /// Lines that are added.
    pub added: u64,
    /// Lines that are removed.
    pub removed: u64,
}

/// How many threads there are, by what they ask for. Drafts of others aren't counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
pub struct ThreadCounts {
    /// Open threads.
    pub open: u64,
    /// Those of them that must be done before merging.
    pub todos: u64,
    /// Those of them about findings.
    pub findings: u64,
    /// Closed threads.
    pub resolved: u64,
}

/// The one comment of a checker on the whole of a revision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Overview {
    /// Who reports.
    pub reporter: String,
    /// The revision that it is about.
    pub revision: u64,
    /// The text.
    pub text: String,
    /// `pass`, `fail` or `incomplete`, when it was decided.
    pub verdict: Option<String>,
}

/// How far an outside program is with a revision.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum StatusState {
    /// It is at work.
    Pending,
    /// All is well.
    Passed,
    /// Something isn't.
    Failed,
}

impl StatusState {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Pending => "pending",
            Self::Passed => "passed",
            Self::Failed => "failed",
        }
    }

    pub(crate) fn of(word: &str) -> Self {
        [Self::Passed, Self::Failed].into_iter().find(|state| state.word() == word).unwrap_or(Self::Pending)
    }
}

/// What an outside program says of a revision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Status {
    /// What it looked at, such as `build`.
    pub name: String,
    /// The revision.
    pub revision: u64,
    /// How far it is.
    pub state: StatusState,
    /// More in a line.
    pub text: String,
    /// Where to read more.
    pub link: Option<String>,
    /// Who says so.
    pub by: String,
    /// When.
    pub at: i64,
    /// What it said since it was last begun, oldest first.
    pub steps: Vec<StatusStep>,
}

/// What an outside program was doing, and since when.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct StatusStep {
    /// The text of the status, or its state where that was empty.
    pub text: String,
    /// When it said so, in milliseconds since 1970-01-01 UTC.
    pub at: i64,
}

/// A status as it is sent.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewStatus {
    /// How far the program is.
    pub state: StatusState,
    /// More in a line.
    #[serde(default)]
    pub text: String,
    /// Where to read more: an `http` or `https` address.
    #[schema(pattern = "^https?://\\S+$")]
    #[serde(default)]
    pub link: Option<String>,
}

impl Checked for NewStatus {
    fn check(&self) -> Result<(), String> {
        if !self.text.is_empty() {
            checks::line("the text", &self.text)?;
        }
        let is_web = |link: &String| {
            checks::line("the link", link)?;
            let web = link.starts_with("http://") || link.starts_with("https://");
            if web && !link.contains(char::is_whitespace) {
                Ok(())
            } else {
                Err("the link isn't a web address".to_owned())
            }
        };
        self.link.iter().try_for_each(is_web)
    }
}

/// Something that happened to a proposal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Event {
    /// Its number, which grows with time.
    pub number: u64,
    /// When.
    pub at: i64,
    /// Who did it.
    pub who: String,
    /// What it was: `proposed`, `pushed`, `edited`, `closed`, `reopened`, `remarked`, `resolved`, `unresolved`, `stance`,
    /// `status`, `reported`, `verdict`, `merged` or `target-moved`.
    pub what: String,
    /// More, in a line.
    pub text: String,
    /// The revision that it is about.
    pub revision: Option<u64>,
    /// The thread that it is about.
    pub thread: Option<u64>,
}

impl Event {
    /// What somebody did, as a sentence after the name, and its details.
    pub fn in_words(&self) -> (&str, &str) {
        let text = self.text.as_str();
        let (kind, rest) = text.split_once(": ").unwrap_or((text, ""));
        match (self.what.as_str(), kind) {
            ("remarked", "todo") => ("asked for something to be done", rest),
            ("remarked", "praise") => ("praised", rest),
            ("remarked", "reply") => ("replied", rest),
            ("remarked", "remark") => ("remarked", rest),
            ("stance", "approve") => ("approves", rest),
            ("stance", "object") => ("objects", rest),
            ("stance", "comment") => ("commented", rest),
            ("resolved", _) => ("closed a thread", ""),
            ("unresolved", _) => ("opened a thread again", ""),
            ("target-moved", _) => ("moved the target", text),
            (what, _) => (what, text),
        }
    }
}

/// A line of somebody's inbox.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct InboxRow {
    /// The proposal's number.
    pub number: u64,
    /// Its title.
    pub title: String,
    /// Who offers it.
    pub author: String,
    /// Whether it is open.
    pub state: ProposalState,
    /// Whether it is still being worked on.
    pub draft: bool,
    /// What the asker has to do with it: `author`, `reviewer`, `watcher`, or nothing of these.
    pub roles: Vec<String>,
    /// Whether it waits for the asker.
    pub waits_for_me: bool,
    /// Why, or for whom it waits.
    pub why: String,
    /// When it was offered.
    pub created: i64,
    /// When something last happened.
    pub updated: i64,
    /// The number of the newest revision.
    pub revision: u64,
    /// Its files.
    pub files: u64,
    /// Lines that it adds.
    pub added: u64,
    /// Lines that it removes.
    pub removed: u64,
    /// Open threads.
    pub threads: ThreadCounts,
    /// Approvals of the newest revision.
    pub approvals: u64,
    /// Objections that stand.
    pub objections: u64,
    /// Statuses of the newest revision: the worst one, when there is one.
    pub status: Option<StatusState>,
    /// The day by which a review is wanted.
    pub due: Option<String>,
    /// Whether something has happened that the asker hasn't seen.
    pub unseen: bool,
}
