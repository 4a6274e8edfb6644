//! What the files of a diff show of the prefixes of its paths.

use super::names::Pair;

/// What is before the old and the new names of an input.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) enum Votes<'a> {
    /// No file has voted yet.
    #[default]
    None,
    /// All files that show one show the same.
    One(Pair<'a>),
    /// A file whose header gives its names without prefixes, too, says so.
    Sure(Pair<'a>),
    /// They differ.
    Mixed,
}

impl<'a> Votes<'a> {
    /// Takes what another part of the input says.
    pub fn join(&mut self, other: Votes<'a>) {
        *self = match (std::mem::take(self), other) {
            (Votes::None, votes) | (votes, Votes::None) => votes,
            (Votes::One(one), Votes::One(other)) if one == other => Votes::One(one),
            // What follows a prefix may be common to all names; the longer one says more.
            (Votes::Sure(one), Votes::One(other) | Votes::Sure(other)) | (Votes::One(other), Votes::Sure(one)) => {
                let extends = |a: &Pair<'_>, b: &Pair<'_>| a.0.starts_with(&b.0) && a.1.starts_with(&b.1);
                match (extends(&other, &one), extends(&one, &other)) {
                    (true, _) => Votes::Sure(other),
                    (_, true) => Votes::Sure(one),
                    _ => Votes::Mixed,
                }
            }
            // Files that differ among themselves don't outweigh what is certain.
            (Votes::Sure(one), _) | (_, Votes::Sure(one)) => Votes::Sure(one),
            _ => Votes::Mixed,
        };
    }
}
