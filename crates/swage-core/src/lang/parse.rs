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

/// Most bytes that a parser may look at, over and over: some three seconds. Some grammars look, at each comment or broken line,
/// past all that follow.
const MOST_LOOKED_AT: u64 = 1 << 29;

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
    let (mut steps, most_steps) = (0u64, 20_000 + length as u64);
    // Given in chunks, what is looked at again has to be asked for again.
    let (looked_at, most_bytes) = (Cell::new(0u64), MOST_LOOKED_AT + 64 * length as u64);
    let mut progress = |_: &ParseState| {
        steps += 1;
        if steps > most_steps || looked_at.get() > most_bytes {
            ControlFlow::Break(())
        } else {
            ControlFlow::Continue(())
        }
    };
    let mut read = |at: usize, _| {
        let rest = source.get(at..).unwrap_or_default();
        if !watched {
            return rest;
        }
        let chunk = rest.get(..CHUNK).unwrap_or(rest);
        looked_at.set(looked_at.get() + chunk.len() as u64);
        // A file that seems to end lets the parser come to where it can be stopped.
        if looked_at.get() > most_bytes { &[] } else { chunk }
    };
    let options = watched.then(|| ParseOptions::new().progress_callback(&mut progress));
    let tree = parser.parse_with_options(&mut read, before, options).filter(|_| looked_at.get() <= most_bytes);
    if tree.is_none() {
        parser.reset();
    }
    tree.ok_or_else(|| match looked_at.get() > most_bytes {
        true => format!("parsing it as {} looks at more than the allowed {most_bytes} bytes", language.name),
        false => format!("parsing it as {} takes more than the allowed {most_steps} steps", language.name),
    })
}

#[cfg(all(test, feature = "python"))]
mod tests {
    use super::*;

    /// Comments and broken lines in a row, which the grammar looks past at each of them, and whether they are few enough.
    #[test]
    fn files_that_are_looked_at_over_and_over_are_given_up() {
        let python = Language::by_name("python").expect("a known language");
        for (code, fits) in [
            ("a = 1\n".to_owned() + &"# low\n".repeat(5_000), true),
            ("a = 1\n".to_owned() + &"# low\n\n".repeat(40_000), false),
            ("a = 1\n# low\n".repeat(40_000), true),
            ("a = 1".to_owned() + &"\\\n".repeat(5_000), true),
            ("a = 1".to_owned() + &"\\\n".repeat(60_000), false),
        ] {
            let parsed = parse(code.as_bytes(), python).map(drop);
            assert!(
                if fits { parsed.is_ok() } else { parsed.is_err_and(|why| why.contains("looks at")) },
                "{} bytes",
                code.len()
            );
        }
    }
}
