//! Going through a tree.

use tree_sitter::Node;

use crate::lang::DEEPEST;
use crate::pattern::{Child, Which};

/// A step of the walk.
pub(super) enum WalkEvent<'t, 'c> {
    /// Into a node.
    Enter {
        node: Node<'t>,
        /// Its kind.
        kind: u16,
        /// How deep it is below the root.
        depth: u32,
        /// The kind of the node around it; 0 for the root.
        parent: u16,
    },
    /// The children of the node that was entered last, before the first of them is entered.
    Children {
        node: Node<'t>,
        /// The node's kind.
        kind: u16,
        children: &'c [Child<'t>],
        /// Which of its children they are.
        which: Which,
    },
    /// Out of the node that was entered last and not left yet, with how deep it is.
    Leave(u32),
}

/// A node whose children are being entered.
struct Around {
    kind: u16,
    /// Where its children begin among those that are listed, which end with them.
    from: usize,
    /// The one that comes next.
    next: usize,
}

/// The tree nests deeper than is looked at.
#[derive(Debug)]
pub(super) struct TooDeep;

/// Goes through the nodes with and below `root`, parents first. What `visit` answers to entering a node decides which of its
/// children are listed, if any; of these the `entered` ones are entered.
///
/// # Errors
/// When something is deeper than is looked at.
pub(super) fn walk<'t>(
    root: Node<'t>,
    entered: Which,
    visit: &mut impl FnMut(WalkEvent<'t, '_>) -> Option<Which>,
) -> Result<(), TooDeep> {
    // The children of the nodes around, those of the innermost last.
    let mut listed: Vec<Child<'t>> = Vec::new();
    let mut around: Vec<Around> = Vec::new();
    let mut child = Child::new(root);
    loop {
        let (depth, parent) = (around.len() as u32, around.last().map_or(0, |outer| outer.kind));
        let Child { node, kind, .. } = child;
        let from = listed.len();
        if let Some(which) = visit(WalkEvent::Enter { node, kind, depth, parent }) {
            listed.extend(Child::of(node, which));
            visit(WalkEvent::Children { node, kind, children: &listed[from..], which });
        }
        if from < listed.len() {
            around.push(Around { kind, from, next: from });
        } else {
            visit(WalkEvent::Leave(depth));
        }
        child = loop {
            let Some(inner) = around.last_mut() else { return Ok(()) };
            if let Some(child) = listed.get(inner.next) {
                inner.next += 1;
                if !child.named && entered == Which::Named {
                    continue;
                }
                if around.len() > DEEPEST {
                    return Err(TooDeep);
                }
                break *child;
            }
            listed.truncate(inner.from);
            around.pop();
            visit(WalkEvent::Leave(around.len() as u32));
        };
    }
}
