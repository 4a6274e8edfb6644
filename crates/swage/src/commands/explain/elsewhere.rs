//! What the repository itself knows of a rule: places that are written as the rule wants it, and how its findings were fixed before.

use std::collections::HashSet;
use std::sync::Arc;

use swage_core::baseline::State;
use swage_core::change::{Content, Tree};
use swage_core::config::{FileRole, read_rules};
use swage_core::ids::CommitId;
use swage_core::review::{ChangeKind, Examination, Finding, Fixes, Review, examine, scan_tree};
use swage_core::rule::{Clause, CodeMatch, EditAction, Hole, Rule, RuleSet};
use swage_core::scan::{Limits, NoCache};
use swage_core::view::{ChangeView, LineView};
use swage_git::{DiffSource, Repository};
use toml_edit::{Array, DocumentMut, InlineTable, Value};

use crate::failure::Failure;
use crate::target::find_target;

/// Most places and fixes that are shown.
const MOST: usize = 3;

/// Lines of a fix that are shown before and from where the finding was.
const BEFORE: usize = 1;
const AFTER: usize = 5;

/// How many past changes are looked through for fixes.
const CHANGES: usize = 30;

/// A place that the rule accepts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Accepted {
    pub path: String,
    /// 1-based.
    pub line: u32,
    pub text: String,
}

/// How an earlier finding was fixed.
#[derive(Debug, Clone)]
pub struct Fixed {
    pub commit: CommitId,
    /// When, in seconds since 1970 (UTC).
    pub at: i64,
    pub subject: String,
    pub place: String,
    pub lines: Vec<LineView>,
}

/// Up to three places of a tree that do what the rule is about in a way that it accepts, those nearest to `path` first: what its
/// patterns match and its filters rule out, and what its fixes would have written.
pub fn accepted(tree: &dyn Tree, rule: &Rule, path: &str, limits: &Limits) -> Vec<Accepted> {
    // Facts of many files have no places of their own, and secrets aren't shown.
    if rule.secret || rule.link().is_some() || rule.checker().is_some() || rule.change().is_some() {
        return Vec::new();
    }
    let mut candidates: Vec<Rule> = Vec::new();
    if rule.clauses.iter().any(|clause| !clause.filters.is_empty()) {
        let clauses = rule.clauses.iter().cloned().map(|clause| Clause { filters: Vec::new(), ..clause });
        candidates.push(Rule { clauses: Arc::new(clauses.collect()), ..rule.clone() });
    }
    candidates.extend(rewritten(rule));
    let place = |f: &Finding| f.path().zip(f.span()).map(|(path, span)| (path.text.clone(), span.start_line.get()));
    let found = places(tree, rule.clone(), limits);
    let wrong: HashSet<(String, u32)> = found.findings.iter().filter_map(place).collect();
    let mut right: Vec<(String, u32)> = candidates
        .into_iter()
        .flat_map(|candidate| places(tree, candidate, limits).findings.iter().filter_map(place).collect::<Vec<_>>())
        .filter(|place| !wrong.contains(place))
        .collect();
    let shared = |other: &str| path.split('/').zip(other.split('/')).take_while(|(a, b)| a == b).count();
    right.sort_by_key(|(path, line)| (std::cmp::Reverse(shared(path)), path.clone(), *line));
    right.dedup();
    right.truncate(MOST);
    let text = |(path, line): (String, u32)| {
        let index = tree.files().iter().position(|file| file.path == path.as_bytes())?;
        let Content::Whole { bytes, .. } = tree.content(index) else { return None };
        let text = String::from_utf8_lossy(&bytes).lines().nth(line as usize - 1)?.trim().to_owned();
        Some(Accepted { path, line, text })
    };
    right.into_iter().filter_map(text).collect()
}

fn places(tree: &dyn Tree, rule: Rule, limits: &Limits) -> Review {
    let rules = RuleSet::new(vec![Arc::new(rule)]);
    scan_tree(tree, None, &alone(&rules, limits))
}

/// An examination by a rule alone, which isn't kept.
fn alone<'a>(rules: &'a RuleSet, limits: &'a Limits) -> Examination<'a> {
    let progress = &|_| {};
    Examination { rules, limits, cache: &NoCache, reports: &[], fixes: Fixes::LeftAside, progress }
}

/// Rules that look for what the fixes of a rule write.
fn rewritten(rule: &Rule) -> Vec<Rule> {
    let own = rule.clauses.iter().filter_map(|clause| {
        let (code, fix) = (clause.matcher_as::<CodeMatch>()?, clause.fix.as_ref()?);
        let [edit] = &fix.edits[..] else { return None };
        let EditAction::Rewrite(text) = &edit.action else { return None };
        if edit.at.is_some() || text.contains("{match}") {
            return None;
        }
        let names: Vec<&str> = fix.names().collect();
        // Holes are in braces there, and are names in a pattern.
        let pattern = names.iter().fold(text.clone(), |text, name| text.replace(&format!("{{{name}}}"), name));
        let languages = clause.languages.iter().map(|language| language.name);
        parsed(&pattern.replace("{ ", "{"), &names, &code.holes, languages)
    });
    own.map(|found| Rule { paths: rule.paths.clone(), ..found }).collect()
}

/// A rule that looks for a pattern; `None` when that isn't one of the languages.
fn parsed<'l>(pattern: &str, names: &[&str], like: &[Hole], languages: impl Iterator<Item = &'l str>) -> Option<Rule> {
    let hole = |name: &&str| {
        let many = like.iter().any(|hole| hole.name == **name && hole.many);
        let keys = if many { InlineTable::from_iter([("many", Value::from(true))]) } else { InlineTable::new() };
        ((*name).to_owned(), Value::from(keys))
    };
    let mut way = InlineTable::from_iter([("code", Value::from(pattern))]);
    way.insert("holes", InlineTable::from_iter(names.iter().map(hole)).into());
    let words = [("id", "accepted"), ("severity", "note"), ("title", "Accepted"), ("message", "Accepted.")];
    let mut rule = InlineTable::from_iter(words.map(|(key, text)| (key, Value::from(text))));
    rule.insert("languages", Array::from_iter(languages).into());
    rule.insert("match", way.into());
    let mut document = DocumentMut::new();
    document.insert("rule", toml_edit::value(Array::from_iter([rule])));
    let file = read_rules("accepted", &document.to_string(), FileRole::Rules).ok()?;
    file.rules.into_iter().next().map(|(rule, _)| rule)
}

/// The lines of a change around one that it took away.
fn around(view: &ChangeView, f: &Finding) -> Vec<LineView> {
    let (Some(path), Some(span)) = (f.path(), f.span()) else { return Vec::new() };
    let is_own = |line: &LineView| line.old == Some(span.start_line.into());
    let files = view.files.iter().filter(|file| file.path == *path || file.old_path == *path);
    let Some(hunk) = files.flat_map(|file| &file.hunks).find(|hunk| hunk.iter().any(is_own)) else { return Vec::new() };
    let at = hunk.iter().position(is_own).unwrap_or(0);
    hunk[at.saturating_sub(BEFORE)..(at + AFTER).min(hunk.len())].to_vec()
}

/// Up to three findings of the rule that past changes of the target fixed, newest first.
pub fn fixed(
    repository: &Repository,
    rule: &Rule,
    target: Option<&str>,
    limits: &Limits,
) -> Result<Vec<Fixed>, Failure> {
    if rule.secret || rule.checker().is_some() {
        return Ok(Vec::new());
    }
    let Ok(target) = find_target(repository, target) else { return Ok(Vec::new()) };
    let rules = RuleSet::new(vec![Arc::new(rule.clone())]);
    let mut found = Vec::new();
    for landing in repository.landings(&target.tip, None)?.into_iter().rev().take(CHANGES) {
        let Some(parent) = landing.parent else { break };
        let source = DiffSource::Commits { base: parent.to_string(), head: landing.id.to_string() };
        let (review, view) = repository.diff(source)?.with(|change, contents| {
            let review = examine(&change, contents, &alone(&rules, limits));
            let view = ChangeView::of(&change, contents, &review, &rules);
            (review, view)
        })?;
        // What a file took with it when it went wasn't fixed.
        let is_fix = |f: &&Finding| {
            let entry = f.path().and_then(|path| review.files.iter().find(|file| file.old_path == *path));
            f.state == State::Absent
                && f.on_changed_line
                && entry.is_some_and(|entry| entry.kind != ChangeKind::Deleted)
        };
        found.extend(review.findings.iter().filter(is_fix).map(|f| Fixed {
            commit: landing.id.clone(),
            at: landing.at,
            subject: landing.subject.clone(),
            place: f.place(),
            lines: around(&view, f),
        }));
        if found.len() >= MOST {
            break;
        }
    }
    found.truncate(MOST);
    Ok(found)
}
