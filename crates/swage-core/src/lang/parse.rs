//! Parsing within limits that depend on the file alone.

use std::cell::RefCell;
use std::ops::{ControlFlow, Range};

use tree_sitter::{ParseOptions, ParseState, Parser, Point, Tree};

use super::Language;

thread_local! {
    /// Parsers are costly to make and hold nothing between files.
    static PARSER: RefCell<Parser> = RefCell::new(Parser::new());
}

/// How deep nodes are looked at. What people write is far from it, and the work at a node grows with its depth.
pub(crate) const DEEPEST: usize = 2000;

pub(crate) fn nests_too_deep() -> String {
    format!("it nests more than {DEEPEST} deep")
}

/// Files up to this many bytes are parsed without a budget.
const SMALL: usize = 16 << 10;

/// Most bytes of comments that a grammar may look past: some five seconds.
const MOST_LOOKED_PAST: u64 = 1 << 30;

/// How many bytes of comments a grammar looks past that looks, at each comment, for the code behind all that follow it in a row.
fn cost_of_comments(source: &[u8]) -> u64 {
    let (mut cost, mut lines, mut bytes, mut from) = (0u64, 0u64, 0u64, 0);
    for end in memchr::memchr_iter(b'\n', source).chain([source.len()]) {
        let line = source[from..end].trim_ascii_start();
        if line.first().is_none_or(|first| *first == b'#') {
            lines += u64::from(!line.is_empty());
            bytes += (end - from) as u64;
        } else {
            // Each looks past half of them on average.
            cost = cost.saturating_add(lines.saturating_mul(bytes) / 2);
            (lines, bytes) = (0, 0);
        }
        from = end + 1;
    }
    cost.saturating_add(lines.saturating_mul(bytes) / 2)
}

/// Lends the thread's parser, set to a language.
pub(crate) fn with_parser<T>(
    language: &'static Language,
    work: impl FnOnce(&mut Parser) -> Result<T, String>,
) -> Result<T, String> {
    PARSER.with_borrow_mut(|parser| {
        parser
            .set_language(&language.tables().grammar)
            .map_err(|e| format!("the grammar of {} can't be loaded: {e}", language.name))?;
        work(parser)
    })
}

/// Parses a text again, from a tree in which what changed since is marked. What didn't change isn't parsed again.
pub(crate) fn parse_again(text: &[u8], before: &Tree, language: &'static Language) -> Result<Tree, String> {
    with_parser(language, |parser| parse_within(parser, text, text.len(), Some(before), language))
}

/// Parses a range of a text only. Byte offsets are those of the text; rows are counted from the range.
pub(crate) fn parse_part(text: &[u8], range: Range<usize>, language: &'static Language) -> Result<Tree, String> {
    let part = tree_sitter::Range {
        start_byte: range.start,
        end_byte: range.end,
        start_point: Point::new(0, 0),
        // Places in lines aren't asked for, so the range ends after all of them.
        end_point: Point::new(u32::MAX as usize, u32::MAX as usize),
    };
    with_parser(language, |parser| {
        parser.set_included_ranges(&[part]).map_err(|error| error.to_string())?;
        let tree = parse_within(parser, text, range.len(), None, language);
        // The parser is the next file's, too.
        parser.set_included_ranges(&[]).map_err(|error| error.to_string())?;
        tree
    })
}

/// Parses with a budget of steps, so that a hostile file ends in the same place on every machine.
pub(crate) fn parse(source: &[u8], language: &'static Language) -> Result<Tree, String> {
    if source.len() > SMALL && language.depth.is_some_and(|depth| depth(source) > DEEPEST) {
        return Err(nests_too_deep());
    }
    if source.len() > SMALL && language.looks_past_comments && cost_of_comments(source) > MOST_LOOKED_PAST {
        return Err("it has more comments in a row than can be read in time".to_owned());
    }
    // What was parsed before for other reasons doesn't matter.
    swage_grammars::forgot();
    let tree = with_parser(language, |parser| parse_within(parser, source, source.len(), None, language))?;
    if swage_grammars::forgot() {
        return Err(format!("it has more open at one place than the grammar of {} can remember", language.name));
    }
    match (language.misread)(source, &tree) {
        Some(what) => Err(format!("{what}, which the grammar of {} misreads", language.name)),
        None => Ok(tree),
    }
}

/// Parses a text, of which `length` bytes count.
fn parse_within(
    parser: &mut Parser,
    source: &[u8],
    length: usize,
    before: Option<&Tree>,
    language: &Language,
) -> Result<Tree, String> {
    let mut steps = 0u64;
    let budget = 20_000 + length as u64;
    let mut progress = |_: &ParseState| {
        steps += 1;
        if steps > budget { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    };
    let mut read = |at: usize, _| source.get(at..).unwrap_or_default();
    // Watching the steps costs a tenth of the time; a file this small can't take long.
    let watched = length > SMALL;
    let options = watched.then(|| ParseOptions::new().progress_callback(&mut progress));
    let tree = parser.parse_with_options(&mut read, before, options);
    if tree.is_none() {
        parser.reset();
    }
    tree.ok_or_else(|| format!("parsing it as {} takes more than the allowed {budget} steps", language.name))
}

#[cfg(all(test, feature = "python"))]
mod tests {
    use super::*;

    /// Comments in a row, each after code or not, and whether they are looked past.
    #[test]
    fn comments_without_end_are_given_up() {
        let python = Language::by_name("python").expect("a known language");
        for (code, fits) in [
            ("a = 1\n".to_owned() + &"# low\n".repeat(10_000), true),
            ("a = 1\n".to_owned() + &"# low\n\n".repeat(40_000), false),
            ("a = 1\n# low\n".repeat(40_000), true),
        ] {
            assert_eq!(cost_of_comments(code.as_bytes()) <= MOST_LOOKED_PAST, fits, "{} bytes", code.len());
            assert!(fits || parse(code.as_bytes(), python).is_err());
        }
    }
}
