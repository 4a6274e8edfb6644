//! Readings that parse and can hardly be what is meant.

use super::{Hole, PatternNode};
use crate::lang::{Class, Language};

/// Why a reading can hardly be meant, the least doubt first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Doubt {
    /// There is no reason to.
    None,
    /// A run alone in braces or parentheses is read as the values of a list, which are but one thing that may be there:
    /// a run of names is a set or the constants of an enumeration, and one of statements, pairs or members is something else.
    List,
    /// The word of the language with which it begins is read as a name that somebody gave.
    Keyword,
}

/// The greatest doubt about a reading.
pub(super) fn doubt(reading: &[PatternNode], holes: &[Hole], language: &'static Language) -> Doubt {
    let tables = language.tables();
    let begins = reading.first().is_some_and(|first| {
        // Functions may be named like words that are so in a few places only.
        let plain_call = first.kind().is_some_and(|kind| tables.is(kind, Class::Call)) && !has_braces(first, language);
        !holes.is_empty() && !plain_call && begins_with_keyword(first, language)
    });
    if begins {
        return Doubt::Keyword;
    }
    reading.iter().map(|node| of_lists(node, language)).max().unwrap_or(Doubt::None)
}

/// Whether the first leaf is a word of the language and its node is that of a name.
fn begins_with_keyword(node: &PatternNode, language: &'static Language) -> bool {
    let tables = language.tables();
    match node {
        PatternNode::Leaf(kind, Some(text)) => {
            let named = tables.grammar.node_kind_for_id(*kind).is_some_and(|name| name.ends_with("identifier"));
            (named || tables.is(*kind, Class::Name))
                && std::str::from_utf8(text).is_ok_and(|text| language.is_keyword(text))
        }
        PatternNode::Inner { children, .. } => {
            children.first().is_some_and(|first| begins_with_keyword(first, language))
        }
        PatternNode::Leaf(_, None)
        | PatternNode::Hole(_)
        | PatternNode::Many(_)
        | PatternNode::Quoted(..)
        | PatternNode::Word(..) => false,
    }
}

/// Whether there are braces in a node.
pub(super) fn has_braces(node: &PatternNode, language: &'static Language) -> bool {
    let is_brace = |kind: u16| language.tables().grammar.node_kind_for_id(kind) == Some("{");
    match node {
        PatternNode::Inner { children, .. } => children.iter().any(|child| has_braces(child, language)),
        _ => node.kind().is_some_and(is_brace),
    }
}

fn of_lists(node: &PatternNode, language: &'static Language) -> Doubt {
    let PatternNode::Inner { kind, children, .. } = node else { return Doubt::None };
    let tables = language.tables();
    let name = tables.grammar.node_kind_for_id(*kind).unwrap_or_default();
    let alone = matches!(&children[..], [PatternNode::Leaf(..), PatternNode::Many(_), PatternNode::Leaf(..)]);
    let of_values = matches!(name, "set" | "table")
        || ["initializer", "enum", "parenthesized"].iter().any(|kind| name.contains(kind));
    // A block where the handlers of a `catch` are.
    let is_block = |child: &PatternNode| match child {
        PatternNode::Inner { kind, children, .. } => {
            tables.is(*kind, Class::Block) && matches!(&children[..], [_, PatternNode::Many(_), _])
        }
        _ => false,
    };
    let of_handlers = name == "catch_clause" && matches!(&children[..], [_, block] if is_block(block));
    // A constant with a body looks like a constructor.
    let of_constant = name == "enum_constant" && children.len() > 2;
    if alone && of_values || of_handlers || of_constant {
        return Doubt::List;
    }
    children.iter().map(|child| of_lists(child, language)).max().unwrap_or(Doubt::None)
}
