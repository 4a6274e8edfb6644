//! Going through a tree, and leaving out what holds nothing of interest.

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
#[derive(Clone, Copy)]
pub(super) struct Which<'m> {
    /// Those that hold one of these byte offsets, which are in order; without them, all.
    pub marks: Option<&'m [u32]>,
    /// Also those without a name in the grammar, which hold nothing.
    pub signs: bool,
}

/// The tree nests deeper than is looked at.
#[derive(Debug)]
pub(super) struct TooDeep;

/// Goes through the nodes with and below `root`, parents first. What `visit` answers to entering a node decides whether
/// its children are entered.
///
/// # Errors
/// When something stands deeper than is looked at.
pub(super) fn walk<'t>(
    root: Node<'t>,
    which: Which<'_>,
    visit: &mut impl FnMut(Step<'t>) -> bool,
) -> Result<(), TooDeep> {
    let mut marks = Marks { all: which.marks, passed: 0 };
    // The nodes around, with the children of each that are still to come.
    let mut around: Vec<(Node<'t>, u16, Children<'t>)> = Vec::new();
    let mut node = root;
    loop {
        let (depth, parent) = (around.len() as u32, around.last().map_or(0, |(_, kind, _)| *kind));
        let kind = node.kind_id();
        let mut done = None;
        let enters = visit(Step::Enter { node, kind, depth, parent }) && marks.are_in(node);
        let children = enters.then(|| if which.signs { Children::all(node) } else { Children::named(node) });
        match children.filter(|children| !children.is_empty()) {
            Some(children) => around.push((node, kind, children)),
            None => {
                visit(Step::Leave(depth));
                done = Some(node);
            }
        }
        node = loop {
            let Some((outer, _, children)) = around.last_mut() else { return Ok(()) };
            let outer = *outer;
            let more = done.is_none_or(|done| marks.are_behind(done, outer));
            let next = if more { children.find(|child| marks.are_in(*child)) } else { None };
            if let Some(next) = next {
                if around.len() > DEEPEST {
                    return Err(TooDeep);
                }
                break next;
            }
            around.pop();
            done = Some(outer);
            visit(Step::Leave(around.len() as u32));
        };
    }
}

/// Offsets in order; without them, every place is marked.
struct Marks<'m> {
    all: Option<&'m [u32]>,
    /// How many lie before what was asked for last.
    passed: usize,
}

impl Marks<'_> {
    /// Whether a node, which doesn't begin before one that was asked for earlier, holds a mark.
    fn are_in(&mut self, node: Node<'_>) -> bool {
        self.all.is_none() || self.are_between(node.start_byte(), node.end_byte())
    }

    /// Whether there is a mark in the rest of a node, after what is done in it.
    fn are_behind(&mut self, done: Node<'_>, outer: Node<'_>) -> bool {
        self.all.is_none() || self.are_between(done.end_byte(), outer.end_byte())
    }

    fn are_between(&mut self, from: usize, to: usize) -> bool {
        let all = self.all.unwrap_or_default();
        while all.get(self.passed).is_some_and(|mark| (*mark as usize) < from) {
            self.passed += 1;
        }
        all.get(self.passed).is_some_and(|mark| (*mark as usize) < to)
    }
}
