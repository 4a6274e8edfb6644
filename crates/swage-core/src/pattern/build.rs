//! From the nodes of a parsed pattern to a reading.

use std::ops::Range;

use tree_sitter::Node;

use super::{Hole, PatternNode, Stands, contents, is_irrelevant, own_text, relevant_children};
use crate::lang::{Class, Language};

/// Builds readings from one parsed text.
pub(super) struct Builder<'a> {
    pub source: &'a [u8],
    pub holes: &'a [Hole],
    /// For each hole, the stand-in that was written for it.
    pub spelled: &'a [Option<String>],
    pub language: &'static Language,
}

impl Builder<'_> {
    pub fn build(&self, node: Node<'_>) -> PatternNode {
        if let Some(index) = self.hole(node) {
            return if self.holes[index].many { PatternNode::Many(index) } else { PatternNode::Hole(index) };
        }
        let children = relevant_children(node, self.language);
        let text = &self.source[node.byte_range()];
        if self.language.tables().is(node.kind_id(), Class::String)
            && let Some(inside) = contents(text)
            && let Some(index) = self.holes.iter().position(|h| h.name.as_bytes() == &text[inside.clone()])
        {
            return PatternNode::Quoted(node.kind_id(), index);
        }
        if children.is_empty()
            && self.language.words_have_parts
            && self.language.tables().is(node.kind_id(), Class::Name)
            && let Some((part, index)) = self.hole_within(text)
        {
            let (before, after) = (text[..part.start].into(), text[part.end..].into());
            return PatternNode::Word(node.kind_id(), before, index, after);
        }
        if children.is_empty() || self.is_string(node, &children) {
            let any_case = self.language.keywords_in_any_case;
            let fixed = any_case && node.kind().starts_with("keyword_");
            let text = (node.is_named() && !fixed).then(|| text.into());
            // Keywords and operators rule out early a file that can't match.
            let operator = || node.kind().len() > 1 && node.kind().bytes().all(|b| b.is_ascii_punctuation());
            let keyword = || !any_case && node.kind().bytes().all(|b| b.is_ascii_alphabetic()) || operator();
            let text = text.or_else(|| keyword().then(|| node.kind().as_bytes().into()));
            return PatternNode::Leaf(node.kind_id(), text);
        }
        PatternNode::Inner {
            kind: node.kind_id(),
            children: children.into_iter().map(|c| self.build(c)).collect(),
            own: own_text(self.source, node).into(),
        }
    }

    /// The hole whose name is a part of a word, and where it is; `None` for none or several.
    fn hole_within(&self, word: &[u8]) -> Option<(Range<usize>, usize)> {
        let word = std::str::from_utf8(word).ok()?;
        let parts = word.split(|c: char| !c.is_alphanumeric() && c != '_');
        let mut found = parts.filter_map(|part| {
            let hole = |(hole, spelled): (&Hole, &Option<String>)| spelled.is_none() && !hole.many && hole.name == part;
            let index = self.holes.iter().zip(self.spelled).position(hole)?;
            let start = part.as_ptr().addr() - word.as_ptr().addr();
            Some((start..start + part.len(), index))
        });
        found.next().filter(|_| found.next().is_none())
    }

    /// A string without holes is compared as a whole.
    fn is_string(&self, node: Node<'_>, children: &[Node<'_>]) -> bool {
        self.language.tables().is(node.kind_id(), Class::String)
            && children.iter().all(|c| relevant_children(*c, self.language).is_empty())
    }

    /// The hole that a node stands for: a stand-in, a leaf with a hole's name, or a statement, parameter and the like
    /// around it.
    fn hole(&self, node: Node<'_>) -> Option<usize> {
        let text = &self.source[node.byte_range()];
        let stands_in = |s: &Option<String>| s.as_ref().is_some_and(|s| bare(s.as_bytes()) == bare(text));
        if let Some(index) = self.spelled.iter().position(stands_in) {
            return Some(index);
        }
        let children = relevant_children(node, self.language);
        match children.as_slice() {
            [] if node.is_named() => {
                let plain =
                    |(hole, spelled): (&Hole, &Option<String>)| spelled.is_none() && hole.name.as_bytes() == text;
                self.holes.iter().zip(self.spelled).position(plain)
            }
            [only]
                if only.is_named()
                    && !self.language.tables().is(node.kind_id(), Class::Block)
                    && !is_list(node)
                    && !self.language.tables().has_silent_signs(node.kind_id())
                    && own_text(self.source, node).is_empty() =>
            {
                self.hole(*only)
            }
            _ => None,
        }
    }
}

/// A text without white space around it and the sign that closes it.
fn bare(text: &[u8]) -> &[u8] {
    let text = text.trim_ascii();
    text.strip_suffix(b";").or(text.strip_suffix(b",")).unwrap_or(text)
}

/// Whether nodes of a kind are statements. Ruby's `body_statement` is all that a method holds.
pub(super) fn is_statement(kind: &str) -> bool {
    kind.ends_with("statement") && kind != "body_statement"
}

/// Lists of statements keep their own node, so that a hole in them takes a statement, not the list.
fn is_list(node: Node<'_>) -> bool {
    node.parent().is_none() || node.kind() == "statement_list"
}

/// The nodes that cover exactly the range: the deepest one (as a statement: the outermost that is one), or several siblings.
pub(super) fn covering<'t>(
    root: Node<'t>,
    text: &str,
    range: Range<usize>,
    stands: Stands,
    language: &'static Language,
) -> Option<Vec<Node<'t>>> {
    // Some grammars count the line's end as part of a node.
    let exact = |n: Node<'_>| {
        n.start_byte() == range.start
            && n.end_byte() >= range.end
            && text.as_bytes()[range.end..n.end_byte()].trim_ascii().is_empty()
    };
    let mut node = root;
    loop {
        if stands == Stands::AsStatement && exact(node) && is_statement(node.kind()) {
            return Some(vec![node]);
        }
        let mut cursor = node.walk();
        let children: Vec<_> = node.children(&mut cursor).collect();
        if let Some(inner) = children.iter().find(|c| {
            c.start_byte() <= range.start && c.end_byte() >= range.end && c.end_byte() > c.start_byte() && c.is_named()
        }) {
            node = *inner;
            continue;
        }
        let list =
            is_list(node) || language.tables().is(node.kind_id(), Class::Block) && children.iter().all(Node::is_named);
        if exact(node) && !list {
            return Some(vec![node]);
        }
        let within = children.into_iter().filter(|c| c.start_byte() >= range.start && c.end_byte() <= range.end);
        let within: Vec<_> = within.collect();
        // Comments may be before and after what matters.
        let (first, last) = (within.first()?, within.last()?);
        let inside: Vec<_> = within.iter().copied().filter(|c| !is_irrelevant(*c, node.kind_id(), language)).collect();
        // A closing semicolon of the pattern may belong to the parent.
        let ends = last.end_byte() == range.end || last.end_byte() + 1 == range.end;
        let covers = first.start_byte() == range.start && ends && !inside.is_empty();
        return (covers && inside.iter().all(|n| n.is_named())).then_some(inside);
    }
}
