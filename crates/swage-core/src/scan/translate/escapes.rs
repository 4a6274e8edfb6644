//! Escapes that a language replaces outside of texts, too.

use std::ops::Range;
use std::sync::LazyLock;

use regex::bytes::Regex;

use super::{fill, in_name, is_unescaped};

/// An LF for each escape that Java reads as a line end before it looks for comments (Java Language Specification, section
/// 3.3). It stays where the escape ends, so that columns on the line after it are right.
pub(super) fn with_line_escapes(text: &[u8]) -> Option<Vec<u8>> {
    static ESCAPES: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"(?-u)\\u+000[aAdD]").ok());
    // Looking for two bytes is much faster than an expression.
    memchr::memmem::find(text, b"\\u")?;
    let mut plain = text.to_vec();
    for found in ESCAPES.as_ref()?.find_iter(text).filter(|found| is_unescaped(text, found.start())) {
        plain[found.range()].fill(b' ');
        plain[found.end() - 1] = b'\n';
    }
    Some(plain)
}

/// Characters for all escapes of ASCII, which Java replaces everywhere.
pub(super) fn with_escapes(text: &[u8]) -> Option<Vec<u8>> {
    static ESCAPES: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"(?-u)\\u+00([2-7][0-9a-fA-F])").ok());
    memchr::memmem::find(text, b"\\u")?;
    let escapes = ESCAPES.as_ref()?.captures_iter(text).filter_map(|escape| {
        let digits = std::str::from_utf8(escape.get(1)?.as_bytes()).ok()?;
        let range = escape.get(0)?.range();
        is_unescaped(text, range.start).then_some((range, u8::from_str_radix(digits, 16).ok()?))
    });
    replaced(text, escapes)
}

/// Characters for the escapes of letters, which CSS has in all names and texts, and of digits and hyphens inside of names. One
/// white space ends an escape and belongs to it.
pub(super) fn with_style_escapes(text: &[u8]) -> Option<Vec<u8>> {
    static ESCAPES: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?-u)\\(?:([0-9a-fA-F]{1,6})(?:\r\n|[ \t\n\r\f])?|([g-zG-Z_-]))").ok());
    memchr::memchr(b'\\', text)?;
    // Where the last escape of a name ended: what follows at once is inside of that name.
    let mut last = 0;
    let escapes = ESCAPES.as_ref()?.captures_iter(text).filter_map(|escape| {
        let range = escape.get(0)?.range();
        let byte = match (escape.get(1), escape.get(2)) {
            (Some(digits), _) => u8::from_str_radix(std::str::from_utf8(digits.as_bytes()).ok()?, 16).ok()?,
            (None, plain) => *plain?.as_bytes().first()?,
        };
        let is_inside = range.start > 0 && (range.start == last || in_name(&text[range.start - 1]));
        let is_letter = byte.is_ascii_alphabetic() || byte == b'_';
        // A digit or hyphen at the beginning would be read as a number or an operator without its escape.
        let is_meant = is_letter || is_inside && (byte.is_ascii_digit() || byte == b'-');
        let found = (is_meant && is_unescaped(text, range.start)).then_some((range.clone(), byte))?;
        last = range.end;
        Some(found)
    });
    replaced(text, escapes)
}

/// The text with a byte in the place of each escape, in order. What follows an escape up to the next white space moves up to
/// it, since two signs may make one; a line's end in an escape comes after that.
pub(super) fn replaced(text: &[u8], escapes: impl Iterator<Item = (Range<usize>, u8)>) -> Option<Vec<u8>> {
    let mut escapes = escapes.peekable();
    // Nothing is copied where there is none.
    escapes.peek()?;
    let space_from = |at: usize| at + text[at..].iter().position(u8::is_ascii_whitespace).unwrap_or(text.len() - at);
    let mut plain = text.to_vec();
    while let Some((first, byte)) = escapes.next() {
        let line_ends = |escape: &Range<usize>| memchr::memchr_iter(b'\n', &text[escape.clone()]).count();
        let (start, mut from, mut lines) = (first.start, first.end, line_ends(&first));
        let mut end = space_from(from);
        // What is from the escape to the next white space, with all escapes in it replaced.
        let mut run = vec![byte];
        while let Some((escape, byte)) = escapes.next_if(|(escape, _)| escape.start < end || escape.start == from) {
            run.extend_from_slice(&text[from..escape.start]);
            run.push(byte);
            (from, lines) = (escape.end, lines + line_ends(&escape));
            // An escape may end in white space.
            end = if from < end { end } else { space_from(from) };
        }
        run.extend_from_slice(&text[from..end]);
        fill(&mut plain, start..end, &run);
        plain[end - lines..end].fill(b'\n');
    }
    Some(plain)
}
