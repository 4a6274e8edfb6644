//! Matches that the rules' filters have let through, on their way to become hits or facts.
//!
//! Messages, scopes and digests are made for what passed all filters, so the many places that don't become findings cost
//! nothing. What rules on secrets found is known before any message is kept.

use std::ops::Range;

use tree_sitter::{Node, Tree};

use super::fix::{ProposedFix, propose};
use super::hit::Hit;
use super::{Fact, Lines, Span, allow, identity};
use crate::lang::{Language, parse};
use crate::pattern::{ancestors, comments_in, in_name};
use crate::rule::{Clause, Figure, IMPORTED_FROM, Match, ParsedFile, Rule, RuleSet, shorten};

/// A match of a rule.
pub(super) struct Found {
    /// The rule, by index.
    pub rule: usize,
    /// The place, as bytes of the text that was searched.
    pub range: Range<usize>,
    /// The message with its gaps filled in; empty for facts.
    message: String,
    /// The definitions around it.
    scope: Scope,
    /// What runs took, in order.
    varying: Vec<Range<usize>>,
    /// Comments in the code that matched, in order.
    comments: Vec<Range<usize>>,
    /// What was measured, for measures.
    figure: Option<Figure>,
    /// What the rule proposes.
    fix: Option<ProposedFix>,
    /// The collection that takes it, and what the link keeps of it.
    fact: Option<(usize, Vec<String>)>,
}

/// Where a match comes from.
#[derive(Clone, Copy)]
pub(super) struct Origin<'a> {
    /// The rule, by index.
    pub index: usize,
    pub rule: &'a Rule,
    pub clause: &'a Clause,
    /// The text that was searched.
    pub source: &'a [u8],
    /// Whether that is the file byte for byte, so that edits of it are edits of the file.
    pub editable: bool,
}

impl Found {
    /// What a match of one of a rule's clauses gives; `file` is missing where nothing was parsed, and `scope` gives the
    /// definitions around it. `None` for a fact without the texts that it meets others by.
    pub fn new(
        origin: Origin<'_>,
        m: Match<'_>,
        file: Option<&ParsedFile<'_>>,
        scope: impl FnOnce() -> Scope,
    ) -> Option<Self> {
        let Origin { index, rule, clause, source, .. } = origin;
        let text = |range: &Range<usize>| text_of(source, range);
        if let Some(collection) = clause.collection {
            // There are many facts and few become findings, so the words about them are left for then.
            return Some(Self {
                rule: index,
                fact: Some((collection, kept_values(rule, collection, &m, source, file)?)),
                range: m.range,
                message: String::new(),
                scope: Scope::default(),
                varying: Vec::new(),
                comments: Vec::new(),
                figure: None,
                fix: None,
            });
        }
        // A gap is what was captured, or one of the few words that matchers give.
        let message = rule.say(|gap| match (gap, m.figure) {
            ("match", _) => Some(text(&m.range)),
            (name, _) if m.captured(name).is_some() => m.captured(name).map(text),
            ("value", Some(figure)) => Some(figure.value.to_string()),
            ("limit", Some(figure)) => Some(figure.limit.to_string()),
            (name, _) => clause.matcher.placeholders().contains(&name).then(|| clause.matcher.absent().to_owned()),
        });
        // Offsets in a fragment or in decoded text aren't those of the file.
        let template = clause.fix.as_deref().filter(|_| origin.editable);
        let fix = template.and_then(|template| propose(template, &m, source, file));
        let Match { range, varying, is_code, figure, .. } = m;
        let comments = |file: &ParsedFile<'_>| comments_in(source, file.around(&range), &range, file.language);
        let comments = file.filter(|_| is_code).map(comments).unwrap_or_default();
        Some(Self { rule: index, range, message, scope: scope(), varying, comments, figure, fix, fact: None })
    }
}

/// The hits and the facts of matches, in order, each place of a rule once. `content` is the file with its own line ends,
/// byte for byte as long as the text that was searched.
pub(super) fn hits_and_facts(
    mut found: Vec<Found>,
    source: &[u8],
    content: &[u8],
    rules: &RuleSet,
) -> (Vec<Hit>, Vec<Fact>) {
    let (mut hits, mut facts) = (Vec::new(), Vec::new());
    if found.is_empty() {
        return (hits, facts);
    }
    // Entries ran one after the other, so the order of finding depends on the rules.
    found.sort_by(|a, b| {
        (a.range.start, a.range.end, a.rule, &a.fact).cmp(&(b.range.start, b.range.end, b.rule, &b.fact))
    });
    // Several clauses of a rule may find the same place.
    found.dedup_by(|a, b| a.rule == b.rule && a.range == b.range && a.fact == b.fact);
    // Before anything is written: no message may hold what another rule masks.
    hide_secrets(&mut found, rules);
    let lines = Lines::new(content);
    for f in found {
        let rule = &rules.rules()[f.rule];
        let text = &source[f.range.clone()];
        // Lines of the file itself, whose line ends may be other than those of the text searched.
        let span = lines.span(f.range.clone());
        match f.fact {
            Some((collection, values)) => {
                facts.push(Fact { rule: rules.mark(f.rule), collection, values, span, suppressed: None });
            }
            None => {
                let definition = f.scope.lines(&lines);
                let mut hit = Hit::new(rule, f.message, Some(span), f.scope.names, text, f.figure);
                hit.definition = definition;
                hit.fix = f.fix;
                // What runs took doesn't belong to the identity, nor do comments: they may change and the finding stays.
                if !f.varying.is_empty() || !f.comments.is_empty() {
                    hit.identity = identity(source, &f.range, &f.varying, &f.comments);
                }
                hits.push(hit);
            }
        }
    }
    (hits, facts)
}

/// Takes texts that overlap a secret out of the messages of other rules.
fn hide_secrets(found: &mut [Found], rules: &RuleSet) {
    let is_secret = |f: &&Found| rules.rules()[f.rule].secret;
    // Few files have any, so comparing each finding with each of them costs nothing.
    let secrets: Vec<Range<usize>> = found.iter().filter(is_secret).map(|f| f.range.clone()).collect();
    for f in found.iter_mut() {
        // Its own message masks it; an edit would show what it replaces.
        if rules.rules()[f.rule].secret {
            f.fix = None;
            continue;
        }
        if secrets.iter().any(|secret| secret.start < f.range.end && f.range.start < secret.end) {
            f.message = rules.rules()[f.rule].say(|_| Some("(hidden)".to_owned()));
            // Neither must a fix: only one that merely removes is kept.
            f.fix = f.fix.take().filter(|fix| fix.edits.iter().all(|edit| edit.text.is_empty()));
            f.fix.iter_mut().for_each(|fix| fix.title = "Remove it".to_owned());
        }
    }
}

/// A range of a file as text, whatever the file holds.
fn text_of(source: &[u8], range: &Range<usize>) -> String {
    String::from_utf8_lossy(&source[range.clone()]).into_owned()
}

/// What a link keeps of the texts that were captured; `None` without what decides whether the fact meets another.
fn kept_values(
    rule: &Rule,
    collection: usize,
    m: &Match<'_>,
    source: &[u8],
    file: Option<&ParsedFile<'_>>,
) -> Option<Vec<String>> {
    let link = rule.link()?;
    let own = &link.collections[collection];
    let text = |range: &Range<usize>| text_of(source, range);
    // Facts meet across files only under the name that the defining file uses.
    let imported = own.imported.as_deref().zip(file).and_then(|(hole, file)| Some((hole, file, m.captured(hole)?)));
    let origin = imported.map(|(hole, file, range)| (hole, name_at_its_origin(&source[range.clone()], file)));
    let value = |name: &String| match (name.as_str(), &origin) {
        // A fact is kept in the cache, and a whole function in each would fill it.
        ("match", _) => Some(shorten(&text(&m.range))),
        (name, Some((hole, origin))) if name == *hole => origin.as_ref().map(|(_, name)| name.clone()),
        (IMPORTED_FROM, Some((_, origin))) => origin.as_ref().map(|(from, _)| from.clone()),
        (name, _) => m.captured(name).map(text),
    };
    let mut values = Vec::with_capacity(link.kept.len());
    for (at, name) in link.kept.iter().enumerate() {
        let value = value(name);
        // A fact without the texts that it meets by can meet nothing.
        if value.is_none() && at < link.on.len() && !own.of_file_only {
            return None;
        }
        values.push(value.unwrap_or_default());
    }
    Some(values)
}

/// What an imported name is imported from, if from anything, and the name that it has there; `None` where a member is asked of
/// what isn't imported.
fn name_at_its_origin(written: &[u8], file: &ParsedFile<'_>) -> Option<(String, String)> {
    let path = file.meanings.imports.path_of(written);
    let (is_written, path) = (*path == *written, String::from_utf8_lossy(&path));
    match path.rsplit_once('.') {
        Some((from, name)) if !is_written && name.chars().all(in_name) => Some((from.to_owned(), name.to_owned())),
        Some(_) => None,
        None => Some((String::new(), path.into_owned())),
    }
}

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
        // A finding on a definition itself is in that definition.
        let definitions = around.into_iter().chain([node]).filter(|n| tables.is_definition(n.kind_id()));
        let named: Vec<_> = definitions.filter_map(|n| Some((language.definition_name(n, source)?, n))).collect();
        let names = named.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(".");
        Self { names, innermost: named.last().map(|(_, n)| n.byte_range()) }
    }

    /// The first and the last line of the innermost one, 1-based.
    fn lines(&self, lines: &Lines<'_>) -> Option<(u32, u32)> {
        let Range { start, end } = self.innermost.clone()?;
        Some((lines.line_of(start) as u32 + 1, lines.line_of(end.saturating_sub(1).max(start)) as u32 + 1))
    }
}

/// The definitions around a place: their names, and the first and the last line of the innermost.
type Around = (String, Option<(u32, u32)>);

/// The definitions around places of a file, and the comments in it that suppress findings; `None` when it can't be parsed.
pub(super) fn surroundings(
    source: &[u8],
    language: Option<&'static Language>,
    spans: impl Iterator<Item = Option<Span>>,
) -> Option<(Vec<Around>, Vec<allow::Suppression>)> {
    // Outside programs find things in files of any kind; without a tree there are no definitions.
    let tree = language.map(|language| parse(source, language)).transpose().ok()?;
    // Comments suppress what other programs found, as they do findings of rules.
    let suppressions = allow::find(source, language, tree.as_ref());
    let lines = Lines::new(source);
    let scope = |span: Span| {
        let (language, root) = (language?, tree.as_ref().map(Tree::root_node)?);
        let row = span.start_line.index() as usize;
        let text = lines.get(row);
        let indent = text.len() - text.trim_ascii_start().len();
        // A whole line begins with its blanks, which are in the block around the definition.
        let column = (span.start_column.index() as usize).max(indent).min(text.len());
        let point = tree_sitter::Point::new(row, column);
        let node = root.descendant_for_point_range(point, point)?;
        let scope = Scope::of(language, source, root, node);
        let definition = scope.lines(&lines);
        Some((scope.names, definition))
    };
    Some((spans.map(|span| span.and_then(scope).unwrap_or_default()).collect(), suppressions))
}
