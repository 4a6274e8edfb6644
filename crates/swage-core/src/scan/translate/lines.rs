//! Where lines end, and where they are joined.

use std::sync::LazyLock;

use regex::bytes::Regex;

use super::{fill, in_name, is_unescaped};
use crate::lang::Blanks;

/// An LF for each further character that ends a line (C# specification, section 6.3.2).
pub(super) fn with_line_ends(text: &[u8]) -> Option<Vec<u8>> {
    static ENDS: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new("\u{85}|\u{2028}|\u{2029}").ok());
    let mut found = ENDS.as_ref()?.find_iter(text).peekable();
    found.peek()?;
    let mut plain = text.to_vec();
    found.for_each(|end| fill(&mut plain, end.range(), b"\n"));
    Some(plain)
}

/// Joins names, and the signs of comments, that a backslash before a line's end parts (ISO/IEC 9899:2024, section 5.1.1.2, where
/// compilers let blanks come between; the shell removes it as well). The backslash and the line's end come after what they
/// parted.
pub(super) fn without_splices(text: &[u8], blanks: Blanks) -> Option<Vec<u8>> {
    static SPLICES: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"(?-u)\\[ \t\x0b\x0c]*\r?\n").ok());
    memchr::memchr(b'\\', text)?;
    // Gathered first, since one may follow another.
    let splices: Vec<(usize, usize)> = match blanks {
        Blanks::Between => SPLICES.as_ref()?.find_iter(text).map(|found| (found.start(), found.end())).collect(),
        Blanks::Nowhere => memchr::memmem::find_iter(text, b"\\\n").map(|at| (at, at + 2)).collect(),
    };
    let mut plain: Option<Vec<u8>> = None;
    // Up to where names are joined.
    let mut done = 0;
    for (start, end) in splices.iter().copied().filter(|(start, _)| *start > 0) {
        if start < done {
            continue;
        }
        // What comes up to the place of the first splice, the splices that it came over, where the reading is, and the byte before.
        let (mut joined, mut parted, mut at, mut last) = (Vec::new(), text[start..end].to_vec(), end, text[start - 1]);
        loop {
            let rest = &text[at..];
            // Several one after the other.
            if let Ok(next) = splices.binary_search_by_key(&at, |(start, _)| *start) {
                parted.extend_from_slice(&text[at..splices[next].1]);
                at = splices[next].1;
                continue;
            }
            match rest.first() {
                // Two signs that make one sign of a comment count like a name.
                Some(next)
                    if in_name(&last) && in_name(next)
                        || matches!((last, next), (b'/', b'/' | b'*') | (b'*', b'/')) =>
                {
                    joined.push(*next);
                    last = *next;
                    at += 1;
                }
                _ => break,
            }
        }
        done = at;
        if !joined.is_empty() {
            // Its line ends stay, so that the numbers of all lines after it are right.
            joined.extend_from_slice(&parted);
            plain.get_or_insert_with(|| text.to_vec())[start..start + joined.len()].copy_from_slice(&joined);
        }
    }
    plain
}

/// A letter for a backslash before a CR, which the shell takes for the name of that character, so that the line ends.
pub(super) fn with_kept_line_ends(text: &[u8]) -> Option<Vec<u8>> {
    let mut found = memchr::memmem::find_iter(text, b"\\\r\n").filter(|at| is_unescaped(text, *at)).peekable();
    found.peek()?;
    let mut plain = text.to_vec();
    found.for_each(|at| plain[at] = b'r');
    Some(plain)
}
