//! What scanning a file gives: hits, facts, and where they are.

use std::fmt;
use std::ops::Range;

use serde::{Deserialize, Serialize};

use super::Syntax;
use super::fix::ProposedFix;
use crate::digest::{short_digest, without_white_space};
use crate::ids::RuleId;
use crate::position::{Column, LineNumber};
use crate::rule::{Figure, Rule, Severity};

/// Where a match is. Lines and columns are 1-based; columns count Unicode scalar values; the end column is the one
/// after the last character.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Span {
    /// First line.
    pub start_line: LineNumber,
    /// First column.
    pub start_column: Column,
    /// Last line.
    pub end_line: LineNumber,
    /// Column after the end.
    pub end_column: Column,
}

impl Span {
    /// First line and column, last line and the column after the end, all 1-based; `None` when one of them is 0.
    pub fn from_numbers([start_line, start_column, end_line, end_column]: [u32; 4]) -> Option<Self> {
        Some(Self {
            start_line: LineNumber::new(start_line)?,
            start_column: Column::new(start_column)?,
            end_line: LineNumber::new(end_line)?,
            end_column: Column::new(end_column)?,
        })
    }

    /// First line and column, last line and the column after the end, all 1-based.
    pub fn numbers(self) -> [u32; 4] {
        [self.start_line.get(), self.start_column.get(), self.end_line.get(), self.end_column.get()]
    }

    /// Whether a line with a number, 1-based, is one of its lines.
    pub fn has_number(self, line: u32) -> bool {
        LineNumber::new(line).is_some_and(|line| self.has_line(line))
    }

    /// Its lines.
    pub fn lines(self) -> impl Iterator<Item = LineNumber> {
        (self.start_line.index()..=self.end_line.index()).map(LineNumber::from_index)
    }

    /// Whether it is in a line, among others.
    pub fn has_line(self, line: LineNumber) -> bool {
        (self.start_line..=self.end_line).contains(&line)
    }

    /// The columns of a line that it takes, the one after its end left out; all up to the end of the line where it goes on.
    pub fn columns_in(self, line: LineNumber) -> Range<Column> {
        let from = if self.start_line == line { self.start_column } else { Column::FIRST };
        let to = if self.end_line == line { self.end_column } else { Column::from_index(u32::MAX) };
        from..to
    }
}

impl fmt::Display for Span {
    /// Where it begins: `line:column`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}", self.start_line, self.start_column)
    }
}

/// One place in a file where a rule holds. It says nothing of the file's path, so it can be stored by content.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Hit {
    /// The rule's id.
    pub rule: RuleId,
    /// The rule's severity.
    pub severity: Severity,
    /// The message with its gaps filled in.
    pub message: String,
    /// Where it is; `None` for the whole file.
    pub span: Option<Span>,
    /// The names of the definitions around it, outermost first, joined with dots.
    pub scope: String,
    /// First and last line (1-based) of the innermost definition around it.
    pub definition: Option<(u32, u32)>,
    /// Digest of the matched text, byte for byte.
    pub exact: u64,
    /// Digest of the matched text without its white space.
    pub folded: u64,
    /// Digest of what its rule named: the matched text without its white space and without what `many` holes took.
    pub identity: u64,
    /// For measures, the figure.
    pub figure: Option<Figure>,
    /// What its rule proposes to do about it; not tried.
    pub fix: Option<ProposedFix>,
    /// Why a comment beside it suppresses it.
    pub suppressed: Option<String>,
    /// Other places that it is about.
    pub related: Vec<Elsewhere>,
    /// What it found is never shown whole.
    pub secret: bool,
}

/// A place that a hit is about apart from its own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Elsewhere {
    /// The file.
    pub path: Vec<u8>,
    /// Whether it is a place before the change.
    pub before: bool,
    /// Where it is.
    pub span: Span,
    /// What it has to do with the hit.
    pub message: String,
}

impl Hit {
    /// The digest of the text that may be shown: a short secret could be guessed from its own.
    pub fn shown_digest(&self) -> u64 {
        if self.secret { short_digest(&[self.rule.as_bytes()]) } else { self.folded }
    }

    /// The identity as it may be shown.
    pub fn shown_identity(&self) -> u64 {
        if self.secret { self.shown_digest() } else { self.identity }
    }

    /// The line that it begins in, 0-based; `None` for the whole file.
    pub fn first_index(&self) -> Option<u32> {
        self.span.map(|span| span.start_line.index())
    }

    /// The line that it begins in, 1-based; `None` for the whole file.
    pub fn start_line(&self) -> Option<LineNumber> {
        self.span.map(|span| span.start_line)
    }

    /// A hit of a rule on this text.
    pub(crate) fn new(
        rule: &Rule,
        message: String,
        span: Option<Span>,
        scope: String,
        text: &[u8],
        figure: Option<Figure>,
    ) -> Self {
        let (exact, folded) = digests(text);
        Self {
            rule: rule.id.clone(),
            severity: rule.severity,
            message,
            span,
            scope,
            definition: None,
            exact,
            folded,
            identity: folded,
            figure,
            fix: None,
            suppressed: None,
            related: Vec::new(),
            secret: rule.secret,
        }
    }
}

/// Something that a rule collects from a file, to be held against facts of this and other files. There are many, so
/// they hold what is needed to decide whether they meet, and the rest is read from the file when they become findings.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fact {
    /// The digest of the rule's id.
    pub rule: u64,
    /// The collection of the rule's link that it belongs to, by index.
    pub collection: usize,
    /// What the link's kept holes took, in their order.
    pub values: Vec<String>,
    /// Where it is.
    pub span: Span,
    /// Why a comment beside it suppresses it.
    pub suppressed: Option<String>,
}

/// What became of a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum Status {
    /// It was examined.
    Examined,
    /// Nothing looks at it: no rule wants the path, or it is binary data of no language.
    NotWanted,
    /// Rules wanted it and it couldn't be examined; the reason.
    NotExamined(String),
}

/// What scanning a file gave.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileScan {
    /// What became of it.
    pub status: Status,
    /// Its hits in the order of their places.
    pub hits: Vec<Hit>,
    /// Its facts in the order of their places.
    pub facts: Vec<Fact>,
    /// It looks like something that a program made, so that rules that skip made files have left it alone.
    pub generated: bool,
    /// Where it doesn't parse; `None` when it wasn't parsed.
    pub syntax: Option<Syntax>,
}

impl FileScan {
    /// Nothing was found, for this reason.
    pub fn without_hits(status: Status) -> Self {
        Self { status, hits: Vec::new(), facts: Vec::new(), generated: false, syntax: None }
    }
}

/// The digests of a text, byte for byte and without its white space.
pub(super) fn digests(text: &[u8]) -> (u64, u64) {
    (short_digest(&[text]), short_digest(&[&without_white_space(text)]))
}
