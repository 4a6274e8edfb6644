//! `syntax`: files that parsed whole before the change and don't after it, or hide something in what doesn't parse.

use std::sync::Arc;

use super::{Compiled, Extent, Matcher, Reader};
use crate::lang::Language;
use crate::pattern::PatternError;
use crate::rule::keys::{Holds, Key, words};
use crate::rule::values::one_of;

pub(super) const READER: Reader = Reader {
    keys: &[Key::new(
        "syntax",
        Holds::OneOf(|| words(&FAULTS)),
        "Files that parsed whole before the change and don't after it.",
    )],
    read: |table, _, name, p| {
        let word = table.required_string("syntax", name, p)?;
        Some(Arc::new(SyntaxMatch(one_of(&word, "fault of a file's syntax", FAULTS, p)?)))
    },
};

/// The words for faults.
const FAULTS: [(&str, SyntaxFault); 2] =
    [("broken", SyntaxFault::Broken), ("hides-security", SyntaxFault::HidesSecurity)];

/// What is wrong with a file that a change breaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SyntaxFault {
    /// It doesn't parse whole any more.
    Broken,
    /// In addition, what the change adds where it doesn't parse holds the words of a rule that is tagged `security`. That is for
    /// languages whose grammars don't know all that is right: with macros, templates or other preprocessors.
    HidesSecurity,
}

/// Files that a change breaks.
#[derive(Debug)]
pub(in crate::rule) struct SyntaxMatch(pub SyntaxFault);

impl Matcher for SyntaxMatch {
    fn captures(&self) -> Vec<&str> {
        Vec::new()
    }

    fn placeholders(&self) -> Vec<&str> {
        vec!["value"]
    }

    /// It takes both sides of a change.
    fn extent(&self) -> Extent {
        Extent::Review
    }

    /// Whether a file parses is decided for both sides of a change together, not in the scan of one.
    fn compile(self: Arc<Self>, _: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        Ok(None)
    }
}
