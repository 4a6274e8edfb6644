//! One parse and one walk for all rules of a file.

use std::cell::{Cell, RefCell};
use std::ops::Range;

use tree_sitter::{Node, QueryCursor, StreamingIterator, Tree};

use super::embedded::{self, Part};
use super::lines::Lines;
use super::matcher::{Bindings, Matching};
use super::measure::{Counting, Frame};
use super::names::{Names, in_role};
use super::parse::{DEEPEST, nests_too_deep, parse};
use super::query::{self, Children};
use super::texts::{fill_named, fill_plain, groups, is_excused, place_of, texts};
use super::{Fact, Figure, Hit, Span, Words, allow, comments, keys, measure};
use crate::lang::{Language, Role, interest};
use crate::rule::{
    Hole, KeyMatch, LanguageSet, Matcher, Measure, MeasureMatch, NameMatch, Names as Which, Rule, RuleSet, Way, Zone,
    shorten,
};

/// A match before its place is put into words.
struct Found {
    rule: usize,
    range: Range<usize>,
    message: String,
    scope: String,
    figure: Option<Figure>,
    /// The collection that takes it, and what its holes took.
    fact: Option<(usize, Vec<(String, String)>)>,
}

/// The work on one file.
pub(super) struct Run<'a> {
    source: &'a [u8],
    language: Option<&'static Language>,
    rules: &'a RuleSet,
    /// Matches of text rules, by entry.
    pub text: Vec<(u32, Range<usize>)>,
    tree: Option<Tree>,
    found: Vec<Found>,
    /// Why not everything could be looked for.
    pub fault: Option<String>,
}

impl<'a> Run<'a> {
    pub fn new(source: &'a [u8], language: Option<&'static Language>, rules: &'a RuleSet) -> Self {
        Self { source, language, rules, text: Vec::new(), tree: None, found: Vec::new(), fault: None }
    }

    /// Parses the file, within a number of steps that follows from its size alone.
    pub fn parse(&mut self) -> Result<(), String> {
        let Some(language) = self.language else { return Ok(()) };
        self.tree = Some(parse(self.source, language)?);
        Ok(())
    }

    /// Code of other languages in the file.
    pub fn parts(&self) -> Vec<Part> {
        match (self.language, &self.tree) {
            (Some(language), Some(tree)) => embedded::parts(self.source, language, tree),
            _ => Vec::new(),
        }
    }

    /// The comments that let findings be.
    pub fn allowances(&self) -> Vec<allow::Allowance> {
        allow::find(self.source, self.language, self.tree.as_ref())
    }

    /// Finds everything that the possible entries find. Where each of them needs a word or an opener of the language,
    /// nothing is looked at that has none.
    pub fn find(&mut self, set: &LanguageSet, possible: &[u32], words: &Words) {
        let Some(tree) = self.tree.take() else {
            for (entry, range) in std::mem::take(&mut self.text) {
                let entry = &set.entries[entry as usize];
                self.add_text(entry.rule, entry.way, range);
            }
            return;
        };
        let Some(language) = self.language else { return };
        let mut active = vec![false; set.entries.len()];
        possible.iter().for_each(|&index| active[index as usize] = true);
        let root = tree.root_node();
        let (source, rules, too_deep) = (self.source, self.rules, Cell::new(false));
        let (children, cursor, overrun) = (Children::default(), RefCell::new(QueryCursor::new()), Cell::new(None));
        let walk =
            Walk { source, root, too_deep, language, children, cursor, overrun, rules, set, words, active: &active };
        let zoned =
            self.text.iter().any(|(e, _)| matches!(&walk.way(*e).matcher, Matcher::Text(t) if !t.zones.is_empty()));
        let commented: Vec<u32> =
            possible.iter().copied().filter(|&e| matches!(walk.way(e).matcher, Matcher::CommentedCode)).collect();
        let named: Vec<(u32, &NameMatch)> = possible
            .iter()
            .filter_map(|&e| if let Matcher::Names(names) = &walk.way(e).matcher { Some((e, names)) } else { None })
            .collect();
        let scoped = named.iter().any(|(_, names)| matches!(names.which, Which::Faulty(_)));
        let mut scopes = if scoped { Names::of(source, language, &tree) } else { None };
        let tables = language.tables();
        let mut interests = tables.interests().to_vec();
        for (interest, named) in interests.iter_mut().zip(scopes.iter().flat_map(Names::kinds)) {
            *interest |= if named { interest::NAME } else { 0 };
        }
        let (mut structural, mut counted) = (false, false);
        for &entry in possible {
            for &kind in &set.entries[entry as usize].kinds {
                interests[usize::from(kind)] |= interest::RULE;
                structural = true;
            }
            let counts = |m: &MeasureMatch| matches!(m.measure, Measure::Nesting | Measure::Branches);
            counted |= matches!(&walk.way(entry).matcher, Matcher::Measure(m) if counts(m));
        }
        let needs_mark = |entry: &u32| {
            set.entries[*entry as usize].marked
                || matches!(
                    walk.way(*entry).matcher,
                    Matcher::Text(_) | Matcher::Key(_) | Matcher::Names(_) | Matcher::Allowance(_)
                )
        };
        let pruned = set.finder.is_some() && set.is_marked && scopes.is_none() && possible.iter().all(needs_mark);
        let marks = pruned.then(|| {
            let mut marks = words.marks.clone();
            marks.extend(self.text.iter().map(|(_, range)| range.start as u32));
            marks.sort_unstable();
            marks
        });
        let mut found = Vec::new();
        let mut zones = Vec::new();
        let mut comment_nodes = Vec::new();
        let mut counting = Counting::default();
        let entries = |kind: u16| walk.set.by_kind[usize::from(kind)].iter().copied().filter(|&e| active[e as usize]);
        if structural || zoned || !commented.is_empty() || scopes.is_some() {
            walk.all(root, marks.as_deref(), &mut |step| {
                let (node, depth, parent) = match step {
                    Step::Enter { node, depth, parent } => (node, depth, parent),
                    Step::Leave(depth) => {
                        if let Some(scopes) = &mut scopes {
                            scopes.leave(depth);
                        }
                        if let Some(frame) = counting.leave(depth) {
                            found.extend(entries(frame.node.kind_id()).filter_map(|e| walk.counted(e, &frame)));
                        }
                        return false;
                    }
                };
                let kind = node.kind_id();
                let interest = interests.get(usize::from(kind)).copied().unwrap_or(0);
                if let Some(scopes) = &mut scopes
                    && (interest & interest::NAME != 0 || scopes.expects())
                {
                    scopes.enter(node, depth);
                }
                if interest & !(interest::LEAF | interest::NAME) == 0 {
                    return interest & interest::LEAF == 0;
                }
                if interest & interest::RULE != 0 {
                    entries(kind).for_each(|e| walk.at(e, node, &mut found));
                }
                if counted && interest & (interest::FUNCTION | interest::BRANCH) != 0 {
                    counting.enter(node, depth, parent, tables);
                }
                if interest & interest::COMMENT != 0 {
                    zones.push((node.byte_range(), Zone::Comment));
                    comment_nodes.push(node);
                } else if interest & interest::STRING != 0 {
                    zones.push((node.byte_range(), Zone::String));
                    // Only strings that embed code have anything inside.
                    return self.source[node.byte_range()].contains(&b'{');
                }
                true
            });
        }
        if walk.too_deep.get() {
            self.fault = Some(nests_too_deep());
            return;
        }
        // Queries that may begin anywhere go through the whole tree.
        for &entry in possible.iter().filter(|e| set.entries[**e as usize].kinds.is_empty()) {
            walk.query(entry, root, None, &mut found);
        }
        for &entry in possible {
            if walk.overrun.get() == Some(entry) {
                self.fault =
                    Some(format!("the query of rule `{}` begins in too many places at once", walk.rule(entry).id));
            }
        }
        if !commented.is_empty() {
            for range in comments::commented_code(self.source, &comment_nodes, language) {
                for &entry in &commented {
                    let node = root.descendant_for_byte_range(range.start, range.start).unwrap_or(root);
                    if walk.passes(walk.way(entry), node, &[]) {
                        found.push(walk.plain(entry, range.clone(), node));
                    }
                }
            }
        }
        for (entry, range) in std::mem::take(&mut self.text) {
            let way = walk.way(entry);
            let Matcher::Text(text) = &way.matcher else { continue };
            let Some(place) = place_of(way, text, self.source, &range) else { continue };
            if !text.zones.is_empty() && !text.zones.contains(&zone_of(&zones, place.start)) {
                continue;
            }
            let node = root.descendant_for_byte_range(place.start, place.end).unwrap_or(root);
            if walk.passes(way, node, &[]) {
                let groups = groups(text, self.source, &range);
                found.push(walk.named(entry, place, node, groups));
            }
        }
        let keyed: Vec<(u32, &KeyMatch)> = possible
            .iter()
            .filter_map(|&e| if let Matcher::Key(key) = &walk.way(e).matcher { Some((e, key)) } else { None })
            .collect();
        if !keyed.is_empty() {
            let matches: Vec<&KeyMatch> = keyed.iter().map(|(_, key)| *key).collect();
            for (index, taken) in keys::find(self.source, language, &tree, &matches) {
                let (entry, key) = keyed[index];
                let node = root.descendant_for_byte_range(taken.range.start, taken.range.end).unwrap_or(root);
                if !is_excused(walk.way(entry), &self.source[taken.range.clone()])
                    && walk.passes(walk.way(entry), node, &[])
                {
                    found.push(walk.named(entry, taken.range, node, texts(self.source, &key.holes, &taken.holes)));
                }
            }
        }
        for (entry, names) in named {
            let globals = |name: &str| names.globals.iter().any(|g| g == name) || rules.is_global(language, name);
            let nodes = match names.which {
                Which::Defined => in_role(&tree, language, Role::Defines),
                Which::Used => in_role(&tree, language, Role::Refers),
                Which::Faulty(fault) => scopes.as_ref().map(|all| all.with(fault, &globals)).unwrap_or_default(),
            };
            let fits =
                |node: &Node<'_>| names.name.as_ref().is_none_or(|regex| regex.is_match(&source[node.byte_range()]));
            for node in nodes.into_iter().filter(fits) {
                if walk.passes(walk.way(entry), node, &[]) {
                    let name = String::from_utf8_lossy(&source[node.byte_range()]).into_owned();
                    found.push(walk.named(entry, node.byte_range(), node, vec![("name".to_owned(), name)]));
                }
            }
        }
        self.found.append(&mut found);
    }

    fn add_text(&mut self, rule: usize, way: usize, range: Range<usize>) {
        let own = &self.rules.rules()[rule];
        let way = &own.ways[way];
        let Matcher::Text(text) = &way.matcher else { return };
        let groups = groups(text, self.source, &range);
        let Some(range) = place_of(way, text, self.source, &range) else { return };
        let message = fill_named(own, self.source, &range, &groups);
        let fact = way.collection.map(|collection| (collection, groups));
        self.found.push(Found { rule, range, message, scope: String::new(), figure: None, fact });
    }

    /// The hits and the facts, in order, each place of a rule once.
    pub fn hits(mut self) -> (Vec<Hit>, Vec<Fact>) {
        let (mut hits, mut facts) = (Vec::new(), Vec::new());
        if self.found.is_empty() {
            return (hits, facts);
        }
        self.found.sort_by(|a, b| {
            (a.range.start, a.range.end, a.rule, &a.fact).cmp(&(b.range.start, b.range.end, b.rule, &b.fact))
        });
        self.found.dedup_by(|a, b| a.rule == b.rule && a.range == b.range && a.fact == b.fact);
        let lines = Lines::new(self.source);
        let is_secret = |f: &&Found| self.rules.rules()[f.rule].secret;
        let secrets: Vec<Range<usize>> = self.found.iter().filter(is_secret).map(|f| f.range.clone()).collect();
        for mut f in std::mem::take(&mut self.found) {
            let overlaps = |s: &Range<usize>| s.start < f.range.end && f.range.start < s.end;
            if !self.rules.rules()[f.rule].secret && secrets.iter().any(overlaps) {
                // Another rule's message must not tell the secret either.
                f.message = self.rules.rules()[f.rule].say(|_| Some("(hidden)".to_owned()));
            }
            let rule = &self.rules.rules()[f.rule];
            let text = &self.source[f.range.clone()];
            let span = lines.span(f.range.clone());
            let Some((collection, mut holes)) = f.fact else {
                hits.push(Hit::new(rule, f.message, span, f.scope, text, f.figure));
                continue;
            };
            let Some(link) = rule.link() else { continue };
            let values = link.kept.iter().map(|name| match name.as_str() {
                "match" => Some(shorten(&String::from_utf8_lossy(text))),
                name => holes.iter_mut().find(|(hole, _)| hole == name).map(|(_, text)| std::mem::take(text)),
            });
            let values: Vec<Option<String>> = values.collect();
            // Without what decides whether it meets another it is no fact.
            let known = values.iter().take(link.on.len()).all(Option::is_some);
            if known || link.collections[collection].of_file_only {
                let values = values.into_iter().map(Option::unwrap_or_default).collect();
                facts.push(Fact { rule: self.rules.mark(f.rule), collection, values, span, allowed: None });
            }
        }
        (hits, facts)
    }
}

/// Most matches of a query that may be begun and not yet ended.
const MOST_STARTED: u32 = 1 << 14;

/// The names of the definitions around places of a file, and the comments in it that let findings be; `None` when it
/// can't be parsed.
pub(super) fn surroundings(
    source: &[u8],
    language: Option<&'static Language>,
    spans: impl Iterator<Item = Span>,
) -> Option<(Vec<String>, Vec<allow::Allowance>)> {
    let tree = language.map(|language| parse(source, language)).transpose().ok()?;
    let allowances = allow::find(source, language, tree.as_ref());
    let lines = Lines::new(source);
    let scope = |span: Span| {
        let (language, root) = (language?, tree.as_ref()?.root_node());
        let row = span.first_index()? as usize;
        let text = lines.get(row);
        let indent = text.len() - text.trim_ascii_start().len();
        let column = (span.start_column as usize - 1).max(indent).min(text.len());
        let point = tree_sitter::Point::new(row, column);
        let node = root.descendant_for_point_range(point, point)?;
        Some(scope_of(language, source, root, node))
    };
    Some((spans.map(|span| scope(span).unwrap_or_default()).collect(), allowances))
}

/// The names of the definitions around and with a node, outermost first.
fn scope_of(language: &Language, source: &[u8], root: Node<'_>, node: Node<'_>) -> String {
    let tables = language.tables();
    let around = ancestors(root, node);
    let definitions = around.into_iter().chain([node]).filter(|n| tables.is_definition(n.kind_id()));
    let names: Vec<&str> = definitions.filter_map(|n| language.definition_name(n, source)).collect();
    names.join(".")
}

/// The zone at a byte offset; `zones` are in the order of their starts, inner behind outer.
fn zone_of(zones: &[(Range<usize>, Zone)], offset: usize) -> Zone {
    let upto = zones.partition_point(|(range, _)| range.start <= offset);
    zones[..upto].iter().rev().take(64).find(|(range, _)| range.end > offset).map_or(Zone::Code, |(_, zone)| *zone)
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

/// The nodes around a node, outermost first. One way down from the root, since each step up would be one.
pub(super) fn ancestors<'t>(root: Node<'t>, node: Node<'t>) -> Vec<Node<'t>> {
    let mut found = Vec::new();
    let mut at = root;
    while at != node {
        found.push(at);
        match at.child_with_descendant(node) {
            Some(inner) => at = inner,
            None => break,
        }
    }
    found
}

pub(super) struct Walk<'a> {
    pub source: &'a [u8],
    pub root: Node<'a>,
    /// Whether there was something deeper than is looked at.
    too_deep: Cell<bool>,
    pub language: &'static Language,
    /// What plain queries have seen.
    children: Children<'a>,
    /// Runs queries; making one is costly next to running it at a node.
    cursor: RefCell<QueryCursor>,
    /// An entry whose query began in too many places at once.
    overrun: Cell<Option<u32>>,
    rules: &'a RuleSet,
    set: &'a LanguageSet,
    words: &'a Words,
    active: &'a [bool],
}

impl<'a> Walk<'a> {
    fn rule(&self, entry: u32) -> &Rule {
        &self.rules.rules()[self.set.entries[entry as usize].rule]
    }

    fn way(&self, entry: u32) -> &Way {
        &self.rule(entry).ways[self.set.entries[entry as usize].way]
    }

    /// Goes through the nodes with and below `root`, parents first: those that hold one of the marks (offsets in order;
    /// without them, all) and maybe some others. What `visit` answers to entering a node decides whether its children
    /// are entered.
    pub fn all<'t>(&self, root: Node<'t>, marks: Option<&[u32]>, visit: &mut impl FnMut(Step<'t>) -> bool) {
        debug_assert_eq!(self.active.len(), self.set.entries.len());
        let mut cursor = root.walk();
        let mut passed = 0;
        // The first mark at or behind an offset; offsets never go back.
        let mut next = |from: usize| {
            let Some(marks) = marks else { return from };
            while marks.get(passed).is_some_and(|mark| (*mark as usize) < from) {
                passed += 1;
            }
            marks.get(passed).map_or(usize::MAX, |mark| *mark as usize)
        };
        // Of the nodes around, where each ends and its kind.
        let mut around: Vec<(usize, u16)> = Vec::new();
        loop {
            let node = cursor.node();
            let mark = next(node.start_byte());
            let (depth, parent) = (around.len() as u32, around.last().map_or(0, |(_, kind)| *kind));
            let enter = visit(Step::Enter { node, depth, parent }) && mark < node.end_byte();
            let entered = enter
                && if mark == node.start_byte() {
                    cursor.goto_first_child()
                } else {
                    cursor.goto_first_child_for_byte(mark).is_some()
                };
            if entered {
                around.push((node.end_byte(), node.kind_id()));
                if around.len() > DEEPEST {
                    self.too_deep.set(true);
                    return;
                }
                continue;
            }
            visit(Step::Leave(depth));
            let mut at = node.end_byte();
            while around.last().is_some_and(|(end, _)| next(at) >= *end) || !cursor.goto_next_sibling() {
                let Some((end, _)) = around.pop() else { return };
                cursor.goto_parent();
                at = end;
                visit(Step::Leave(around.len() as u32));
            }
        }
    }

    /// Tries one entry at a node of its kind.
    fn at(&self, entry: u32, node: Node<'a>, found: &mut Vec<Found>) {
        let compiled = &self.set.entries[entry as usize];
        if compiled.marked && !self.words.allow(&compiled.needs, &node.byte_range()) {
            return;
        }
        match &self.way(entry).matcher {
            Matcher::Tree(_) => self.query(entry, node, Some(0), found),
            _ => found.extend(self.one_at(entry, node)),
        }
    }

    /// What a pattern or a measure finds at a node.
    fn one_at(&self, entry: u32, node: Node<'_>) -> Option<Found> {
        let way = self.way(entry);
        match &way.matcher {
            Matcher::Code(code) => {
                let pattern = code.pattern(self.language).ok()?;
                let (source, language) = (self.source, self.language);
                let (bound, range) =
                    Matching { source, language, holes: &code.holes, given: &[], probe: None }.at(pattern, node)?;
                if !way.filters.is_empty() {
                    let taken = code.holes.iter().zip(&bound);
                    let given: Vec<_> = taken
                        .filter_map(|(hole, range)| Some((hole.name.as_str(), source.get(range.clone()?)?)))
                        .collect();
                    if !self.passes(way, node, &given) {
                        return None;
                    }
                }
                if let Some(collection) = way.collection {
                    return Some(self.fact(entry, range, collection, texts(self.source, &code.holes, &bound)));
                }
                let message = self.message(entry, &range, &code.holes, &bound);
                Some(Found { message, ..self.plain(entry, range, node) })
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
            | Matcher::Allowance(_) => None,
        }
    }

    /// Everything that a query finds from a node on, beginning at most so deep below it.
    fn query(&self, entry: u32, root: Node<'a>, depth: Option<u32>, found: &mut Vec<Found>) {
        let Matcher::Tree(tree) = &self.way(entry).matcher else { return };
        if let Some(plain) = tree.plain(self.language).filter(|_| depth == Some(0)) {
            let told = query::matches(plain, root, self.source, &self.children, &mut |taken| {
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
        let way = self.way(entry);
        if !way.filters.is_empty() {
            let given: Vec<_> =
                taken.iter().filter_map(|(name, node)| Some((*name, self.source.get(node.byte_range())?))).collect();
            if !self.passes(way, named("whole").unwrap_or(node), &given) {
                return None;
            }
        }
        let text = |node: Node<'_>| String::from_utf8_lossy(&self.source[node.byte_range()]).into_owned();
        if let Some(collection) = way.collection {
            let holes = taken.iter().map(|(name, node)| ((*name).to_owned(), text(*node))).collect();
            return Some(self.fact(entry, node.byte_range(), collection, holes));
        }
        let message = self.rule(entry).say(|gap| match gap {
            "match" => Some(text(node)),
            name => named(name).map(text).or_else(|| is_capture(name).then(String::new)),
        });
        Some(Found { message, ..self.plain(entry, node.byte_range(), node) })
    }

    /// A figure that was counted on the way through a function.
    fn counted(&self, entry: u32, frame: &Frame<'_>) -> Option<Found> {
        match &self.way(entry).matcher {
            Matcher::Measure(m) => self.over(entry, m, frame.node, frame.figure(m.measure)?),
            Matcher::Code(_)
            | Matcher::Text(_)
            | Matcher::Tree(_)
            | Matcher::Key(_)
            | Matcher::Names(_)
            | Matcher::CommentedCode
            | Matcher::Allowance(_) => None,
        }
    }

    /// A finding when a figure is over its limit.
    fn over(&self, entry: u32, m: &MeasureMatch, node: Node<'_>, value: u64) -> Option<Found> {
        if value <= m.over || !self.passes(self.way(entry), node, &[]) {
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
            figure: Some(Figure { value, limit: m.over }),
            fact: None,
        })
    }

    fn plain(&self, entry: u32, range: Range<usize>, node: Node<'_>) -> Found {
        let message = fill_plain(self.rule(entry), self.source, &range);
        let rule = self.set.entries[entry as usize].rule;
        Found { rule, message, scope: self.scope(node), range, figure: None, fact: None }
    }

    /// A fact. There are many and few become findings, so the words about it are left for then.
    fn fact(&self, entry: u32, range: Range<usize>, collection: usize, texts: Vec<(String, String)>) -> Found {
        let rule = self.set.entries[entry as usize].rule;
        let (message, scope) = (String::new(), String::new());
        Found { rule, message, scope, range, figure: None, fact: Some((collection, texts)) }
    }

    /// What has named texts: a hit whose message tells them, or a fact.
    fn named(&self, entry: u32, range: Range<usize>, node: Node<'_>, texts: Vec<(String, String)>) -> Found {
        if let Some(collection) = self.way(entry).collection {
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

    /// The names of the definitions around and with a node, outermost first.
    fn scope(&self, node: Node<'_>) -> String {
        scope_of(self.language, self.source, self.root, node)
    }
}
