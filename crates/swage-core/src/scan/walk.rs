//! Going through a tree.

use tree_sitter::Node;

use crate::lang::DEEPEST;
use crate::pattern::Children;

/// A step of the walk.
pub(super) enum Step<'t> {
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
    /// Out of the node that was entered last and not left yet, with how deep it stands.
    Leave(u32),
}

/// Which nodes are entered.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Which {
    /// Those that the grammar names.
    Named,
    /// Also signs and keywords, which hold nothing.
    All,
}

/// The tree nests deeper than is looked at.
#[derive(Debug)]
pub(super) struct TooDeep;

/// Goes through the nodes with and below `root`, parents first. What `visit` answers to entering a node decides whether
/// its children are entered.
///
/// # Errors
/// When something stands deeper than is looked at.
pub(super) fn walk<'t>(root: Node<'t>, which: Which, visit: &mut impl FnMut(Step<'t>) -> bool) -> Result<(), TooDeep> {
    // The kinds of the nodes around, with the children of each that are still to come.
    let mut around: Vec<(u16, Children<'t>)> = Vec::new();
    let mut node = root;
    loop {
        let (depth, parent) = (around.len() as u32, around.last().map_or(0, |(kind, _)| *kind));
        let kind = node.kind_id();
        let enters = visit(Step::Enter { node, kind, depth, parent });
        let children = enters.then(|| if which == Which::All { Children::all(node) } else { Children::named(node) });
        match children.filter(|children| !children.is_empty()) {
            Some(children) => around.push((kind, children)),
            None => _ = visit(Step::Leave(depth)),
        }
        node = loop {
            let Some((_, children)) = around.last_mut() else { return Ok(()) };
            if let Some(next) = children.next() {
                if around.len() > DEEPEST {
                    return Err(TooDeep);
                }
                break next;
            }
            around.pop();
            visit(Step::Leave(around.len() as u32));
        };
    }
}
