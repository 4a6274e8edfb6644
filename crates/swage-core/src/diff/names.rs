//! Paths as diffs write them: git's C-like quoting, prefixes, time stamps.
//!
//! Nothing here decides what a path means in a tree; that is for code that knows the tree.

use std::borrow::Cow;

/// The old and the new name of a file.
pub(super) type Pair<'a> = (Cow<'a, [u8]>, Cow<'a, [u8]>);

/// Reads a path quoted as git quotes it (`"a\tb\303\251"`): `\a \b \f \n \r \t \v \\ \"` and three octal digits.
/// Returns the path and what follows the closing quote; `None` when it isn't well quoted.
pub fn unquote_path(text: &[u8]) -> Option<(Vec<u8>, &[u8])> {
    let mut rest = text.strip_prefix(b"\"")?;
    let mut out = Vec::with_capacity(rest.len());
    loop {
        let (&byte, tail) = rest.split_first()?;
        rest = tail;
        match byte {
            b'"' => return Some((out, rest)),
            b'\\' => {
                let (&escape, tail) = rest.split_first()?;
                rest = tail;
                out.push(match escape {
                    // The escapes of C strings, which git uses.
                    b'a' => 7,
                    b'b' => 8,
                    b't' => 9,
                    b'n' => 10,
                    b'v' => 11,
                    b'f' => 12,
                    b'r' => 13,
                    b'"' | b'\\' => escape,
                    // Three digits, at most \377: more wouldn't be a byte.
                    b'0'..=b'3' => {
                        let digits = [escape, *rest.first()?, *rest.get(1)?];
                        rest = &rest[2..];
                        digits.iter().try_fold(0u8, |n, d| match d {
                            b'0'..=b'7' => Some((n << 3) | (d - b'0')),
                            _ => None,
                        })?
                    }
                    _ => return None,
                });
            }
            _ => out.push(byte),
        }
    }
}

/// Quotes a path as git does with `core.quotePath` on; a path without need for it comes back as it is.
pub fn quote_path(path: &[u8]) -> Cow<'_, [u8]> {
    if path.iter().all(|&b| (0x20..0x7f).contains(&b) && b != b'"' && b != b'\\') {
        return Cow::Borrowed(path);
    }
    let mut out = vec![b'"'];
    for &byte in path {
        // Bytes above 0x7e are written as octal: the path may be in any encoding.
        let short = match byte {
            7 => b'a',
            8 => b'b',
            9 => b't',
            10 => b'n',
            11 => b'v',
            12 => b'f',
            13 => b'r',
            b'"' | b'\\' => byte,
            0x20..=0x7e => {
                out.push(byte);
                continue;
            }
            _ => {
                out.extend_from_slice(format!("\\{byte:03o}").as_bytes());
                continue;
            }
        };
        out.extend_from_slice(&[b'\\', short]);
    }
    out.push(b'"');
    Cow::Owned(out)
}

/// The name after `--- ` or `+++ `, and whether a time stamp marks the side as not there (the epoch).
pub(super) fn header_name(text: &[u8]) -> Option<(Cow<'_, [u8]>, bool)> {
    if text.starts_with(b"\"") {
        let (name, rest) = unquote_path(text)?;
        return Some((Cow::Owned(name), is_epoch(rest)));
    }
    // GNU diff and git put a tab after a name, so that one with blanks ends where it should.
    let (name, stamp) = match memchr::memchr(b'\t', text) {
        Some(at) => (&text[..at], &text[at + 1..]),
        None => split_blank_stamp(text),
    };
    Some((Cow::Borrowed(name), is_epoch(stamp)))
}

/// Some programs put blanks, not a tab, before the time stamp.
fn split_blank_stamp(text: &[u8]) -> (&[u8], &[u8]) {
    // `2024-05-06 07:08`, as the first 16 characters.
    let date = |s: &[u8]| {
        s.len() >= 16 && s[..4].iter().all(u8::is_ascii_digit) && (s[4], s[7], s[10], s[13]) == (b'-', b'-', b' ', b':')
    };
    let at = memchr::memchr_iter(b' ', text).find(|&at| date(&text[at + 1..]));
    match at {
        Some(at) => (text[..at].trim_ascii_end(), &text[at + 1..]),
        None => (text, &[]),
    }
}

/// `diff -N` stamps a missing side with the epoch; time zones shift it by up to a day.
fn is_epoch(stamp: &[u8]) -> bool {
    let stamp = stamp.trim_ascii();
    // What other systems write of a side that isn't there.
    if matches!(stamp, b"(nonexistent)" | b"(revision 0)") {
        return true;
    }
    // Zones are whole minutes from Greenwich, so the seconds are zero everywhere.
    let midnight = |s: &[u8]| s.get(14..19).is_some_and(|t| t.ends_with(b":00"));
    (stamp.starts_with(b"1970-01-01 ") || stamp.starts_with(b"1969-12-31 ")) && midnight(stamp)
        || stamp == b"Thu Jan  1 00:00:00 1970"
}

/// Strips the prefixes off a pair of names: `a/` and `b/`, or whatever else is before their longest common
/// end; nothing when they are the same already. `strip` takes this many leading components instead.
pub(super) fn strip_pair<'a>(
    old: Cow<'a, [u8]>,
    new: Cow<'a, [u8]>,
    strip: Option<usize>,
) -> (Cow<'a, [u8]>, Cow<'a, [u8]>) {
    if let Some(n) = strip {
        return (cut(old, n), cut(new, n));
    }
    if old == new {
        return (old, new);
    }
    // What both names end with is the path; what is before it are prefixes, of any length.
    let tail = common_tail(&old, &new);
    if tail == 0 {
        // A copy kept under another name, such as `timetable.py.orig`.
        return (new.clone(), new);
    }
    let (from_old, from_new) = (old.len() - tail, new.len() - tail);
    (slice(old, from_old), slice(new, from_new))
}

/// Length of the longest common end that begins at a component on both sides.
fn common_tail(old: &[u8], new: &[u8]) -> usize {
    let same = old.iter().rev().zip(new.iter().rev()).take_while(|(a, b)| a == b).count();
    // A common end in the middle of a component is chance.
    let starts = |name: &[u8], tail: usize| tail == name.len() || name[name.len() - tail - 1] == b'/';
    (1..=same).rev().find(|&t| starts(old, t) && starts(new, t)).unwrap_or(0)
}

/// Strips the prefix of a name that is alone because the other side is `/dev/null`.
pub(super) fn strip_single(name: Cow<'_, [u8]>, strip: Option<usize>, git: bool) -> Cow<'_, [u8]> {
    match strip {
        Some(n) => cut(name, n),
        // git's own prefixes are one letter: a, b, and c, i, o, w with diff.mnemonicPrefix.
        None if git || name.starts_with(b"a/") || name.starts_with(b"b/") => {
            if name.len() > 2 && name[1] == b'/' && name[0].is_ascii_lowercase() { slice(name, 2) } else { name }
        }
        None => name,
    }
}

/// Takes leading components off; a name with fewer stays as it is.
fn cut(name: Cow<'_, [u8]>, components: usize) -> Cow<'_, [u8]> {
    let at = match components {
        0 => 0,
        n => memchr::memchr_iter(b'/', &name).nth(n - 1).map_or(0, |at| at + 1),
    };
    slice(name, at)
}

/// The rest of a name from a byte on, borrowed where it was.
fn slice(name: Cow<'_, [u8]>, from: usize) -> Cow<'_, [u8]> {
    match name {
        Cow::Borrowed(bytes) => Cow::Borrowed(&bytes[from..]),
        Cow::Owned(bytes) => Cow::Owned(bytes[from..].to_vec()),
    }
}

/// The two names of a `diff --git` line, prefixes and all. Names without quotes may hold blanks, so the split is
/// the one at which both sides name the same file.
pub(super) fn git_names(text: &[u8]) -> Option<Pair<'_>> {
    if text.starts_with(b"\"") {
        let (old, rest) = unquote_path(text)?;
        let rest = rest.strip_prefix(b" ")?;
        let new = match rest.first() {
            Some(b'"') => Cow::Owned(unquote_path(rest)?.0),
            _ => Cow::Borrowed(rest),
        };
        return Some((Cow::Owned(old), new));
    }
    // Only the new name is quoted: the old one ends at the blank before it.
    let quote = memchr::memchr(b'"', text).and_then(|at| at.checked_sub(1));
    if let Some(at) = quote.filter(|&at| text[at] == b' ') {
        let (new, rest) = unquote_path(&text[at + 1..])?;
        return rest.is_empty().then_some((Cow::Borrowed(&text[..at]), Cow::Owned(new)));
    }
    let splits = || memchr::memchr_iter(b' ', text).map(|at| (&text[..at], &text[at + 1..]));
    fn after(name: &[u8]) -> Option<&[u8]> {
        memchr::memchr(b'/', name).map(|at| &name[at + 1..])
    }
    // Most exact first: the same name twice (`--no-prefix`), the same after one component (`a/` and `b/`), a common end
    // (other prefixes), the only split there is (a rename without blanks).
    let found = splits()
        .find(|(old, new)| old == new)
        .or_else(|| splits().find(|(old, new)| after(old).is_some() && after(old) == after(new)))
        .or_else(|| splits().find(|(old, new)| common_tail(old, new) > 0))
        .or_else(|| splits().next().filter(|_| splits().count() == 1));
    found.map(|(old, new)| (Cow::Borrowed(old), Cow::Borrowed(new)))
}
