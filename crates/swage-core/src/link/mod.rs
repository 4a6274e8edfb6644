//! Facts of many files in, findings across files out.
//!
//! A rule's facts are judged side by side: those of the whole tree before the change, and those after it. Two facts meet
//! when the texts of the rule's holes are equal and both are within the rule's reach. One table by those texts makes
//! the join linear in the number of facts.

use std::collections::{HashMap, HashSet};

use rustc_hash::FxBuildHasher;

use crate::digest::short_digest;
use crate::rule::{FileOf, Link, Meeting, Rule, Within, may_mean, meant_name, own_name};
use crate::scan::{Elsewhere, Fact, Hit};

/// A fact with the file that it is in.
#[derive(Debug, Clone, Copy)]
pub struct LocatedFact<'a> {
    /// The file's path.
    pub path: &'a [u8],
    /// The fact.
    pub fact: &'a Fact,
    /// Whether the change added or altered it.
    pub fresh: bool,
    /// Whether the change touches its file.
    pub touched: bool,
}

/// Most places that a finding names apart from its own.
const MOST_RELATED: usize = 3;

/// What makes two facts meet: the texts of the holes, the place that both must share, and the file that both are about.
type JoinKey<'a> = (&'a [String], &'a [u8], &'a [u8]);

/// The facts of a side by what makes them meet, for one collection.
type Table<'a> = HashMap<JoinKey<'a>, Vec<LocatedFact<'a>>, FxBuildHasher>;

/// Judges the facts of one side. `here` are all the rule's facts of that side in the order of paths and places; `before`,
/// when the side is after a change, those before it. The result holds the index in `here` of each fact at fault.
pub fn judge(
    rule: &Rule,
    link: &Link,
    here: &[LocatedFact<'_>],
    before: Option<&[LocatedFact<'_>]>,
) -> Vec<(usize, Hit)> {
    let mut found = at_fault(link, here, before);
    if let Some(most) = link.max_files {
        let now = spread(link, here, &found);
        // What everybody used before stays unreported when the change takes users away: it caused none of it.
        let earlier = before.map(|before| spread(link, before, &at_fault(link, before, None))).unwrap_or_default();
        let judge = Judge { link };
        found.retain(|(index, _)| {
            let texts = judge.texts(&here[*index]);
            let files = |spread: &Spread<'_>| spread.get(texts).map_or(0, HashSet::len) as u64;
            files(&now).max(files(&earlier)) <= most
        });
    }
    found.into_iter().map(|(index, related)| (index, hit(rule, link, here[index].fact, related))).collect()
}

/// The files in which facts of the same texts are at fault.
type Spread<'a> = HashMap<&'a [String], HashSet<&'a [u8]>, FxBuildHasher>;

fn spread<'a>(link: &Link, here: &[LocatedFact<'a>], found: &[(usize, Vec<Elsewhere>)]) -> Spread<'a> {
    let mut files = Spread::default();
    for (index, _) in found {
        files.entry(Judge { link }.texts(&here[*index])).or_default().insert(here[*index].path);
    }
    files
}

/// The facts at fault, each with other places that it is about.
/// Long because the demands share what excuses a fact and where its file is.
fn at_fault(link: &Link, here: &[LocatedFact<'_>], before: Option<&[LocatedFact<'_>]>) -> Vec<(usize, Vec<Elsewhere>)> {
    let judge = Judge { link };
    let of = |index: usize| move |held: &&LocatedFact<'_>| held.fact.collection == index;
    let others = match link.demand {
        Meeting::Must(index) | Meeting::MustNot(index) => judge.others(index, here, before),
        Meeting::Unique => judge.table(link.each, here.iter().filter(of(link.each))),
    };
    if matches!(link.demand, Meeting::MustNot(_)) && others.is_empty() {
        return Vec::new();
    }
    let lost = match link.demand {
        // What isn't touched is there on both sides, so it can't be missing now.
        Meeting::Must(index) => {
            judge.table(index, before.unwrap_or_default().iter().filter(|held| held.touched).filter(of(index)))
        }
        Meeting::MustNot(_) | Meeting::Unique => Table::default(),
    };
    let mut found = Vec::new();
    for (index, held) in here.iter().enumerate().filter(|(_, held)| held.fact.collection == link.each) {
        let other = match link.demand {
            Meeting::Must(index) | Meeting::MustNot(index) => index,
            Meeting::Unique => link.each,
        };
        let Some(key) = judge.key(other, held) else { continue };
        let met: Vec<&LocatedFact<'_>> =
            others.get(&key).into_iter().flatten().filter(|m| judge.same_file(held, m)).collect();
        let related = match link.demand {
            Meeting::Must(other) if met.is_empty() => {
                let lost = lost.get(&key).into_iter().flatten().filter(|l| judge.same_file(held, l));
                lost.map(|l| judge.place(l, true, &format!("{}, until this change", judge.says(other)))).collect()
            }
            Meeting::MustNot(other) if !met.is_empty() => {
                let removed = link.collections[other].removed;
                met.iter().map(|m| judge.place(m, removed, judge.says(other))).collect()
            }
            Meeting::Unique if met.len() > 1 => {
                // One of them keeps the right to be there: the first that the change didn't bring.
                let keeper = met.iter().find(|m| !m.fresh).copied().unwrap_or(met[0]);
                if std::ptr::eq(keeper.fact, held.fact) {
                    continue;
                }
                vec![judge.place(keeper, false, judge.says(link.each))]
            }
            Meeting::Must(_) | Meeting::MustNot(_) | Meeting::Unique => continue,
        };
        found.push((index, related));
    }
    // Few are at fault and many could excuse them, so the few are looked up.
    for &excuse in &link.unless {
        let mut accused: HashMap<JoinKey<'_>, Vec<(usize, bool)>, FxBuildHasher> = HashMap::default();
        for (index, _) in &found {
            if let Some(key) = judge.key(excuse, &here[*index]) {
                accused.entry(key).or_default().push((*index, false));
            }
        }
        if accused.is_empty() {
            continue;
        }
        for held in here.iter().filter(of(excuse)) {
            let Some(list) = judge.key(excuse, held).and_then(|key| accused.get_mut(&key)) else { continue };
            list.iter_mut().for_each(|(index, excused)| *excused |= judge.same_file(&here[*index], held));
        }
        let excused: HashSet<usize> =
            accused.into_values().flatten().filter(|(_, yes)| *yes).map(|(at, _)| at).collect();
        found.retain(|(index, _)| !excused.contains(index));
    }
    found
}

/// The digest of what facts meet by; 0 when that is only their file.
fn named(link: &Link, fact: &Fact) -> u64 {
    let names = fact.values.get(..link.on.len()).unwrap_or_default();
    let names: Vec<&[u8]> = names.iter().map(|name| name.as_bytes()).collect();
    if names.is_empty() { 0 } else { short_digest(&names) }
}

/// A finding; its definitions around it and its digests are read from its file.
fn hit(rule: &Rule, link: &Link, fact: &Fact, mut related: Vec<Elsewhere>) -> Hit {
    related.truncate(MOST_RELATED);
    let message = rule.say(|gap| link.kept.iter().position(|name| name == gap).map(|at| fact.values[at].clone()));
    Hit {
        rule: rule.id.clone(),
        severity: rule.severity,
        message,
        span: Some(fact.span),
        scope: String::new(),
        definition: None,
        fix: None,
        exact: 0,
        folded: 0,
        identity: named(link, fact),
        figure: None,
        suppressed: fact.suppressed.clone(),
        related,
        secret: rule.secret,
    }
}

struct Judge<'l> {
    link: &'l Link,
}

impl Judge<'_> {
    /// The texts by which a fact meets others.
    fn texts<'a>(&self, held: &LocatedFact<'a>) -> &'a [String] {
        held.fact.values.get(..self.link.on.len()).unwrap_or_default()
    }

    /// What the fact meets those of a collection by; `None` when it lacks a text.
    fn key<'a>(&self, collection: usize, held: &LocatedFact<'a>) -> Option<JoinKey<'a>> {
        let of = |index: usize| &self.link.collections[index];
        let texts = if of(collection).of_file_only { &[] } else { held.fact.values.get(..self.link.on.len())? };
        let place = match of(collection).within.unwrap_or(self.link.within) {
            Within::Tree => &[][..],
            Within::Directory => held.path.iter().rposition(|b| *b == b'/').map_or(&[][..], |at| &held.path[..at]),
            Within::File => held.path,
        };
        let file = match of(held.fact.collection).file {
            _ if of(collection).file.is_none() || of(self.link.each).file.is_none() => &[],
            Some(FileOf::Own) => own_name(held.path),
            Some(FileOf::Kept(at)) => match held.fact.values.get(at)?.as_bytes() {
                b"" => own_name(held.path),
                text => meant_name(text),
            },
            None => &[],
        };
        Some((texts, place, file))
    }

    /// Whether two facts that meet otherwise are about the same file, as far as both say.
    fn same_file(&self, one: &LocatedFact<'_>, other: &LocatedFact<'_>) -> bool {
        fn text<'a>(held: &LocatedFact<'a>, at: usize) -> &'a [u8] {
            held.fact.values.get(at).map_or(&[], |value| value.as_bytes())
        }
        let said = |held: &LocatedFact<'_>| match self.link.collections[held.fact.collection].file {
            Some(FileOf::Kept(at)) if text(held, at).is_empty() => Some(FileOf::Own),
            said => said,
        };
        match (said(one), said(other)) {
            (None, _) | (_, None) => true,
            (Some(FileOf::Own), Some(FileOf::Own)) => one.path == other.path,
            (Some(FileOf::Kept(at)), Some(FileOf::Own)) => may_mean(text(one, at), other.path),
            (Some(FileOf::Own), Some(FileOf::Kept(at))) => may_mean(text(other, at), one.path),
            (Some(FileOf::Kept(a)), Some(FileOf::Kept(b))) => text(one, a) == text(other, b),
        }
    }

    fn table<'a>(&self, collection: usize, facts: impl Iterator<Item = &'a LocatedFact<'a>>) -> Table<'a> {
        let mut table = Table::default();
        for held in facts {
            if let Some(key) = self.key(collection, held) {
                table.entry(key).or_default().push(*held);
            }
        }
        table
    }

    /// The facts that are asked for: those of this side, or those that the change took away.
    fn others<'a>(
        &self,
        index: usize,
        here: &'a [LocatedFact<'a>],
        before: Option<&'a [LocatedFact<'a>]>,
    ) -> Table<'a> {
        let own = |held: &&LocatedFact<'_>| held.fact.collection == index;
        if !self.link.collections[index].removed {
            return self.table(index, here.iter().filter(own));
        }
        let before = before.unwrap_or_default().iter().filter(|held| held.touched);
        let mut removed = self.table(index, before.filter(own));
        let own = if removed.is_empty() { &[][..] } else { here }.iter().filter(own);
        for held in own {
            let Some(list) = self.key(index, held).and_then(|key| removed.get_mut(&key)) else { continue };
            list.retain(|before| !self.same_file(before, held));
        }
        removed.retain(|_, list| !list.is_empty());
        removed
    }

    fn says(&self, collection: usize) -> &str {
        &self.link.collections[collection].says
    }

    fn place(&self, held: &LocatedFact<'_>, before: bool, message: &str) -> Elsewhere {
        Elsewhere { path: held.path.to_vec(), before, span: held.fact.span, message: message.to_owned() }
    }
}
