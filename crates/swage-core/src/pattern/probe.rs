//! Watching a match that fails, to report what came nearest.

use std::cell::RefCell;
use std::collections::HashMap;
use std::ops::Range;

use tree_sitter::Node;

use super::{Hole, PatternNode};
use crate::lang::Language;

/// Watches a match and remembers the failure that came furthest in the pattern.
pub(crate) struct Probe<'p> {
    /// The pattern's parts in order, by address.
    order: HashMap<*const PatternNode, usize>,
    language: &'static Language,
    holes: &'p [Hole],
    state: RefCell<State>,
}

#[derive(Default)]
struct State {
    /// The last part that matched, and where its node ends.
    last: usize,
    end: usize,
    worst: Option<Failure>,
}

/// Where a match failed.
pub(crate) struct Failure {
    /// Twice the number of the part that failed; one more than that of the last part when something came after it.
    pub progress: usize,
    /// How many parts the pattern has.
    pub parts: usize,
    /// What the pattern has there.
    pub wanted: String,
    /// What the file has there: a range of bytes.
    pub range: Range<usize>,
}

impl<'p> Probe<'p> {
    /// Watches matches of a reading.
    pub fn new(reading: &[PatternNode], language: &'static Language, holes: &'p [Hole]) -> Self {
        let mut order = HashMap::new();
        let mut open: Vec<&PatternNode> = reading.iter().rev().collect();
        while let Some(part) = open.pop() {
            order.insert(std::ptr::from_ref(part), order.len());
            if let PatternNode::Inner { children, .. } = part {
                open.extend(children.iter().rev());
            }
        }
        Self { order, language, holes, state: RefCell::default() }
    }

    /// The failure that came furthest.
    pub fn worst(self) -> Option<Failure> {
        self.state.into_inner().worst
    }

    fn number(&self, part: &PatternNode) -> usize {
        self.order.get(&std::ptr::from_ref(part)).copied().unwrap_or(0)
    }

    /// A part matched.
    pub fn passed(&self, part: &PatternNode, node: Node<'_>) {
        let mut state = self.state.borrow_mut();
        (state.last, state.end) = (self.number(part), node.end_byte());
    }

    /// A part met a node that it doesn't match.
    pub fn failed(&self, part: &PatternNode, node: Node<'_>) {
        self.note(2 * self.number(part), node.byte_range(), || self.describe(part));
    }

    /// A part met the end.
    pub fn lacks(&self, part: &PatternNode) {
        let end = self.state.borrow().end;
        self.note(2 * self.number(part), end..end, || self.describe(part));
    }

    /// Something came where the pattern ends.
    pub fn more(&self, node: Node<'_>) {
        let last = self.state.borrow().last;
        self.note(2 * last + 1, node.byte_range(), || "nothing more".to_owned());
    }

    fn note(&self, progress: usize, range: Range<usize>, wanted: impl Fn() -> String) {
        let mut state = self.state.borrow_mut();
        if state.worst.as_ref().is_none_or(|w| progress > w.progress) {
            state.worst = Some(Failure { progress, parts: self.order.len(), wanted: wanted(), range });
        }
    }

    fn describe(&self, part: &PatternNode) -> String {
        let kind = |id: u16| self.language.tables().grammar.node_kind_for_id(id).unwrap_or("node").replace('_', " ");
        match part {
            PatternNode::Hole(index) | PatternNode::Many(index) => {
                let hole = &self.holes[*index];
                let class = hole.node.and_then(|class| crate::lang::Class::ALL.iter().find(|(_, c)| *c == class));
                let mut text = format!("a node for hole {}", hole.name);
                text += &class.map(|(word, _)| format!(", of the class {word}")).unwrap_or_default();
                text += &hole.text.as_ref().map(|regex| format!(", matching {regex}")).unwrap_or_default();
                text
            }
            PatternNode::Leaf(_, Some(text)) => format!("`{}`", String::from_utf8_lossy(text)),
            PatternNode::Leaf(id, None) => format!("`{}`", kind(*id)),
            PatternNode::Quoted(..) => "a string".to_owned(),
            PatternNode::Word(_, before, hole, after) => {
                let [before, after] = [before, after].map(|text| String::from_utf8_lossy(text));
                format!("`{before}{}{after}`", self.holes[*hole].name)
            }
            PatternNode::Inner { kind: id, .. } => kind(*id),
        }
    }
}
