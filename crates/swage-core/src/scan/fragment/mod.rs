//! Code of which only a part is known: what a hunk of a diff shows.
//!
//! A fragment is cut off at both ends, so it is completed before it is parsed: brackets, strings and comments that were open
//! before it or are open after it get their other half, blocks recognised by indentation get heads, and of the ways in which a
//! language wraps pieces of code that one is taken which leaves the fewest lines broken. A match counts only when all of it lies
//! in the fragment and no line of it has an error, so that what was made up is never reported.
//!
//! Searching the text of the hunk for words of the patterns would be simpler, and would find them in strings and comments,
//! which is what patterns are there to avoid.

mod bracketed;
mod indented;

use std::collections::BTreeSet;
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

/// A fragment of more bytes is taken to begin in code: it would be parsed too often.
const LARGE: usize = 256 << 10;

/// A fragment, completed.
#[derive(Debug, PartialEq, Eq)]
struct Completed {
    /// All of it.
    source: Vec<u8>,
    /// Where the fragment lies in it.
    own: Range<usize>,
    /// Where it doesn't parse.
    syntax: Syntax,
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
    let Completed { source, own, syntax } = complete(fragment, language);
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
    let is_inside =
        |span: Span| (lines..lines + count).contains(&span.start_line.index()) && span.end_line.index() < lines + count;
    // The parser may have taken what is beside an error for something else.
    let is_broken =
        |span: Span| syntax.places.iter().any(|p| p.start_line <= span.end_line && span.start_line <= p.end_line);
    found.hits.retain(|hit| hit.span.is_some_and(|span| is_inside(span) && !is_broken(span)));
    found.syntax = Some(Syntax { errors: syntax.errors, places: Vec::new() });
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

/// In what a fragment may begin.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Beginning {
    /// In code.
    Code,
    /// In a string of several lines, of such quotes.
    String(&'static str),
    /// In a comment of several lines.
    Comment,
    /// In a bracket that isn't closed in it.
    Bracket(u8),
}

impl Beginning {
    /// Those to be tried for a fragment, the most usual first.
    fn of(fragment: &[u8], language: &Language) -> Vec<Self> {
        if fragment.len() > LARGE {
            return vec![Self::Code];
        }
        let has = |text: &str| memchr::memmem::find(fragment, text.as_bytes()).is_some();
        match language.name {
            "python" => {
                [Self::Code, Self::String("\"\"\""), Self::String("'''"), Self::Bracket(b'{'), Self::Bracket(b'(')]
                    .into_iter()
                    // Text of which neither the beginning nor the end is shown is the same in both.
                    .filter(|own| *own != Self::String("'''") || has("'''"))
                    .collect()
            }
            _ => {
                let mut all = vec![Self::Code];
                all.extend(bracketed::has_block_comments(language).then_some(Self::Comment));
                let multiline = matches!(language.name, "javascript" | "typescript" | "tsx" | "go");
                all.extend((multiline && has("`")).then_some(Self::String("`")));
                all
            }
        }
    }
}

/// Completes a fragment of a language: of the ways in which it may go on, the first that leaves the fewest lines broken.
fn complete(fragment: &[u8], language: &'static Language) -> Completed {
    let mut best: Option<(usize, Completed)> = None;
    for (beginning, before, after) in ways(fragment, language) {
        let source = [&before, fragment, &after].concat();
        // What can't be parsed in time is worse than anything that can.
        let Ok(tree) = parse(&source, language) else { continue };
        let mut syntax = Syntax::of(&tree, &source);
        let mut broken = lines_of(&syntax);
        // Any text parses as a string or a comment that begins before it and ends after it, broken code too. So it counts as
        // broken, and as something that doesn't parse.
        if is_all_text(fragment, beginning) {
            broken = broken.max(least_broken_in_text(fragment));
            syntax.errors = syntax.errors.max(1);
        }
        let completed = Completed { own: before.len()..before.len() + fragment.len(), source, syntax };
        if broken == 0 {
            return completed;
        }
        if best.as_ref().is_none_or(|(fewest, _)| broken < *fewest) {
            best = Some((broken, completed));
        }
    }
    let unparsed = Syntax { errors: 1, places: Vec::new() };
    let bare = || Completed { source: fragment.to_vec(), own: 0..fragment.len(), syntax: unparsed };
    best.map_or_else(bare, |(_, completed)| completed)
}

/// Where a fragment may begin, with what goes before and after it then.
fn ways<'f>(
    fragment: &'f [u8],
    language: &'static Language,
) -> impl Iterator<Item = (Beginning, Vec<u8>, Vec<u8>)> + 'f {
    let is_indented = language.name == "python";
    // The first of the wrappers is no wrapper; where indentation counts none of them fits.
    let wrappers = language.wrappers.iter().take(if is_indented { 1 } else { MOST_TRIED });
    Beginning::of(fragment, language).into_iter().flat_map(move |beginning| {
        let completions = if is_indented {
            indented::completions(fragment, beginning)
        } else {
            vec![bracketed::completions(fragment, language, beginning)]
        };
        let wrappers = wrappers.clone();
        completions.into_iter().flat_map(move |(before, after)| {
            let wrap = move |(head, tail): &(&str, &str)| {
                (beginning, [head.as_bytes(), &before].concat(), [&after, tail.as_bytes()].concat())
            };
            wrappers.clone().map(wrap)
        })
    })
}

/// Whether nothing of a fragment is code when it begins so.
fn is_all_text(fragment: &[u8], beginning: Beginning) -> bool {
    let end = match beginning {
        Beginning::Code | Beginning::Bracket(_) => return false,
        Beginning::String(quotes) => quotes,
        Beginning::Comment => "*/",
    };
    memchr::memmem::find(fragment, end.as_bytes()).is_none()
}

/// Text taken for code is broken in many of its lines; what is broken in fewer is code.
fn least_broken_in_text(fragment: &[u8]) -> usize {
    let lines = fragment.split(|b| *b == b'\n').filter(|line| !line.trim_ascii().is_empty()).count();
    (lines / 3).max(1)
}

/// How many lines have something that doesn't parse. An error may take up many of them.
fn lines_of(syntax: &Syntax) -> usize {
    syntax.places.iter().flat_map(|span| span.lines()).collect::<BTreeSet<_>>().len()
}

/// The bracket that opens what this one closes.
fn opening(closer: u8) -> u8 {
    match closer {
        b')' => b'(',
        b']' => b'[',
        _ => b'{',
    }
}

/// The bracket that closes what this one opens.
fn closing(opener: u8) -> u8 {
    match opener {
        b'(' => b')',
        b'[' => b']',
        _ => b'}',
    }
}

/// Finds the ends of strings. It remembers where none is, so that many quotes on a line don't make it read the line as often.
struct Strings<'t> {
    text: &'t [u8],
    /// For each sort of quotes, up to where none of them ends a string.
    unended: [usize; 3],
}

impl<'t> Strings<'t> {
    fn new(text: &'t [u8]) -> Self {
        Self { text, unended: [0; 3] }
    }

    /// How many bytes of a string come after the quote at this offset, on its line unless it may go on; 0 when it has no end.
    fn rest_of(&mut self, start: usize) -> usize {
        let quote = self.text[start];
        let unended = match quote {
            b'"' => &mut self.unended[0],
            b'\'' => &mut self.unended[1],
            _ => &mut self.unended[2],
        };
        if start < *unended {
            return 0;
        }
        let mut at = start + 1;
        while let Some(&byte) = self.text.get(at) {
            match byte {
                // What a backslash escapes ends nothing.
                b'\\' => at += 1,
                // An apostrophe in a text, or a string whose other half the fragment lacks.
                b'\n' if quote != b'`' => break,
                b if b == quote => return at - start,
                _ => {}
            }
            at += 1;
        }
        *unended = at;
        0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Long because it is a table.
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
            ("python", "        }\n    )\n    y = 1\n", "if w_:\n    w_({\n[        }\n    )\n    y = 1\n]"),
            ("python", "    )\n    y = 1\n", "if w_:\n    w_(\n[    )\n    y = 1\n]"),
            (
                "python",
                "    else:\n        return x\n",
                "if w_:\n    if w_:\n     pass\n[    else:\n        return x\n]",
            ),
            // Text of a string that was begun before, and one that goes on.
            (
                "python",
                "        So when speed is 1, go.\n        '''\n        lay(x)\n",
                "if w_:\n        '''\n[        So when speed is 1, go.\n        '''\n        lay(x)\n]",
            ),
            (
                "python",
                "def f(x={}):\n    \"\"\"\n    Lays it.\n",
                "[def f(x={}):\n    \"\"\"\n    Lays it.\n]\"\"\"\n",
            ),
            (
                "python",
                "    Lays the boat to.\n    If speed is 1 then go.\n    See the harbour.\n",
                "\"\"\"\n[    Lays the boat to.\n    If speed is 1 then go.\n    See the harbour.\n]\"\"\"",
            ),
            // What is begun and not ended.
            ("python", "try:\n    lay(x,\n", "[try:\n    lay(x,\n])\nexcept w_:\n pass\n"),
            ("python", "def f(\n    x={},\n", "[def f(\n    x={},\n]):\n pass\n"),
            ("python", "@low\n", "[@low\n]def w_(): pass\n"),
            ("python", "    'a': 1,\n    'b': 2,\n", "w_ = {\n[    'a': 1,\n    'b': 2,\n]}\n"),
            ("python", "    a: int,\n    b={},\n", "def w_(\n[    a: int,\n    b={},\n]):\n     pass\n"),
            ("javascript", " * Low tide.\n */\nlay(x);\n", "/*[ * Low tide.\n */\nlay(x);\n]"),
            ("javascript", "lay(x); /* low\n", "[lay(x); /* low\n]*/"),
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
