//! Where reading a diff is.

use std::borrow::Cow;

use super::model::Patch;
use super::names::Pair;
use super::votes::Votes;

/// Reads an input from a place on.
pub(super) struct Reader<'a> {
    /// All bytes, so that offsets in errors are those of the input.
    pub input: &'a [u8],
    /// Byte offset of the next line.
    pub at: usize,
    /// Leading components to take off, when the caller says how many.
    pub strip: Option<usize>,
    /// The prefixes of old and new names, once they are known from the whole input.
    pub prefixes: Option<Pair<'a>>,
    /// What files with two names show of prefixes.
    pub votes: Votes<'a>,
    /// The file that is being read, for errors.
    pub file: Option<Cow<'a, [u8]>>,
}

/// What was read up to a place between two lines.
#[derive(Default)]
pub(super) struct Section<'a> {
    /// The patches that are over.
    pub patches: Vec<Patch<'a>>,
    /// The one that may go on.
    pub open: Patch<'a>,
    /// Where the text begins that belongs to no file yet.
    pub text_from: usize,
    /// What its files show of prefixes.
    pub votes: Votes<'a>,
}
