//! What a fragment of a language with brackets lacks: the brackets that it closes and doesn't open, and those that it opens and
//! doesn't close.

use super::{Beginning, Strings, closing, opening};
use crate::lang::Language;

/// What a fragment gets before and after it when it begins in such a place.
pub(super) fn completions(fragment: &[u8], language: &Language, beginning: Beginning) -> (Vec<u8>, Vec<u8>) {
    let (mut before, mut after) = (Vec::new(), Vec::new());
    // What the fragment begins in, and what ends that.
    let (begun, end): (&[u8], &[u8]) = match beginning {
        Beginning::Code | Beginning::Bracket(_) => (b"", b""),
        Beginning::Comment => (b"/*", b"*/"),
        Beginning::String(quotes) => (quotes.as_bytes(), quotes.as_bytes()),
    };
    let code = match memchr::memmem::find(fragment, end) {
        Some(at) => at + end.len(),
        None => {
            after.extend(end);
            fragment.len()
        }
    };
    let unmatched = unmatched(fragment, code, language);
    // The first one that is closed was opened last.
    before.extend(unmatched.closed.into_iter().rev().flatten());
    if !before.is_empty() {
        before.push(b'\n');
    }
    before.extend(begun);
    if unmatched.comment {
        after.extend(b"*/");
    }
    if !fragment.ends_with(b"\n") {
        after.push(b'\n');
    }
    after.extend(unmatched.open.iter().rev().map(|opener| closing(*opener)));
    (before, after)
}

/// What of a fragment has no other half in it.
#[derive(Default)]
struct Unmatched {
    /// For each bracket that is closed and not opened what may open it.
    closed: Vec<&'static [u8]>,
    /// Brackets that are open at the end, outermost first.
    open: Vec<u8>,
    /// Whether a comment is open at the end.
    comment: bool,
}

/// Brackets are counted from an offset on, outside of comments and strings, without the parser, which would fail on what is to be
/// completed.
fn unmatched(fragment: &[u8], from: usize, language: &Language) -> Unmatched {
    let mut out = Unmatched::default();
    let mut strings = Strings::new(fragment);
    let mut at = from;
    while let Some(&byte) = fragment.get(at) {
        let rest = &fragment[at..];
        // Comments to the end of the line.
        if language.line_markers.iter().any(|m| rest.starts_with(m.as_bytes())) {
            at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            continue;
        }
        if rest.starts_with(b"/*") && has_block_comments(language) {
            let Some(end) = memchr::memmem::find(rest, b"*/") else {
                out.comment = true;
                break;
            };
            at += end + 2;
            continue;
        }
        match byte {
            // An apostrophe in a comment was passed over with its line.
            b'"' | b'\'' | b'`' => at += strings.rest_of(at),
            b'(' | b'[' | b'{' => out.open.push(byte),
            // A bracket that fits the last open one closes it; any other was opened before the fragment.
            b')' | b']' | b'}' if out.open.last() == Some(&opening(byte)) => _ = out.open.pop(),
            b')' | b']' | b'}' => out.closed.push(head(opening(byte), &rest[1..], language)),
            _ => {}
        }
        at += 1;
    }
    out
}

/// Whether a language has comments of several lines as C has them.
pub(super) fn has_block_comments(language: &Language) -> bool {
    language.doc_markers.contains(&"/**") || matches!(language.name, "css" | "sql")
}

/// What opens a bracket, by what comes after its other half.
fn head(opener: u8, after: &[u8], language: &Language) -> &'static [u8] {
    let parenthesised = !matches!(language.name, "go" | "rust" | "swift");
    // A bracket may close a loop, a branch or a handler, and what follows must fit its head.
    let next = after.trim_ascii_start();
    match opener {
        b'(' => b"w_(",
        b'[' => b"w_[",
        _ if next.starts_with(b"else") && parenthesised => b"if (w_) {",
        _ if next.starts_with(b"else") => b"if w_ {",
        _ if next.starts_with(b"catch") || next.starts_with(b"finally") => b"try {",
        _ if next.starts_with(b"while") => b"do {",
        _ => b"{",
    }
}
