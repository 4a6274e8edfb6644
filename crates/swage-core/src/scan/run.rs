//! The work on one file: one parse and one walk for all of its rules.

use std::cell::{Cell, RefCell};
use std::ops::Range;

use tree_sitter::{Node, QueryCursor, Tree};

use super::captures::{fill_named, groups, is_excused, place_of, texts};
use super::comments::commented_code;
use super::embedded::{self, Part};
use super::lines::Lines;
use super::measure::Counting;
use super::names::{Names, in_role};
use super::query::Seen;
use super::walk::{Found, Scope, Step, Walk};
use super::words::Words;
use super::{Fact, Hit, Span, Syntax, allow, identity, keys};
use crate::lang::{Class, Language, Role, interest};
use crate::lang::{nests_too_deep, parse};
use crate::pattern::budget;
use crate::rule::{
    KeyMatch, LanguageSet, Matcher, Measure, MeasureMatch, NameMatch, Names as Which, RuleSet, Zone, shorten,
};

/// The work on one file.
pub(super) struct Run<'a> {
    /// The text that is looked at.
    source: &'a [u8],
    /// The file as it is, with its own line ends, byte for byte as long.
    content: &'a [u8],
    language: Option<&'static Language>,
    rules: &'a RuleSet,
    /// Where the text is a fragment that was completed, the part that is known.
    own: Option<Range<usize>>,
    /// Matches of text rules, by entry.
    pub text: Vec<(u32, Range<usize>)>,
    tree: Option<Tree>,
    found: Vec<Found>,
    /// Why not everything could be looked for.
    pub fault: Option<String>,
}

impl<'a> Run<'a> {
    pub fn new(
        source: &'a [u8],
        content: &'a [u8],
        language: Option<&'static Language>,
        rules: &'a RuleSet,
        own: Option<Range<usize>>,
    ) -> Self {
        Self { source, content, language, rules, own, text: Vec::new(), tree: None, found: Vec::new(), fault: None }
    }

    /// Parses the file, within a number of steps that follows from its size alone.
    pub fn parse(&mut self) -> Result<(), String> {
        let Some(language) = self.language else { return Ok(()) };
        self.tree = Some(parse(self.source, language)?);
        Ok(())
    }

    /// Where the file doesn't parse, when it has been parsed.
    pub fn syntax(&self) -> Option<Syntax> {
        self.tree.as_ref().map(|tree| Syntax::of(tree, self.content))
    }

    /// Code of other languages in the file.
    pub fn parts(&self) -> Vec<Part> {
        match (self.language, &self.tree) {
            (Some(language), Some(tree)) => embedded::parts(self.content, language, tree),
            _ => Vec::new(),
        }
    }

    /// The comments that let findings be.
    pub fn suppressions(&self) -> Vec<allow::Suppression> {
        allow::find(self.content, self.language, self.tree.as_ref())
    }

    /// Finds everything that the possible entries find. Where each of them needs a word or an opener of the language,
    /// nothing is looked at that has none.
    pub fn find(&mut self, set: &LanguageSet, possible: &[u32], words: &Words) {
        let Some(tree) = self.tree.take() else {
            for (entry, range) in std::mem::take(&mut self.text) {
                let entry = &set.entries[entry as usize];
                self.add_text(entry.rule, entry.clause, range);
            }
            return;
        };
        let Some(language) = self.language else { return };
        let mut active = vec![false; set.entries.len()];
        possible.iter().for_each(|&index| active[index as usize] = true);
        let root = tree.root_node();
        let (source, rules, too_deep) = (self.source, self.rules, Cell::new(false));
        let (seen, cursor, overrun) = (Seen::default(), RefCell::new(QueryCursor::new()), Cell::new(None));
        let steps = Cell::new(budget(source));
        let walk = Walk {
            source,
            root,
            too_deep,
            language,
            seen,
            cursor,
            steps,
            spent: Cell::new(None),
            own: self.own.clone(),
            overrun,
            rules,
            set,
            words,
        };
        let zoned =
            self.text.iter().any(|(e, _)| matches!(&walk.clause(*e).matcher, Matcher::Text(t) if !t.zones.is_empty()));
        let commented: Vec<u32> =
            possible.iter().copied().filter(|&e| matches!(walk.clause(e).matcher, Matcher::CommentedCode)).collect();
        let named: Vec<(u32, &NameMatch)> = possible
            .iter()
            .filter_map(|&e| if let Matcher::Names(names) = &walk.clause(e).matcher { Some((e, names)) } else { None })
            .collect();
        let scoped = named.iter().any(|(_, names)| matches!(names.which, Which::Faulty(_)));
        let mut scopes = if scoped { Names::of(source, language, &tree) } else { None };
        let tables = language.tables();
        let mut interests = tables.interests().to_vec();
        for (interest, named) in interests.iter_mut().zip(scopes.iter().flat_map(Names::kinds)) {
            *interest |= if named { interest::NAME } else { 0 };
        }
        let (mut structural, mut counted, mut signs) = (false, false, false);
        for &entry in possible {
            for &kind in &set.entries[entry as usize].kinds {
                interests[usize::from(kind)] |= interest::RULE;
                structural = true;
                signs |= !tables.grammar.node_kind_is_named(kind);
            }
            let counts = |m: &MeasureMatch| matches!(m.measure, Measure::Nesting | Measure::Branches);
            counted |= matches!(&walk.clause(entry).matcher, Matcher::Measure(m) if counts(m));
        }
        let needs_mark = |entry: &u32| {
            set.entries[*entry as usize].marked
                || matches!(
                    walk.clause(*entry).matcher,
                    Matcher::Text(_) | Matcher::Key(_) | Matcher::Names(_) | Matcher::Suppression(_)
                )
        };
        let pruned = set.finder.is_some() && set.is_marked && scopes.is_none() && possible.iter().all(needs_mark);
        let marks = pruned.then(|| {
            let mut marks = words.marks.clone();
            marks.extend(self.text.iter().map(|(_, range)| range.start as u32));
            marks.sort_unstable();
            marks
        });
        // Where rules begin; they are tried at nodes of one kind after another, since what that takes is at hand then.
        let mut beginnings = Vec::new();
        let mut found = Vec::new();
        let mut zones = Vec::new();
        let mut comment_nodes = Vec::new();
        let mut counting = Counting::default();
        let entries = |kind: u16| walk.set.by_kind[usize::from(kind)].iter().copied().filter(|&e| active[e as usize]);
        if structural || zoned || !commented.is_empty() || scopes.is_some() {
            walk.all(root, marks.as_deref(), signs, &mut |step| {
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
                    beginnings.push((kind, node));
                }
                if counted && interest & (interest::FUNCTION | interest::BRANCH) != 0 {
                    counting.enter(node, depth, parent, tables);
                }
                if interest & interest::COMMENT != 0 {
                    zones.push((node.byte_range(), Zone::Comment));
                    comment_nodes.push(node);
                } else if interest & interest::STRING != 0 {
                    // Between joined strings there may be comments.
                    if node.named_child_count() > 1
                        && node.named_child(0).is_some_and(|first| tables.is(first.kind_id(), Class::String))
                    {
                        return true;
                    }
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
        beginnings.sort_by_key(|(kind, _)| *kind);
        for own in beginnings.chunk_by(|(a, _), (b, _)| a == b) {
            for entry in entries(own[0].0) {
                own.iter().for_each(|(_, node)| walk.at(entry, *node, &mut found));
            }
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
        if walk.steps.get() == 0 {
            let rule = walk.spent.get().map_or("its rules", |entry| &walk.rule(entry).id);
            self.fault =
                Some(format!("matching takes more than the allowed {} steps, in rule `{rule}`", budget(source)));
        }
        if !commented.is_empty() {
            find_commented(&walk, &comment_nodes, &commented, &mut found);
        }
        find_texts(&walk, std::mem::take(&mut self.text), &zones, &mut found);
        find_keys(&walk, &tree, possible, &mut found);
        for (entry, names) in named {
            find_names(&walk, &tree, entry, names, scopes.as_ref(), &mut found);
        }
        self.found.append(&mut found);
    }

    fn add_text(&mut self, rule: usize, clause: usize, range: Range<usize>) {
        let own = &self.rules.rules()[rule];
        let clause = &own.clauses[clause];
        let Matcher::Text(text) = &clause.matcher else { return };
        let groups = groups(text, self.source, &range);
        let Some(range) = place_of(clause, text, self.source, &range) else { return };
        let message = fill_named(own, self.source, &range, &groups);
        let fact = clause.collection.map(|collection| (collection, groups));
        self.found.push(Found {
            rule,
            range,
            message,
            scope: Scope::default(),
            varying: Vec::new(),
            figure: None,
            fact,
        });
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
        let lines = Lines::new(self.content);
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
                let definition = f.scope.lines(&lines);
                let mut hit = Hit::new(rule, f.message, span, f.scope.names, text, f.figure);
                hit.definition = definition;
                if !f.varying.is_empty() {
                    hit.identity = identity(self.source, &f.range, &f.varying);
                }
                hits.push(hit);
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
                facts.push(Fact { rule: self.rules.mark(f.rule), collection, values, span, suppressed: None });
            }
        }
        (hits, facts)
    }
}

/// What the entries for commented-out code find in the comments, which are in order.
fn find_commented(walk: &Walk<'_>, comments: &[Node<'_>], entries: &[u32], found: &mut Vec<Found>) {
    for range in commented_code(walk.source, comments, walk.language) {
        if walk.own.as_ref().is_some_and(|own| range.start < own.start || range.end > own.end) {
            continue;
        }
        let node = walk.root.descendant_for_byte_range(range.start, range.start).unwrap_or(walk.root);
        for &entry in entries {
            if walk.passes(walk.clause(entry), node, &[]) {
                found.push(walk.plain(entry, range.clone(), node));
            }
        }
    }
}

/// What is left of the matches of expressions in a file that has a tree.
fn find_texts(
    walk: &Walk<'_>,
    matches: Vec<(u32, Range<usize>)>,
    zones: &[(Range<usize>, Zone)],
    found: &mut Vec<Found>,
) {
    for (entry, range) in matches {
        let clause = walk.clause(entry);
        let Matcher::Text(text) = &clause.matcher else { continue };
        let Some(place) = place_of(clause, text, walk.source, &range) else { continue };
        if !text.zones.is_empty() && !text.zones.contains(&zone_of(zones, place.start)) {
            continue;
        }
        let node = walk.root.descendant_for_byte_range(place.start, place.end).unwrap_or(walk.root);
        // Where the zone isn't sure, neither is the match.
        if !text.zones.is_empty() && !walk.is_known(node) {
            continue;
        }
        if walk.passes(clause, node, &[]) {
            found.push(walk.named(entry, place, node, groups(text, walk.source, &range)));
        }
    }
}

/// What the possible entries find by paths of keys.
fn find_keys(walk: &Walk<'_>, tree: &Tree, possible: &[u32], found: &mut Vec<Found>) {
    let key =
        |entry: &u32| if let Matcher::Key(key) = &walk.clause(*entry).matcher { Some((*entry, key)) } else { None };
    let keyed: Vec<(u32, &KeyMatch)> = possible.iter().filter_map(key).collect();
    if keyed.is_empty() {
        return;
    }
    let matches: Vec<&KeyMatch> = keyed.iter().map(|(_, key)| *key).collect();
    for (index, taken) in keys::find(walk.source, walk.language, tree, &matches) {
        let (entry, key) = keyed[index];
        let clause = walk.clause(entry);
        let node = walk.root.descendant_for_byte_range(taken.range.start, taken.range.end).unwrap_or(walk.root);
        if !is_excused(clause, &walk.source[taken.range.clone()]) && walk.passes(clause, node, &[]) {
            found.push(walk.named(entry, taken.range, node, texts(walk.source, &key.holes, &taken.holes)));
        }
    }
}

/// What an entry finds by names.
fn find_names(
    walk: &Walk<'_>,
    tree: &Tree,
    entry: u32,
    names: &NameMatch,
    scopes: Option<&Names<'_, '_>>,
    found: &mut Vec<Found>,
) {
    let (source, language) = (walk.source, walk.language);
    let globals = |name: &str| names.globals.iter().any(|g| g == name) || walk.rules.is_global(language, name);
    let nodes = match names.which {
        Which::Defined => in_role(tree, language, Role::Defines),
        Which::Used => in_role(tree, language, Role::Refers),
        Which::Faulty(fault) => scopes.map(|all| all.with(fault, &globals)).unwrap_or_default(),
    };
    for node in nodes {
        let text = &source[node.byte_range()];
        let fits = names.name.as_ref().is_none_or(|regex| regex.is_match(text));
        if fits && walk.passes(walk.clause(entry), node, &[]) {
            let name = String::from_utf8_lossy(text).into_owned();
            found.push(walk.named(entry, node.byte_range(), node, vec![("name".to_owned(), name)]));
        }
    }
}

/// The definitions around a place: their names, and the first and the last line of the innermost.
type Around = (String, Option<(u32, u32)>);

/// The definitions around places of a file, and the comments in it that let findings be; `None` when it can't be parsed.
pub(super) fn surroundings(
    source: &[u8],
    language: Option<&'static Language>,
    spans: impl Iterator<Item = Span>,
) -> Option<(Vec<Around>, Vec<allow::Suppression>)> {
    let tree = language.map(|language| parse(source, language)).transpose().ok()?;
    let suppressions = allow::find(source, language, tree.as_ref());
    let lines = Lines::new(source);
    let scope = |span: Span| {
        let (language, root) = (language?, tree.as_ref()?.root_node());
        let row = span.first_index()? as usize;
        let text = lines.get(row);
        let indent = text.len() - text.trim_ascii_start().len();
        let column = (span.start_column as usize - 1).max(indent).min(text.len());
        let point = tree_sitter::Point::new(row, column);
        let node = root.descendant_for_point_range(point, point)?;
        let scope = Scope::of(language, source, root, node);
        let definition = scope.lines(&lines);
        Some((scope.names, definition))
    };
    Some((spans.map(|span| scope(span).unwrap_or_default()).collect(), suppressions))
}

/// The zone at a byte offset; `zones` are in the order of their starts, inner behind outer.
fn zone_of(zones: &[(Range<usize>, Zone)], offset: usize) -> Zone {
    let upto = zones.partition_point(|(range, _)| range.start <= offset);
    zones[..upto].iter().rev().take(64).find(|(range, _)| range.end > offset).map_or(Zone::Code, |(_, zone)| *zone)
}
