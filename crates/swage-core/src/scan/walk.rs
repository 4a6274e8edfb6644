//! Going through a tree.

use tree_sitter::Node;

use crate::lang::DEEPEST;
use crate::pattern::{Child, Which};

/// What a walk tells of the nodes that it comes to.
pub(super) trait Visitor<'t> {
    /// Into a node of this kind, this deep below the root; `parent` is the kind of the node around it, 0 for the root. Says
    /// which of its children are listed, if any.
    fn enter(&mut self, node: Node<'t>, kind: u16, depth: u32, parent: u16) -> Option<Which>;

    /// The children of the node that was entered last, before the first of them is entered.
    fn children(&mut self, _node: Node<'t>, _kind: u16, _children: &[Child<'t>], _which: Which) {}

    /// Out of the node that was entered last and not left yet, with how deep it is.
    fn leave(&mut self, _depth: u32) {}
}

/// To those that wait for nothing but the nodes.
impl<'t, F: FnMut(Node<'t>) -> Option<Which>> Visitor<'t> for F {
    fn enter(&mut self, node: Node<'t>, _: u16, _: u32, _: u16) -> Option<Which> {
        self(node)
    }
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

/// Goes through the nodes with and below `root`, parents first. Of the children that the visitor wants listed the `entered` ones
/// are entered.
///
/// # Errors
/// When something is deeper than is looked at.
pub(super) fn walk<'t>(root: Node<'t>, entered: Which, visitor: &mut impl Visitor<'t>) -> Result<(), TooDeep> {
    // The children of the nodes around, those of the innermost last.
    let mut listed: Vec<Child<'t>> = Vec::new();
    let mut around: Vec<Around> = Vec::new();
    let mut child = Child::new(root);
    loop {
        let (depth, parent) = (around.len() as u32, around.last().map_or(0, |outer| outer.kind));
        let Child { node, kind, .. } = child;
        let from = listed.len();
        if let Some(which) = visitor.enter(node, kind, depth, parent) {
            Child::list(node, which, &mut listed);
            visitor.children(node, kind, &listed[from..], which);
        }
        if from < listed.len() {
            around.push(Around { kind, from, next: from });
        } else {
            visitor.leave(depth);
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
            visitor.leave(around.len() as u32);
        };
    }
}
