//! What goes over the wire, as JSON.

use serde::{Deserialize, Serialize};

/// The value of [`Report::format`].
pub const REPORT_FORMAT: &str = "swage-report/1";

/// Opens a proposal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NewProposal {
    /// What it is, in a line.
    pub title: String,
    /// The branch that it wants to enter.
    pub target: String,
}

/// Everything that one reporter found in one revision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Report {
    /// `swage-report/1`.
    pub format: String,
    /// The commit that the revision is compared with.
    pub base: Option<String>,
    /// `pass`, `fail` or `incomplete`, when it was decided.
    pub verdict: Option<String>,
    /// The one comment on the whole proposal, as plain text; it replaces the one before.
    pub overview: String,
    /// The findings, each under a key of its own.
    pub findings: Vec<ReportedFinding>,
}

/// A finding of a report.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ReportedFinding {
    /// Its stable name: the same in every revision as long as it is the same finding.
    pub key: String,
    /// The rule's id.
    pub rule: String,
    /// `error`, `warning` or `note`.
    pub severity: String,
    /// What it says.
    pub message: String,
    /// Why, and what to do.
    pub help: Option<String>,
    /// Where it stands; null for the proposal as a whole.
    pub anchor: Option<Anchor>,
    /// Other places that it is about.
    #[serde(default)]
    pub related: Vec<Related>,
    /// Whether it is advice, which never has to be followed.
    #[serde(default)]
    pub advisory: bool,
    /// The code around it.
    pub code: Vec<CodeLine>,
    /// An edit that has been shown to fix it.
    #[serde(default)]
    pub fix: Option<Fix>,
}

/// A proved fix of a finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fix {
    /// What it does, in a line.
    pub title: String,
    /// What it replaces in the finding's file, in order and without overlaps.
    pub edits: Vec<Edit>,
}

/// A piece of a file that is replaced. Lines and columns are those of anchors; they end where they begin where something is
/// inserted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Edit {
    /// First line.
    pub start_line: u32,
    /// First column.
    pub start_column: u32,
    /// Last line.
    pub end_line: u32,
    /// The column behind the end.
    pub end_column: u32,
    /// What takes its place.
    pub text: String,
}

/// A place in a revision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Anchor {
    /// The file; percent-encoded when `path_encoded`.
    pub path: String,
    /// Whether the path isn't UTF-8 and comes percent-encoded.
    #[serde(default)]
    pub path_encoded: bool,
    /// `old` or `new`.
    pub side: String,
    /// First line, 1-based; null, as the three below, for the whole file.
    pub start_line: Option<u32>,
    /// First column, 1-based, in Unicode scalar values.
    pub start_column: Option<u32>,
    /// Last line.
    pub end_line: Option<u32>,
    /// The column behind the end.
    pub end_column: Option<u32>,
}

impl Anchor {
    fn is_place(&self) -> bool {
        let lines = match (self.start_line, self.end_line) {
            (None, None) => self.start_column.is_none() && self.end_column.is_none(),
            (Some(start), Some(end)) => 0 < start && start <= end,
            (None, Some(_)) | (Some(_), None) => false,
        };
        lines && ["old", "new"].contains(&self.side.as_str())
    }
}

/// Another place that a finding is about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Related {
    /// Where it is.
    pub anchor: Anchor,
    /// What it has to do with the finding.
    pub message: String,
}

/// A line of code shown with a finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CodeLine {
    /// `same`, `added` or `removed`.
    pub marker: String,
    /// Its number on its side, 1-based.
    pub number: u32,
    /// Its text.
    pub text: String,
}

/// What a report did.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Posted {
    /// The proposal's number.
    pub proposal: u64,
    /// The revision's number in the proposal, 1-based.
    pub revision: u64,
    /// Threads that were opened.
    pub opened: u64,
    /// Threads that were closed before and are open again.
    pub reopened: u64,
    /// Threads that stayed, at another place.
    pub moved: u64,
    /// Threads that stayed where they were.
    pub kept: u64,
    /// Threads that were closed because their finding is gone.
    pub closed: u64,
    /// The same report was here already, and nothing was done.
    pub unchanged: bool,
}

/// A change offered for merging.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Proposal {
    /// Its number.
    pub number: u64,
    /// What it is.
    pub title: String,
    /// The branch that it wants to enter.
    pub target: String,
    /// Its revisions, oldest first.
    pub revisions: Vec<Revision>,
    /// The overview of the newest report.
    pub overview: Option<String>,
    /// The verdict of the newest report.
    pub verdict: Option<String>,
    /// Its threads in the order in which they were opened.
    pub threads: Vec<Thread>,
}

/// One pushed state of a proposal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Revision {
    /// Its number in the proposal, 1-based.
    pub number: u64,
    /// Its commit.
    pub head: String,
    /// The commit that it is compared with.
    pub base: Option<String>,
}

/// A conversation at an anchor.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Thread {
    /// Its number on the host.
    pub number: u64,
    /// Who opened it.
    pub reporter: String,
    /// `remark` or `todo`: a todo must be done before merging.
    pub kind: String,
    /// The finding that it is about, as the newest report has it.
    pub finding: ReportedFinding,
    /// Whether it is open.
    pub open: bool,
    /// What was said after the finding itself, oldest first.
    pub remarks: Vec<Remark>,
}

/// Something said in a thread.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Remark {
    /// The revision at which it was said.
    pub revision: u64,
    /// Who said it.
    pub author: String,
    /// What was said.
    pub text: String,
}

impl Report {
    /// Checks what the types can't.
    ///
    /// # Errors
    /// What is wrong, for the sender.
    pub fn check(&self) -> Result<(), String> {
        if self.format != REPORT_FORMAT {
            return Err(format!("format is `{}`; this host takes `{REPORT_FORMAT}`", self.format));
        }
        let mut keys: Vec<&str> = self.findings.iter().map(|f| f.key.as_str()).collect();
        keys.sort_unstable();
        if let Some(twice) = keys.windows(2).find(|w| w[0] == w[1]) {
            return Err(format!("duplicate key `{}`", twice[0]));
        }
        for f in &self.findings {
            if f.key.is_empty() || f.key.len() > 100 {
                return Err("a key must have 1 to 100 characters".into());
            }
            if !["error", "warning", "note"].contains(&f.severity.as_str()) {
                return Err(format!("`{}` is no severity", f.severity));
            }
            if !f.anchor.iter().chain(f.related.iter().map(|r| &r.anchor)).all(Anchor::is_place) {
                return Err(format!("the anchor of `{}` is no place", f.key));
            }
        }
        Ok(())
    }
}
