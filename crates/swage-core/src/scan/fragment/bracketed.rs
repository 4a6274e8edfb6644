//! What a fragment of a language with brackets lacks: the brackets that it closes and doesn't open, and those that it opens and
//! doesn't close.

use super::{Beginning, Strings, closing, opening};
use crate::lang::Language;

/// What a fragment gets before and after it when it begins in such a place. Brackets are counted outside of comments and
/// strings, without the parser, which would fail on what is to be completed.
pub(super) fn completions(fragment: &[u8], language: &Language, beginning: Beginning) -> (Vec<u8>, Vec<u8>) {
    let (mut open, mut unopened): (Vec<u8>, Vec<Vec<u8>>) = (Vec::new(), Vec::new());
    let parenthesised = !matches!(language.name, "go" | "rust" | "swift");
    let mut after = Vec::new();
    // What the fragment begins in, and what ends that.
    let (begun, end): (&[u8], &[u8]) = match beginning {
        Beginning::Code | Beginning::Bracket(_) => (b"", b""),
        Beginning::Comment => (b"/*", b"*/"),
        Beginning::String(quotes) => (quotes.as_bytes(), quotes.as_bytes()),
    };
    let mut at = memchr::memmem::find(fragment, end).map_or(fragment.len(), |at| at + end.len());
    if at == fragment.len() && !fragment.ends_with(end) {
        after.extend(end);
    }
    let mut strings = Strings::new(fragment);
    while let Some(&byte) = fragment.get(at) {
        let rest = &fragment[at..];
        // Comments to the end of the line.
        if language.line_markers.iter().any(|m| rest.starts_with(m.as_bytes())) {
            at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            continue;
        }
        if rest.starts_with(b"/*") && has_block_comments(language) {
            let end = memchr::memmem::find(rest, b"*/");
            at += end.map_or(rest.len(), |end| end + 2);
            after.extend(if end.is_none() { &b"*/"[..] } else { b"" });
            continue;
        }
        match byte {
            // An apostrophe in a comment was passed over with its line.
            b'"' | b'\'' | b'`' => at += strings.rest_of(at),
            b'(' | b'[' | b'{' => open.push(byte),
            b')' | b']' | b'}' => {
                // A bracket that fits the last open one closes it; any other was opened before the fragment.
                if open.last() == Some(&opening(byte)) {
                    open.pop();
                } else {
                    unopened.push(head(opening(byte), &rest[1..], parenthesised));
                }
            }
            _ => {}
        }
        at += 1;
    }
    // The first one that is closed was opened last.
    let mut before: Vec<u8> = unopened.into_iter().rev().flatten().collect();
    if !before.is_empty() {
        before.push(b'\n');
    }
    before.extend(begun);
    if !fragment.ends_with(b"\n") {
        after.push(b'\n');
    }
    after.extend(open.iter().rev().map(|opener| closing(*opener)));
    (before, after)
}

/// Whether a language has comments of several lines as C has them.
pub(super) fn has_block_comments(language: &Language) -> bool {
    language.doc_markers.contains(&"/**") || matches!(language.name, "css" | "sql")
}

/// What opens a bracket, by what comes after its other half.
fn head(opener: u8, after: &[u8], parenthesised: bool) -> Vec<u8> {
    // A bracket may close a loop, a branch or a handler, and what follows must fit its head.
    let next = after.trim_ascii_start();
    let head: &[u8] = match opener {
        b'(' => b"w_(",
        b'[' => b"w_[",
        _ if next.starts_with(b"else") && parenthesised => b"if (w_) {",
        _ if next.starts_with(b"else") => b"if w_ {",
        _ if next.starts_with(b"catch") || next.starts_with(b"finally") => b"try {",
        _ if next.starts_with(b"while") => b"do {",
        _ => b"{",
    };
    head.to_vec()
}
