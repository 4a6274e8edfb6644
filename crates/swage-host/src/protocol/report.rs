//! What a checker found in a revision.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Anchor, Checked, checks};

/// The value of [`Report::format`].
pub const REPORT_FORMAT: &str = "swage-report/1";

/// Everything that one reporter found in one revision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Report {
    /// `swage-report/1`.
    #[schema(pattern = "^swage-report/1$")]
    pub format: String,
    /// `pass`, `fail` or `incomplete`, when it was decided.
    #[schema(pattern = "^(pass|fail|incomplete)$")]
    #[serde(default)]
    pub verdict: Option<String>,
    /// The one comment on the whole proposal, as plain text; it replaces the one before.
    pub overview: String,
    /// What is said in a thread of its own when nothing was found. By default nothing.
    #[serde(default)]
    pub praise: Option<String>,
    /// The findings, each under a key of its own, worst first.
    pub findings: Vec<ReportedFinding>,
    /// Findings that aren't there any more for another reason than a fix: key and reason, such as a decision.
    #[serde(default)]
    pub settled: Vec<Settled>,
    /// Most threads that are opened at once; the rest is in the overview. By default all.
    #[serde(default)]
    pub most_threads: Option<u64>,
}

/// A finding that was settled.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Settled {
    /// Its key.
    #[schema(min_length = 1, max_length = 200)]
    pub key: String,
    /// How, such as `intended: the quay is flat`.
    pub why: String,
}

/// A finding of a report.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReportedFinding {
    /// Its stable name: the same in every revision as long as it is the same finding.
    #[schema(min_length = 1, max_length = 200)]
    pub key: String,
    /// The rule's id.
    #[schema(min_length = 1, max_length = 200)]
    pub rule: String,
    /// `error`, `warning` or `note`.
    #[schema(pattern = "^(error|warning|note)$")]
    pub severity: String,
    /// What it says.
    pub message: String,
    /// Why, and what to do.
    #[serde(default)]
    pub help: Option<String>,
    /// Where it is; null for the proposal as a whole.
    pub anchor: Option<Anchor>,
    /// Other places that it is about.
    #[serde(default)]
    pub related: Vec<Related>,
    /// Whether it is advice, which never has to be followed.
    #[serde(default)]
    pub advisory: bool,
    /// The code around it.
    #[serde(default)]
    pub code: Vec<CodeLine>,
    /// An edit that has been shown to fix it.
    #[serde(default)]
    pub fix: Option<Fix>,
}

/// A proved fix of a finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Fix {
    /// What it does, in a line.
    pub title: String,
    /// What it replaces in the finding's file, in order and without overlaps.
    pub edits: Vec<Edit>,
}

/// A piece of a file that is replaced. Lines and columns are those of anchors; they end where they begin where something is
/// inserted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Edit {
    /// First line.
    pub start_line: u32,
    /// First column.
    pub start_column: u32,
    /// Last line.
    pub end_line: u32,
    /// The column after the end.
    pub end_column: u32,
    /// What takes its place.
    pub text: String,
}

/// Another place that a finding is about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Related {
    /// Where it is.
    pub anchor: Anchor,
    /// What it has to do with the finding.
    pub message: String,
}

/// A line of code shown with a thread.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CodeLine {
    /// `same`, `added` or `removed`.
    #[schema(pattern = "^(same|added|removed)$")]
    pub marker: String,
    /// Its number on its side, 1-based.
    pub number: u32,
    /// Its text.
    pub text: String,
}

/// What a report did.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
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
    /// Threads that were closed because their finding is gone or settled.
    pub closed: u64,
    /// Findings without a thread, because there were more than the report lets open at once.
    pub left: u64,
    /// The same report was here already, and nothing was done.
    pub unchanged: bool,
}

impl Checked for Report {
    fn check(&self) -> Result<(), String> {
        if self.format != REPORT_FORMAT {
            return Err(format!("the format isn't `{REPORT_FORMAT}`"));
        }
        if let Some(word) =
            self.verdict.as_ref().filter(|word| !["pass", "fail", "incomplete"].contains(&word.as_str()))
        {
            return Err(format!("the verdict is `pass`, `fail` or `incomplete`, not `{}`", word.escape_debug()));
        }
        checks::text("the overview", &self.overview)?;
        self.praise.iter().try_for_each(|praise| checks::text("the praise", praise))?;
        let mut keys: Vec<&str> = self.findings.iter().map(|f| f.key.as_str()).collect();
        keys.extend(self.settled.iter().map(|s| s.key.as_str()));
        keys.sort_unstable();
        if let Some(twice) = keys.windows(2).find(|w| w[0] == w[1]) {
            return Err(format!("duplicate key `{}`", twice[0].escape_debug()));
        }
        keys.iter().try_for_each(|key| checks::line("a key", key))?;
        self.findings.iter().try_for_each(ReportedFinding::check)
    }
}

impl Checked for ReportedFinding {
    fn check(&self) -> Result<(), String> {
        checks::line("the rule", &self.rule)?;
        if !["error", "warning", "note"].contains(&self.severity.as_str()) {
            return Err(format!("a severity is `error`, `warning` or `note`, not `{}`", self.severity.escape_debug()));
        }
        checks::text("a message", &self.message)?;
        self.help.iter().try_for_each(|help| checks::text("the help", help))?;
        let all = self.anchor.iter().chain(self.related.iter().map(|r| &r.anchor));
        all.into_iter().try_for_each(Anchor::check).map_err(|why| format!("{} of `{}`", why, self.key))?;
        if self.code.iter().any(|line| !["same", "added", "removed"].contains(&line.marker.as_str())) {
            return Err(format!("a line of `{}` has another marker than `same`, `added` and `removed`", self.key));
        }
        Ok(())
    }
}
