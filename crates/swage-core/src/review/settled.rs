//! Applying decisions to findings.
//!
//! A decision on a finding covers one: the one with its key, else one in the same file and definition with the same text, else one
//! elsewhere in a definition of that name. So it follows code that moves, and not code that changes its meaning.

use super::finding::{Finding, Settled, Standing};
use super::model::Review;
use crate::baseline::State;
use crate::decision::{Answer, Decision, Scope};

/// Lets findings be of which decisions say so, and notes decisions that have no effect any more. `today` is a day as
/// `YYYY-MM-DD`; a decision for later counts up to and with its last day.
pub fn settle_findings(review: &mut Review, decisions: &[Decision], today: &str) {
    let mut notes = Vec::new();
    for decision in decisions {
        let covered = covered(review, decision);
        let open = decision.until.as_deref().is_none_or(|until| today <= until);
        if covered.is_empty() {
            let near = |f: &&Finding| f.scope == decision.definition && is_in(f, decision) && f.is_open();
            let changed = review.findings.iter().find(|f| f.rule == decision.rule && near(f) && is_there(f));
            notes.extend(changed.filter(|_| decision.scope == Scope::Finding).map(|f| {
                format!(
                    "`{}` at {} was settled as {} for different code, so it counts again.",
                    decision.rule,
                    f.place(),
                    decision.answer.word()
                )
            }));
            continue;
        }
        if !open {
            let until = decision.until.as_deref().unwrap_or_default();
            notes.push(format!(
                "`{}` at {} was deferred until {until}, so it counts again.",
                decision.rule,
                review.findings[covered[0]].place()
            ));
            continue;
        }
        for index in covered {
            review.findings[index].standing = Standing::Settled(Settled::of(decision));
        }
    }
    review.notes.extend(notes);
}

/// The new findings that decisions would settle, each with the decision: what a change offers to its own advantage.
pub fn offered<'f>(review: &'f Review, decisions: &[Decision]) -> Vec<(&'f Finding, Answer)> {
    let found = decisions.iter().flat_map(|decision| {
        let covered = covered(review, decision);
        covered.into_iter().map(|index| (&review.findings[index], decision.answer))
    });
    found.collect()
}

fn is_in(f: &Finding, decision: &Decision) -> bool {
    f.path().map_or("", |path| path.text.as_str()) == decision.path
}

fn is_there(f: &Finding) -> bool {
    f.state != State::Absent
}

/// The findings that a decision is about, by index; without those that are settled already.
fn covered(review: &Review, decision: &Decision) -> Vec<usize> {
    // A measure that has grown is more than what was settled, unless it is its present value that was: the message names it.
    let grown = |f: &Finding| f.is_worse() && f.message != decision.message;
    let own = |f: &Finding| f.rule == decision.rule && is_there(f) && f.is_open() && !grown(f);
    let same = |f: &Finding| f.text_digest == decision.text;
    // In another file only code that the comparison with the base knows as moved: the same text in new code, with the old
    // taken away, is no move. Without a base it can't be known.
    let moved = |f: &Finding| f.state != State::New || review.base.is_none();
    let all = |wanted: &dyn Fn(&Finding) -> bool| {
        let wanted = review.findings.iter().enumerate().filter(|(_, f)| own(f) && wanted(f));
        wanted.map(|(index, _)| index).collect::<Vec<_>>()
    };
    match decision.scope {
        Scope::File => all(&|f| is_in(f, decision)),
        Scope::Pattern => all(&same),
        Scope::Finding => {
            let ways: [&dyn Fn(&Finding) -> bool; 3] = [
                &|f| f.key == decision.key && same(f),
                &|f| same(f) && is_in(f, decision) && f.scope == decision.definition,
                &|f| same(f) && moved(f) && !decision.definition.is_empty() && f.scope == decision.definition,
            ];
            ways.iter()
                .map(|way| all(*way))
                .find(|found| !found.is_empty())
                .unwrap_or_default()
                .into_iter()
                .take(1)
                .collect()
        }
    }
}
