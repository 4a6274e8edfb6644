//! Trying a pattern: what it matches and, where it matches nothing, what came nearest.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::ops::Range;

use tree_sitter::Node;

use super::children::preorder;
use super::matcher::{Matching, budget};
use super::parse::parse;
use super::{Lines, Span};
use crate::lang::Language;
use crate::rule::pattern::PatternNode;
use crate::rule::{CodeMatch, Hole, shorten};

/// What trying a pattern on a file gave.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trial {
    /// The places that match, in order.
    pub matches: Vec<TrialMatch>,
    /// The place that came nearest to matching; `None` when no node is of a kind with which the pattern begins.
    pub nearest: Option<Miss>,
}

/// A place that matches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrialMatch {
    /// Where it is.
    pub span: Span,
    /// Its text, in one line.
    pub text: String,
    /// The holes with the texts that they took, in one line each.
    pub holes: Vec<(String, String)>,
}

/// A place that almost matches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Miss {
    /// Where the match failed.
    pub span: Span,
    /// How many of the pattern's parts matched before that.
    pub matched: usize,
    /// How many parts the pattern has.
    pub parts: usize,
    /// What the pattern has there.
    pub wanted: String,
    /// What the file has there.
    pub found: String,
}

/// Tries a pattern on a file.
///
/// # Errors
/// When the file can't be parsed, or the pattern isn't code of the language.
pub fn try_pattern(source: &[u8], language: &'static Language, code: &CodeMatch) -> Result<Trial, String> {
    let pattern = code.pattern(language).map_err(ToString::to_string)?;
    let tree = parse(source, language)?;
    let lines = Lines::new(source);
    let text = |range: Range<usize>| shorten(&String::from_utf8_lossy(&source[range]));
    let steps = Cell::new(budget(source));
    let mut trial = Trial { matches: Vec::new(), nearest: None };
    let mut nearest: Option<Failure> = None;
    preorder(tree.root_node(), |node| {
        for reading in &pattern.readings {
            if reading.first().and_then(PatternNode::kind) != Some(node.kind_id()) {
                continue;
            }
            let plain = Matching { source, language, holes: &code.holes, given: &[], probe: None, steps: &steps };
            let matched = plain.reading(reading, pattern.holes, node);
            // Only what doesn't match is watched.
            let probe = Probe::new(reading, language, &code.holes);
            let matching =
                Matching { source, language, holes: &code.holes, given: &[], probe: Some(&probe), steps: &steps };
            if let Some((bound, range)) = matched.or_else(|| matching.reading(reading, pattern.holes, node)) {
                let taken = code.holes.iter().zip(bound);
                trial.matches.push(TrialMatch {
                    span: lines.span(range.clone()),
                    text: text(range),
                    holes: taken.map(|(h, range)| (h.name.clone(), range.map_or_else(String::new, text))).collect(),
                });
                break;
            }
            let failure = probe.state.into_inner().worst;
            if failure.as_ref().is_some_and(|f| nearest.as_ref().is_none_or(|n| f.progress > n.progress)) {
                nearest = failure;
            }
        }
        true
    });
    trial.nearest = nearest.filter(|_| trial.matches.is_empty()).map(|f| Miss {
        span: lines.span(f.range.clone()),
        matched: f.progress.div_ceil(2),
        parts: f.parts,
        wanted: f.wanted,
        found: text(f.range),
    });
    Ok(trial)
}

/// Watches a match and remembers the failure that came furthest in the pattern.
pub(super) struct Probe<'p> {
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

struct Failure {
    /// Twice the number of the part that failed; one more than that of the last part when something came behind it.
    progress: usize,
    parts: usize,
    wanted: String,
    range: Range<usize>,
}

impl<'p> Probe<'p> {
    fn new(reading: &[PatternNode], language: &'static Language, holes: &'p [Hole]) -> Self {
        let mut order = HashMap::new();
        let mut open: Vec<&PatternNode> = reading.iter().rev().collect();
        while let Some(part) = open.pop() {
            order.insert(std::ptr::from_ref(part), order.len());
            if let PatternNode::Inner(_, children) = part {
                open.extend(children.iter().rev());
            }
        }
        Self { order, language, holes, state: RefCell::default() }
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
            PatternNode::Inner(id, _) => kind(*id),
        }
    }
}
