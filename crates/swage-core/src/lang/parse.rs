//! Parsing within limits that depend on the file alone.

use std::cell::RefCell;
use std::ops::ControlFlow;

use tree_sitter::{ParseOptions, ParseState, Parser, Tree};

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

/// Parses with a budget of steps, so that a hostile file ends in the same place on every machine.
pub(crate) fn parse(source: &[u8], language: &'static Language) -> Result<Tree, String> {
    if source.len() > SMALL && language.depth.is_some_and(|depth| depth(source) > DEEPEST) {
        return Err(nests_too_deep());
    }
    with_parser(language, |parser| {
        let mut steps = 0u64;
        let budget = 20_000 + source.len() as u64;
        let mut progress = |_: &ParseState| {
            steps += 1;
            if steps > budget { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
        };
        let mut read = |at: usize, _| source.get(at..).unwrap_or_default();
        // Watching the steps costs a tenth of the time; a file this small can't take long.
        let watched = source.len() > SMALL;
        let options = watched.then(|| ParseOptions::new().progress_callback(&mut progress));
        let tree = parser.parse_with_options(&mut read, None, options);
        if tree.is_none() {
            parser.reset();
        }
        tree.ok_or_else(|| format!("parsing it as {} takes more than the allowed {budget} steps", language.name))
    })
}
