//! A finding, as a review reports it.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::path::Path;
use crate::baseline::{Compared, FileHits, State};
use crate::decision::{Answer, Decision};
use crate::diff::{Diff, ShownLine, shown_after, shown_before};
use crate::ids::{CommitId, FindingKey, RuleId};
use crate::position::LineNumber;
use crate::rule::Severity;
use crate::scan::{Figure, Span};
use crate::sides::Side;

/// Where a finding is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Anchor {
    /// The file.
    pub path: Path,
    /// The side of the change.
    pub side: Side,
    /// Lines and columns; `None` stands for the whole file.
    pub span: Option<Span>,
    /// The commit that they refer to, when the side is one.
    pub commit: Option<CommitId>,
}

impl fmt::Display for Anchor {
    /// `path:line:column`, or the path alone.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.span {
            Some(span) => write!(f, "{}:{span}", self.path),
            None => self.path.fmt(f),
        }
    }
}

/// Another place that a finding is about.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Related {
    /// Where it is.
    pub anchor: Anchor,
    /// What it has to do with the finding.
    pub message: String,
}

/// A line of code shown with a finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ExcerptLine {
    /// How the change treats it.
    pub marker: Marker,
    /// Its number on the old side, 1-based, when it is there.
    pub old: Option<u32>,
    /// Its number on the new side, 1-based, when it is there.
    pub new: Option<u32>,
    /// Its text, bytes that aren't UTF-8 replaced; of a long line the part around the finding.
    pub text: String,
    /// How many characters of the line are left out before it.
    pub skipped: u32,
}

/// How a change treats a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Marker {
    /// It stays.
    Same,
    /// It comes.
    Added,
    /// It goes.
    Removed,
}

/// One place where a rule holds, or held.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// Its stable name.
    pub key: FindingKey,
    /// The rule's id.
    pub rule: RuleId,
    /// The rule's severity.
    pub severity: Severity,
    /// What it says.
    pub message: String,
    /// Its state against the baseline.
    pub state: State,
    /// Where it is; on the old side when it is absent. `None` stands for the change as a whole.
    pub anchor: Option<Anchor>,
    /// Other places that it is about.
    pub related: Vec<Related>,
    /// Whether it is about the change rather than about what is in its files.
    pub about_change: bool,
    /// Whether it counts.
    pub standing: Standing,
    /// It was found in the part of the file that a diff shows, without the rest.
    pub from_fragment: bool,
    /// Which patch of a series shows it, 1-based; `None` when none does, or the change isn't one.
    pub patch: Option<usize>,
    /// Where it was before, when it did and now is elsewhere.
    pub before: Option<Anchor>,
    /// The names of the definitions around it.
    pub scope: String,
    /// Digest of the matched text without its white space, in hexadecimal digits.
    pub text_digest: String,
    /// Digest of what the rule named, by which findings are paired, in hexadecimal digits.
    pub identity: String,
    /// Whether a line of it was added by the change (for absent ones: removed).
    pub on_changed_line: bool,
    /// For measures, the figure now, and before when it was there.
    pub figure: Option<Figure>,
    /// The figure before.
    pub figure_before: Option<u64>,
    /// The code around it, with the change's own lines.
    pub excerpt: Vec<ExcerptLine>,
    /// What its rule proposes to do about it; tried for findings that count against the change.
    pub fix: Option<Fix>,
}

/// What a rule proposes to do about a finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fix {
    /// What it does, in a line.
    pub title: String,
    /// Its edits, in order; they don't overlap.
    pub edits: Vec<FixEdit>,
    /// Whether it has been shown to be good.
    pub proof: Proof,
}

/// A piece of the finding's file that a fix replaces.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FixEdit {
    /// The lines and columns on the new side; they end where they begin where something is inserted.
    pub span: Span,
    /// What takes their place.
    pub text: String,
}

/// What trying a fix in memory gave.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Proof {
    /// The file with it parses, the finding is gone, and no other has come.
    Proved,
    /// It isn't good, for this reason; it is a hint at best.
    Unproved(String),
}

/// Whether a finding counts, and if not, why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Standing {
    /// It counts.
    Counted,
    /// It is shown and never counted.
    Advisory,
    /// A comment beside it suppresses it.
    Suppressed(Suppressed),
    /// A decision accepts it.
    Settled(Settled),
}

/// A finding that a decision settles.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Settled {
    /// What was decided.
    #[serde(rename = "as")]
    pub answer: Answer,
    /// Why.
    pub because: String,
    /// The last day of `later`, as `YYYY-MM-DD`.
    pub until: Option<String>,
    /// Who decided, as `Name <address>`.
    pub by: String,
    /// When, as `YYYY-MM-DD`.
    pub on: String,
}

impl Settled {
    /// What a decision says.
    pub fn of(decision: &Decision) -> Self {
        let Decision { answer, because, until, by, on, .. } = decision.clone();
        Self { answer, because, until, by, on }
    }
}

/// A finding that a comment beside it suppresses.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Suppressed {
    /// Why, in the comment's words.
    pub reason: String,
    /// Whether the comment is part of the change.
    pub in_change: bool,
}

impl Suppressed {
    /// What a comment says of a compared finding; the head speaks for it when it is there.
    pub fn of(compared: &Compared, files: &[FileHits]) -> Option<Self> {
        let before = compared.place.old.and_then(|(file, index)| files[file].hits.old[index].suppressed.clone());
        match compared.place.new {
            Some((file, index)) => {
                let reason = files[file].hits.new[index].suppressed.clone()?;
                Some(Self { reason, in_change: before.is_none() })
            }
            None => before.map(|reason| Self { reason, in_change: false }),
        }
    }
}

impl Finding {
    /// The line of a series' patches that shows it: its last one, else its first.
    pub fn shown_in(&self, series: &[Diff<'_>]) -> Option<ShownLine> {
        let (anchor, span) = (self.anchor.as_ref()?, self.span()?);
        let path = anchor.path.text.as_bytes();
        let shown = |line: LineNumber| match anchor.side {
            Side::New => shown_after(series, path, line.get()),
            Side::Old => shown_before(series, path, line.get()),
        };
        shown(span.end_line).or_else(|| shown(span.start_line))
    }

    /// Where it is, for people: `path:line:column`, the path alone, or the change as a whole.
    pub fn place(&self) -> String {
        self.anchor.as_ref().map_or_else(|| "the whole change".to_owned(), ToString::to_string)
    }

    /// The file that it is in; `None` for the change as a whole.
    pub fn path(&self) -> Option<&Path> {
        self.anchor.as_ref().map(|a| &a.path)
    }

    /// Its lines and columns, when it has any.
    pub fn span(&self) -> Option<Span> {
        self.anchor.as_ref().and_then(|a| a.span)
    }

    /// What findings are put in order by: those on the whole change first, then by path and place.
    pub(crate) fn order(&self) -> (bool, Option<Path>, Option<Span>, RuleId, FindingKey) {
        (self.state == State::Absent, self.path().cloned(), self.span(), self.rule.clone(), self.key.clone())
    }

    /// Whether neither a comment suppresses it nor a decision accepts it.
    pub fn is_open(&self) -> bool {
        match self.standing {
            Standing::Counted | Standing::Advisory => true,
            Standing::Suppressed(_) | Standing::Settled(_) => false,
        }
    }

    /// Whether it is counted.
    pub fn is_counted(&self) -> bool {
        self.standing == Standing::Counted
    }

    /// Whether it is advisory.
    pub fn is_advisory(&self) -> bool {
        self.standing == Standing::Advisory
    }

    /// The comment that suppresses it, when one does.
    pub fn suppressed(&self) -> Option<&Suppressed> {
        if let Standing::Suppressed(suppressed) = &self.standing { Some(suppressed) } else { None }
    }

    /// The decision that accepts it, when one does.
    pub fn settled(&self) -> Option<&Settled> {
        if let Standing::Settled(settled) = &self.standing { Some(settled) } else { None }
    }

    /// A measure that the change made worse: it grew.
    pub fn is_worse(&self) -> bool {
        self.is_open()
            && self.state == State::Updated
            && self.figure.zip(self.figure_before).is_some_and(|(now, before)| now.value > before)
    }

    /// A measure that the change made better without bringing it under its limit.
    pub fn is_better(&self) -> bool {
        self.is_open()
            && self.state == State::Updated
            && self.figure.zip(self.figure_before).is_some_and(|(now, before)| now.value < before)
    }

    /// Its state in the words that people read.
    pub fn state_word(&self) -> &'static str {
        match self.state {
            State::New => "new",
            State::Absent => "fixed",
            State::Updated if self.is_worse() => "worse",
            State::Updated if self.is_better() => "improved",
            State::Updated | State::Unchanged => "unchanged",
        }
    }

    /// What a reader of the change must see: what it added and what it made worse.
    pub fn counts_against_change(&self) -> bool {
        self.is_open() && (self.state == State::New || self.is_worse())
    }
}
