//! Decisions: what maintainers have said of findings, once, with the reason.
//!
//! They are kept in `.swage/decisions.toml`, one table each, sorted, so that two branches that add decisions merge. The format is
//! described in docs/decisions.md.

mod read;
mod report;
mod write;

use crate::ids::{FindingKey, RuleId};
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use self::read::read_decisions;
pub use self::report::{Adjustment, PastFinding, Proposal, RuleReport, report};
pub use self::write::write_decisions;

/// Where decisions are kept, from the root of the repository.
pub const DECISIONS_FILE: &str = ".swage/decisions.toml";

/// What was decided of a finding, or of several.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Decision {
    /// The rule that found it.
    pub rule: RuleId,
    /// The file in which it was found.
    pub path: String,
    /// The names of the definitions around it; empty outside of all.
    pub definition: String,
    /// Digest of the text that was found, not counting white space, in hexadecimal digits.
    pub text: String,
    /// The finding's key when it was settled.
    pub key: FindingKey,
    /// How far the decision reaches.
    pub scope: Scope,
    /// What was decided.
    pub answer: Answer,
    /// Why.
    pub because: String,
    /// The last day of `later`, as `YYYY-MM-DD`.
    pub until: Option<String>,
    /// Who decided, as `Name <address>`.
    pub by: String,
    /// When, as `YYYY-MM-DD`.
    pub on: String,
    /// What the finding said then, for readers of the file.
    pub message: String,
}

/// What may be said of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Answer {
    /// The code is as it should be.
    Intended,
    /// The rule is wrong here.
    Wrong,
    /// It is right, and will be dealt with by a date.
    Later,
}

impl Answer {
    /// All, with the words that files and commands use for them.
    pub const ALL: [(&'static str, Answer); 3] =
        [("intended", Answer::Intended), ("wrong", Answer::Wrong), ("later", Answer::Later)];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, answer)| *answer == self).map_or("", |(word, _)| word)
    }
}

/// Which findings a decision is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Scope {
    /// One finding, wherever it moves.
    Finding,
    /// All that the rule finds in the file.
    File,
    /// All places with the same text.
    Pattern,
}

impl Scope {
    /// All, with the words that files and commands use for them.
    pub const ALL: [(&'static str, Scope); 3] =
        [("finding", Scope::Finding), ("file", Scope::File), ("pattern", Scope::Pattern)];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, scope)| *scope == self).map_or("", |(word, _)| word)
    }
}

/// Whether a text is a day of the calendar, as `YYYY-MM-DD` (ISO 8601). Such texts are in the order of the days.
pub fn is_date(text: &str) -> bool {
    // Other ways of writing a day aren't in that order.
    text.len() == 10 && text.parse::<Date>().is_ok_and(|date| date.to_string() == text)
}
