//! What people make of each rule: what they fixed, suppressed and settled, and what follows from it for the rule.

use std::collections::{BTreeMap, BTreeSet};

use super::{Answer, Decision};
use crate::ids::{FindingKey, RuleId};

/// Proposals take at least this many answers.
const MIN_ANSWERS: usize = 3;
/// And how many of those in a folder must say that the code is right, in percent.
const MIN_SHARE: usize = 80;
/// A rule is judged as a whole by at least this many answers.
const MIN_JUDGED: usize = 5;
/// With a smaller share of useful findings, in percent, a rule had better be a note; with less than the second, off.
const USEFUL: (u32, u32) = (60, 40);

/// A finding that a change introduced, as past runs saw it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PastFinding {
    /// The rule's id.
    pub rule: RuleId,
    /// The finding's key.
    pub key: FindingKey,
    /// Its file; empty for the change as a whole.
    pub path: String,
    /// A later run on the same work found it no more.
    pub gone: bool,
    /// A comment suppresses it.
    pub suppressed: bool,
    /// It was found first in the time that counts as lately.
    pub lately: bool,
}

/// What became of the findings of a rule.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RuleReport {
    /// The rule's id.
    pub rule: RuleId,
    /// Findings that changes introduced, and those that were settled.
    pub found: usize,
    /// Of those, the ones found first lately.
    pub lately: usize,
    /// Of those, the ones that were fixed before the change was merged.
    pub fixed: usize,
    /// Of those, the ones that a comment suppresses.
    pub suppressed: usize,
    /// Decisions by answer: intended, wrong, later.
    pub settled: [usize; 3],
    /// The share of answered findings that people found useful, in percent: fixed or left for later, of those that were also
    /// suppressed or settled as intended or wrong. `None` without any.
    pub useful: Option<u32>,
    /// What follows from it.
    pub proposals: Vec<Proposal>,
}

/// A change to the configuration that people's answers suggest.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// Why.
    pub why: String,
    /// What to do.
    pub edit: Adjustment,
}

/// A change to one rule in the configuration.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Adjustment {
    /// Leave out files whose paths match.
    SkipPath(String),
    /// Let it be a note.
    Note,
    /// Switch it off.
    Off,
}

/// The report of all rules that found something or were settled, in the order of their ids.
pub fn report(findings: &[PastFinding], decisions: &[Decision]) -> Vec<RuleReport> {
    let mut by_rule: BTreeMap<&str, (Vec<&PastFinding>, Vec<&Decision>)> = BTreeMap::new();
    findings.iter().for_each(|f| by_rule.entry(&f.rule).or_default().0.push(f));
    decisions.iter().for_each(|d| by_rule.entry(&d.rule).or_default().1.push(d));
    by_rule.into_iter().map(|(rule, (findings, decisions))| of_rule(rule, &findings, &decisions)).collect()
}

fn of_rule(rule: &str, findings: &[&PastFinding], decisions: &[&Decision]) -> RuleReport {
    let settled_keys: BTreeSet<&str> = decisions.iter().map(|d| d.key.as_str()).collect();
    // What was settled isn't fixed by being found no more.
    let unsettled: Vec<&PastFinding> =
        findings.iter().copied().filter(|f| !settled_keys.contains(f.key.as_str())).collect();
    let suppressed = unsettled.iter().filter(|f| f.suppressed).count();
    let fixed = unsettled.iter().filter(|f| f.gone && !f.suppressed).count();
    let settled = [Answer::Intended, Answer::Wrong, Answer::Later]
        .map(|answer| decisions.iter().filter(|d| d.answer == answer).count());
    let [intended, wrong, later] = settled;
    let (useful, useless) = (fixed + later, suppressed + intended + wrong);
    let share = (useful * 100).checked_div(useful + useless).map(|share| share as u32);
    let (mut proposals, mut elsewhere) = (Vec::new(), useless);
    if let Some((proposal, answers)) = folder(&unsettled, decisions) {
        proposals.push(proposal);
        elsewhere -= answers;
    }
    // What a folder explains isn't held against the rule.
    let judged = useful + elsewhere;
    if let Some(share) = (useful * 100).checked_div(judged).map(|share| share as u32)
        && judged >= MIN_JUDGED
        && share < USEFUL.0
    {
        let why = format!("{elsewhere} of {judged} answers say that its findings are of no use");
        let edit = if share < USEFUL.1 { Adjustment::Off } else { Adjustment::Note };
        proposals.push(Proposal { why, edit });
    }
    RuleReport {
        rule: rule.into(),
        found: unsettled.len() + decisions.len(),
        lately: findings.iter().filter(|f| f.lately).count(),
        fixed,
        suppressed,
        settled,
        useful: share,
        proposals,
    }
}

/// The folder in which people say that the code is as it should be: the one with the most such answers, and of those the deepest;
/// and how many answers say so.
fn folder(findings: &[&PastFinding], decisions: &[&Decision]) -> Option<(Proposal, usize)> {
    let mut folders: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    let waved = decisions.iter().filter(|d| d.answer != Answer::Later).map(|d| (d.path.as_str(), true));
    let suppressed = findings.iter().map(|f| (f.path.as_str(), f.suppressed));
    for (path, waved) in waved.chain(suppressed) {
        for (at, _) in path.match_indices('/') {
            let (of, all) = folders.entry(&path[..at]).or_default();
            *of += usize::from(waved);
            *all += 1;
        }
    }
    let fits = |(_, (of, all)): &(&str, (usize, usize))| *of >= MIN_ANSWERS && of * 100 >= all * MIN_SHARE;
    let (folder, (of, all)) = folders.into_iter().filter(fits).max_by_key(|(folder, (of, _))| (*of, folder.len()))?;
    let why = format!("{of} of {all} findings in {folder}/ were suppressed or settled as intended or wrong");
    Some((Proposal { why, edit: Adjustment::SkipPath(format!("{}/**", escaped(folder))) }, of))
}

/// A path in which nothing is a sign of a pattern.
fn escaped(path: &str) -> String {
    path.chars()
        .map(|c| if matches!(c, '*' | '?' | '[' | ']' | '{' | '}') { format!("[{c}]") } else { c.to_string() })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::decision::Scope;

    fn past(key: usize, path: &str, gone: bool, suppressed: bool) -> PastFinding {
        let key = format!("{key:04}");
        PastFinding { rule: "r".into(), key: key.into(), path: path.into(), gone, suppressed, lately: gone }
    }

    fn decision(key: usize, path: &str, answer: Answer) -> Decision {
        Decision {
            rule: "r".into(),
            path: path.into(),
            definition: String::new(),
            text: String::new(),
            key: format!("{key:04}").into(),
            scope: Scope::Finding,
            answer,
            because: String::new(),
            until: None,
            by: String::new(),
            on: String::new(),
            message: String::new(),
        }
    }

    #[test]
    fn answers_are_added_up_and_say_what_to_do() {
        use Answer::{Intended, Later, Wrong};
        let rendered = |findings: &[PastFinding], decisions: &[Decision]| {
            let all = report(findings, decisions);
            let r = &all[0];
            let proposals = r.proposals.iter().map(|p| format!("; {}: {:?}", p.why, p.edit));
            let (found, fixed, quiet, settled) = (r.found, r.fixed, r.suppressed, r.settled);
            format!("{found} {fixed} {quiet} {settled:?} {:?}{}", r.useful, proposals.collect::<String>())
        };
        let fixed = |n: usize| (0..n).map(|key| past(key, "src/a.py", true, false)).collect::<Vec<_>>();
        let tools = |n: usize| (90..90 + n).map(|key| decision(key, "tools/x/b.py", Intended)).collect::<Vec<_>>();
        assert_eq!(rendered(&fixed(4), &[]), "4 4 0 [0, 0, 0] Some(100)");
        assert_eq!(rendered(&[past(1, "a.py", false, false)], &[]), "1 0 0 [0, 0, 0] None");
        // What was settled isn't also fixed.
        assert_eq!(rendered(&fixed(4), &[decision(1, "src/a.py", Wrong)]), "4 3 0 [0, 1, 0] Some(75)");
        assert_eq!(rendered(&fixed(4), &[decision(9, "src/a.py", Later)]), "5 4 0 [0, 0, 1] Some(100)");
        // Two answers are too few, and so are three of which one was fixed.
        assert_eq!(rendered(&fixed(9), &tools(2)), "11 9 0 [2, 0, 0] Some(81)");
        let folder =
            "3 of 3 findings in tools/x/ were suppressed or settled as intended or wrong: SkipPath(\"tools/x/**\")";
        assert_eq!(rendered(&fixed(9), &tools(3)), format!("12 9 0 [3, 0, 0] Some(75); {folder}"));
        let mixed = [fixed(9), vec![past(70, "tools/x/b.py", true, false)]].concat();
        assert_eq!(rendered(&mixed, &tools(3)), "13 10 0 [3, 0, 0] Some(76)");
        // A folder is named by the most answers in it.
        let quiet: Vec<PastFinding> = (1..5).map(|key| past(key, &format!("t[1]/{key}/c.py"), false, true)).collect();
        assert_eq!(rendered(&[fixed(1), quiet[..1].to_vec()].concat(), &[]), "2 1 1 [0, 0, 0] Some(50)");
        assert_eq!(
            rendered(&quiet, &[]),
            "4 0 4 [0, 0, 0] Some(0); 4 of 4 findings in t[1]/ were suppressed or settled as intended or wrong: SkipPath(\"t[[]1[]]/**\")"
        );
        // A rule as a whole.
        let root: Vec<Decision> = (80..83).map(|key| decision(key, "c.py", Wrong)).collect();
        assert_eq!(
            rendered(&fixed(3), &root),
            "6 3 0 [0, 3, 0] Some(50); 3 of 6 answers say that its findings are of no use: Note"
        );
        assert_eq!(
            rendered(&fixed(2), &root),
            "5 2 0 [0, 3, 0] Some(40); 3 of 5 answers say that its findings are of no use: Note"
        );
        let more = [root.clone(), vec![decision(84, "c.py", Intended)]].concat();
        assert_eq!(
            rendered(&fixed(2), &more),
            "6 2 0 [1, 3, 0] Some(33); 4 of 6 answers say that its findings are of no use: Off"
        );
    }
}
