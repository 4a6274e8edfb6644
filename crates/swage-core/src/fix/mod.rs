//! Fixes: trying proposed edits in memory before they are offered, and applying many to a file.
//!
//! A fix is proved when the file with it parses without a new syntax error, its finding is gone, and no other finding has
//! come; then doing it again can change nothing, since what proposed it isn't there any more. What rules say of several
//! files together, and what outside programs say, isn't seen here; review the result of applying fixes.
//!
//! Many fixes are tried at once, and halved where that fails, so a file with *n* good ones is scanned once or twice and not
//! *n* times. Those that overlap others wait for the next round, in which the file is scanned again.

mod after;
mod apply;
mod edits;
mod halving;

pub use self::after::FixedContents;
pub use self::apply::{Attempt, FixedFile, NEEDS_RUN, Outcome, fix_file, prove};
pub use self::edits::apply_edits;
pub use self::halving::{Kept, keep_good};
use crate::lang::Language;
use crate::rule::RuleSet;
use crate::scan::{FileScan, Hit, Limits, Markers, scan};

/// A file whose findings are to be fixed, and what looks at it.
#[derive(Clone, Copy)]
pub struct Fixable<'a> {
    /// Its path.
    pub path: &'a [u8],
    /// Its language.
    pub language: Option<&'static Language>,
    /// The rules.
    pub rules: &'a RuleSet,
    /// Which of them look at the file.
    pub wanted: &'a [bool],
    /// The limits of scanning.
    pub limits: &'a Limits,
    /// What outside programs found in it. That it is gone when its fix is applied only a new run of the program shows.
    pub reported: &'a [Hit],
}

impl Fixable<'_> {
    /// What the rules find in some content of the file.
    fn scan(&self, content: &[u8]) -> FileScan {
        scan(content, self.language, self.rules, self.wanted, self.limits, Markers::Ignored)
    }

    /// Whether a finding is an outside program's, which scanning doesn't find again.
    pub(crate) fn is_reported(&self, hit: &Hit) -> bool {
        self.reported.iter().any(|own| own.rule == hit.rule)
    }
}
