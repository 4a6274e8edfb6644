//! Facts of many files in, findings across files out.
//!
//! A rule's facts are judged side by side: those of the whole tree before the change, and those after it. Two facts meet
//! when the texts of the rule's holes are equal and both stand within the rule's reach. One table by those texts makes
//! the join linear in the number of facts.

use std::collections::HashMap;

use crate::rule::{Link, Meeting, Rule, Within};
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
}

/// Most places that a finding names besides its own.
const MOST_RELATED: usize = 3;

/// What makes two facts meet: the texts of the holes, and the place that both must share.
type Knot<'a> = (Vec<&'a str>, &'a [u8]);

/// The facts of a side by what makes them meet, for one collection.
type Table<'a> = HashMap<Knot<'a>, Vec<Held<'a>>>;

/// Judges the facts of one side. `here` are all the rule's facts of that side in the order of paths and places; `before`,
/// when the side is after a change, those before it. The result holds the index in `here` of each fact at fault.
pub fn judge(rule: &Rule, link: &Link, here: &[Held<'_>], before: Option<&[Held<'_>]>) -> Vec<(usize, Hit)> {
    let judge = Judge { link };
    let of = |index: usize| move |held: &&Held<'_>| held.fact.collection == index;
    let excuses: Vec<(usize, Table<'_>)> =
        link.unless.iter().map(|&index| (index, judge.table(index, here.iter().filter(of(index))))).collect();
    let each = here.iter().enumerate().filter(|(_, held)| held.fact.collection == link.each);
    let others = match link.demand {
        Meeting::Must(index) | Meeting::MustNot(index) => judge.others(index, here, before),
        Meeting::Unique => judge.table(link.each, here.iter().filter(of(link.each))),
    };
    let gone = match link.demand {
        Meeting::Must(index) => judge.table(index, before.unwrap_or_default().iter().filter(of(index))),
        Meeting::MustNot(_) | Meeting::Unique => Table::new(),
    };
    let mut found = Vec::new();
    for (index, held) in each {
        let met =
            |index: usize, table: &Table<'_>| judge.knot(index, held).is_some_and(|knot| table.contains_key(&knot));
        if excuses.iter().any(|(index, table)| met(*index, table)) {
            continue;
        }
        let other = match link.demand {
            Meeting::Must(index) | Meeting::MustNot(index) => index,
            Meeting::Unique => link.each,
        };
        let Some(knot) = judge.knot(other, held) else { continue };
        let met = others.get(&knot).map_or(&[][..], Vec::as_slice);
        let related = match link.demand {
            Meeting::Must(other) if met.is_empty() => {
                let lost = gone.get(&knot).map_or(&[][..], Vec::as_slice);
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
        found.push((index, hit(rule, held.fact, related)));
    }
    found
}

fn hit(rule: &Rule, fact: &Fact, mut related: Vec<Elsewhere>) -> Hit {
    related.truncate(MOST_RELATED);
    let message = rule.say(|gap| match gap {
        "match" => Some(fact.text.clone()),
        name => fact.hole(name).map(str::to_owned),
    });
    Hit {
        rule: rule.id.clone(),
        severity: rule.severity,
        message,
        span: fact.span,
        // It is told when the finding is put into its file.
        scope: String::new(),
        exact: fact.exact,
        folded: fact.folded,
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
        let texts: Option<Vec<&str>> = self.link.on.iter().map(|hole| held.fact.hole(hole)).collect();
        let place = match self.link.collections[collection].within.unwrap_or(self.link.within) {
            Within::Tree => &[][..],
            Within::Directory => held.path.iter().rposition(|b| *b == b'/').map_or(&[][..], |at| &held.path[..at]),
            Within::File => held.path,
        };
        Some((texts?, place))
    }

    fn table<'a>(&self, collection: usize, facts: impl Iterator<Item = &'a Held<'a>>) -> Table<'a> {
        let mut table = Table::new();
        for held in facts {
            if let Some(knot) = self.knot(collection, held) {
                table.entry(knot).or_default().push(*held);
            }
        }
        table
    }

    /// The facts that are asked for: those of this side, or those that the change took away.
    fn others<'a>(&self, index: usize, here: &'a [Held<'a>], before: Option<&'a [Held<'a>]>) -> Table<'a> {
        let own = |facts: &'a [Held<'a>]| self.table(index, facts.iter().filter(|held| held.fact.collection == index));
        let there = own(here);
        if !self.link.collections[index].gone {
            return there;
        }
        let mut gone = before.map_or_else(Table::new, own);
        gone.retain(|knot, _| !there.contains_key(knot));
        gone
    }

    fn says(&self, collection: usize) -> &str {
        &self.link.collections[collection].says
    }

    fn place(&self, held: &Held<'_>, before: bool, message: &str) -> Elsewhere {
        Elsewhere { path: held.path.to_vec(), before, span: held.fact.span, message: message.to_owned() }
    }
}
