//! What Python's grammar doesn't know, written as it does.

use std::sync::LazyLock;

use regex::bytes::Regex;

use super::in_name;

/// Bounds in place of the defaults of type parameters, which the grammar doesn't know (Python Language Reference, section
/// 8.10): `class Quay[T = Berth]`.
pub(super) fn with_bounds_for_type_defaults(text: &[u8]) -> Option<Vec<u8>> {
    static GENERIC: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?m-u)^[ \t]*(?:class|(?:async[ \t]+)?def|type)[ \t]+\w+\[").ok());
    let mut plain: Option<Vec<u8>> = None;
    for head in GENERIC.as_ref()?.find_iter(text) {
        let (mut depth, mut sign) = (1, b':');
        for at in head.end()..text.len() {
            match text[at] {
                b'[' | b'(' | b'{' => depth += 1,
                b']' | b')' | b'}' => depth -= 1,
                b',' if depth == 1 => sign = b':',
                // After a bound, the default is one type more.
                b':' if depth == 1 => sign = b'|',
                b'=' if depth == 1 => plain.get_or_insert_with(|| text.to_vec())[at] = sign,
                _ => {}
            }
            if depth == 0 {
                break;
            }
        }
    }
    plain
}

/// Blanks for the star before an element of a list without parentheses that is more than a name: the grammar takes
/// `return a, *bad(b)` for a call of `*bad`, and can't read `return a, *(b)` (Python Language Reference, section 6.15). In a
/// subscript it can't read the latter either.
pub(super) fn without_stars_of_lists(text: &[u8]) -> Option<Vec<u8>> {
    let mut plain: Option<Vec<u8>> = None;
    let mut brackets = Brackets::default();
    for star in memchr::memchr_iter(b'*', text).filter(|star| is_before_more_than_a_name(text, *star)) {
        // Between other brackets the grammar knows it.
        if brackets.go_to(text, star) && brackets.open.last().is_none_or(|(_, is_subscript)| *is_subscript) {
            plain.get_or_insert_with(|| text.to_vec())[star] = b' ';
        }
    }
    plain
}

/// Whether a star may begin an element that is more than a name.
fn is_before_more_than_a_name(text: &[u8], star: usize) -> bool {
    let is_blank = |b: &u8| matches!(b, b' ' | b'\t' | b'\\' | b'\r' | b'\n');
    let before = &text[..star];
    let before = &before[..before.iter().rposition(|b| !is_blank(b)).map_or(0, |at| at + 1)];
    let word = before.len() - before.iter().rev().take_while(|b| in_name(b)).count();
    if !matches!(before.last(), Some(b',' | b'=' | b'[')) && !matches!(&before[word..], b"return" | b"yield" | b"in") {
        return false;
    }
    // `await bad(b)`, too.
    let in_path = |b: &u8| in_name(b) || *b == b'.';
    let ends = text[star + 1..].iter().skip_while(|b| is_blank(b)).skip_while(|b| in_path(b));
    ends.skip_while(|b| is_blank(b)).find(|b| !in_path(b)).is_some_and(|b| b"([{\"'".contains(b))
}

/// The brackets that are open at an offset of a file.
#[derive(Default)]
struct Brackets {
    /// The offset.
    at: usize,
    /// For each bracket where it is, and whether it opens a subscript.
    open: Vec<(usize, bool)>,
}

impl Brackets {
    /// Goes on to a later offset; whether that is code, and not in a string or a comment.
    fn go_to(&mut self, text: &[u8], offset: usize) -> bool {
        // What opens, closes or hides something: few bytes are, so those between are passed over at once.
        let counts = |b: &u8| matches!(b, b'#' | b'"' | b'\'' | b'(' | b'{' | b'[' | b')' | b']' | b'}');
        while self.at < offset {
            self.at += text[self.at..offset].iter().position(counts).unwrap_or(offset - self.at);
            if self.at == offset {
                break;
            }
            let rest = &text[self.at..];
            self.at += match rest[0] {
                b'#' => memchr::memchr(b'\n', rest).unwrap_or(rest.len()),
                b'"' | b'\'' => length_of_string(rest),
                b'(' | b'{' => {
                    self.open.push((self.at, false));
                    1
                }
                b'[' => {
                    let before = text[..self.at].last();
                    self.open.push((self.at, before.is_some_and(|b| in_name(b) || b")]".contains(b))));
                    1
                }
                _ => {
                    self.open.pop();
                    1
                }
            };
        }
        self.at == offset
    }
}

/// How long the string is with which a text begins; one in single quotes ends with its line.
fn length_of_string(text: &[u8]) -> usize {
    let quote = text[0];
    let count = if text.starts_with(&[quote; 3]) { 3 } else { 1 };
    let mut at = count;
    while let Some(next) = text.get(at..).and_then(|rest| memchr::memchr3(b'\\', b'\n', quote, rest)) {
        at += next;
        match text[at] {
            b'\\' => at += 2,
            b'\n' if count == 1 => return at,
            b if b == quote && text[at..].starts_with(&[quote; 3][..count]) => return at + count,
            _ => at += 1,
        }
    }
    text.len()
}

/// Comments farther in between brackets, where the grammar takes one that is farther out than the statement for the end of its
/// block. Of a comment the letters in the way are lost: they say nothing to rules on code.
pub(super) fn with_comments_in_brackets_further_in(text: &[u8]) -> Option<Vec<u8>> {
    let mut plain: Option<Vec<u8>> = None;
    let mut brackets = Brackets::default();
    for at in memchr::memchr_iter(b'#', text) {
        let own = blanks_before(text, at);
        let start = at - own;
        if start > 0 && text[start - 1] != b'\n' || !goes_on_around(text, start, at) || !brackets.go_to(text, at) {
            continue;
        }
        let Some((outermost, _)) = brackets.open.first() else { continue };
        let line = memchr::memrchr(b'\n', &text[..*outermost]).map_or(0, |end| end + 1);
        let indent = text[line..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        if own >= indent {
            continue;
        }
        let end = at + memchr::memchr2(b'\n', b'\r', &text[at..]).unwrap_or(text.len() - at);
        let plain = plain.get_or_insert_with(|| text.to_vec());
        plain[at..end.min(start + indent)].fill(b' ');
        if start + indent < end {
            plain[start + indent] = b'#';
        }
    }
    plain
}

/// How many blanks are right before an offset.
fn blanks_before(text: &[u8], at: usize) -> usize {
    text[..at].iter().rev().take_while(|b| matches!(b, b' ' | b'\t')).count()
}

/// Whether an expression seems to go on around a comment that is alone on its line: the code before it ends with a sign, or the
/// code after it begins with one. Most comments have statements around them, and to know the brackets takes reading the file.
fn goes_on_around(text: &[u8], start: usize, at: usize) -> bool {
    let before = text[..start].trim_ascii_end();
    if before.last().is_some_and(|b| b",([{+-*/%|&<>=.".contains(b)) {
        return true;
    }
    // Another comment may be before it, which ends with anything. Asked before what comes after: of comments in a row each would
    // go through all that follow.
    let line = memchr::memrchr(b'\n', before).map_or(0, |end| end + 1);
    if memchr::memchr(b'#', &text[line..start]).is_some() {
        return true;
    }
    let mut after = &text[at..];
    while after.starts_with(b"#") {
        after = after[memchr::memchr(b'\n', after).unwrap_or(after.len())..].trim_ascii_start();
    }
    let word = &after[..after.iter().take_while(|b| in_name(b)).count()];
    after.first().is_some_and(|b| b")]}+-*/%|&<>=.,".contains(b))
        || [&b"and"[..], b"or", b"if", b"else", b"for", b"in", b"is", b"not"].contains(&word)
}

/// Comments farther in between decorators and what they decorate, where the grammar takes one that is farther out for the end
/// of the block: `#    low` becomes `    # low`, and an empty one a blank line. One that has no room stays.
pub(super) fn with_comments_further_in(text: &[u8]) -> Option<Vec<u8>> {
    /// How many lines further down the definition may begin.
    const NEAR: usize = 32;
    let mut plain: Option<Vec<u8>> = None;
    let mut seen = 0;
    for at in memchr::memchr_iter(b'@', text) {
        let indent = blanks_before(text, at);
        let start = at - indent;
        if at < seen || indent == 0 || start > 0 && text[start - 1] != b'\n' {
            continue;
        }
        let mut line = start;
        for _ in 0..NEAR {
            let Some(length) = memchr::memchr(b'\n', &text[line..]) else { break };
            line += length + 1;
            seen = line;
            let rest = &text[line..];
            let own = rest.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
            // Farther in are the arguments of a decorator.
            let first = rest.get(own).copied().unwrap_or(b'\n');
            if own <= indent && !b"@#)\r\n".contains(&first) {
                break;
            }
            let blanks = rest[own..].iter().skip(1).take_while(|b| matches!(b, b' ' | b'\t')).count();
            if first == b'#' && own < indent && own + blanks >= indent {
                let plain = plain.get_or_insert_with(|| text.to_vec());
                plain[line + own..line + indent].copy_from_slice(&text[line + own + 1..=line + indent]);
                plain[line + indent] = b'#';
            } else if first == b'#' && own < indent && rest.get(own + 1).is_none_or(|b| b"\r\n".contains(b)) {
                plain.get_or_insert_with(|| text.to_vec())[line + own] = b' ';
            }
        }
    }
    plain
}
