//! Going through a tree, and what the rules find at its nodes.

use std::cell::{Cell, RefCell};
use std::ops::Range;

use tree_sitter::{Node, QueryCursor, StreamingIterator};

use super::captures::{fill_named, fill_plain, texts};
use super::fragment;
use super::measure::{self, Frame};
use super::query::{self, Seen};
use super::words::Words;
use super::{Figure, Lines};
use crate::lang::DEEPEST;
use crate::lang::{Class, Language};
use crate::pattern::{Bindings, Matching};
use crate::pattern::{Children, ancestors};
use crate::rule::{Clause, Hole, LanguageSet, Matcher, MeasureMatch, Rule, RuleSet};

/// A match before its place is put into words.
pub(super) struct Found {
    pub rule: usize,
    pub range: Range<usize>,
    pub message: String,
    pub scope: Scope,
    /// What `many` holes took, in order.
    pub varying: Vec<Range<usize>>,
    pub figure: Option<Figure>,
    /// The collection that takes it, and what its holes took.
    pub fact: Option<(usize, Vec<(String, String)>)>,
}

/// Most matches of a query that may be begun and not yet ended.
const MOST_STARTED: u32 = 1 << 14;

/// The named definitions around and with a node.
#[derive(Debug, Default)]
pub(super) struct Scope {
    /// Their names, outermost first, joined with dots.
    pub names: String,
    /// The innermost one.
    innermost: Option<Range<usize>>,
}

impl Scope {
    pub fn of(language: &Language, source: &[u8], root: Node<'_>, node: Node<'_>) -> Self {
        let tables = language.tables();
        let around = ancestors(root, node);
        let definitions = around.into_iter().chain([node]).filter(|n| tables.is_definition(n.kind_id()));
        let named: Vec<_> = definitions.filter_map(|n| Some((language.definition_name(n, source)?, n))).collect();
        let names = named.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(".");
        Self { names, innermost: named.last().map(|(_, n)| n.byte_range()) }
    }

    /// The first and the last line of the innermost one, 1-based.
    pub fn lines(&self, lines: &Lines<'_>) -> Option<(u32, u32)> {
        let Range { start, end } = self.innermost.clone()?;
        Some((lines.line_of(start) as u32 + 1, lines.line_of(end.saturating_sub(1).max(start)) as u32 + 1))
    }
}

/// A step of the walk.
pub(super) enum Step<'t> {
    /// Into a node.
    Enter {
        node: Node<'t>,
        /// How deep it stands below the root.
        depth: u32,
        /// The kind of the node around it; 0 for the root.
        parent: u16,
    },
    /// Out of the node that was entered last and not left yet, with how deep it stands.
    Leave(u32),
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

    /// Whether there is a mark in the rest of a node, behind what is done in it.
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

pub(super) struct Walk<'a> {
    pub source: &'a [u8],
    pub root: Node<'a>,
    /// Whether there was something deeper than is looked at.
    pub too_deep: Cell<bool>,
    pub language: &'static Language,
    /// What plain queries have seen.
    pub seen: Seen<'a>,
    /// Runs queries; making one is costly next to running it at a node.
    pub cursor: RefCell<QueryCursor>,
    /// How many steps of matching are left.
    pub steps: Cell<u64>,
    /// Where the text is a fragment that was completed, the part that is known.
    pub own: Option<Range<usize>>,
    /// The entry that took the last of them.
    pub spent: Cell<Option<u32>>,
    /// An entry whose query began in too many places at once.
    pub overrun: Cell<Option<u32>>,
    pub rules: &'a RuleSet,
    pub set: &'a LanguageSet,
    pub words: &'a Words,
}

impl<'a> Walk<'a> {
    pub fn rule(&self, entry: u32) -> &Rule {
        &self.rules.rules()[self.set.entries[entry as usize].rule]
    }

    pub fn clause(&self, entry: u32) -> &Clause {
        &self.rule(entry).clauses[self.set.entries[entry as usize].clause]
    }

    /// Goes through the nodes with and below `root`, parents first: those that hold one of the marks (offsets in order;
    /// without them, all), and of those without a name in the grammar, which hold nothing, none unless `signs`. What
    /// `visit` answers to entering a node decides whether its children are entered.
    pub fn all<'t>(
        &self,
        root: Node<'t>,
        marks: Option<&[u32]>,
        signs: bool,
        visit: &mut impl FnMut(Step<'t>) -> bool,
    ) {
        let mut marks = Marks { all: marks, passed: 0 };
        // The nodes around, with the children of each that are still to come.
        let mut around: Vec<(Node<'t>, u16, Children<'t>)> = Vec::new();
        let mut node = root;
        loop {
            let (depth, parent) = (around.len() as u32, around.last().map_or(0, |(_, kind, _)| *kind));
            let mut done = None;
            if visit(Step::Enter { node, depth, parent }) && marks.are_in(node) {
                let children = if signs { Children::all(node) } else { Children::named(node) };
                around.push((node, node.kind_id(), children));
            } else {
                visit(Step::Leave(depth));
                done = Some(node);
            }
            node = loop {
                let Some((outer, _, children)) = around.last_mut() else { return };
                let outer = *outer;
                let more = done.is_none_or(|done| marks.are_behind(done, outer));
                let next = if more { children.find(|child| marks.are_in(*child)) } else { None };
                if let Some(next) = next {
                    if around.len() > DEEPEST {
                        self.too_deep.set(true);
                        return;
                    }
                    break next;
                }
                around.pop();
                done = Some(outer);
                visit(Step::Leave(around.len() as u32));
            };
        }
    }

    /// Whether all of a node is known: in a fragment, only what lies wholly in it.
    pub fn is_known(&self, node: Node<'_>) -> bool {
        let Some(own) = &self.own else { return true };
        if !fragment::counts(node, self.root, own) {
            return false;
        }
        // A block told by indentation may go on behind the fragment.
        let classes = [Class::Function, Class::Class, Class::Loop, Class::Branch];
        let tables = self.language.tables();
        let may_go_on = self.language.name == "python" && classes.iter().any(|c| tables.is(node.kind_id(), *c));
        let rest = self.source.get(node.end_byte()..own.end).unwrap_or_default();
        !may_go_on || !rest.trim_ascii().is_empty()
    }

    /// Tries one entry at a node of its kind.
    pub fn at(&self, entry: u32, node: Node<'a>, found: &mut Vec<Found>) {
        if !self.is_known(node) {
            return;
        }
        let compiled = &self.set.entries[entry as usize];
        if compiled.marked && !self.words.allow(&compiled.needs, &node.byte_range()) {
            return;
        }
        match &self.clause(entry).matcher {
            Matcher::Tree(_) => self.query(entry, node, Some(0), found),
            _ => found.extend(self.one_at(entry, node)),
        }
        if self.steps.get() == 0 && self.spent.get().is_none() {
            self.spent.set(Some(entry));
        }
    }

    /// What a pattern or a measure finds at a node.
    fn one_at(&self, entry: u32, node: Node<'_>) -> Option<Found> {
        let clause = self.clause(entry);
        match &clause.matcher {
            Matcher::Code(code) => {
                let pattern = code.pattern(self.language).ok()?;
                let (source, language) = (self.source, self.language);
                let (bound, range) =
                    Matching { source, language, holes: &code.holes, given: &[], probe: None, steps: &self.steps }
                        .at(pattern, node)?;
                if !clause.filters.is_empty() {
                    let taken = code.holes.iter().zip(&bound);
                    let given: Vec<_> = taken
                        .filter_map(|(hole, range)| Some((hole.name.as_str(), source.get(range.clone()?)?)))
                        .collect();
                    if !self.passes(clause, node, &given) {
                        return None;
                    }
                }
                if let Some(collection) = clause.collection {
                    return Some(self.fact(entry, range, collection, texts(self.source, &code.holes, &bound)));
                }
                let message = self.message(entry, &range, &code.holes, &bound);
                let varying = varying(&code.holes, &bound);
                Some(Found { message, varying, ..self.plain(entry, range, node) })
            }
            Matcher::Measure(m) => {
                let value = measure::at_once(m, node, self.source, self.language)?;
                self.over(entry, m, node, value)
            }
            Matcher::Text(_)
            | Matcher::Tree(_)
            | Matcher::Key(_)
            | Matcher::Names(_)
            | Matcher::CommentedCode
            | Matcher::Suppression(_)
            | Matcher::Syntax => None,
        }
    }

    /// Everything that a query finds from a node on, beginning at most so deep below it.
    pub fn query(&self, entry: u32, root: Node<'a>, depth: Option<u32>, found: &mut Vec<Found>) {
        let Matcher::Tree(tree) = &self.clause(entry).matcher else { return };
        if let Some(plain) = tree.plain(self.language).filter(|_| depth == Some(0)) {
            let told = query::matches(plain, root, self.source, &self.seen, &mut |taken| {
                let captured = plain.order.iter().filter_map(|&at| Some((&*plain.captures[at], taken[at]?)));
                found.extend(self.captured(entry, &captured.collect::<Vec<_>>(), |name| {
                    plain.captures.iter().any(|own| own == name)
                }));
            });
            if told.is_err() {
                self.overrun.set(Some(entry));
            }
            return;
        }
        let Ok(query) = tree.query(self.language) else { return };
        let names = query.capture_names();
        let mut cursor = self.cursor.borrow_mut();
        cursor.set_match_limit(MOST_STARTED);
        cursor.set_max_start_depth(depth);
        let mut matches = cursor.matches(query, root, self.source);
        while let Some(m) = matches.next() {
            let captured: Vec<_> = m.captures().iter().map(|c| (names[c.index as usize], c.node)).collect();
            found.extend(self.captured(entry, &captured, |name| names.contains(&name)));
        }
        drop(matches);
        if cursor.did_exceed_match_limit() {
            self.overrun.set(Some(entry));
        }
    }

    /// What the captures of a match give, when its filters let it through; `is_capture` tells the query's captures.
    fn captured(&self, entry: u32, taken: &[(&str, Node<'_>)], is_capture: impl Fn(&str) -> bool) -> Option<Found> {
        let named = |name: &str| taken.iter().find(|(own, _)| *own == name).map(|(_, node)| *node);
        let node = named("here").or_else(|| taken.first().map(|(_, node)| *node))?;
        if !taken.iter().all(|(_, node)| self.is_known(*node)) {
            return None;
        }
        let clause = self.clause(entry);
        if !clause.filters.is_empty() {
            let given: Vec<_> =
                taken.iter().filter_map(|(name, node)| Some((*name, self.source.get(node.byte_range())?))).collect();
            if !self.passes(clause, named("whole").unwrap_or(node), &given) {
                return None;
            }
        }
        let text = |node: Node<'_>| String::from_utf8_lossy(&self.source[node.byte_range()]).into_owned();
        if let Some(collection) = clause.collection {
            let holes = taken.iter().map(|(name, node)| ((*name).to_owned(), text(*node))).collect();
            return Some(self.fact(entry, node.byte_range(), collection, holes));
        }
        let message = self.rule(entry).say(|gap| match gap {
            "match" => Some(text(node)),
            name => named(name).map(text).or_else(|| is_capture(name).then(String::new)),
        });
        let varying = self.body_of(node);
        Some(Found { message, varying, ..self.plain(entry, node.byte_range(), node) })
    }

    /// What stands behind the first line of a definition, loop or branch: a query that captures one names what it begins with.
    fn body_of(&self, node: Node<'_>) -> Vec<Range<usize>> {
        let tables = self.language.tables();
        let classes = [Class::Function, Class::Class, Class::Loop, Class::Branch];
        let range = node.byte_range();
        let first = self.source.get(range.clone()).and_then(|text| memchr::memchr(b'\n', text));
        match first {
            Some(at) if classes.iter().any(|c| tables.is(node.kind_id(), *c)) => {
                std::iter::once(range.start + at..range.end).collect()
            }
            _ => Vec::new(),
        }
    }

    /// A figure that was counted on the way through a function.
    pub fn counted(&self, entry: u32, frame: &Frame<'_>) -> Option<Found> {
        match &self.clause(entry).matcher {
            Matcher::Measure(m) => self.over(entry, m, frame.node, frame.figure(m.measure)?),
            Matcher::Code(_)
            | Matcher::Text(_)
            | Matcher::Tree(_)
            | Matcher::Key(_)
            | Matcher::Names(_)
            | Matcher::CommentedCode
            | Matcher::Suppression(_)
            | Matcher::Syntax => None,
        }
    }

    /// A finding when a figure is over its limit.
    fn over(&self, entry: u32, m: &MeasureMatch, node: Node<'_>, value: u64) -> Option<Found> {
        if value <= m.over || !self.is_known(node) || !self.passes(self.clause(entry), node, &[]) {
            return None;
        }
        let name = self.language.definition_name(node, self.source);
        // The name stands for the definition; without one, its first line does.
        let range = node.child_by_field_name("name").map_or_else(
            || {
                node.start_byte()
                    ..node.start_byte()
                        + self.source[node.byte_range()]
                            .iter()
                            .position(|b| *b == b'\n')
                            .unwrap_or(node.byte_range().len())
            },
            |n| n.byte_range(),
        );
        let message = self.rule(entry).say(|gap| match gap {
            "name" => Some(name.unwrap_or("(anonymous)").to_owned()),
            "value" => Some(value.to_string()),
            "limit" => Some(m.over.to_string()),
            "match" => Some(String::from_utf8_lossy(&self.source[range.clone()]).into_owned()),
            _ => None,
        });
        let scope = self.scope(node);
        Some(Found {
            rule: self.set.entries[entry as usize].rule,
            range,
            message,
            scope,
            varying: Vec::new(),
            figure: Some(Figure { value, limit: m.over }),
            fact: None,
        })
    }

    pub fn plain(&self, entry: u32, range: Range<usize>, node: Node<'_>) -> Found {
        let message = fill_plain(self.rule(entry), self.source, &range);
        let rule = self.set.entries[entry as usize].rule;
        Found { rule, message, scope: self.scope(node), range, varying: Vec::new(), figure: None, fact: None }
    }

    /// A fact. There are many and few become findings, so the words about it are left for then.
    fn fact(&self, entry: u32, range: Range<usize>, collection: usize, texts: Vec<(String, String)>) -> Found {
        let rule = self.set.entries[entry as usize].rule;
        let (message, scope) = (String::new(), Scope::default());
        Found { rule, message, scope, range, varying: Vec::new(), figure: None, fact: Some((collection, texts)) }
    }

    /// What has named texts: a hit whose message tells them, or a fact.
    pub fn named(&self, entry: u32, range: Range<usize>, node: Node<'_>, texts: Vec<(String, String)>) -> Found {
        if let Some(collection) = self.clause(entry).collection {
            return self.fact(entry, range, collection, texts);
        }
        let message = fill_named(self.rule(entry), self.source, &range, &texts);
        Found { message, ..self.plain(entry, range, node) }
    }

    fn message(&self, entry: u32, range: &Range<usize>, holes: &[Hole], bound: &Bindings) -> String {
        let text = |range: &Range<usize>| String::from_utf8_lossy(&self.source[range.clone()]).into_owned();
        self.rule(entry).say(|gap| match gap {
            "match" => Some(text(range)),
            name => {
                let index = holes.iter().position(|h| h.name == name)?;
                Some(bound[index].as_ref().map(text).unwrap_or_default())
            }
        })
    }

    fn scope(&self, node: Node<'_>) -> Scope {
        Scope::of(self.language, self.source, self.root, node)
    }
}

/// What `many` holes took, in order.
fn varying(holes: &[Hole], bound: &Bindings) -> Vec<Range<usize>> {
    let mut ranges: Vec<_> =
        holes.iter().zip(bound).filter(|(hole, _)| hole.many).filter_map(|(_, range)| range.clone()).collect();
    ranges.sort_by_key(|range| range.start);
    ranges
}
