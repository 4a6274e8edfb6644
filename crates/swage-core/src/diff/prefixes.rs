//! Prefixes of the paths of a diff: found once for the whole input, from all of its files.
//!
//! A file with two names shows it by what they have in common at their ends, and a header that gives the names without
//! prefixes decides it. Names that are alone, because the other side isn't there, decide nothing.

use std::borrow::Cow;

use super::names::{Pair, strip_pair, strip_single};
use super::reader::Reader;
use super::votes::Votes;

impl<'a> Reader<'a> {
    /// The paths of a file from its two names, which show its prefixes. Where they contradict each other, the `diff --git`
    /// line holds.
    pub(super) fn pair(&mut self, old: Cow<'a, [u8]>, new: Cow<'a, [u8]>, names: Option<Pair<'a>>) -> Pair<'a> {
        let (before, after) = (old.clone(), new.clone());
        let (old, new) = strip_pair(old, new, self.strip);
        // Who says how much to strip knows better than any guess.
        if self.strip.is_some() {
            return (old, new);
        }
        if let Some((a, b)) = &self.prefixes
            // A second reading: the prefixes of the whole input are known.
            && before.starts_with(a)
            && after.starts_with(b)
        {
            return (self.unprefixed(before, false), self.unprefixed(after, true));
        }
        if let Some((one, other)) = names.map(|(old, new)| strip_pair(old, new, None))
            // `---` and `+++` may have been edited by hand, or written by a program with other names for both.
            && one == other
            && (one != old || other != new)
        {
            return (one, other);
        }
        // Without a common end it can't be known: one of the two is a kept copy.
        if before.ends_with(&old) && after.ends_with(&new) {
            let vote = Votes::One((cut_end(before, old.len()), cut_end(after, new.len())));
            self.votes.join(vote);
        }
        (old, new)
    }

    /// A name that shows nothing of its prefix, without that of the input.
    pub(super) fn unprefixed(&self, name: Cow<'a, [u8]>, is_new: bool) -> Cow<'a, [u8]> {
        let Some((old, new)) = &self.prefixes else { return name };
        let prefix = if is_new { new } else { old };
        // git leaves its own prefix out where a header line names the path.
        let inner = prefix.strip_prefix(if is_new { b"b/" } else { b"a/" }).unwrap_or(prefix);
        let kept = name.strip_prefix(&prefix[..]).or_else(|| name.strip_prefix(inner)).map(<[u8]>::len);
        match (kept, name) {
            (Some(kept), Cow::Borrowed(name)) => Cow::Borrowed(&name[name.len() - kept..]),
            (Some(kept), Cow::Owned(name)) => Cow::Owned(name[name.len() - kept..].to_vec()),
            (None, name) => name,
        }
    }

    /// The path of a side whose other side is `/dev/null`: the `diff --git` line knows both names.
    pub(super) fn lone(&self, name: Cow<'a, [u8]>, names: Option<Pair<'a>>, is_new: bool) -> Cow<'a, [u8]> {
        if self.prefixes.is_some() {
            return self.unprefixed(name, is_new);
        }
        match names {
            Some((old, new)) if (old == name || new == name) && self.strip.is_none() => strip_pair(old, new, None).1,
            _ => strip_single(name, self.strip, true),
        }
    }

    /// A plain name that is alone.
    pub(super) fn single(&self, name: Cow<'a, [u8]>, is_new: bool) -> Cow<'a, [u8]> {
        if self.prefixes.is_some() { self.unprefixed(name, is_new) } else { strip_single(name, self.strip, false) }
    }
}

/// A name without some bytes at its end.
fn cut_end(name: Cow<'_, [u8]>, bytes: usize) -> Cow<'_, [u8]> {
    match name {
        Cow::Borrowed(name) => Cow::Borrowed(&name[..name.len() - bytes]),
        Cow::Owned(name) => Cow::Owned(name[..name.len() - bytes].to_vec()),
    }
}
