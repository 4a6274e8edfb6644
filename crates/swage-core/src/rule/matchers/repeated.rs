//! `repeated`: items that are side by side and have the same key: entries of one table, attributes of one tag, cases of
//! one choice.
//!
//! A tree query can ask whether two neighbours are alike. For any two of a thousand entries it would have to try half a
//! million pairs, so here each list is gone through once.

use std::collections::HashSet;
use std::ops::Range;
use std::sync::Arc;

use tree_sitter::Node;

use super::{
    Compiled, Languages, Match, Matcher, NodeFinder, OnMatch, ParsedFile, Plan, Reader, TooMany, limit_languages,
};
use crate::lang::{Items, Language, Listed};
use crate::pattern::{Children, PatternError, contents};
use crate::rule::keys::{Holds, Key, words};
use crate::rule::problem::Problems;
use crate::rule::table::Table;
use crate::rule::values::one_of;

pub(super) const READER: Reader = Reader {
    keys: &[Key::new("repeated", Holds::OneOf(|| words(&ITEMS)), "Items of one list that have the same key.")],
    read,
};

/// The words for items.
const ITEMS: [(&str, Items); 3] =
    [("keys", Items::Entries), ("attributes", Items::Attributes), ("cases", Items::Cases)];

/// Items with the key of one before them.
#[derive(Debug)]
struct RepeatedMatch(Items);

fn read(
    table: &mut Table<'_, '_>,
    languages: &mut Languages,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Arc<dyn Matcher>> {
    let word = table.required_string("repeated", name, p)?;
    let items = one_of(&word, "kind of items", ITEMS, p)?;
    let refusal = |language: &Language| format!("no {} are known in {}", word.value, language.name);
    limit_languages(languages, |language| language.lists(items).next().is_some(), refusal, table.at, p);
    Some(Arc::new(RepeatedMatch(items)))
}

impl Matcher for RepeatedMatch {
    fn captures(&self) -> Vec<&str> {
        Vec::new()
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        let Some(language) = language else { return Ok(None) };
        let grammar = &language.tables().grammar;
        // One table serves several grammars, of which some lack a kind: TypeScript has no tags.
        let kinds = language.lists(self.0).map(|listed| grammar.id_for_node_kind(listed.list, true));
        let kinds = kinds.filter(|kind| *kind != 0).collect();
        Ok(Some(Compiled { plan: Plan::nodes(kinds, true, self), words: Vec::new() }))
    }
}

impl NodeFinder for RepeatedMatch {
    fn at<'t>(&self, file: &ParsedFile<'t>, node: Node<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        // In a list that doesn't parse whole, or that a template makes, two entries may exclude each other.
        if node.has_error() {
            return Ok(());
        }
        let mut seen = HashSet::new();
        for listed in file.language.lists(self.0).filter(|listed| listed.list == node.kind()) {
            for item in Children::named(node).filter(|item| item.kind() == listed.item.node) {
                let Some(key) = key_of(item, listed) else { continue };
                let text = &file.source[key.byte_range()];
                // What a template puts there, mostly in one of two ways.
                if self.0 == Items::Attributes && text.iter().any(|b| b"{}%<>".contains(b)) {
                    return Ok(());
                }
                // What calls something may be another key each time; `<<` merges tables in YAML.
                let is_constant = !text.iter().any(|b| b"({$`<".contains(b));
                if is_constant && !seen.insert(constant(text)) {
                    found(key, Match::plain(key.byte_range()));
                }
            }
        }
        Ok(())
    }
}

/// The key of an item that has one.
fn key_of<'t>(item: Node<'t>, listed: &Listed) -> Option<Node<'t>> {
    // Where the first child is the key, a value follows it; a single child is that value, or a name without one.
    let has_key = !listed.item.key.is_empty() || listed.items == Items::Attributes || item.named_child_count() > 1;
    listed.item.key_of(item).filter(|_| has_key)
}

/// A key without its quotes, and what distinguishes it from others that read the same: `"1"` is a text and `1` a number, `b"a"`
/// are bytes.
fn constant(text: &[u8]) -> (Option<u8>, &[u8]) {
    // `"north-" + side` ends in something else than a quote.
    let is_literal = |inside: &Range<usize>| inside.start <= 4 && inside.end + inside.start.min(3) >= text.len();
    match contents(text).filter(is_literal) {
        Some(inside) => (Some(text[0]).map(|first| if first == b'\'' { b'"' } else { first }), &text[inside]),
        None => (None, text),
    }
}
