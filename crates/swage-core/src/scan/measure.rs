//! Figures of definitions.
//!
//! Parameters and lines can be told at once. Loops and branches are counted during the walk over the whole tree: each
//! function that is open has a frame, so that no function is walked a second time.

use tree_sitter::Node;

use crate::lang::{Class, Language, Tables};
use crate::rule::{Measure, MeasureMatch};

/// A figure that can be told from the definition alone; `None` for those that are counted, when it has none, and when it
/// is plain that it isn't over its limit.
pub(super) fn at_once(m: &MeasureMatch, node: Node<'_>, source: &[u8], language: &Language) -> Option<u64> {
    match m.measure {
        Measure::Parameters => language.parameter_count(node, source, m.over).map(u64::from),
        Measure::Lines => Some((last_row(node) - node.start_position().row) as u64 + 1),
        Measure::Nesting | Measure::Branches => None,
    }
}

/// The row (0-based) in which a node ends, without the comments and empty lines behind what is in it.
fn last_row(node: Node<'_>) -> usize {
    let mut last = node;
    while let Some(inner) = (0..last.child_count()).rev().filter_map(|n| last.child(n)).find(|n| !n.is_extra()) {
        last = inner;
    }
    if last.end_position().column == 0 && last.end_position().row > last.start_position().row {
        return last.end_position().row - 1;
    }
    last.end_position().row
}

/// A function during the walk; functions inside count for themselves.
#[derive(Debug, Clone, Copy)]
pub(super) struct Frame<'t> {
    /// The function.
    pub node: Node<'t>,
    branches: u64,
    depth: u64,
    deepest: u64,
}

impl Frame<'_> {
    /// A counted figure, once the walk has left the function.
    pub fn figure(&self, measure: Measure) -> Option<u64> {
        match measure {
            Measure::Nesting => Some(self.deepest),
            Measure::Branches => Some(self.branches),
            Measure::Parameters | Measure::Lines => None,
        }
    }
}

/// Counts loops and branches of the functions that are open.
#[derive(Debug, Default)]
pub(super) struct Counting<'t> {
    frames: Vec<Frame<'t>>,
    /// The open nodes that matter: how deep each stands in the tree, and whether it is a function.
    open: Vec<(u32, bool)>,
}

impl<'t> Counting<'t> {
    /// The walk enters a function, a loop or a branch that stands so deep in the tree, in a node of the kind `parent`.
    pub fn enter(&mut self, node: Node<'t>, depth: u32, parent: u16, tables: &Tables) {
        if tables.is(node.kind_id(), Class::Function) {
            self.frames.push(Frame { node, branches: 0, depth: 0, deepest: 0 });
            self.open.push((depth, true));
        } else if let Some(frame) = self.frames.last_mut()
            && let Some(deeper) = tables.branches(node, parent)
        {
            frame.branches += 1;
            if deeper {
                frame.depth += 1;
                frame.deepest = frame.deepest.max(frame.depth);
                self.open.push((depth, false));
            }
        }
    }

    /// The walk leaves a node that stands so deep; the frame when it is a function.
    pub fn leave(&mut self, depth: u32) -> Option<Frame<'t>> {
        let (_, function) = self.open.pop_if(|(d, _)| *d == depth)?;
        if function {
            return self.frames.pop();
        }
        if let Some(frame) = self.frames.last_mut() {
            frame.depth -= 1;
        }
        None
    }
}
