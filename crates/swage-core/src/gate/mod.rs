//! The verdict: policy and review in, `pass`, `fail` or `incomplete` out.
//!
//! Each condition has a result of its own, and the verdict is the gravest of them: a failed condition makes it `fail`,
//! else one that couldn't be judged makes it `incomplete`, else it is `pass`.
//!
//! | condition | fails when | can't be judged when |
//! |---|---|---|
//! | `merges` | merging leaves conflicts | |
//! | `examined` | | a file that rules want wasn't examined, or a rule couldn't run |
//! | `new.error`, `new.warning`, `new.note` | more new findings of the severity than allowed, those not listed included | the merge conflicts |
//! | `worse` | more measures grew than allowed | the merge conflicts |
//! | `suppressions.error`, `suppressions.warning`, `suppressions.note` | comments of the change suppress more findings of the severity than allowed | the merge conflicts |
//! | `submodules` | the change adds or moves a submodule and may not | |
//! | `above_baseline` | the total rises although it may not | the merge conflicts |
//! | `files`, `lines` | the change is larger than allowed | |
//!
//! Conditions on people and on outside programs are in [`judge_people`]; commands that the merged tree must pass are conditions
//! called `checks.NAME`.

mod people;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use self::people::{ProposalFacts, judge_people};
use crate::baseline::State;
use crate::change::Nature;
use crate::config::{Policy, Submodules};
use crate::review::{ChangeKind, Review};
use crate::rule::Severity;

/// How a condition, or the whole, came out. Ordered by gravity.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Outcome {
    /// It holds.
    Pass,
    /// It couldn't be judged.
    Incomplete,
    /// It doesn't hold.
    Fail,
}

impl Outcome {
    /// The word for it in files and output.
    pub fn word(self) -> &'static str {
        match self {
            Self::Pass => "pass",
            Self::Incomplete => "incomplete",
            Self::Fail => "fail",
        }
    }
}

/// One demand of the policy and how it came out.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Condition {
    /// Its name, as in the table of this module.
    pub name: String,
    /// How it came out.
    pub result: Outcome,
    /// Why, in a sentence.
    pub reason: String,
}

/// The answer to the one question: may this change be merged?
#[must_use]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Verdict {
    /// The gravest of the conditions' results.
    pub result: Outcome,
    /// The conditions, in the order of the table of this module.
    pub conditions: Vec<Condition>,
}

impl Verdict {
    /// Combines conditions: the gravest result is the whole's. No condition at all is a pass.
    pub fn of(conditions: Vec<Condition>) -> Self {
        let result = conditions.iter().map(|c| c.result).max().unwrap_or(Outcome::Pass);
        Self { result, conditions }
    }
}

/// Decides. `conflicts` are the paths that merging leaves in conflict.
/// Long because it is the list of conditions, each with its reason in words.
pub fn decide(review: &Review, policy: &Policy, conflicts: &[String]) -> Verdict {
    let mut conditions = Vec::new();
    let mut add = |name: &str, result: Outcome, reason: String| {
        conditions.push(Condition { name: name.to_owned(), result, reason })
    };
    let counts = review.counts();
    let merged = conflicts.is_empty();

    match conflicts {
        [] => add("merges", Outcome::Pass, "it merges into the target without conflicts".into()),
        paths => add("merges", Outcome::Fail, format!("merging conflicts in {}", listed(paths))),
    }

    let missed: Vec<String> = review.incomplete().map(|f| f.new_path.text.clone()).collect();
    let idle: Vec<String> = review.not_run.iter().map(|(id, _)| id.to_string()).collect();
    match (missed.as_slice(), idle.as_slice()) {
        _ if !merged => add("examined", Outcome::Incomplete, "there is no merged tree to examine".into()),
        ([], []) => add("examined", Outcome::Pass, "all files that rules apply to were examined".into()),
        ([], rules) => add("examined", Outcome::Incomplete, format!("rules that couldn't run: {}", listed(rules))),
        (paths, _) => add("examined", Outcome::Incomplete, format!("not examined: {}", listed(paths))),
    }

    let mut limit = |name: &str, what: &str, found: u64, most: Option<u64>, needs_merge: bool| {
        let Some(most) = most else { return };
        if needs_merge && !merged {
            add(name, Outcome::Incomplete, "not known, as the merge conflicts".into());
        } else if found > most {
            add(name, Outcome::Fail, format!("{found} {what}; {most} allowed"));
        } else {
            add(name, Outcome::Pass, format!("{found} {what}; {most} allowed"));
        }
    };
    for severity in Severity::ALL {
        let unlisted = review.unlisted(severity);
        let found = counts.get(State::New, severity) + unlisted;
        let aside = match unlisted {
            0 => String::new(),
            n => format!(", {n} of them not listed as the file looks generated, vendored or copied"),
        };
        limit(
            &format!("new.{severity}"),
            &format!("new {severity}{}{aside}", plural(found)),
            found,
            policy.new_limit(severity),
            true,
        );
    }
    let worse = review.findings.iter().filter(|f| f.is_worse()).count() as u64;
    limit("worse", &format!("measure{} worse than before", plural(worse)), worse, policy.worse, true);
    for severity in Severity::ALL {
        let found = review.new_suppressions().filter(|(f, _)| f.severity == severity).count() as u64;
        let what = format!("{severity}{} suppressed by comments of the change", plural(found));
        // Where nothing is suppressed there is nothing to say.
        let most = policy.suppressions[severity as usize].filter(|_| found > 0 || policy.configured);
        limit(&format!("suppressions.{severity}"), &what, found, most, true);
    }
    // Lines that only moved weren't written.
    let lines = review.files.iter().map(|f| (f.written.written + f.written.dropped) as u64).sum();
    limit(
        "files",
        &format!("file{} in the change", plural(review.files.len() as u64)),
        review.files.len() as u64,
        policy.files,
        false,
    );
    limit("lines", &format!("written or dropped line{}", plural(lines)), lines, policy.lines, false);
    let moved = review.files.iter().filter(|f| f.nature == Nature::Submodule && f.kind != ChangeKind::Deleted);
    let moved: Vec<String> = moved.map(|f| f.new_path.text.clone()).collect();
    if !moved.is_empty() {
        let (result, why) = match policy.submodules {
            Submodules::Allow => (Outcome::Pass, "their content isn't examined, and the policy allows that"),
            Submodules::Refuse => (Outcome::Fail, "their content isn't examined, and the policy refuses that"),
        };
        conditions.push(Condition {
            name: "submodules".to_owned(),
            result,
            reason: format!("{}: {why}", listed(&moved)),
        });
    }
    let mut add = |name: &str, result: Outcome, reason: String| {
        conditions.push(Condition { name: name.to_owned(), result, reason })
    };
    if !policy.above_baseline {
        // What is about the change itself isn't in any tree.
        let about = review.findings.iter().filter(|f| f.about_change && f.is_counted()).count();
        let (base, head) = (counts.base(), counts.head() - about as u64 + review.all_unlisted());
        match head.cmp(&base) {
            _ if !merged => add("above_baseline", Outcome::Incomplete, "not known, as the merge conflicts".into()),
            std::cmp::Ordering::Greater => {
                add("above_baseline", Outcome::Fail, format!("the total rises by {}", head - base))
            }
            std::cmp::Ordering::Equal => add("above_baseline", Outcome::Pass, "the total stays the same".into()),
            std::cmp::Ordering::Less => {
                add("above_baseline", Outcome::Pass, format!("the total falls by {}", base - head))
            }
        }
    }
    Verdict::of(conditions)
}

fn plural(n: u64) -> &'static str {
    if n == 1 { "" } else { "s" }
}

/// Up to five names, and how many more.
fn listed(names: &[String]) -> String {
    let mut text = names.iter().take(5).cloned().collect::<Vec<_>>().join(", ");
    if names.len() > 5 {
        text += &format!(" and {} more", names.len() - 5);
    }
    text
}
