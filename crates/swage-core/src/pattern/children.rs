//! Going through the children of a node, and through all that is below it.

use tree_sitter::{Node, TreeCursor};

/// A child, with what is asked of it most often; asking the tree costs more.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Child<'t> {
    pub node: Node<'t>,
    /// The grammar's number of its kind.
    pub kind: u16,
    /// Whether the grammar has a name for it, as it has for all but signs and keywords.
    pub named: bool,
}

impl<'t> Child<'t> {
    pub fn new(node: Node<'t>) -> Self {
        Self { node, kind: node.kind_id(), named: node.is_named() }
    }

    /// Appends some of the children of a node to a list, in order.
    pub fn list(node: Node<'t>, which: Which, list: &mut Vec<Self>) {
        if node.child_count() > FEW {
            let named = which == Which::Named;
            list.extend(Children::of(node, which).map(|node| Self {
                node,
                kind: node.kind_id(),
                named: named || node.is_named(),
            }));
            return;
        }
        // Most have one or two, so nothing is made to go through them with.
        match which {
            Which::Named => list.extend((0..node.named_child_count() as u32).map_while(|index| {
                let node = node.named_child(index)?;
                Some(Self { node, kind: node.kind_id(), named: true })
            })),
            Which::All => list.extend((0..node.child_count()).map_while(|index| node.child(index).map(Self::new))),
        }
    }
}

/// Which children of a node.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Which {
    /// Those that the grammar names.
    Named,
    /// Also signs and keywords, which hold nothing.
    All,
}

/// Up to this many children are asked for one by one. That needs no cursor, whose every step costs several times as much,
/// but each child is counted from the first.
const FEW: u32 = 8;

/// The children of a node in order: all, or those with names of their own.
pub(crate) enum Children<'t> {
    Few { node: Node<'t>, named: bool, next: usize, count: usize },
    Many { cursor: Box<TreeCursor<'t>>, named: bool, begun: bool },
}

impl<'t> Children<'t> {
    /// All children, signs and keywords too.
    pub fn all(node: Node<'t>) -> Self {
        Self::of(node, Which::All)
    }

    /// Those that the grammar names.
    pub fn named(node: Node<'t>) -> Self {
        Self::of(node, Which::Named)
    }

    /// Those that the grammar names, without what may be anywhere: comments.
    pub fn code(node: Node<'t>) -> impl Iterator<Item = Node<'t>> {
        // What the grammar can't read may be anywhere, too, and hide what is in it.
        Self::named(node).filter(|child| !child.is_extra() || child.is_error())
    }

    /// Some of the children.
    pub fn of(node: Node<'t>, which: Which) -> Self {
        let (all, named) = (node.child_count(), which == Which::Named);
        if all > FEW {
            // There are too many to count to each of them.
            Self::Many { cursor: Box::new(node.walk()), named, begun: false }
        } else {
            let count = if named { node.named_child_count() } else { all as usize };
            Self::Few { node, named, next: 0, count }
        }
    }
}

impl<'t> Iterator for Children<'t> {
    type Item = Node<'t>;

    fn next(&mut self) -> Option<Node<'t>> {
        match self {
            Self::Few { node, named, next, count } => {
                if next == count {
                    return None;
                }
                *next += 1;
                let index = *next as u32 - 1;
                if *named { node.named_child(index) } else { node.child(index) }
            }
            Self::Many { cursor, named, begun } => loop {
                let moved = if *begun { cursor.goto_next_sibling() } else { cursor.goto_first_child() };
                *begun = true;
                if !moved {
                    return None;
                }
                let node = cursor.node();
                if !*named || node.is_named() {
                    return Some(node);
                }
            },
        }
    }
}

/// Goes through a node and what is below it, parents first; below a node only when `enter` says so.
pub(crate) fn preorder<'t>(root: Node<'t>, mut enter: impl FnMut(Node<'t>) -> bool) {
    let mut around: Vec<Children<'t>> = Vec::new();
    let mut next = Some(root);
    while let Some(node) = next {
        if enter(node) {
            around.push(Children::all(node));
        }
        next = loop {
            match around.last_mut().map(Iterator::next) {
                Some(None) => _ = around.pop(),
                Some(node) => break node,
                None => break None,
            }
        };
    }
}

/// The nodes around a node, outermost first. One way down from the root, since each step up would be one.
pub(crate) fn ancestors<'t>(root: Node<'t>, node: Node<'t>) -> Vec<Node<'t>> {
    let mut found = Vec::new();
    let mut at = root;
    while at != node {
        found.push(at);
        match at.child_with_descendant(node) {
            Some(inner) => at = inner,
            None => break,
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use proptest::sample::Index;

    use super::*;
    use crate::config::packs::PACKS;
    use crate::lang::Language;
    use crate::lang::parse;

    /// The children as a cursor gives them.
    fn reference(node: Node<'_>) -> Vec<Node<'_>> {
        let mut cursor = node.walk();
        node.children(&mut cursor).collect()
    }

    proptest! {
        /// Few or many, they are those that a cursor gives: on examples with a piece cut out or doubled, so that much of
        /// them doesn't parse, and one after another, so that some nodes have many.
        #[test]
        fn children_are_those_of_a_cursor(file in any::<Index>(), from in any::<Index>(), length in 0usize..40, doubled: bool) {
            let rules = PACKS.iter().flat_map(|pack| pack.rules());
            let files: Vec<_> = rules.flat_map(|rule| &rule.examples).flat_map(|e| e.files()).collect();
            let file = file.get(&files);
            let Some(language) = Language::of(file.path.as_bytes(), file.code.as_bytes()) else { return Ok(()) };
            let code = file.code.as_bytes();
            let from = if code.is_empty() { 0 } else { from.index(code.len()) };
            let to = (from + length).min(code.len());
            let rest = if doubled { &code[from..] } else { &code[to..] };
            let source = [code, &code[..from], rest].concat();
            let tree = parse(&source, language).expect("it is small");
            let (mut open, mut entered) = (vec![tree.root_node()], Vec::new());
            preorder(tree.root_node(), |node| {
                entered.push(node);
                true
            });
            entered.reverse();
            while let Some(node) = open.pop() {
                prop_assert_eq!(entered.pop(), Some(node));
                let all = reference(node);
                prop_assert_eq!(Children::all(node).collect::<Vec<_>>(), &all[..], "{}", node);
                let named: Vec<_> = all.iter().copied().filter(Node::is_named).collect();
                prop_assert_eq!(Children::named(node).collect::<Vec<_>>(), named, "{}", node);
                open.extend(all.into_iter().rev());
            }
        }
    }
}
