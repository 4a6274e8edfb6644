//! Where a file doesn't parse. Patterns see nothing there, so a change that breaks a file could hide in it.

use serde::{Deserialize, Serialize};
use tree_sitter::{Node, Tree};

use super::{Lines, Span, decoded, text};
use crate::lang::Language;
use crate::lang::parse;
use crate::pattern::Children;

/// Most places that are remembered.
const MOST_PLACES: usize = 64;

/// What a file's own grammar says of it.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Syntax {
    /// How many places don't parse; 0 when the file parses whole.
    pub errors: u32,
    /// The first of them, in order.
    pub places: Vec<Span>,
}

impl Syntax {
    /// The outermost nodes that are errors, and those that had to be made up. `content` has the tree's byte offsets.
    pub(super) fn of(tree: &Tree, content: &[u8]) -> Self {
        let mut syntax = Self::default();
        if !tree.root_node().has_error() {
            return syntax;
        }
        let lines = Lines::new(content);
        let mut open: Vec<Node<'_>> = vec![tree.root_node()];
        while let Some(node) = open.pop() {
            if node.is_error() || node.is_missing() {
                syntax.errors += 1;
                if syntax.places.len() < MOST_PLACES {
                    syntax.places.push(lines.span(node.byte_range()));
                }
                continue;
            }
            let from = open.len();
            open.extend(Children::all(node).filter(Node::has_error));
            open[from..].reverse();
        }
        syntax
    }
}

/// Where a file of a language doesn't parse.
///
/// # Errors
/// When it can't be parsed at all, and why.
pub fn syntax_errors(content: &[u8], language: &'static Language) -> Result<Syntax, String> {
    let content = decoded(content);
    if let Some(why) = text::unreadable(&content, language) {
        return Err(why);
    }
    let source = text::with_plain_line_ends(&content, Some(language));
    Ok(Syntax::of(&parse(&source, language)?, &content))
}
