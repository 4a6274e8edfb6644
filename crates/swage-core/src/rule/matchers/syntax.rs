//! `syntax`: files that parsed whole before the change and don't after it.

use std::sync::Arc;

use super::{Compiled, Extent, Matcher, Reader};
use crate::lang::Language;
use crate::pattern::PatternError;
use crate::rule::values::one_of;

pub(super) const READER: Reader = Reader {
    key: "syntax",
    others: &[],
    read: |table, _, name, p| {
        let word = table.required_string("syntax", name, p)?;
        one_of(&word, "fault of a file's syntax", [("broken", ())], p)?;
        Some(Arc::new(SyntaxMatch))
    },
};

/// Files that a change breaks.
#[derive(Debug)]
pub(in crate::rule) struct SyntaxMatch;

impl Matcher for SyntaxMatch {
    fn captures(&self) -> Vec<&str> {
        Vec::new()
    }

    fn placeholders(&self) -> Vec<&str> {
        vec!["value"]
    }

    fn extent(&self) -> Extent {
        Extent::Review
    }

    /// Whether a file parses is decided for both sides of a change together, not in the scan of one.
    fn compile(self: Arc<Self>, _: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        Ok(None)
    }
}
