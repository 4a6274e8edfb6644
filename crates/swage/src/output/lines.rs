//! `file:line:column: severity: message`, the form that compilers write and editors read.

use std::collections::BTreeMap;
use std::fmt::Write;

use swage_core::gate::Outcome;

use super::Document;
use crate::terminal::printable;

/// What has no line of its own: what couldn't run or be examined, what comments suppress, notes and the verdict.
pub fn remarks(document: &Document<'_>) -> Vec<String> {
    let r = document.review;
    let missed =
        r.incomplete().map(|f| format!("not examined: {}: {}", f.new_path, f.why_not.as_deref().unwrap_or_default()));
    let mut reasons: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    r.not_run.iter().for_each(|(rule, why)| reasons.entry(why).or_default().push(rule));
    let idle = reasons.iter().map(|(why, rules)| format!("not run: {}: {why}", rules.join(", ")));
    let suppressed = r.new_suppressions().map(|(f, reason)| {
        let place = f.anchor.as_ref().map(|a| format!("{a}: ")).unwrap_or_default();
        format!("{place}suppressed by a comment of the change: {}: {reason}", f.rule)
    });
    let verdict = document.verdict.into_iter().flat_map(|verdict| {
        let conditions = verdict.conditions.iter().filter(|c| c.result != Outcome::Pass);
        let told = conditions.map(|c| format!("{}: {}: {}", c.result.word(), c.name, c.reason));
        told.chain([format!("verdict: {}", verdict.result.word())]).collect::<Vec<_>>()
    });
    missed.chain(idle).chain(suppressed).chain(r.notes.iter().cloned()).chain(verdict).collect()
}

/// One line a finding: those that count against the change; after `scan` and with `--all`, all that are there.
pub fn format(document: &Document<'_>) -> String {
    let mut out = String::new();
    for f in document.review.findings.iter().filter(|f| document.shows(f)) {
        // What is about the whole change has no file to stand before it.
        let place = f.anchor.as_ref().map(|a| format!("{}: ", printable(&a.to_string()))).unwrap_or_default();
        _ = writeln!(out, "{place}{}: {} [{}]", f.severity, printable(&f.message), f.rule);
    }
    out
}
