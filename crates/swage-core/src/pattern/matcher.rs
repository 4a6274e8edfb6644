//! Matching a compiled pattern against a tree.
//!
//! A pattern's children are matched against a node's children in order, with backtracking only where a `many` hole can
//! take runs of different lengths. Where several can, what failed once isn't tried again: whether the rest of a pattern
//! matches the rest of the nodes depends only on what the holes in that rest have taken already, so the work is
//! a polynomial of the nodes whose degree is the number of holes that are named twice, instead of exponential. Depth is
//! bounded by the pattern, never by the source.

use std::cell::Cell;
use std::ops::Range;

use tree_sitter::Node;

use super::comments::uncommented_text;
use super::failures::{Failures, is_run, least};
use super::meanings::Meanings;
use super::plain::{member_of, plain_text};
use super::probe::Probe;
use super::{Children, Expression, Hole, Pattern, PatternNode, contents, is_irrelevant, own_text, relevant_children};
use crate::lang::{Class, Language, unquoted};

/// What the holes took: byte ranges of the source.
pub(crate) type Bindings = Vec<Option<Range<usize>>>;

/// What names have been taken by already, outside of the pattern: a hole of that name must take the same.
pub(crate) type Given<'a> = &'a [(&'a str, &'a [u8])];

/// How many steps matching may take in a file: a hostile one ends in the same place on every machine, after a second or so.
pub(crate) fn budget(source: &[u8]) -> u64 {
    20_000_000 + 20 * source.len() as u64
}

/// Most siblings that a pattern of several nodes is tried on.
const MOST_SIBLINGS: usize = 4096;

/// Words that some grammars give no node of their own and that are where values do.
const VALUES: [&str; 8] = ["this", "base", "self", "super", "null", "nil", "true", "false"];

/// Everything that stays the same during a match.
pub(crate) struct Matching<'a> {
    pub source: &'a [u8],
    pub language: &'static Language,
    pub holes: &'a [Hole],
    pub given: Given<'a>,
    pub meanings: &'a Meanings<'a>,
    /// Watches how far a match gets.
    pub probe: Option<&'a Probe<'a>>,
    /// How many steps are left for the file. When there are none, nothing matches any more.
    pub steps: &'a Cell<u64>,
}

impl Matching<'_> {
    /// Matches the pattern with its first root at `node`; what the holes took and the byte range of the whole.
    pub fn at(&self, pattern: &Pattern, node: Node<'_>) -> Option<(Bindings, Range<usize>)> {
        pattern.readings.iter().find_map(|reading| self.reading(reading, pattern.holes, node))
    }

    /// The same for one reading of a pattern.
    pub fn reading(&self, roots: &[PatternNode], holes: usize, node: Node<'_>) -> Option<(Bindings, Range<usize>)> {
        if !roots.first()?.may_be(node, self.language) {
            return None;
        }
        let mut bound = vec![None; holes];
        if let [root] = roots {
            return self.node(root, node, &mut bound).then(|| {
                let start = self.start_of(root, node, &bound);
                (bound, start..node.end_byte())
            });
        }
        // A run of siblings, from this node on. Most runs end at their first node, before the others are gathered.
        if self.probe.is_none() && !self.node(roots.first()?, node, &mut bound.clone()) {
            return None;
        }
        // Where no run is among them, each takes one node.
        let most = if roots.iter().any(is_run) { MOST_SIBLINGS } else { roots.len() };
        let siblings = self.siblings_from(node, most);
        let taken = self.list(roots, &siblings, &mut bound, false)?;
        let end = siblings.get(taken.checked_sub(1)?)?.end_byte();
        let start = self.start_of(roots.first()?, node, &bound);
        Some((bound, start..end))
    }

    /// Where a match begins: with the operand where the grammar takes a whole operation for the node's first child.
    fn start_of(&self, pattern: &PatternNode, node: Node<'_>, bound: &Bindings) -> usize {
        let start = node.start_byte();
        match pattern {
            PatternNode::Hole(index) => bound[*index].as_ref().map_or(start, |taken| taken.start),
            PatternNode::Inner { kind, children, .. } if *kind == node.kind_id() => {
                let (Some(first), Some(child)) = (children.first(), node.child(0)) else { return start };
                let operand =
                    self.language.tables().own_operand(*kind, node).filter(|_| first.kind() != Some(child.kind_id()));
                self.start_of(first, operand.unwrap_or(child), bound)
            }
            _ => start,
        }
    }

    /// A node and its next siblings that take part in matching, no more than `most` together.
    fn siblings_from<'t>(&self, node: Node<'t>, most: usize) -> Vec<Node<'t>> {
        // A node doesn't know its parent, so it is asked for once.
        let Some(parent) = node.parent() else { return vec![node] };
        let relevant = |sibling: &Node<'_>| !is_irrelevant(*sibling, parent.kind_id(), self.language);
        let after = Children::all(parent).skip_while(|child| *child != node).skip(1).filter(relevant);
        std::iter::once(node).chain(after).take(most).collect()
    }

    /// Takes a step; false when there is none left.
    fn step(&self) -> bool {
        let left = self.steps.get().checked_sub(1);
        self.steps.set(left.unwrap_or(0));
        left.is_some()
    }

    pub(super) fn node(&self, pattern: &PatternNode, node: Node<'_>, bound: &mut Bindings) -> bool {
        if !self.step() {
            return false;
        }
        let matches = self.matches(pattern, node, bound);
        match self.probe {
            Some(probe) if matches => probe.passed(pattern, node),
            Some(probe) => probe.failed(pattern, node),
            None => {}
        }
        matches
    }

    /// Whether a node is what a part of the pattern asks for; long because each kind of part has a case here.
    fn matches(&self, pattern: &PatternNode, node: Node<'_>, bound: &mut Bindings) -> bool {
        match pattern {
            PatternNode::Hole(index) | PatternNode::Many(index) => {
                let takes = node.is_named() || VALUES.contains(&node.kind());
                takes
                    && (self.bind(*index, Some(node), node.byte_range(), bound)
                        || self.is_inner_match(pattern, node, bound))
            }
            PatternNode::Quoted(kind, index) => {
                let range = node.byte_range();
                node.kind_id() == *kind
                    && self.source.get(range.clone()).and_then(contents).is_some_and(|inside| {
                        let inside = range.start + inside.start..range.start + inside.end;
                        self.bind(*index, None, inside, bound)
                    })
            }
            PatternNode::Word(kind, before, index, after) => {
                let range = node.byte_range();
                let inside = range.start + before.len()..range.end.saturating_sub(after.len());
                // What stands for the hole may have quotes or an expansion, which makes several parts of the word.
                (node.kind_id() == *kind || node.kind() == "concatenation")
                    && inside.start < inside.end
                    && self.source.get(range).is_some_and(|text| text.starts_with(before) && text.ends_with(after))
                    && self.bind(*index, None, inside, bound)
            }
            PatternNode::Leaf(kind, text) => {
                let tables = self.language.tables();
                if tables.takes(*kind, node.kind_id()) {
                    return !node.is_named()
                        || *kind != node.kind_id()
                        || text.as_ref().is_none_or(|text| self.is_same_leaf(text, node));
                }
                let quoted = tables.is_quoted(*kind) && tables.is_quoted(node.kind_id());
                quoted && text.as_ref().is_some_and(|text| self.is_same_word(text, node))
                    || self.is_inner_match(pattern, node, bound)
            }
            PatternNode::Inner { kind, children, own } => {
                if !self.language.tables().takes(*kind, node.kind_id()) {
                    return self.is_inner_match(pattern, node, bound);
                }
                if node.kind_id() != *kind
                    && let Some((object, name)) = member_of(self.source, node, self.language)
                {
                    return self.is_member(children, object, name, bound);
                }
                if let Some(operand) = self.language.tables().own_operand(*kind, node) {
                    let mut nodes = relevant_children(node, self.language);
                    nodes[0] = operand;
                    if tentatively(bound, |taken| self.list(children, &nodes, taken, true).is_some()) {
                        return true;
                    }
                }
                // Most nodes of a kind differ from the pattern in their first child already.
                if let (Some(first), Some(child)) = (children.first(), node.child(0))
                    && !first.may_be(child, self.language)
                    && !self.language.tables().is_optional(node.kind_id(), child.kind_id())
                    && !is_irrelevant(child, node.kind_id(), self.language)
                    && self.probe.is_none()
                {
                    return self.may_be_indirect(*kind) && self.is_called_indirectly(children, node, bound);
                }
                let nodes = relevant_children(node, self.language);
                let before = bound.clone();
                if self.list(children, &nodes, bound, true).is_some() {
                    return self.has_own_text(node, children, own);
                }
                if self.probe.is_none() && self.may_be_indirect(*kind) {
                    bound.clone_from(&before);
                    if self.is_called_indirectly(children, node, bound) {
                        return true;
                    }
                }
                if self.probe.is_some() || nodes.len() <= least(children) {
                    return false;
                }
                // What the pattern doesn't write may be there all the same.
                let fewer = self.without_unwritten(children, node, &nodes);
                if let Some(fewer) = &fewer {
                    bound.clone_from(&before);
                    if self.list(children, fewer, bound, true).is_some() {
                        return self.has_own_text(node, children, own);
                    }
                }
                *bound = before;
                self.is_started_by_another(children, fewer.as_ref().unwrap_or(&nodes), bound)
            }
        }
    }

    /// Whether nodes of a kind are calls that may be spelled otherwise.
    fn may_be_indirect(&self, kind: u16) -> bool {
        !self.language.indirect.is_empty() && self.language.tables().is(kind, Class::Call)
    }

    /// Whether a part of the node that may stand for it matches: what parentheses hold, a name without its type.
    fn is_inner_match(&self, pattern: &PatternNode, node: Node<'_>, bound: &mut Bindings) -> bool {
        // What a list of expressions does before its last is no part of what a hole has taken elsewhere.
        let is_again = matches!(pattern, PatternNode::Hole(index) if bound[*index].is_some());
        if is_again && node.kind() == "sequence_expression" {
            return false;
        }
        self.language.tables().inner(node).is_some_and(|inner| self.node(pattern, inner, bound))
    }

    /// Whether a command that another one runs, such as `sudo`, is the pattern's.
    fn is_started_by_another(&self, patterns: &[PatternNode], nodes: &[Node<'_>], bound: &mut Bindings) -> bool {
        let text = |node: &Node<'_>| self.text(*node);
        let starts = |node: &&Node<'_>| self.language.starters.iter().any(|name| name.as_bytes() == text(node));
        let Some((name, arguments)) = patterns.split_first() else { return false };
        // The name has a node of its own, and what is started is an argument.
        let name = if let PatternNode::Inner { children, .. } = name { children.first() } else { Some(name) };
        let (Some(name), Some(_)) = (name, nodes.first().filter(starts)) else { return false };
        // Its options and their values, the variables that it sets and its time come first; it may start one that starts
        // another.
        let is_option = |node: &Node<'_>| text(node).starts_with(b"-");
        let belongs = |node: &Node<'_>| {
            is_option(node) || text(node).contains(&b'=') || text(node).first().is_some_and(u8::is_ascii_digit)
        };
        let is_passed = |at: usize| belongs(&nodes[at]) || starts(&&nodes[at]) || is_option(&nodes[at - 1]);
        let last = (1..nodes.len()).find(|at| !is_passed(*at)).unwrap_or(nodes.len() - 1);
        (1..=last).any(|at| {
            tentatively(bound, |taken| {
                self.node(name, nodes[at], taken) && self.list(arguments, &nodes[at + 1..], taken, true).is_some()
            })
        })
    }

    /// Whether a member that is asked for by a string is the pattern's: an object, a sign and a name.
    pub(super) fn is_member(
        &self,
        pattern: &[PatternNode],
        object: Node<'_>,
        name: Range<usize>,
        bound: &mut Bindings,
    ) -> bool {
        let [of, _, member] = pattern else { return false };
        self.node(of, object, bound)
            && match member {
                PatternNode::Leaf(_, Some(text)) => self.source.get(name) == Some(text),
                PatternNode::Hole(index) => self.bind(*index, None, name, bound),
                _ => false,
            }
    }

    /// Whether a leaf's text is the pattern's, or the same name or word written otherwise.
    fn is_same_leaf(&self, wanted: &[u8], node: Node<'_>) -> bool {
        let Some(found) = self.source.get(node.byte_range()) else { return false };
        let (language, tables) = (self.language, self.language.tables());
        self.is_same_text(wanted, found)
            || tables.is_quoted(node.kind_id()) && self.is_same_word(wanted, node)
            || tables.is(node.kind_id(), Class::Name) && {
                let (wanted, found) = ((language.plain_name)(wanted), (language.plain_name)(found));
                // What is around a name is asked for last, since it is found from the root.
                let is_exact = || node.parent().is_some_and(|p| language.exact_names_in.contains(&p.kind()));
                wanted == found || language.names_in_any_case && wanted.eq_ignore_ascii_case(found) && !is_exact()
            }
    }

    /// Whether words are the same once their quotes are removed.
    fn is_same_word(&self, wanted: &[u8], node: Node<'_>) -> bool {
        let found = self.source.get(node.byte_range());
        unquoted(wanted).is_some_and(|wanted| found.and_then(unquoted).is_some_and(|found| wanted == found))
    }

    fn is_same_text<'t>(&self, one: &'t [u8], other: &'t [u8]) -> bool {
        let words = |text: &'t [u8]| text.split(|b| b.is_ascii_whitespace() || *b == 0).filter(|word| !word.is_empty());
        one == other || self.language.outline && words(one).eq(words(other))
    }

    /// Whether the text of a node that none of its children covers is the pattern's. Where a run may take any of the children,
    /// what is between them is taken with it.
    fn has_own_text(&self, node: Node<'_>, children: &[PatternNode], own: &[u8]) -> bool {
        children.iter().any(is_run) || self.is_same_text(own, &own_text(self.source, node))
    }

    /// The children without those that the language lets a person leave out and the pattern doesn't write, and the signs
    /// before their types; `None` when there are no such.
    fn without_unwritten<'t>(
        &self,
        patterns: &[PatternNode],
        node: Node<'t>,
        nodes: &[Node<'t>],
    ) -> Option<Vec<Node<'t>>> {
        let tables = self.language.tables();
        let of_fields: Vec<Node<'t>> =
            tables.optional_fields.iter().filter_map(|field| node.child_by_field_id(*field)).collect();
        // Of several modifiers, those that the pattern writes count.
        let written = |child: &Node<'t>| {
            let mut same = patterns.iter().filter(|p| p.kind() == Some(child.kind_id()));
            same.any(|p| self.matches(p, *child, &mut vec![None; self.holes.len()]))
        };
        let unwritten = |child: &Node<'t>| {
            of_fields.contains(child) || tables.is_optional(node.kind_id(), child.kind_id()) && !written(child)
        };
        let mut kept: Vec<Node<'t>> = Vec::with_capacity(nodes.len());
        for child in nodes {
            if !unwritten(child) {
                kept.push(*child);
            } else if kept.last().is_some_and(|sign| !sign.is_named() && matches!(sign.kind(), ":" | "->")) {
                kept.pop();
            }
        }
        (kept.len() < nodes.len()).then_some(kept)
    }

    /// Matches a list of patterns with the front of a list of nodes, all of them when `whole`; how many were taken.
    pub(super) fn list(
        &self,
        patterns: &[PatternNode],
        nodes: &[Node<'_>],
        bound: &mut Bindings,
        whole: bool,
    ) -> Option<usize> {
        let may_be = |(pattern, node): (&PatternNode, &Node<'_>)| pattern.may_be(*node, self.language);
        // Each has its place where no run is among them, and kinds are compared at once.
        if self.probe.is_none() && !patterns.iter().any(is_run) && !patterns.iter().zip(nodes).all(may_be) {
            return None;
        }
        self.rest(patterns, nodes, bound, whole, &mut Failures::of(patterns))
    }

    fn rest(
        &self,
        patterns: &[PatternNode],
        nodes: &[Node<'_>],
        bound: &mut Bindings,
        whole: bool,
        failures: &mut Failures,
    ) -> Option<usize> {
        let Some((first, rest)) = patterns.split_first() else {
            if let (Some(probe), true, Some(more)) = (self.probe, whole, nodes.first()) {
                probe.more(*more);
            }
            return (!whole || nodes.is_empty()).then_some(0);
        };
        if let PatternNode::Many(index) = first {
            // The fixed patterns after it bound how many nodes it may take.
            let most = nodes.len().checked_sub(least(rest))?;
            let least = if whole && !rest.iter().any(is_run) { most } else { 0 };
            let state = failures.state(patterns.len(), nodes.len(), bound);
            if state.as_ref().is_some_and(|state| failures.seen.contains(state)) {
                return None;
            }
            for taken in least..=most {
                if !self.step() {
                    return None;
                }
                let saved = bound.clone();
                if self.bind_run(*index, &nodes[..taken], bound)
                    && let Some(more) = self.rest(rest, &nodes[taken..], bound, whole, failures)
                {
                    return Some(taken + more);
                }
                *bound = saved;
            }
            failures.seen.extend(state);
            return None;
        }
        let Some((node, others)) = nodes.split_first() else {
            self.probe.inspect(|probe| probe.lacks(first));
            return None;
        };
        if whole && self.probe.is_none() && others.len() < least(rest) {
            return None;
        }
        if !self.node(first, *node, bound) {
            return None;
        }
        self.rest(rest, others, bound, whole, failures).map(|more| more + 1)
    }

    /// Whether what a text stands for matches; each thing that it may stand for takes a step, since a file may import one name
    /// from thousands of modules.
    fn stands_for(&self, regex: &Expression, text: &[u8], offset: usize) -> bool {
        self.meanings.imports.may_be(text, offset, || self.step(), |path| regex.is_match(path))
    }

    /// Lets a hole take a range, unless its conditions or an earlier place of the same name forbid it.
    pub(super) fn bind(&self, index: usize, node: Option<Node<'_>>, range: Range<usize>, bound: &mut Bindings) -> bool {
        self.bind_within(index, node, range, &|| node, bound)
    }

    /// The same for a run of neighbours.
    fn bind_run(&self, index: usize, nodes: &[Node<'_>], bound: &mut Bindings) -> bool {
        let range = match nodes {
            [] => 0..0,
            [first, ..] => first.start_byte()..nodes[nodes.len() - 1].end_byte(),
        };
        // What is between them hangs on the same parent.
        self.bind_within(index, None, range, &|| nodes.first()?.parent(), bound)
    }

    /// The same for a range in a node, whose comments are asked for when the text doesn't fit as it is.
    fn bind_within<'t>(
        &self,
        index: usize,
        node: Option<Node<'_>>,
        range: Range<usize>,
        around: &dyn Fn() -> Option<Node<'t>>,
        bound: &mut Bindings,
    ) -> bool {
        let hole = &self.holes[index];
        let tables = self.language.tables();
        if node.is_some_and(|n| {
            tables.is(n.kind_id(), Class::Comment) || hole.node.is_some_and(|class| !tables.is_at_heart(n, class))
        }) {
            return false;
        }
        let Some(text) = self.source.get(range.clone()) else { return false };
        let offset = range.start;
        let fits = |text: &[u8]| {
            hole.text.as_ref().is_none_or(|regex| regex.is_match(text))
                && hole.stands_for.as_ref().is_none_or(|regex| self.stands_for(regex, text, offset))
        };
        let is_plain_fit =
            || node.and_then(|node| plain_text(self.source, node, self.language)).is_some_and(|plain| fits(&plain));
        let uncommented = || uncommented_text(self.source, around()?, range.clone(), self.language);
        if !fits(text) && !is_plain_fit() && !uncommented().is_some_and(|text| fits(&text)) {
            return false;
        }
        if self.given.iter().any(|(name, taken)| *name == hole.name && *taken != text) {
            return false;
        }
        // Asked last, since it may take a walk through the file.
        if let (Some(varies), Some(node)) = (&hole.varies, node)
            && self.meanings.constants.is_constant(node, varies.escaped_by.as_ref())
        {
            return false;
        }
        match &bound[index] {
            Some(earlier) => self.source.get(earlier.clone()) == Some(text),
            None => {
                bound[index] = Some(range);
                true
            }
        }
    }
}

/// Keeps what holes have taken only where all of it matches.
pub(super) fn tentatively(bound: &mut Bindings, matches: impl FnOnce(&mut Bindings) -> bool) -> bool {
    let mut taken = bound.clone();
    let found = matches(&mut taken);
    if found {
        *bound = taken;
    }
    found
}
