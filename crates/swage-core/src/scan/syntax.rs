//! Where a file doesn't parse. Patterns see nothing there, so a change that breaks a file could hide in it.

use serde::{Deserialize, Serialize};
use tree_sitter::{Node, Tree};

use super::translate::translated;
use super::words::Words;
use super::{Lines, Span, decoded, text};
use crate::lang::{Class, Language, parse};
use crate::pattern::Children;
use crate::rule::{Entry, RuleSet};

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
        // Depth first, in the order of the file, and only where an error is below.
        let mut open: Vec<Node<'_>> = vec![tree.root_node()];
        while let Some(node) = open.pop() {
            if node.is_error() || node.is_missing() {
                // What is inside of an error isn't counted again: the parser tried all sorts of things there.
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
    let source = translated(&content, Some(language));
    Ok(Syntax::of(&parse(&source, language)?, &content))
}

/// Whether lines that a change adds (1-based), in functions or else definitions that don't parse whole, hold the words of a rule
/// that is tagged `security`. The parser may have taken the code around an error for something else, so it isn't the error alone
/// that is looked at.
pub(crate) fn hides_security(
    content: &[u8],
    language: &'static Language,
    rules: &RuleSet,
    is_added: &dyn Fn(u32) -> bool,
) -> bool {
    let content = decoded(content);
    let source = translated(&content, Some(language));
    // What can't be parsed at all could hide anything.
    let Ok(tree) = parse(&source, language) else { return true };
    let set = rules.for_language(Some(language));
    let mut words = Words::find(&source, set);
    let is_comment = |offset: usize| {
        let node = tree.root_node().descendant_for_byte_range(offset, offset);
        node.is_some_and(|node| language.tables().is(node.kind_id(), Class::Comment))
    };
    // Words in comments hide nothing.
    words.leave_out(is_comment);
    let is_grave = |rule: usize| rules.rules()[rule].is_about_security();
    // Keywords are everywhere, so they decide nothing.
    let is_keyword = |word: &u32| {
        let text = &set.words[*word as usize].text;
        std::str::from_utf8(text).is_ok_and(|text| language.is_keyword(text))
    };
    // An entry without words of its own would be suspected everywhere.
    let is_specific = |e: &&Entry| !e.needs.is_empty() && !e.needs.0.iter().flatten().any(is_keyword);
    // Few rules are about security, so each run of lines is held against all of them.
    let grave: Vec<_> = set.entries.iter().filter(|e| is_grave(e.rule)).filter(is_specific).collect();
    let lines = Lines::new(&source);
    let hides = |node: Node<'_>| {
        let rows = node.start_position().row..=node.end_position().row;
        let added: Vec<usize> = rows.filter(|row| is_added(*row as u32 + 1)).collect();
        // Added lines that follow each other: a word in one run and another far away in the next don't make a match.
        let mut runs = added.chunk_by(|a, b| a + 1 == *b).filter_map(|run| {
            let (first, last) = (lines.range(*run.first()?)?, lines.range(*run.last()?)?);
            Some(first.start..last.end)
        });
        runs.any(|run| grave.iter().any(|entry| words.allow(&entry.needs, &run)))
    };
    let is_function = |node: Node<'_>| language.tables().is(node.kind_id(), Class::Function);
    // The whole function around an error, since the parser may have taken the code beside it for something else.
    let mut open = vec![tree.root_node()];
    while let Some(node) = open.pop() {
        if is_function(node) || node.is_error() || node.is_missing() {
            if hides(node) {
                return true;
            }
        } else {
            open.extend(Children::all(node).filter(Node::has_error));
        }
    }
    false
}
