//! `suppression`: comments that suppress findings and are at fault.

use std::sync::Arc;

use super::{Compiled, Extent, Matcher, Plan, Reader};
use crate::lang::Language;
use crate::pattern::PatternError;
use crate::rule::keys::{Holds, Key, words};
use crate::rule::values::one_of;

pub(super) const READER: Reader = Reader {
    keys: &[Key::new(
        "suppression",
        Holds::OneOf(|| words(&FAULTS)),
        "Comments that suppress findings and are at fault.",
    )],
    read: |table, _, name, p| {
        let word = table.required_string("suppression", name, p)?;
        Some(Arc::new(SuppressionMatch(one_of(&word, "fault of a suppression", FAULTS, p)?)))
    },
};

/// The words for faults.
const FAULTS: [(&str, SuppressionFault); 2] =
    [("unused", SuppressionFault::Unused), ("unreasoned", SuppressionFault::Unreasoned)];

/// What may be wrong with a comment that suppresses findings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SuppressionFault {
    /// It gives no reason.
    Unreasoned,
    /// There is no finding that it suppresses.
    Unused,
}

/// Comments with one fault.
#[derive(Debug)]
struct SuppressionMatch(SuppressionFault);

impl Matcher for SuppressionMatch {
    /// What they cover shows only after all findings are known, so nothing can be joined on them.
    fn captures(&self) -> Vec<&str> {
        Vec::new()
    }

    fn placeholders(&self) -> Vec<&str> {
        vec!["name", "hint"]
    }

    /// A part of a file doesn't show what a comment in it covers.
    fn extent(&self) -> Extent {
        Extent::Review
    }

    fn compile(self: Arc<Self>, _: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        Ok(Some(Compiled { plan: Plan::Suppressions(self.0), words: Vec::new() }))
    }
}
