//! The one walk through a parsed file, which gathers what the plans of all rules need.

use std::cell::RefMut;
use std::ops::Range;

use tree_sitter::Node;

use super::beginnings::Beginnings;
use super::found::Found;
use super::search::{Search, TextMatches};
use super::walk::{Visitor, walk};
use crate::lang::{Class, Tables, interest};
use crate::pattern::{Child, Which};
use crate::rule::{Counting, Gather, Gathered, Plan, Zone};
use crate::scope::Scopes;

/// What the walk gives.
pub(super) struct Walked<'t> {
    /// For whole files.
    pub gathered: Gathered<'t>,
    /// Comments and strings, in the order of their starts.
    pub zones: Vec<(Range<usize>, Zone)>,
    /// Where rules begin.
    pub beginnings: Beginnings<'t>,
}

/// What the walk has to do.
struct Wanted {
    /// For each node kind, as the bits of [`interest`].
    interests: Vec<u8>,
    /// Whether there is anything to do.
    anything: bool,
    /// Which nodes it goes to.
    nodes: Which,
    /// For each node kind, which children it keeps.
    kept: Vec<Option<Which>>,
}

/// Gathers on the walk.
struct Gatherer<'s, 'a> {
    search: &'s Search<'a>,
    tables: &'static Tables,
    wanted: Wanted,
    scopes: Option<Scopes<'a>>,
    counting: Counting<'a>,
    macros: RefMut<'s, Vec<Node<'a>>>,
    zones: Vec<(Range<usize>, Zone)>,
    comments: Vec<Node<'a>>,
    beginnings: Beginnings<'a>,
    /// What functions gave that were left.
    found: &'s mut Vec<Found>,
}

impl Wanted {
    /// Which children of a node of this kind are kept.
    fn kept(&self, kind: u16) -> Option<Which> {
        self.kept.get(usize::from(kind)).copied().flatten()
    }
}

impl<'a> Visitor<'a> for Gatherer<'_, 'a> {
    // The only place that calls it is the loop over all nodes.
    #[inline(always)]
    fn enter(&mut self, node: Node<'a>, kind: u16, depth: u32, parent: u16) -> Option<Which> {
        if self.search.is_outside(node) {
            self.beginnings.enter(node, depth, None);
            self.beginnings.leave_out();
            return None;
        }
        let interest = self.wanted.interests.get(usize::from(kind)).copied().unwrap_or(0);
        if let Some(scopes) = &mut self.scopes
            && (interest & interest::NAME != 0 || scopes.expects())
        {
            scopes.enter(node, kind, depth);
        }
        self.beginnings.enter(node, depth, (interest & interest::RULE != 0).then_some(kind));
        let children = self.wanted.kept(kind).max(Some(self.wanted.nodes));
        // Most nodes end here.
        if interest & !(interest::LEAF | interest::NAME | interest::RULE) == 0 {
            return children.filter(|_| interest & (interest::LEAF | interest::RULE) != interest::LEAF);
        }
        self.enter_other(node, kind, depth, parent, interest).then_some(children).flatten()
    }

    #[inline(always)]
    fn children(&mut self, node: Node<'a>, kind: u16, children: &[Child<'a>], which: Which) {
        self.beginnings.list(children);
        if self.wanted.kept(kind).is_some() {
            self.beginnings.keep(node, children, which);
        }
    }

    /// Leaving a node ends its scope, and its figures are complete.
    #[inline(always)]
    fn leave(&mut self, depth: u32) {
        if let Some(scopes) = &mut self.scopes {
            scopes.leave(depth);
        }
        if let Some(function) = self.counting.leave(depth) {
            self.search.counted(&function, self.found);
        }
    }
}

impl<'a> Gatherer<'_, 'a> {
    /// Into a node that more than rules wait for; whether anything in it is of interest.
    fn enter_other(&mut self, node: Node<'a>, kind: u16, depth: u32, parent: u16, interest: u8) -> bool {
        if interest & interest::MACRO != 0 {
            self.macros.push(node);
        }
        // Figures of functions are summed up while their bodies go by.
        if self.search.measures_functions() && interest & (interest::FUNCTION | interest::BRANCH) != 0 {
            self.counting.enter(node, kind, depth, parent);
        }
        // A comment is a zone, and rules on comments want them all.
        if interest & interest::COMMENT != 0 {
            self.zones.push((node.byte_range(), Zone::Comment));
            self.comments.push(node);
        } else if interest & interest::STRING != 0 {
            // Between joined strings there may be comments.
            if node.named_child_count() > 1
                && node.named_child(0).is_some_and(|first| self.tables.is(first.kind_id(), Class::String))
            {
                return true;
            }
            self.zones.push((node.byte_range(), Zone::String));
            // Only strings that embed code have anything inside.
            let [a, b, c] = self.search.file.language.embedding_signs;
            if memchr::memchr3(a, b, c, self.search.file.text(node)).is_none() {
                self.beginnings.leave_out();
                return false;
            }
        }
        true
    }
}

impl<'a> Search<'a> {
    /// What the walk has to visit for the possible entries, so that it can leave all else out.
    fn wanted(&self, text: &TextMatches, scopes: Option<&Scopes<'_>>) -> Wanted {
        let tables = self.file.language.tables();
        let mut interests = tables.interests().to_vec();
        // Scopes are analysed on the same walk.
        for (interest, named) in interests.iter_mut().zip(scopes.iter().flat_map(|scopes| scopes.kinds())) {
            *interest |= if named { interest::NAME } else { 0 };
        }
        // Whether a match lies in a comment or a string, or beside a comment, is known only after a walk.
        let zoned = |(entry, _): &(u32, Range<usize>)| {
            self.rule(*entry).skip_explained
                || matches!(&self.entry(*entry).plan, Plan::Lines(finder) if !finder.zones().is_empty())
        };
        let (mut anything, mut signs) = (scopes.is_some() || text.iter().any(zoned), false);
        let mut kept = vec![None; interests.len()];
        for (_, plan) in self.plans() {
            for &kind in plan.kinds() {
                interests[usize::from(kind)] |= interest::RULE;
                anything = true;
                // Visiting operators and brackets doubles the nodes, so it is done only for rules that begin there.
                signs |= !tables.grammar.node_kind_is_named(kind);
            }
            for (kind, which) in plan.families() {
                let known = &mut kept[usize::from(*kind)];
                *known = (*known).max(Some(*which));
            }
            anything |= matches!(plan, Plan::File { gather: Gather::Comments, .. });
        }
        Wanted { interests, anything, nodes: if signs { Which::All } else { Which::Named }, kept }
    }

    /// The one walk. What is counted on it is found on it.
    pub(super) fn walk(&self, text: &TextMatches, found: &mut Vec<Found>) -> Walked<'a> {
        let (file, tables) = (&self.file, self.file.language.tables());
        // Scopes cost a twelfth of parsing, so they are analysed only when a rule asks.
        let scoped = self.plans().any(|(_, plan)| matches!(plan, Plan::File { gather: Gather::Scopes, .. }));
        let scopes = if scoped { Scopes::of(file.source, file.language, file.tree) } else { None };
        let mut gatherer = Gatherer {
            search: self,
            tables,
            wanted: self.wanted(text, scopes.as_ref()),
            scopes,
            counting: Counting::new(file.source, tables),
            macros: self.macros.borrow_mut(),
            zones: Vec::new(),
            comments: Vec::new(),
            beginnings: Beginnings::in_text_of(file.source.len()),
            found,
        };
        // Expressions alone need no walk.
        if gatherer.wanted.anything {
            // Depth is bounded; what nests deeper isn't looked at, and that is reported.
            let deep = walk(file.root(), gatherer.wanted.nodes, &mut gatherer).is_err();
            self.too_deep.set(deep);
        }
        let Gatherer { zones, comments, beginnings, scopes, .. } = gatherer;
        Walked { gathered: Gathered { comments, scopes }, zones, beginnings }
    }
}
