//! Threads, remarks and stances.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Checked, CodeLine, ReportedFinding, checks};

/// The side of a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// Before it.
    Old,
    /// After it.
    New,
}

/// A place in a revision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Anchor {
    /// The file; percent-encoded when `path_encoded`.
    #[schema(min_length = 1, max_length = 4096)]
    pub path: String,
    /// Whether the path isn't UTF-8 and comes percent-encoded.
    #[serde(default)]
    pub path_encoded: bool,
    /// Before or after the change.
    pub side: Side,
    /// First line, 1-based; null, as the three below, for the whole file.
    #[serde(default)]
    pub start_line: Option<u32>,
    /// First column, 1-based, in Unicode scalar values; null for whole lines.
    #[serde(default)]
    pub start_column: Option<u32>,
    /// Last line.
    #[serde(default)]
    pub end_line: Option<u32>,
    /// The column after the end.
    #[serde(default)]
    pub end_column: Option<u32>,
}

impl Checked for Anchor {
    fn check(&self) -> Result<(), String> {
        if self.path.is_empty() || self.path.len() > 4096 || self.path.contains('\0') {
            return Err("the path isn't one".to_owned());
        }
        let columns = match (self.start_column, self.end_column) {
            (None, None) => true,
            (Some(start), Some(end)) => start > 0 && end > 0 && (self.start_line != self.end_line || start <= end),
            (None, Some(_)) | (Some(_), None) => false,
        };
        let lines = match (self.start_line, self.end_line) {
            (None, None) => self.start_column.is_none(),
            (Some(start), Some(end)) => 0 < start && start <= end,
            (None, Some(_)) | (Some(_), None) => false,
        };
        if lines && columns { Ok(()) } else { Err("the anchor isn't a place".to_owned()) }
    }
}

/// What a thread asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ThreadKind {
    /// Something said.
    Remark,
    /// Something that must be done before merging.
    Todo,
    /// Something that is good.
    Praise,
}

impl ThreadKind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Remark => "remark",
            Self::Todo => "todo",
            Self::Praise => "praise",
        }
    }

    pub(crate) fn of(word: &str) -> Self {
        [Self::Todo, Self::Praise].into_iter().find(|kind| kind.word() == word).unwrap_or(Self::Remark)
    }
}

/// Where a thread's anchor has come to in the newest revision.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ThreadPlace {
    /// It has none: the thread is about the whole proposal.
    Whole,
    /// It is in the newest revision, where the anchor says.
    Here,
    /// Its lines are gone; the anchor and the code are those of the revision that is named.
    Outdated,
}

/// A conversation at an anchor or about the whole proposal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Thread {
    /// Its number on the host.
    pub number: u64,
    /// The proposal's number.
    pub proposal: u64,
    /// Who opened it.
    pub author: String,
    /// What it asks for.
    pub kind: ThreadKind,
    /// The finding that it is about, as the newest report has it.
    pub finding: Option<ReportedFinding>,
    /// Where it is.
    pub anchor: Option<Anchor>,
    /// Whether that is a place of the newest revision.
    pub place: ThreadPlace,
    /// The revision that the anchor is of.
    pub revision: u64,
    /// The lines of the anchor as they were when the thread was opened or last moved.
    pub code: Vec<CodeLine>,
    /// Whether it is open.
    pub open: bool,
    /// Who closed it.
    pub closed_by: Option<String>,
    /// Whether it is seen by its author only, until it is published.
    pub draft: bool,
    /// What was said, oldest first; a thread about a finding may have nothing yet.
    pub remarks: Vec<Remark>,
}

/// Something said in a thread.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Remark {
    /// Its number on the host.
    pub number: u64,
    /// The revision at which it was said.
    pub revision: u64,
    /// Who said it.
    pub author: String,
    /// When.
    pub at: i64,
    /// What was said, in Markdown.
    pub text: String,
    /// Whether it is seen by its author only, until it is published.
    pub draft: bool,
    /// What others think of it: a word, and who says so.
    pub reactions: Vec<(String, String)>,
}

/// Opens a thread.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewThread {
    /// What it asks for.
    pub kind: ThreadKind,
    /// Where it is in the revision; null for the whole proposal.
    #[serde(default)]
    pub anchor: Option<Anchor>,
    /// The revision that the anchor is of; the newest when left out.
    #[serde(default)]
    pub revision: Option<u64>,
    /// What is said, in Markdown.
    #[schema(min_length = 1)]
    pub text: String,
    /// Whether it is kept for oneself until it is published.
    #[serde(default)]
    pub draft: bool,
}

impl Checked for NewThread {
    fn check(&self) -> Result<(), String> {
        said(&self.text)?;
        self.anchor.iter().try_for_each(Anchor::check)
    }
}

/// Says something in a thread.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewRemark {
    /// What is said, in Markdown.
    #[schema(min_length = 1)]
    pub text: String,
    /// Whether it is kept for oneself until it is published.
    #[serde(default)]
    pub draft: bool,
}

impl Checked for NewRemark {
    fn check(&self) -> Result<(), String> {
        said(&self.text)
    }
}

fn said(text: &str) -> Result<(), String> {
    if text.trim().is_empty() {
        return Err("the text is empty".to_owned());
    }
    checks::text("the text", text)
}

/// Closes a thread, or opens it again.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Resolve {
    /// Whether it is open.
    pub open: bool,
}

/// What a reviewer may say of a revision.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum StanceWord {
    /// It may be merged.
    Approve,
    /// It may not.
    Object,
    /// Neither.
    Comment,
}

impl StanceWord {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Approve => "approve",
            Self::Object => "object",
            Self::Comment => "comment",
        }
    }

    pub(crate) fn of(word: &str) -> Self {
        [Self::Approve, Self::Object].into_iter().find(|stance| stance.word() == word).unwrap_or(Self::Comment)
    }
}

/// What a reviewer says of a revision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Stance {
    /// Who.
    pub person: String,
    /// What.
    pub stance: StanceWord,
    /// The revision that it is about. An approval of an older one doesn't count; an objection stands until it is taken back.
    pub revision: u64,
    /// Why, in Markdown.
    pub text: String,
    /// When.
    pub at: i64,
}

/// Takes a stance, and publishes one's drafts with it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewStance {
    /// What.
    pub stance: StanceWord,
    /// The commit that was looked at, which must be that of the newest revision.
    #[schema(pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$")]
    pub head: String,
    /// Why, in Markdown.
    #[serde(default)]
    pub text: String,
}

impl Checked for NewStance {
    fn check(&self) -> Result<(), String> {
        checks::commit("the head", &self.head)?;
        checks::text("the text", &self.text)
    }
}

/// What publishing did.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Published {
    /// Threads that others see now.
    pub threads: u64,
    /// Remarks that others see now.
    pub remarks: u64,
}

/// Whether something was changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Changed {
    /// False when it was so already.
    pub changed: bool,
}

/// A file that somebody has read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReadMark {
    /// The file.
    #[schema(min_length = 1, max_length = 4096)]
    pub path: String,
    /// The revision in which it was read. The mark holds for later ones in which the file is the same.
    #[schema(minimum = 1)]
    pub revision: u64,
}

impl Checked for ReadMark {
    fn check(&self) -> Result<(), String> {
        if self.path.is_empty() || self.path.len() > 4096 { Err("the path isn't one".to_owned()) } else { Ok(()) }
    }
}
