//! Figures of definitions.
//!
//! Parameters and lines can be told at once. Loops and branches are counted during the walk over the whole tree: each
//! function that is open has a frame, so that no function is walked a second time.

use tree_sitter::{Node, TreeCursor};

use crate::lang::{Class, Language, Tables};
use crate::rule::Measure;

/// A figure that can be told from the definition alone; `None` for those that are counted, or when it has none.
pub(super) fn at_once(measure: Measure, node: Node<'_>, source: &[u8], language: &Language) -> Option<u64> {
    match measure {
        Measure::Parameters => language.parameter_count(node, source).map(u64::from),
        Measure::Lines => Some((node.end_position().row - node.start_position().row) as u64 + 1),
        Measure::Nesting | Measure::Branches => None,
    }
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

/// What an open node means when the walk leaves it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Open {
    Plain,
    Deeper,
    Function,
}

/// Counts loops and branches of the functions that are open.
#[derive(Debug, Default)]
pub(super) struct Counting<'t> {
    frames: Vec<Frame<'t>>,
    /// For each open node, its kind and what it means.
    open: Vec<(u16, Open)>,
}

impl<'t> Counting<'t> {
    /// The walk enters a node.
    pub fn enter(&mut self, node: Node<'t>, cursor: &TreeCursor<'t>, tables: &Tables) {
        let kind = node.kind_id();
        let mut open = Open::Plain;
        if tables.is(kind, Class::Function) {
            self.frames.push(Frame { node, branches: 0, depth: 0, deepest: 0 });
            open = Open::Function;
        } else if let Some(frame) = self.frames.last_mut() {
            let parent = self.open.last().map_or(0, |(kind, _)| *kind);
            if let Some(deeper) = tables.branches(kind, parent, || cursor.field_id().map(std::num::NonZero::get)) {
                frame.branches += 1;
                if deeper {
                    frame.depth += 1;
                    frame.deepest = frame.deepest.max(frame.depth);
                    open = Open::Deeper;
                }
            }
        }
        self.open.push((kind, open));
    }

    /// The walk leaves the node that it entered last and hasn't left; the frame when it is a function.
    pub fn leave(&mut self) -> Option<Frame<'t>> {
        match self.open.pop() {
            Some((_, Open::Function)) => self.frames.pop(),
            Some((_, Open::Deeper)) => {
                if let Some(frame) = self.frames.last_mut() {
                    frame.depth -= 1;
                }
                None
            }
            Some((_, Open::Plain)) | None => None,
        }
    }
}
