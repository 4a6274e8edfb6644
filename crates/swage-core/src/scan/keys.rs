//! Paths of keys in data: the pairs of YAML, JSON and TOML, the attributes of HTML's tags, the columns of SQL's tables.
//!
//! A language's table says which nodes have a key and are therefore a step of the path of what is inside of them. One
//! walk gives all paths of a file; lists are passed through.

use std::ops::Range;

use tree_sitter::{Node, Tree};

use crate::lang::{Keyed, Language};
use crate::pattern::Children;
use crate::pattern::contents;
use crate::rule::{KeyMatch, Step};

/// A place with its path, as byte ranges of the source.
struct Place<'p> {
    path: &'p [Range<usize>],
    value: Option<Range<usize>>,
}

/// What a key match takes at a place.
pub(super) struct Taken {
    /// The place: the value when the match names it, else the key.
    pub range: Range<usize>,
    /// What each hole takes.
    pub holes: Vec<Option<Range<usize>>>,
}

/// All that key matches find in a file, with the index of the match for each.
pub(super) fn find(source: &[u8], language: &Language, tree: &Tree, matches: &[&KeyMatch]) -> Vec<(usize, Taken)> {
    let mut found = Vec::new();
    walk(source, language, tree, &mut |place| {
        for (index, key) in matches.iter().enumerate() {
            let mut holes = vec![None; key.holes.len()];
            if let Some(range) = at(source, key, place, &mut holes) {
                found.push((index, Taken { range, holes }));
            }
        }
    });
    found
}

fn at(source: &[u8], key: &KeyMatch, place: &Place<'_>, holes: &mut [Option<Range<usize>>]) -> Option<Range<usize>> {
    if !steps(source, key, &key.steps, place.path, holes) {
        return None;
    }
    match key.value {
        None => place.path.last().cloned(),
        Some(hole) => {
            let value = place.value.clone()?;
            take(source, key, hole, &value, holes).then_some(value)
        }
    }
}

fn steps(
    source: &[u8],
    key: &KeyMatch,
    wanted: &[Step],
    path: &[Range<usize>],
    holes: &mut [Option<Range<usize>>],
) -> bool {
    match (wanted.split_first(), path.split_first()) {
        (None, None) => true,
        (Some((Step::Any, rest)), _) => {
            // There is one such step at most, so the rest must match the end of the path.
            path.len().checked_sub(rest.len()).is_some_and(|skip| steps(source, key, rest, &path[skip..], holes))
        }
        (Some((Step::Key(text), rest)), Some((at, deeper))) => {
            &source[at.clone()] == text.as_bytes() && steps(source, key, rest, deeper, holes)
        }
        (Some((Step::Hole(hole), rest)), Some((at, deeper))) => {
            take(source, key, *hole, at, holes) && steps(source, key, rest, deeper, holes)
        }
        (None, Some(_)) | (Some(_), None) => false,
    }
}

fn take(source: &[u8], key: &KeyMatch, hole: usize, range: &Range<usize>, holes: &mut [Option<Range<usize>>]) -> bool {
    let text = &source[range.clone()];
    let fits = key.holes[hole].text.as_ref().is_none_or(|regex| regex.is_match(text))
        && holes[hole].as_ref().is_none_or(|before| &source[before.clone()] == text);
    if fits {
        holes[hole] = Some(range.clone());
    }
    fits
}

/// Goes through all nodes that have a key, outer before inner.
fn walk(source: &[u8], language: &Language, tree: &Tree, visit: &mut impl FnMut(&Place<'_>)) {
    let mut path: Vec<Range<usize>> = Vec::new();
    // Nodes that are yet to be looked at, each with the length of the path around it.
    let mut open = vec![(tree.root_node(), 0)];
    while let Some((node, around)) = open.pop() {
        path.truncate(around);
        let keyed = language.keyed.iter().find(|k| k.node == node.kind());
        let key = keyed.and_then(|keyed| key_of(node, keyed));
        if let Some(key) = key {
            leaves(source, key, &mut path);
            let value = node.child_by_field_name("value").or_else(|| {
                let last = node.named_child(node.named_child_count().checked_sub(1)? as u32)?;
                (last != key).then_some(last)
            });
            match value.map(heart) {
                Some(list) if is_list(list) && list.named_child_count() > 0 => {
                    for element in Children::named(list).map(heart) {
                        if !is_list(element) {
                            visit(&Place { path: &path, value: Some(plain(source, element)) });
                        }
                    }
                }
                value => visit(&Place { path: &path, value: value.map(|v| plain(source, v)) }),
            }
        }
        let inner = path.len();
        let from = open.len();
        open.extend(Children::named(node).filter(|child| Some(*child) != key).map(|child| (child, inner)));
        open[from..].reverse();
    }
}

fn key_of<'t>(node: Node<'t>, keyed: &Keyed) -> Option<Node<'t>> {
    let by_kind = || Children::named(node).find(|child| child.kind() == keyed.key);
    node.child_by_field_name(keyed.key)
        .or_else(by_kind)
        .or_else(|| node.named_child(0).filter(|_| keyed.key.is_empty()))
}

/// The parts of a key: several where it is written with dots.
fn leaves(source: &[u8], key: Node<'_>, path: &mut Vec<Range<usize>>) {
    let mut open = vec![key];
    while let Some(node) = open.pop() {
        if node.kind() == "dotted_key" {
            let from = open.len();
            open.extend(Children::named(node));
            open[from..].reverse();
        } else {
            path.push(plain(source, node));
        }
    }
}

fn is_list(node: Node<'_>) -> bool {
    matches!(node.kind(), "array" | "flow_sequence" | "block_sequence")
}

/// The node inside of nodes that merely wrap it.
fn heart(mut node: Node<'_>) -> Node<'_> {
    while matches!(node.kind(), "block_node" | "flow_node" | "block_sequence_item" | "plain_scalar")
        && let Some(inner) = node.named_child(node.named_child_count().saturating_sub(1) as u32)
    {
        node = inner;
    }
    node
}

/// A scalar's range without its quotes.
fn plain(source: &[u8], node: Node<'_>) -> Range<usize> {
    let range = node.byte_range();
    let text = &source[range.clone()];
    let quoted = matches!(text.first(), Some(b'"' | b'\''));
    match contents(text).filter(|inside| quoted && inside.start <= 3) {
        Some(inside) => range.start + inside.start..range.start + inside.end,
        None => range,
    }
}
