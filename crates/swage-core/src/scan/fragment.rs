//! Code of which only a part is known: what a hunk of a diff shows.
//!
//! A fragment is cut off at both ends, so it is completed before it is parsed: brackets that were open before it or are
//! open after it get their other half, blocks recognised by indentation get heads, and of the ways in which a language wraps
//! pieces of code that one is taken in which least fails to parse. A match counts only when all of it lies in the fragment
//! and nothing of it is an error, so that what was made up is never reported.
//!
//! Searching the text of the hunk for words of the patterns would be simpler, and would find them in strings and comments,
//! which is what patterns are there to avoid.

use std::ops::Range;

use super::Limits;
use super::syntax::Syntax;
use super::{FileScan, Markers, Scan, Span};
use crate::lang::Language;
use crate::lang::parse;
use crate::position::{Column, LineNumber};
use crate::rule::RuleSet;

/// Most wrappers that are tried.
// Parsing is cheap for a hunk, but a diff has many of them.
const MOST_TRIED: usize = 6;

/// A fragment, completed.
#[derive(Debug, PartialEq, Eq)]
struct Completed {
    /// All of it.
    source: Vec<u8>,
    /// Where the fragment lies in it.
    own: Range<usize>,
    /// How many places of it don't parse.
    errors: u32,
}

/// Scans a piece of a file of which nothing else is known, such as a hunk of a diff shows. Only what lies wholly in it is
/// found; rules that need whole files must not be among the wanted ones. Lines are those of the piece. `syntax` says how many places don't
/// parse although the piece was completed, which is where something may have been missed.
pub fn scan_fragment(
    fragment: &[u8],
    language: &'static Language,
    rules: &RuleSet,
    wanted: &[bool],
    limits: &Limits,
) -> FileScan {
    // From here on lines and columns are those of the completed text, and are put back at the end.
    let Completed { source, own, errors } = complete(fragment, language);
    let lines = memchr::memchr_iter(b'\n', &source[..own.start]).count() as u32;
    // What is before the fragment on its first line shifts its columns.
    let line_start = source[..own.start].iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
    let columns = (own.start - line_start) as u32;
    let count = memchr::memchr_iter(b'\n', fragment).count() as u32 + 1;
    // A hunk can't say that its whole file was generated.
    let scan = Scan { rules, wanted, limits, markers: Markers::Ignored, own: Some(own) };
    let mut found = scan.nested(&source, Some(language), 0);
    // Facts need whole files: what isn't shown may be elsewhere.
    found.facts.clear();
    found.syntax = Some(Syntax { errors, places: Vec::new() });
    let is_inside =
        |span: Span| (lines..lines + count).contains(&span.start_line.index()) && span.end_line.index() < lines + count;
    found.hits.retain(|hit| hit.span.is_some_and(is_inside));
    for hit in &mut found.hits {
        let first = LineNumber::from_index(lines);
        // Only on the fragment's first line something that was made up may be before it.
        let column = |line: LineNumber, column: Column| if line == first { column - columns } else { column };
        hit.span = hit.span.map(|span| Span {
            start_line: span.start_line - lines,
            start_column: column(span.start_line, span.start_column),
            end_line: span.end_line - lines,
            end_column: column(span.end_line, span.end_column),
        });
        // The definition may go on outside.
        hit.definition = None;
    }
    found
}

/// Completes a fragment of a language.
fn complete(fragment: &[u8], language: &'static Language) -> Completed {
    let (before, after) = if language.name == "python" { indented(fragment) } else { bracketed(fragment, language) };
    // The first of the wrappers is no wrapper; one without errors ends the search.
    let mut best: Option<(u32, Completed)> = None;
    for (head, tail) in language.wrappers.iter().take(MOST_TRIED) {
        let start = [head.as_bytes(), &before].concat();
        let own = start.len()..start.len() + fragment.len();
        let source = [&start, fragment, &after, tail.as_bytes()].concat();
        // What can't be parsed in time is worse than anything that can.
        let errors = parse(&source, language).map_or(u32::MAX, |tree| Syntax::of(&tree, &source).errors);
        if best.as_ref().is_none_or(|(least, _)| errors < *least) {
            best = Some((errors, Completed { source, own, errors }));
        }
        if errors == 0 {
            break;
        }
    }
    let bare = || Completed { source: fragment.to_vec(), own: 0..fragment.len(), errors: u32::MAX };
    best.map_or_else(bare, |(_, completed)| completed)
}

/// Heads for blocks that were begun before the fragment, and a statement for one that has none.
fn indented(fragment: &[u8]) -> (Vec<u8>, Vec<u8>) {
    // An empty line says nothing of the block that it is in.
    let mut lines = fragment.split(|b| *b == b'\n').filter(|line| !line.trim_ascii().is_empty());
    let indent = |line: &[u8]| line.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
    // Where lines go back to less indentation than any before: each needs a block that was begun before the fragment. Its
    // indentation, the blanks themselves (tabs stay tabs), and the line's code.
    let mut levels: Vec<(usize, &[u8], &[u8])> = Vec::new();
    let mut least = usize::MAX;
    for line in lines.clone() {
        let own = indent(line);
        if own < least {
            let word = &line[own..];
            levels.push((own, &line[..own], word));
            least = own;
        }
    }
    let mut heads = Vec::new();
    // What is deepest comes first in the fragment; its heads come last. A head is where a later line goes on.
    let first = levels.first().map_or(0, |(own, ..)| *own);
    let mut outer: Vec<(&[u8], &[u8])> = levels.iter().skip(1).map(|(_, blanks, word)| (*blanks, *word)).collect();
    // The outermost line is indented, so all of it is in some block.
    if first > 0 && levels.last().is_some_and(|(own, ..)| *own > 0) {
        outer.push((b"", b""));
    }
    for (blanks, word) in outer.into_iter().rev() {
        // The head must be one that the line may follow. The names with an underscore at the end can't be met by a
        // pattern that asks for real ones.
        heads.extend([blanks, head_before(word).unwrap_or(b"if w_:"), b"\n"].concat());
    }
    // The first line may go on with what was begun right before it.
    if let Some((_, blanks, word)) = levels.first()
        && let Some(head) = head_before(word).filter(|head| !head.starts_with(b"match"))
    {
        heads.extend([blanks, head, b"\n"].concat());
        if head.ends_with(b":") {
            heads.extend([blanks, &b" pass\n"[..]].concat());
        }
    }
    let last = lines.next_back().unwrap_or_default();
    let code = last.trim_ascii_end();
    let mut tail = Vec::new();
    if !fragment.ends_with(b"\n") {
        tail.push(b'\n');
    }
    // A head at the end needs a body.
    if code.ends_with(b":") {
        tail.extend([&last[..indent(last)], b" pass\n"].concat());
    }
    (heads, tail)
}

/// What a line of Python goes on with, so that it can't be the first one.
fn head_before(line: &[u8]) -> Option<&'static [u8]> {
    let begins = |words: &[&[u8]]| words.iter().any(|word| line.starts_with(word));
    match line.first()? {
        b')' if line.trim_ascii_end().ends_with(b":") => Some(b"def w_("),
        b')' => Some(b"w_("),
        b']' => Some(b"["),
        b'}' => Some(b"{"),
        _ if begins(&[b"except", b"finally"]) => Some(b"try:"),
        _ if begins(&[b"elif ", b"else:"]) => Some(b"if w_:"),
        _ if begins(&[b"case "]) => Some(b"match w_:"),
        _ => None,
    }
}

/// Brackets that the fragment closes and doesn't open, and those that it opens and doesn't close.
fn bracketed(fragment: &[u8], language: &Language) -> (Vec<u8>, Vec<u8>) {
    let (mut open, mut unopened): (Vec<u8>, Vec<Vec<u8>>) = (Vec::new(), Vec::new());
    let parenthesised = !matches!(language.name, "go" | "rust" | "swift");
    // Brackets are counted outside of comments and strings, without a parser: it would fail on what is to be completed.
    let mut at = 0;
    while let Some(&byte) = fragment.get(at) {
        let rest = &fragment[at..];
        // Comments to the end of the line.
        if language.line_markers.iter().any(|m| rest.starts_with(m.as_bytes())) {
            at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            continue;
        }
        if rest.starts_with(b"/*") {
            at += memchr::memmem::find(rest, b"*/").map_or(rest.len(), |end| end + 2);
            continue;
        }
        match byte {
            // An apostrophe in a comment was passed over with its line.
            b'"' | b'\'' | b'`' => at += string_end(rest, byte),
            b'(' | b'[' | b'{' => open.push(byte),
            b')' | b']' | b'}' => {
                let opener = match byte {
                    b')' => b'(',
                    b']' => b'[',
                    _ => b'{',
                };
                // A bracket that fits the last open one closes it; any other was opened before the fragment.
                if open.last() == Some(&opener) {
                    open.pop();
                } else {
                    unopened.push(head(opener, &rest[1..], parenthesised));
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
    let mut after = if fragment.ends_with(b"\n") { Vec::new() } else { vec![b'\n'] };
    after.extend(open.iter().rev().map(|opener| match opener {
        b'(' => b')',
        b'[' => b']',
        _ => b'}',
    }));
    (before, after)
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

/// Where a string that begins here ends, on its line unless it may go on; 0 when it has no end.
fn string_end(text: &[u8], quote: u8) -> usize {
    let mut at = 1;
    while let Some(&byte) = text.get(at) {
        match byte {
            // What a backslash escapes ends nothing.
            b'\\' => at += 1,
            // An apostrophe in a text, or a string whose other half the fragment lacks.
            b'\n' if quote != b'`' => return 0,
            b if b == quote => return at,
            _ => {}
        }
        at += 1;
    }
    0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fragments_are_completed() {
        let cases: &[(&str, &str, &str)] = &[
            ("python", "x = 1\n", "[x = 1\n]"),
            (
                "python",
                "        return x\n\n    def high(self):\n        pass\n",
                "if w_:\n    if w_:\n[        return x\n\n    def high(self):\n        pass\n]",
            ),
            (
                "python",
                "        lay()\n    except Tide:\n        wait()\n",
                "if w_:\n    try:\n[        lay()\n    except Tide:\n        wait()\n]",
            ),
            ("python", "    if tide:\n", "if w_:\n[    if tide:\n]     pass\n"),
            (
                "python",
                "    except Tide:\n        return x\n\n    y = 1\n",
                "if w_:\n    try:\n     pass\n[    except Tide:\n        return x\n\n    y = 1\n]",
            ),
            (
                "python",
                "        x: Low\n    ) -> High:\n        return x\n\n    y = 1\n",
                "if w_:\n    def w_(\n[        x: Low\n    ) -> High:\n        return x\n\n    y = 1\n]",
            ),
            ("python", "        }\n    )\n    y = 1\n", "if w_:\n    w_(\n        {\n[        }\n    )\n    y = 1\n]"),
            ("python", "    )\n    y = 1\n", "if w_:\n    w_(\n[    )\n    y = 1\n]"),
            (
                "python",
                "    else:\n        return x\n",
                "if w_:\n    if w_:\n     pass\n[    else:\n        return x\n]",
            ),
            ("javascript", "  lay(boat);\n} else {\n  wait();\n", "if (w_) {\n[  lay(boat);\n} else {\n  wait();\n]}"),
            ("javascript", "  low,\n  high);\nlay(\"}\", '(');\n", "w_(\n[  low,\n  high);\nlay(\"}\", '(');\n]"),
            ("go", "\tlay() // }\n} else {\n", "if w_ {\n[\tlay() // }\n} else {\n]}"),
        ];
        for (language, fragment, expected) in cases {
            let language = Language::by_name(language).expect("a known language");
            let Completed { source, own, .. } = complete(fragment.as_bytes(), language);
            let text = String::from_utf8(source).expect("text");
            let shown = format!("{}[{}]{}", &text[..own.start], &text[own.clone()], &text[own.end..]);
            assert!(shown.contains(expected), "{fragment:?}: {shown:?} instead of {expected:?}");
        }
    }
}
