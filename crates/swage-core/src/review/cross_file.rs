//! What a review needs apart from the changed files: facts of the whole tree for links, and places in untouched files for
//! what outside programs found.

use std::collections::BTreeMap;
use std::sync::Arc;

use rayon::prelude::*;

use super::examination::{CheckerReport, Examination};
use super::file::Examined;
use crate::baseline::FileHits;
use crate::change::{Change, Content, Contents, Nature, Tree};
use crate::checker::{Reported, place};
use crate::diff::{Kind, LineMap};
use crate::ids::RuleId;
use crate::lang::Language;
use crate::link::{LocatedFact, judge};
use crate::rule::{Rule, RuleSet};
use crate::scan::{Fact, Hit, Status, read_texts, settle};
use crate::sides::{Side, Sides};

/// An untouched file with findings of rules that look beyond the changed files.
pub(super) struct Extra {
    /// Its index in the tree.
    pub index: usize,
    /// Its findings on both sides.
    pub file_hits: FileHits,
}

/// What rules that reach across files found.
#[derive(Default)]
pub(super) struct CrossFile<'c> {
    /// The tree, when a rule needed it and it is there.
    pub tree: Option<Box<dyn Tree + 'c>>,
    /// Untouched files with findings, in the order of their paths.
    pub extras: Vec<Extra>,
    /// Rules that couldn't run, each with the reason.
    pub not_run: Vec<(RuleId, String)>,
    /// What a reader should know.
    pub notes: Vec<String>,
}

/// Runs the rules that look beyond the changed files; what they find in changed files goes to the others' findings.
pub(super) fn look_across_files<'c>(
    change: &Change,
    contents: &'c dyn Contents,
    examined: &mut [Examined],
    with: &Examination<'_>,
) -> CrossFile<'c> {
    let mut cross_file = CrossFile::default();
    let links: Vec<Arc<Rule>> = with.rules.rules().iter().filter(|r| r.link().is_some()).cloned().collect();
    let checkers: Vec<&Arc<Rule>> = with.rules.rules().iter().filter(|r| r.checker().is_some()).collect();
    if links.is_empty() && checkers.is_empty() {
        return cross_file;
    }
    match contents.tree() {
        Ok(tree) => cross_file.tree = Some(tree),
        Err(why) => {
            let idle = links.iter().chain(checkers).map(|r| (r.id.clone(), why.clone()));
            cross_file.not_run.extend(idle);
            return cross_file;
        }
    }
    let mut work = CrossFileRun { change, contents, examined, extras: BTreeMap::new(), with };
    if let Some(tree) = cross_file.tree.as_deref() {
        cross_file.not_run.extend(work.links(links, tree));
        for rule in checkers {
            let report = with.reports.iter().find(|report| report.rule == rule.id);
            let run = match report {
                None => Err("no program has been run for it".to_owned()),
                Some(report) => work.report(rule, report, tree),
            };
            match run {
                Err(why) if rule.checker().is_some_and(|c| c.advisory) => {
                    cross_file.notes.push(format!("No advisory findings from `{}`: {why}.", rule.id));
                }
                Err(why) => cross_file.not_run.push((rule.id.clone(), why)),
                Ok(()) => {}
            }
        }
    }
    let CrossFileRun { extras, .. } = work;
    cross_file.extras = extras.into_values().collect();
    let all =
        examined.iter_mut().map(|e| &mut e.file_hits).chain(cross_file.extras.iter_mut().map(|e| &mut e.file_hits));
    for hits in all {
        for hits in hits.hits.iter_mut() {
            hits.sort_by(|a, b| (a.span, &a.rule, &a.message).cmp(&(b.span, &b.rule, &b.message)));
        }
    }
    cross_file
}

struct CrossFileRun<'a, 'e> {
    change: &'a Change,
    contents: &'a dyn Contents,
    examined: &'a mut [Examined],
    /// By index in the tree, which is in the order of paths.
    extras: BTreeMap<usize, Extra>,
    with: &'a Examination<'e>,
}

/// Where a fact's file is kept.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Slot {
    Changed(usize),
    Untouched(usize),
}

impl CrossFileRun<'_, '_> {
    /// Judges links; the rules that couldn't see all that they look at.
    fn links(&mut self, rules: Vec<Arc<Rule>>, tree: &dyn Tree) -> Vec<(RuleId, String)> {
        let mut not_run = Vec::new();
        let set = RuleSet::new(rules);
        let touched = self.change.touches();
        let untouched: Vec<usize> = (0..tree.files().len())
            .filter(|&index| tree.files()[index].nature == Nature::Text && !touched(&tree.files()[index].path))
            .collect();
        let with = self.with;
        let scans: Vec<(usize, Vec<Fact>, Option<String>)> = untouched
            .into_par_iter()
            .filter_map(|index| {
                let scan = with.of_tree(&set, tree, index)?;
                let why = if let Status::NotExamined(why) = scan.status { Some(why) } else { None };
                (!scan.facts.is_empty() || why.is_some()).then_some((index, scan.facts, why))
            })
            .collect();
        let facts: Vec<(usize, &Vec<Fact>)> = scans.iter().map(|(index, facts, _)| (*index, facts)).collect();
        let changed: Vec<Sides<Vec<Fact>>> = self.examined.iter_mut().map(|e| std::mem::take(&mut e.facts)).collect();
        let mut found = Vec::new();
        for rule in set.rules() {
            let Some(link) = rule.link() else { continue };
            let unseen = scans.iter().filter(|(index, ..)| rule.reads_path(&tree.files()[*index].path));
            not_run.extend(unseen.filter_map(|(index, _, why)| {
                let path = String::from_utf8_lossy(&tree.files()[*index].path).into_owned();
                Some((rule.id.clone(), format!("it must read {path}: {}", why.as_ref()?)))
            }));
            let base = self.held(rule, tree, &facts, &changed, Side::Old);
            let head = self.held(rule, tree, &facts, &changed, Side::New);
            let (base_facts, head_facts) = (plain(&base), plain(&head));
            let judged = judge(rule, link, &base_facts, None);
            found.extend(judged.into_iter().map(|(index, hit)| (base[index].0, Side::Old, hit)));
            let judged = judge(rule, link, &head_facts, Some(&base_facts));
            found.extend(judged.into_iter().map(|(index, hit)| (head[index].0, Side::New, hit)));
        }
        let mut by_file: BTreeMap<(Slot, Side), Vec<Hit>> = BTreeMap::new();
        found.into_iter().for_each(|(slot, side, hit)| by_file.entry((slot, side)).or_default().push(hit));
        for ((slot, side), mut hits) in by_file {
            let (path, content) = self.content(slot, side, tree);
            if let Content::Whole { bytes, .. } = content {
                read_texts(&bytes, &mut hits);
                settle(&bytes, Language::of(&path, &bytes), &mut hits);
            }
            hits.into_iter().for_each(|hit| self.put(slot, side, hit, tree));
        }
        not_run
    }

    /// The path and the content of a file on one side.
    fn content(&self, slot: Slot, side: Side, tree: &dyn Tree) -> (Vec<u8>, Content) {
        match slot {
            Slot::Untouched(index) => (tree.files()[index].path.clone(), tree.content(index)),
            Slot::Changed(index) => {
                let (file, sides) = (&self.change.files[index], self.contents.sides(index));
                (file.path(side).to_vec(), sides.take(side))
            }
        }
    }

    /// The facts of a rule on one side, by path and place.
    fn held<'f>(
        &'f self,
        rule: &Rule,
        tree: &'f dyn Tree,
        untouched: &[(usize, &'f Vec<Fact>)],
        changed: &'f [Sides<Vec<Fact>>],
        side: Side,
    ) -> Vec<(Slot, LocatedFact<'f>)> {
        let Some(link) = rule.link() else { return Vec::new() };
        let mark = rule.mark();
        let mut held = Vec::new();
        let mut add = |slot: Slot, path: &'f [u8], facts: &'f [Fact], fresh: &dyn Fn(&Fact) -> bool| {
            if !rule.wants_path(path) {
                return;
            }
            let wanted: Vec<bool> = link.collections.iter().map(|c| c.wants_path(path)).collect();
            let own = facts.iter().filter(|fact| fact.rule == mark && wanted[fact.collection]);
            let touched = matches!(slot, Slot::Changed(_));
            held.extend(own.map(|fact| (slot, LocatedFact { path, fact, fresh: fresh(fact), touched })));
        };
        for (index, facts) in untouched {
            add(Slot::Untouched(*index), &tree.files()[*index].path, facts, &|_| false);
        }
        for (index, (file, facts)) in self.change.files.iter().zip(changed).enumerate() {
            let comes = |fact: &Fact| file.map.to_old(fact.span.start_line.index()).is_none();
            match side {
                Side::Old => add(Slot::Changed(index), &file.old_path, &facts.old, &|_| false),
                Side::New => add(Slot::Changed(index), &file.new_path, &facts.new, &comes),
            }
        }
        held.sort_by(|(_, a), (_, b)| (a.path, a.fact.span).cmp(&(b.path, b.fact.span)));
        held
    }

    /// Puts a finding where findings of its file are kept.
    fn put(&mut self, slot: Slot, side: Side, hit: Hit, tree: &dyn Tree) {
        let hits = match slot {
            Slot::Changed(index) => &mut self.examined[index].file_hits,
            Slot::Untouched(index) => &mut self.extra(index, tree).file_hits,
        };
        hits.hits.on_mut(side).push(hit);
    }

    fn extra(&mut self, index: usize, tree: &dyn Tree) -> &mut Extra {
        self.extras.entry(index).or_insert_with(|| {
            let path = tree.files()[index].path.clone();
            let file_hits =
                FileHits { old_path: path.clone(), new_path: path, map: LineMap::identity(), ..FileHits::default() };
            Extra { index, file_hits }
        })
    }

    /// Takes in what an outside program found.
    fn report(&mut self, rule: &Rule, report: &CheckerReport, tree: &dyn Tree) -> Result<(), String> {
        let mut found = Vec::new();
        for (side, word) in [(Side::Old, "before"), (Side::New, "after")] {
            let said = |why: &String| format!("{word} the change, {why}");
            let reported = report.found.on(side).as_ref().map_err(said)?;
            let mut by_path: BTreeMap<&[u8], Vec<&Reported>> = BTreeMap::new();
            let wanted = reported.iter().filter(|r| rule.wants_path(&r.path));
            wanted.for_each(|r| by_path.entry(&r.path).or_default().push(r));
            for (path, list) in by_path {
                let name = String::from_utf8_lossy(path).into_owned();
                let (slot, content) = self
                    .find(path, side, tree)
                    .ok_or_else(|| said(&format!("it names {name}, and there is no such file")))?;
                let Content::Whole { bytes, .. } = content else {
                    return Err(said(&format!("it names {name}, which can't be read")));
                };
                let hits = place(&list, rule, Language::of(path, &bytes), &bytes).map_err(|why| said(&why))?;
                found.extend(hits.into_iter().map(|hit| (slot, side, hit)));
            }
        }
        for (slot, side, hit) in found {
            self.put(slot, side, hit, tree);
        }
        Ok(())
    }

    /// The file with a path on one side, and its content.
    fn find(&self, path: &[u8], side: Side, tree: &dyn Tree) -> Option<(Slot, Content)> {
        let changed = self.change.files.iter().position(|f| match side {
            Side::Old => f.old_path == path && !matches!(f.kind, Kind::Added | Kind::Copied),
            Side::New => f.new_path == path && f.kind != Kind::Deleted,
        });
        if let Some(index) = changed {
            let sides = self.contents.sides(index);
            return Some((Slot::Changed(index), sides.take(side)));
        }
        let index = tree.files().binary_search_by(|f| f.path.as_slice().cmp(path)).ok()?;
        // A file that the change touches is on one side only.
        (!self.change.touches()(path)).then(|| (Slot::Untouched(index), tree.content(index)))
    }
}

fn plain<'f>(held: &[(Slot, LocatedFact<'f>)]) -> Vec<LocatedFact<'f>> {
    held.iter().map(|(_, fact)| *fact).collect()
}
