//! `file:line:column: severity: message`, the form that compilers write and editors read.

use std::collections::BTreeMap;
use std::fmt::Write;

use swage_core::gate::Outcome;
use swage_core::review::{ChangeKind, Finding};
use swage_core::sides::Side;

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
        let rendered = conditions.map(|c| format!("{}: {}: {}", c.result.word(), c.name, c.reason));
        rendered.chain([format!("verdict: {}", verdict.result.word())]).collect::<Vec<_>>()
    });
    missed.chain(idle).chain(suppressed).chain(r.notes.iter().cloned()).chain(verdict).collect()
}

/// One line a finding: those that count against the change; after `scan` and with `--all`, all that are there.
pub fn format(document: &Document<'_>) -> String {
    let mut out = String::new();
    for f in document.review.findings.iter().filter(|f| document.shows(f)) {
        let (place, mark) = place(document, f);
        _ = writeln!(out, "{place}: {}: {} [{}]{mark}", f.severity, printable(&f.message), f.rule);
    }
    out
}

/// Where an editor opens what a finding is about, and what is to be known of that: a whole file at its beginning, the whole
/// change at the first of its files that is there.
fn place(document: &Document<'_>, finding: &Finding) -> (String, &'static str) {
    let first = || document.review.files.iter().find(|f| f.kind != ChangeKind::Deleted).map(|f| &f.new_path);
    let path = finding.anchor.as_ref().map(|a| &a.path).or_else(first);
    let (text, encoded) = path.map_or(("swage.toml", false), |path| (path.text.as_str(), path.encoded));
    let root = document.root.map(|root| format!("{}/", root.display())).unwrap_or_default();
    // A tab does nothing to a terminal, and without it an editor wouldn't find the file.
    let shown = format!("{root}{text}").split('\t').map(printable).collect::<Vec<_>>().join("\t");
    let span = finding.anchor.as_ref().and_then(|a| a.span);
    let (line, column) = span.map_or((1, 1), |span| (span.start_line.get(), span.start_column.get()));
    let is_removed = finding.anchor.as_ref().is_some_and(|a| a.side == Side::Old);
    let mark = match () {
        () if encoded => " (the name is percent-encoded)",
        () if !shown.ends_with(text) => " (the name holds characters that aren't shown)",
        () if is_removed => " (before the change)",
        () => "",
    };
    (format!("{shown}:{line}:{column}"), mark)
}
