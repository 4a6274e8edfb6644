//! Code that a grammar leaves as it stands: the arguments and the bodies of macros.
//!
//! A macro takes tokens, so a grammar can't know what they mean, and patterns see nothing in them. Nearly always they are
//! code all the same: `assert!(berth.free())`. So they are parsed once more, as what they most likely are, and patterns are
//! tried in them. The arguments of a macro are parsed in place, as those of a call: filters look at what is around a match,
//! such as the test that it stands in. The body of a definition has nothing around it and is parsed by itself. What doesn't
//! parse as code has fewer nodes, and no other harm comes of it: only matches inside of the macro are taken.

use std::ops::Range;

use tree_sitter::{Node, Tree};

use crate::lang::{Language, Tokens, parse, parse_part};
use crate::pattern::{Children, preorder};

/// How many macros in macros are looked into.
const DEEPEST: usize = 3;

/// A tree with the tokens of macros in it parsed.
pub(super) struct Parsed {
    /// Its byte offsets are those of the file.
    pub tree: Tree,
    /// Where those tokens are, in order. What is elsewhere in the tree is known already, or made up.
    pub ranges: Vec<Range<usize>>,
}

/// Trees for the tokens of macros in a file, where something is looked for in their range.
pub(super) fn parsed(
    source: &[u8],
    language: &'static Language,
    tree: &Tree,
    wanted: &dyn Fn(&Range<usize>) -> bool,
) -> Vec<Parsed> {
    let mut found = bodies(source, language, tree, wanted);
    let mut text = source.to_vec();
    let mut outer: Option<Parsed> = None;
    for _ in 0..DEEPEST {
        let inner = {
            let (tree, within) = outer.as_ref().map_or((tree, None), |outer| (&outer.tree, Some(&outer.ranges)));
            let places =
                arguments(language, tree, |range| wanted(range) && within.is_none_or(|ranges| is_in(range, ranges)));
            places.iter().for_each(|place| place.rewrite(&mut text));
            let ranges: Vec<Range<usize>> = places.into_iter().map(|place| place.tokens).collect();
            // What takes too many steps to parse this way isn't code.
            (!ranges.is_empty()).then(|| parse(&text, language).ok()).flatten().map(|tree| Parsed { tree, ranges })
        };
        found.extend(outer.take());
        outer = inner;
        if outer.is_none() {
            break;
        }
    }
    found.extend(outer);
    found
}

/// Whether a range is in one of several, which are in order and apart from each other.
pub(super) fn is_in(range: &Range<usize>, ranges: &[Range<usize>]) -> bool {
    let before = ranges.partition_point(|around| around.start <= range.start);
    before.checked_sub(1).is_some_and(|around| range.end <= ranges[around].end)
}

/// Where a macro gets its arguments.
struct Place {
    /// Its name, with the sign that makes it one.
    name: Range<usize>,
    /// Its arguments, with what is around them.
    tokens: Range<usize>,
}

impl Place {
    /// Writes the macro as a call, or as a list where it has brackets.
    fn rewrite(&self, text: &mut [u8]) {
        let Range { start, end } = self.tokens;
        if text[start] == b'[' {
            text[self.name.clone()].fill(b' ');
        } else {
            let sign = text[self.name.clone()].iter().rposition(|b| *b == b'!');
            sign.into_iter().for_each(|at| text[self.name.start + at] = b' ');
            (text[start], text[end - 1]) = (b'(', b')');
        }
    }
}

/// The uses of macros in a tree, in order.
fn arguments(language: &Language, tree: &Tree, wanted: impl Fn(&Range<usize>) -> bool) -> Vec<Place> {
    let mut places = Vec::new();
    preorder(tree.root_node(), |node| {
        let tokens = tokens_of(node, language, Tokens::Arguments);
        if let Some(tokens) = tokens.map(|tokens| tokens.byte_range()).filter(|range| range.len() > 1 && wanted(range))
        {
            places.push(Place { name: node.start_byte()..tokens.start, tokens });
        }
        true
    });
    places
}

/// The bodies of definitions of macros, each parsed as a block by itself.
fn bodies(
    source: &[u8],
    language: &'static Language,
    tree: &Tree,
    wanted: &dyn Fn(&Range<usize>) -> bool,
) -> Vec<Parsed> {
    let mut places = Vec::new();
    preorder(tree.root_node(), |node| {
        places.extend(tokens_of(node, language, Tokens::Body).filter(|tokens| wanted(&tokens.byte_range())));
        true
    });
    if places.is_empty() {
        return Vec::new();
    }
    let mut text = source.to_vec();
    // For the end of a block after the last line.
    text.push(b' ');
    let parse_body = |body: Node<'_>| {
        let inside = body.byte_range();
        // Brackets of its own become those of a block; else they take the places of what parts it from what is around it.
        let has_brackets = matches!(source.get(inside.start), Some(b'{' | b'(' | b'[')) && body.child_count() > 0;
        let range = if has_brackets { inside.clone() } else { inside.start.checked_sub(1)?..inside.end + 1 };
        for at in inside.clone() {
            match text[at] {
                // What stands for a part of what the macro is given.
                b'$' => text[at] = b'_',
                b'\\' if matches!(text[at + 1], b'\n' | b'\r') => text[at] = b' ',
                _ => {}
            }
        }
        (text[range.start], text[range.end - 1]) = (b'{', if has_brackets { b'}' } else { b';' });
        if let Some(comment) = line_comment(&source[inside.clone()]).filter(|_| !has_brackets) {
            text[inside.start + comment..inside.end].fill(b' ');
        }
        let tree = parse_part(&text, range, language).ok()?;
        Some(Parsed { tree, ranges: vec![inside] })
    };
    places.into_iter().filter_map(parse_body).collect()
}

/// Where a comment begins that goes on to the end of the line, outside of strings.
fn line_comment(body: &[u8]) -> Option<usize> {
    let mut in_string = false;
    memchr::memchr2_iter(b'"', b'/', body).find(|at| {
        in_string ^= body[*at] == b'"';
        !in_string && body[*at..].starts_with(b"//")
    })
}

/// The tokens of a macro, where the node is one of that kind.
fn tokens_of<'t>(node: Node<'t>, language: &Language, tokens: Tokens) -> Option<Node<'t>> {
    let (.., child) = language.macros.iter().find(|(kind, of, _)| *of == tokens && *kind == node.kind())?;
    Children::named(node).find(|inner| inner.kind() == *child)
}
