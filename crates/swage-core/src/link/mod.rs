//! Facts of many files in, findings across files out.
//!
//! A rule's facts are judged side by side: those of the whole tree before the change, and those after it. Two facts meet
//! when the texts of the rule's holes are equal and both stand within the rule's reach. One table by those texts makes
//! the join linear in the number of facts.

use std::collections::HashMap;

use rustc_hash::FxBuildHasher;

use crate::rule::{FileOf, Link, Meeting, Rule, Within, meant_name, own_name};
use crate::scan::{Elsewhere, Fact, Hit};

/// A fact with the file that it stands in.
#[derive(Debug, Clone, Copy)]
pub struct Held<'a> {
    /// The file's path.
    pub path: &'a [u8],
    /// The fact.
    pub fact: &'a Fact,
    /// Whether the change brought or altered it.
    pub fresh: bool,
    /// Whether the change touches its file.
    pub touched: bool,
}

/// Most places that a finding names besides its own.
const MOST_RELATED: usize = 3;

/// What makes two facts meet: the texts of the holes, the place that both must share, and the file that both are about.
type Knot<'a> = (&'a [String], &'a [u8], &'a [u8]);

/// The facts of a side by what makes them meet, for one collection.
type Table<'a> = HashMap<Knot<'a>, Vec<Held<'a>>, FxBuildHasher>;

/// Judges the facts of one side. `here` are all the rule's facts of that side in the order of paths and places; `before`,
/// when the side is after a change, those before it. The result holds the index in `here` of each fact at fault.
pub fn judge(rule: &Rule, link: &Link, here: &[Held<'_>], before: Option<&[Held<'_>]>) -> Vec<(usize, Hit)> {
    let judge = Judge { link };
    let of = |index: usize| move |held: &&Held<'_>| held.fact.collection == index;
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
        let Some(knot) = judge.knot(other, held) else { continue };
        let met = others.get(&knot).map_or(&[][..], Vec::as_slice);
        let related = match link.demand {
            Meeting::Must(other) if met.is_empty() => {
                let lost = lost.get(&knot).map_or(&[][..], Vec::as_slice);
                lost.iter()
                    .map(|l| judge.place(l, true, &format!("{}, until this change", judge.says(other))))
                    .collect()
            }
            Meeting::MustNot(other) if !met.is_empty() => {
                let removed = link.collections[other].gone;
                met.iter().map(|m| judge.place(m, removed, judge.says(other))).collect()
            }
            Meeting::Unique if met.len() > 1 => {
                // One of them keeps the right to be there: the first that the change didn't bring.
                let keeper = met.iter().find(|m| !m.fresh).unwrap_or(&met[0]);
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
        let mut excused: HashMap<Knot<'_>, bool, FxBuildHasher> =
            found.iter().filter_map(|(index, _)| Some((judge.knot(excuse, &here[*index])?, false))).collect();
        if excused.is_empty() {
            continue;
        }
        for held in here.iter().filter(of(excuse)) {
            if let Some(known) = judge.knot(excuse, held).and_then(|knot| excused.get_mut(&knot)) {
                *known = true;
            }
        }
        found.retain(|(index, _)| {
            judge.knot(excuse, &here[*index]).is_none_or(|knot| excused.get(&knot) != Some(&true))
        });
    }
    found.into_iter().map(|(index, related)| (index, hit(rule, link, here[index].fact, related))).collect()
}

/// A finding; its definitions around it and its digests are read from its file.
fn hit(rule: &Rule, link: &Link, fact: &Fact, mut related: Vec<Elsewhere>) -> Hit {
    related.truncate(MOST_RELATED);
    let message = rule.say(|gap| link.kept.iter().position(|name| name == gap).map(|at| fact.values[at].clone()));
    Hit {
        rule: rule.id.clone(),
        severity: rule.severity,
        message,
        span: fact.span,
        scope: String::new(),
        exact: 0,
        folded: 0,
        figure: None,
        allowed: fact.allowed.clone(),
        related,
        secret: rule.secret,
    }
}

struct Judge<'l> {
    link: &'l Link,
}

impl Judge<'_> {
    /// What the fact meets those of a collection by; `None` when it lacks a text.
    fn knot<'a>(&self, collection: usize, held: &Held<'a>) -> Option<Knot<'a>> {
        let texts = held.fact.values.get(..self.link.on.len())?;
        let place = match self.link.collections[collection].within.unwrap_or(self.link.within) {
            Within::Tree => &[][..],
            Within::Directory => held.path.iter().rposition(|b| *b == b'/').map_or(&[][..], |at| &held.path[..at]),
            Within::File => held.path,
        };
        let says = |index: usize| self.link.collections[index].file;
        let file = match says(held.fact.collection) {
            _ if says(collection).is_none() || says(self.link.each).is_none() => &[],
            Some(FileOf::Own) => own_name(held.path),
            Some(FileOf::Kept(at)) => meant_name(held.fact.values.get(at)?.as_bytes()),
            None => &[],
        };
        Some((texts, place, file))
    }

    fn table<'a>(&self, collection: usize, facts: impl Iterator<Item = &'a Held<'a>>) -> Table<'a> {
        let mut table = Table::default();
        for held in facts {
            if let Some(knot) = self.knot(collection, held) {
                table.entry(knot).or_default().push(*held);
            }
        }
        table
    }

    /// The facts that are asked for: those of this side, or those that the change took away.
    fn others<'a>(&self, index: usize, here: &'a [Held<'a>], before: Option<&'a [Held<'a>]>) -> Table<'a> {
        let own = |held: &&Held<'_>| held.fact.collection == index;
        if !self.link.collections[index].gone {
            return self.table(index, here.iter().filter(own));
        }
        let before = before.unwrap_or_default().iter().filter(|held| held.touched);
        let mut gone = self.table(index, before.filter(own));
        let own = if gone.is_empty() { &[][..] } else { here }.iter().filter(own);
        for held in own {
            if let Some(knot) = self.knot(index, held) {
                gone.remove(&knot);
            }
        }
        gone
    }

    fn says(&self, collection: usize) -> &str {
        &self.link.collections[collection].says
    }

    fn place(&self, held: &Held<'_>, before: bool, message: &str) -> Elsewhere {
        Elsewhere { path: held.path.to_vec(), before, span: held.fact.span, message: message.to_owned() }
    }
}
