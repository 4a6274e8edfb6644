//! Parsing within limits that depend on the file alone.

use std::cell::{Cell, RefCell};
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

/// How many bytes a parser is given at a time, which is how finely it is seen what it looks at.
const CHUNK: usize = 4 << 10;

/// Most bytes that a parser may look at, over and over, on top of 64 times the length: some three seconds. Some grammars look, at
/// each comment or broken line, past all that follow. In published code it is up to 41 times the length.
const MOST_LOOKED_AT: u64 = 1 << 29;

/// Most pieces of memory that a parser may ask for on top of 20 a byte: some two seconds. One that recovers from an error may try all
/// that is open, and do so at each line. In published code it is up to one a byte.
const MOST_ALLOCATIONS: u64 = 10_000_000;

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
    // Watching costs a tenth of the time; a file this small can't take long.
    let watched = length > SMALL;
    let (length, before_this) = (length as u64, swage_grammars::allocations());
    let most_allocations = MOST_ALLOCATIONS + 20 * length;
    let asks_too_often = || swage_grammars::allocations() - before_this > most_allocations;
    // Given in chunks, what is looked at again has to be asked for again.
    let (looked_at, most_bytes) = (Cell::new(0u64), MOST_LOOKED_AT + 64 * length);
    let looks_too_long = || looked_at.get() > most_bytes;
    let mut progress = |_: &ParseState| match asks_too_often() || looks_too_long() {
        true => ControlFlow::Break(()),
        false => ControlFlow::Continue(()),
    };
    let mut read = |at: usize, _| {
        let rest = source.get(at..).unwrap_or_default();
        let chunk = if watched { rest.get(..CHUNK).unwrap_or(rest) } else { rest };
        looked_at.set(looked_at.get() + chunk.len() as u64);
        // A file that seems to end lets the parser come to where it can be stopped.
        if watched && looks_too_long() { &[] } else { chunk }
    };
    let options = watched.then(|| ParseOptions::new().progress_callback(&mut progress));
    let tree = parser.parse_with_options(&mut read, before, options).filter(|_| !watched || !looks_too_long());
    if tree.is_none() {
        parser.reset();
    }
    tree.ok_or_else(|| match looks_too_long() {
        true => format!("parsing it as {} looks at more than the allowed {most_bytes} bytes", language.name),
        false => format!("parsing it as {} takes more than the allowed {most_allocations} allocations", language.name),
    })
}

#[cfg(all(test, feature = "python"))]
mod tests {
    use super::*;

    /// Comments and broken lines in a row, which a grammar looks past at each of them, and what is open at each error: whether
    /// they are few enough.
    #[test]
    fn files_that_take_work_without_end_are_given_up() {
        for (language, code, fault) in [
            ("python", "a = 1\n".to_owned() + &"# low\n".repeat(5_000), ""),
            ("python", "a = 1\n".to_owned() + &"# low\n\n".repeat(40_000), "bytes"),
            ("python", "a = 1\n# low\n".repeat(40_000), ""),
            ("python", "a = 1".to_owned() + &"\\\n".repeat(5_000), ""),
            ("python", "a = 1".to_owned() + &"\\\n".repeat(60_000), "bytes"),
            #[cfg(feature = "c")]
            ("c", "/*\n".repeat(40_000), "bytes"),
            #[cfg(feature = "javascript")]
            ("javascript", "case a:\n".repeat(2_500), ""),
            #[cfg(feature = "javascript")]
            ("javascript", "case a:\n".repeat(40_000), "allocations"),
        ] {
            let language = Language::by_name(language).expect("a known language");
            let why = parse(code.as_bytes(), language).err().unwrap_or_default();
            assert!(why.ends_with(fault) && why.is_empty() == fault.is_empty(), "{} bytes: {why}", code.len());
        }
    }
}
