//! What the words of a file are, by the node classes of its language. That needs no query a language, and is the same for all.

use std::ops::Range;

use crate::lang::{Class, Language, Role, parse};
use crate::pattern::preorder;

/// What a word is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Word {
    /// A comment.
    Comment,
    /// A string.
    Text,
    /// A number.
    Number,
    /// A word of the language.
    Keyword,
    /// The name of something that is defined here.
    Definition,
}

/// A word with its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Painted {
    /// Where it is.
    pub range: Range<usize>,
    /// What it is.
    pub word: Word,
}

/// The words of a file in order; none when it can't be parsed.
pub(super) fn paint(source: &[u8], language: &'static Language) -> Vec<Painted> {
    let Ok(tree) = parse(source, language) else { return Vec::new() };
    let tables = language.tables();
    let mut found = Vec::new();
    preorder(tree.root_node(), |node| {
        let is = |class: Class| tables.is(node.kind_id(), class);
        let word = if is(Class::Comment) {
            Some(Word::Comment)
        } else if is(Class::String) && !source[node.byte_range()].contains(&b'{') {
            // One that embeds code is shown as its parts.
            Some(Word::Text)
        } else if is(Class::Number) {
            Some(Word::Number)
        } else if node.child_count() > 0 {
            None
        } else if is(Class::Name) {
            (language.role(node) == Some(Role::Defines)).then_some(Word::Definition)
        } else {
            let text = std::str::from_utf8(&source[node.byte_range()]).unwrap_or_default();
            let is_word = !node.is_named() && text.starts_with(|c: char| c.is_alphabetic());
            is_word.then_some(Word::Keyword)
        };
        let range = node.byte_range();
        if let Some(word) = word
            && found.last().is_none_or(|last: &Painted| last.range.end <= range.start)
        {
            found.push(Painted { range, word });
        }
        word.is_none()
    });
    found
}
