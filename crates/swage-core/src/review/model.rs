//! What a review says.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::counts::{Counts, FindingCounts};
use super::finding::Finding;
use super::path::Path;
use super::short_keys::ShortKeys;
use super::written::Written;
use crate::baseline::State;
use crate::change::Nature;
use crate::ids::{CommitId, RuleId};
use crate::rule::{Origin, Severity};
use crate::sides::Sides;

/// What a change does to a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum ChangeKind {
    /// It is new.
    Added,
    /// It goes.
    Deleted,
    /// Its content changes.
    Modified,
    /// It gets another path, and perhaps another content.
    Renamed,
    /// It is made from another file, which stays.
    Copied,
    /// Only its mode changes.
    Mode,
    /// It is binary data.
    Binary,
}

impl ChangeKind {
    /// The word for it in output.
    pub fn word(self) -> &'static str {
        match self {
            Self::Added => "added",
            Self::Deleted => "deleted",
            Self::Modified => "modified",
            Self::Renamed => "renamed",
            Self::Copied => "copied",
            Self::Mode => "mode",
            Self::Binary => "binary",
        }
    }
}

impl fmt::Display for ChangeKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}

/// A file of the review.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileEntry {
    /// Path before.
    pub old_path: Path,
    /// Path after.
    pub new_path: Path,
    /// What the change does to it.
    pub kind: ChangeKind,
    /// Added lines.
    pub added: usize,
    /// Removed lines.
    pub removed: usize,
    /// Its language, when it has one.
    pub language: Option<String>,
    /// Whether the rules that want it have examined it.
    pub examined: bool,
    /// Why it wasn't examined; also said when no rule wants it.
    pub why_not: Option<String>,
    /// A rule wanted it and couldn't examine it, so the result is incomplete.
    pub incomplete: bool,
    /// Who writes it. Generated only when there are rules that skip it for that.
    pub origin: Origin,
    /// How many places of it don't parse after the change.
    pub syntax_errors: u32,
    /// What kind of thing it is.
    pub nature: Nature,
    /// Lines that were written and dropped, without those that only moved.
    pub written: Written,
    /// How many new findings aren't listed, since it looks generated, vendored or copied: errors, warnings, notes. The gate counts them.
    pub unlisted: [u64; 3],
    /// Rules for its language that skip it, each with the reason.
    pub skipped_by: Vec<(RuleId, String)>,
}

/// A rule that took part, for formats that list rules.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct RuleEntry {
    /// Its id.
    pub id: RuleId,
    /// Its severity.
    pub severity: Severity,
    /// Its title.
    pub title: String,
    /// Its help.
    pub help: Option<String>,
    /// Its tags.
    pub tags: Vec<String>,
}

/// All that is known about a change, or about a tree when there is no change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Review {
    /// Commit id of the base.
    pub base: Option<CommitId>,
    /// Commit id of the head.
    pub head: Option<CommitId>,
    /// Commit id of the target's tip.
    pub target: Option<CommitId>,
    /// What was reviewed, for people.
    pub description: String,
    /// The subjects of the patches of a series, in order.
    pub series: Vec<String>,
    /// Where the rules come from, for people.
    pub rules_from: String,
    /// The files.
    pub files: Vec<FileEntry>,
    /// The findings: those of the head by path and place, then the absent ones.
    pub findings: Vec<Finding>,
    /// The rules that ran, in the order of their ids.
    pub rules: Vec<RuleEntry>,
    /// All findings of the whole tree before and after, when it was looked at.
    pub totals: Option<Sides<u64>>,
    /// How many rules there are, those that couldn't run included.
    pub rule_count: usize,
    /// Rules that couldn't run, each with the reason.
    pub not_run: Vec<(RuleId, String)>,
    /// What else a reader should know.
    pub notes: Vec<String>,
}

impl Review {
    /// The keys of its findings, to be shortened.
    pub fn short_keys(&self) -> ShortKeys<'_> {
        ShortKeys::new(self.findings.iter().map(|f| f.key.as_str()))
    }

    /// How many rules couldn't run somewhere.
    pub fn idle_rules(&self) -> usize {
        self.not_run.iter().map(|(rule, _)| rule).collect::<std::collections::BTreeSet<_>>().len()
    }

    /// The counts of all findings.
    pub fn counts(&self) -> Counts {
        Counts::of(self.findings.iter().filter(|f| f.is_counted()).map(|f| (f.state, f.severity)))
    }

    /// The findings in short, by the words that people read.
    pub fn finding_counts(&self) -> FindingCounts {
        let counts = self.counts();
        let worse = self.findings.iter().filter(|f| f.is_worse()).count() as u64;
        let improved = self.findings.iter().filter(|f| f.is_better()).count() as u64;
        FindingCounts {
            new: Severity::ALL.map(|severity| counts.get(State::New, severity)),
            fixed: counts.state(State::Absent),
            worse,
            improved,
            unchanged: (counts.state(State::Unchanged) + counts.state(State::Updated)).saturating_sub(worse + improved),
        }
    }

    /// Findings that a comment suppresses and that the change added the comment for.
    pub fn new_suppressions(&self) -> impl Iterator<Item = (&Finding, &str)> {
        let own = self.findings.iter().filter_map(|f| Some((f, f.suppressed()?)));
        own.filter(|(_, suppressed)| suppressed.in_change).map(|(f, suppressed)| (f, suppressed.reason.as_str()))
    }

    /// Files that rules wanted and couldn't examine.
    pub fn incomplete(&self) -> impl Iterator<Item = &FileEntry> {
        self.files.iter().filter(|f| f.incomplete)
    }

    /// How many new findings of a severity aren't listed, since their files look generated.
    pub fn unlisted(&self, severity: Severity) -> u64 {
        self.files.iter().map(|f| f.unlisted[severity as usize]).sum()
    }

    /// How many new findings of all severities aren't listed.
    pub fn all_unlisted(&self) -> u64 {
        self.files.iter().flat_map(|f| f.unlisted).sum()
    }

    /// The files that have no lines to look at: links, submodules and binaries that no rule wants.
    pub fn left_alone(&self) -> impl Iterator<Item = &FileEntry> {
        self.files.iter().filter(|f| f.why_not.is_some() && !f.incomplete && f.nature != Nature::Text)
    }

    /// The rule of a finding.
    pub fn rule(&self, id: &str) -> Option<&RuleEntry> {
        self.rules.iter().find(|r| r.id == id)
    }
}
