//! The search through a parsed file: one walk that gathers what the plans of all rules need (`gather`), then the plans.
//!
//! One walk serves all rules. A walk of its own for each would be simpler, and would go through the tree two hundred
//! times: moving from node to node costs more than looking at one. So the walk asks each kind once what it
//! means to anybody (`interest`), notes where rules begin, and the rules run afterwards, kind by kind.

use std::cell::{Cell, LazyCell, RefCell};
use std::ops::Range;
use std::rc::Rc;

use foldhash::HashMap;
use tree_sitter::Node;

use super::beginnings::{Beginning, Beginnings};
use super::explained::is_explained;
use super::found::{Found, Origin, Scope};
use super::macros::{is_in, may_have_sign, may_hold};
use super::templated::is_templated;
use super::words::Words;
use crate::lang::{Class, TestMark, nests_too_deep};
use crate::pattern::{ancestors, budget};
use crate::rule::{
    Area, Clause, Entry, Frame, FunctionFinder, Gathered, LanguageSet, Match, ParsedFile, Plan, Rule, RuleSet, TooMany,
    Zone,
};

/// Matches of expressions: the entry that each belongs to, and its bytes.
pub(super) type TextMatches = Vec<(u32, Range<usize>)>;

/// A search through a file.
pub(super) struct Search<'a> {
    pub file: ParsedFile<'a>,
    /// Whether its text is the file byte for byte.
    editable: bool,
    /// All rules, for what is said of a finding.
    rules: &'a RuleSet,
    /// What is compiled of them for the language.
    set: &'a LanguageSet,
    /// The entries that may find something, in order.
    possible: &'a [u32],
    /// Those of them that look at functions.
    functions: Vec<(u32, &'a dyn FunctionFinder)>,
    words: &'a Words,
    /// Where matches count, in order; everywhere when `None`.
    within: Option<Vec<Range<usize>>>,
    /// Macros that were met, in order.
    pub macros: RefCell<Vec<Node<'a>>>,
    /// Whether there was something deeper than is looked at.
    pub too_deep: Cell<bool>,
    /// The entry that took the last of the steps.
    spent: Cell<Option<u32>>,
    /// An entry that asked for more than can be tried.
    overrun: Cell<Option<u32>>,
    /// Whether filters ask for what lets a match be, which no comment may say with the words of code.
    pub excusing: Cell<bool>,
    /// What was found inside of nodes: by the address of the filter that asked, and the node's id.
    pub inside: RefCell<HashMap<(usize, usize), bool>>,
    /// The node that a filter looked out from last, and the nodes around it: several filters ask from one node.
    around: RefCell<Option<(Node<'a>, Rc<[Node<'a>]>)>>,
}

impl<'a> Search<'a> {
    pub fn new(
        file: ParsedFile<'a>,
        editable: bool,
        rules: &'a RuleSet,
        set: &'a LanguageSet,
        possible: &'a [u32],
        words: &'a Words,
    ) -> Self {
        // Cells, since filters look back into the search that calls them.
        let (too_deep, spent, overrun) = (Cell::new(false), Cell::new(None), Cell::new(None));
        // They are asked while the walk leaves functions, so they are at hand.
        let functions = possible.iter().filter_map(|&index| match &set.entries[index as usize].plan {
            Plan::Functions { finder, .. } => Some((index, &**finder)),
            Plan::Nodes { .. } | Plan::Lines(_) | Plan::File { .. } | Plan::Suppressions(_) => None,
        });
        let functions = functions.collect();
        let (inside, around) = (RefCell::default(), RefCell::default());
        let macros = RefCell::default();
        Self {
            file,
            editable,
            rules,
            set,
            possible,
            functions,
            words,
            within: None,
            macros,
            too_deep,
            spent,
            overrun,
            excusing: Cell::new(false),
            inside,
            around,
        }
    }

    /// The same with matches in some ranges only, which are in order.
    pub fn within(self, ranges: Vec<Range<usize>>) -> Self {
        Self { within: Some(ranges), ..self }
    }

    /// Whether an entry that looks at nodes may find something in the tokens of a macro.
    pub fn may_begin_in(&self, index: u32, tokens: &Range<usize>) -> bool {
        let (entry, tables) = (self.entry(index), self.file.language.tables());
        let text = &self.file.source[tokens.clone()];
        // Without words it would be tried in every macro, and most hold no more than names and texts.
        if let Plan::Nodes { holds_words, signs, .. } = &entry.plan {
            if *holds_words && !entry.needs.0.is_empty() {
                return self.words.allow(&entry.needs, tokens);
            }
            if let Some(signs) = signs {
                return may_have_sign(text, &signs.texts, signs.between_same);
            }
        }
        let signs: Option<Vec<_>> = entry.plan.kinds().iter().map(|kind| tables.signs_of(*kind)).collect();
        signs.is_none_or(|signs| may_have_sign(text, &signs.concat(), false))
    }

    /// Whether matches at a node count.
    fn counts(&self, node: Node<'_>) -> bool {
        // A definition in a macro lacks what the macro adds to it, such as its documentation.
        // Asked last, since nearly all searches are of whole files.
        let is_definition = || self.file.language.tables().is_definition(node.kind_id());
        let is_within = |ranges: &Vec<Range<usize>>| !is_definition() && is_in(&node.byte_range(), ranges);
        self.file.is_known(node) && self.within.as_ref().is_none_or(is_within)
    }

    /// Whether matches count in some ranges only, and none of them can be in a node.
    pub(super) fn is_outside(&self, node: Node<'_>) -> bool {
        self.within.as_ref().is_some_and(|ranges| !may_hold(&node.byte_range(), ranges))
    }

    /// Whether figures of functions are asked for.
    pub(super) fn measures_functions(&self) -> bool {
        !self.functions.is_empty()
    }

    /// The nodes around a node, outermost first.
    pub fn around(&self, node: Node<'a>) -> Rc<[Node<'a>]> {
        // Walking up is slow: a node doesn't know its parent, so it is found from the root.
        if let Some((last, around)) = &*self.around.borrow()
            && *last == node
        {
            return around.clone();
        }
        let around: Rc<[Node<'a>]> = ancestors(self.file.root(), node).into();
        self.around.replace(Some((node, around.clone())));
        around
    }

    /// Everything that the possible entries find; `text` has the matches of their expressions.
    pub fn run(&self, text: TextMatches) -> Vec<Found> {
        let mut found = Vec::new();
        let walked = self.walk(&text, &mut found);
        if !self.too_deep.get() {
            self.nodes(walked.beginnings, &mut found);
            self.files(&walked.gathered, &mut found);
            self.lines(text, &walked.zones, &mut found);
            self.leave_alone(&walked.zones, &mut found);
        }
        found
    }

    /// Takes out what rules skip: what comments explain, what templates fill in, and tests between other code.
    fn leave_alone(&self, zones: &[(Range<usize>, Zone)], found: &mut Vec<Found>) {
        let (source, language) = (self.file.source, self.file.language);
        let comments = LazyCell::new(|| {
            let comments = zones.iter().filter(|(_, zone)| *zone == Zone::Comment);
            comments.map(|(range, _)| range.clone()).collect::<Vec<_>>()
        });
        found.retain(|found| {
            let rule = &self.rules.rules()[found.rule];
            // Asked of what was found, since that is little and comments are many.
            let is_left = rule.skip_explained && is_explained(&found.range, &comments, source, language)
                || rule.skip_templated && is_templated(&found.range, source, language)
                || rule.skip_areas.contains(&Area::Tests) && self.is_in_test(&found.range);
            !is_left
        });
    }

    /// Whether a place is in an item that is marked as there for tests only, or in a mark of it.
    fn is_in_test(&self, place: &Range<usize>) -> bool {
        let file = &self.file;
        let Some(mark) = file.language.test_mark else { return false };
        let is_a = |node: &Node<'_>, class| file.language.tables().is(node.kind_id(), class);
        let is_marked = |item: &Node<'_>| match mark {
            TestMark::Name(begins) => {
                is_a(item, Class::Function)
                    && item.child_by_field_name("name").is_some_and(|n| file.text(n).starts_with(begins.as_bytes()))
            }
            TestMark::Before(kind, says_so) => {
                let before = std::iter::successors(item.prev_named_sibling(), Node::prev_named_sibling);
                // Several marks may be above an item, with comments between.
                let marks = before.filter(|node| !is_a(node, Class::Comment)).take_while(|node| node.kind() == kind);
                marks.into_iter().any(|node| says_so(file.text(node)))
            }
        };
        let node = file.around(place);
        self.around(node).iter().chain([&node]).any(is_marked)
    }

    /// Why not everything could be looked for.
    pub fn fault(&self) -> Option<String> {
        let id = |entry: u32| &self.rule(entry).id;
        if self.too_deep.get() {
            return Some(nests_too_deep());
        }
        // What was found until then may lack anything, so the whole file counts as unexamined.
        if self.file.steps.get() == 0 {
            let rule = self.spent.get().map_or("its rules", |entry| id(entry));
            let most = budget(self.file.source);
            return Some(format!("matching takes more than the allowed {most} steps, in rule `{rule}`"));
        }
        let entry = self.overrun.get()?;
        Some(format!("rule `{}` would have to be tried in too many places", id(entry)))
    }

    pub(super) fn entry(&self, index: u32) -> &'a Entry {
        &self.set.entries[index as usize]
    }

    pub(super) fn rule(&self, entry: u32) -> &'a Rule {
        &self.rules.rules()[self.entry(entry).rule]
    }

    fn clause(&self, entry: u32) -> &'a Clause {
        &self.rule(entry).clauses[self.entry(entry).clause]
    }

    pub(super) fn plans(&self) -> impl Iterator<Item = (u32, &'a Plan)> {
        self.possible.iter().map(|&index| (index, &self.entry(index).plan))
    }

    /// Runs a finder, with what it finds going through the filters of its entry.
    fn try_entry(
        &self,
        entry: u32,
        found: &mut Vec<Found>,
        find: impl FnOnce(&mut dyn FnMut(Node<'a>, Match<'_>)) -> Result<(), TooMany>,
    ) {
        // A query that begins in very many places at once would take memory without end.
        // What it found until then is dropped with the file.
        if find(&mut |node, m| self.report(entry, node, m, found)).is_err() {
            self.overrun.set(Some(entry));
        }
        // The first entry that met the end is named, although all share the budget.
        if self.file.steps.get() == 0 && self.spent.get().is_none() {
            self.spent.set(Some(entry));
        }
    }

    /// The plans that begin at nodes. All are tried at each node, since what that takes is at hand then.
    fn nodes(&self, beginnings: Beginnings<'a>, found: &mut Vec<Found>) {
        // A table by the index: which of the set's entries may find something in this file.
        let mut active = vec![false; self.set.entries.len()];
        self.possible.iter().for_each(|&index| active[index as usize] = true);
        let entries_at = |kind: u16| {
            let entries = self.set.by_kind[usize::from(kind)].iter().filter(|&&index| active[index as usize]);
            let entries = entries.filter_map(|&index| match &self.entry(index).plan {
                Plan::Nodes { finder, holds_words, signs, below, .. } => {
                    Some((index, finder, *holds_words, signs, &below[..]))
                }
                Plan::Functions { .. } | Plan::Lines(_) | Plan::File { .. } | Plan::Suppressions(_) => None,
            });
            entries.collect::<Vec<_>>()
        };
        // A table by the kind, too: it is asked at every node at which rules begin.
        let mut of_kind: Vec<Option<Vec<_>>> = vec![None; self.set.by_kind.len()];
        self.file.know_children(beginnings.children, beginnings.kept.into_iter());
        for Beginning { node, kind, below: there } in beginnings.all {
            let entries = of_kind[usize::from(kind)].get_or_insert_with(|| entries_at(kind));
            for &mut (index, finder, holds_words, signs, below) in entries {
                // Nodes without the entry's words and signs in them, or without what it asks for below, can't match.
                if (below.is_empty() || below.iter().any(|asked| asked.may_be_in(&there)))
                    && (!holds_words || self.words.allow(&self.entry(index).needs, &node.byte_range()))
                    && signs.as_ref().is_none_or(|s| node.has_error() || s.may_be_in(self.file.text(node)))
                    && self.counts(node)
                {
                    self.try_entry(index, found, |found| finder.at(&self.file, node, found));
                }
            }
        }
    }

    /// The plans that look at the whole tree.
    fn files(&self, gathered: &Gathered<'a>, found: &mut Vec<Found>) {
        for (index, plan) in self.plans() {
            // They come after the walk, which gathered comments and scopes for them.
            if let Plan::File { finder, .. } = plan {
                self.try_entry(index, found, |found| finder.find(&self.file, gathered, found));
            }
        }
    }

    /// The plans that look at functions, at one that the walk has left.
    pub(super) fn counted(&self, function: &Frame<'a>, found: &mut Vec<Found>) {
        for (index, finder) in &self.functions {
            if let Some(m) = finder.at(&self.file, function)
                && self.file.is_known(function.node)
            {
                self.report(*index, function.node, m, found);
            }
        }
    }

    /// What is left of the matches of expressions.
    fn lines(&self, text: TextMatches, zones: &[(Range<usize>, Zone)], found: &mut Vec<Found>) {
        for (index, range) in text {
            let Plan::Lines(finder) = &self.entry(index).plan else { continue };
            // Expressions ran before parsing; what their groups took is asked for only now.
            let Some(m) = finder.at(self.file.source, &range) else { continue };
            let node = self.file.around(&m.range);
            // Where the zone isn't sure, neither is the match.
            // A word in a string isn't code, and one in code isn't a comment.
            let counts = finder.zones().is_empty()
                || finder.zones().contains(&zone_of(zones, m.range.start)) && self.file.is_known(node);
            if counts {
                self.report(index, node, m, found);
            }
        }
    }

    /// Takes a match that the filters of its clause let through, seen from a node.
    fn report(&self, index: u32, node: Node<'a>, m: Match<'_>, found: &mut Vec<Found>) {
        let (entry, clause, file) = (self.entry(index), self.clause(index), &self.file);
        // Whole-file finders don't know what was made up around a fragment.
        if matches!(entry.plan, Plan::File { .. })
            && file.known.as_ref().is_some_and(|known| m.range.start < known.start || m.range.end > known.end)
        {
            return;
        }
        if !clause.filters.is_empty() {
            // What a match at a node must not be is asked of that node, which may be larger, or the first of several.
            let range = match entry.plan {
                Plan::Nodes { .. } | Plan::Functions { .. } => node.start_byte()..m.range.end.max(node.end_byte()),
                Plan::Lines(_) | Plan::File { .. } | Plan::Suppressions(_) => m.range.clone(),
            };
            if !self.passes(clause, node, range, &m.texts(file.source)) {
                return;
            }
        }
        // Filters may look from a node around what the finding is about.
        // The definition around a finding is that of its own place.
        let is_around = node.start_byte() < m.range.start || m.range.end < node.end_byte();
        let range = m.range.clone();
        let place = || if is_around { file.around(&range) } else { node };
        // Only hits need it, and facts are far more.
        let scope = || Scope::of(file.language, file.source, file.root(), place());
        let (rule, source) = (self.rule(index), file.source);
        let origin = Origin { index: entry.rule, rule, clause, source, editable: self.editable };
        found.extend(Found::new(origin, m, Some(file), scope));
    }
}

/// The zone at a byte offset; `zones` are in the order of their starts, inner after outer.
fn zone_of(zones: &[(Range<usize>, Zone)], offset: usize) -> Zone {
    let upto = zones.partition_point(|(range, _)| range.start <= offset);
    // Zones nest a few levels at most: the innermost that is still open is near.
    zones[..upto].iter().rev().take(64).find(|(range, _)| range.end > offset).map_or(Zone::Code, |(_, zone)| *zone)
}
