//! Going through the children of a node.

use tree_sitter::{Node, TreeCursor};

/// Up to so many children are asked for one by one. That needs no cursor, whose every step costs several times as much,
/// but each child is counted from the first.
const FEW: u32 = 8;

/// The children of a node in order: all, or those with names of their own.
pub(super) enum Children<'t> {
    Few { node: Node<'t>, named: bool, next: usize, count: usize },
    Many { cursor: Box<TreeCursor<'t>>, named: bool, begun: bool },
}

impl<'t> Children<'t> {
    /// All children, signs and keywords too.
    pub fn all(node: Node<'t>) -> Self {
        Self::of(node, false, node.child_count() as usize)
    }

    /// Those that the grammar names.
    pub fn named(node: Node<'t>) -> Self {
        Self::of(node, true, node.named_child_count())
    }

    fn of(node: Node<'t>, named: bool, count: usize) -> Self {
        if are_many(node) {
            Self::Many { cursor: Box::new(node.walk()), named, begun: false }
        } else {
            Self::Few { node, named, next: 0, count }
        }
    }
}

/// Whether a node has so many children that counting to each of them would cost too much.
pub(super) fn are_many(node: Node<'_>) -> bool {
    node.child_count() > FEW
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
