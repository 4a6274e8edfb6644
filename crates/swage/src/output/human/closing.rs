//! What is below the findings: what was left out, what it comes to, the verdict, and what to do next.

use std::collections::BTreeMap;
use std::fmt::Write;

use swage_core::baseline::State;
use swage_core::change::Nature;
use swage_core::gate::Outcome;
use swage_core::review::{FileEntry, Finding};
use swage_core::rule::Severity;

use super::{Page, place};
use crate::output::{Document, Purpose};
use crate::terminal::{count, printable, wrap};

/// How many files with syntax errors are named.
const MOST_BROKEN: usize = 20;

impl Page<'_> {
    /// The findings that comments suppress: those that the change added a comment for, or in a whole tree all of them.
    pub(super) fn suppressions(&self, document: &Document<'_>, out: &mut String) {
        let whole_tree = document.purpose == Purpose::Scan;
        let all = self.review.findings.iter().filter_map(|f| Some((f, f.suppressed()?)));
        let shown: Vec<_> = all.filter(|(_, suppressed)| whole_tree || suppressed.in_change).collect();
        if shown.is_empty() {
            return;
        }
        let who = if whole_tree { "Suppressed by comments" } else { "Suppressed by comments of the change" };
        _ = writeln!(out, "{}", self.paint.warning(format!("{who}: {}", count(shown.len(), "finding"))));
        for (f, suppressed) in shown {
            let text = format!("{} {}: {}", place(f), f.rule, printable(&suppressed.reason));
            wrap(&text, self.width - 2).iter().for_each(|line| _ = writeln!(out, "  {line}"));
        }
        out.push('\n');
    }

    /// What has no lines to look at: by name where there is little of it, and else by number.
    fn left_alone(&self) -> Option<String> {
        const MOST_NAMED: usize = 4;
        let word = |f: &FileEntry| match f.nature {
            Nature::Binary => Some("binary file"),
            Nature::Symlink => Some("symbolic link"),
            Nature::Submodule => Some("submodule"),
            Nature::Text => None,
        };
        let files: Vec<_> = self.review.left_alone().filter_map(|f| Some((f, word(f)?))).collect();
        let rendered: Vec<String> = if files.len() <= MOST_NAMED {
            files.iter().map(|(f, word)| format!("{} ({word})", printable(&f.new_path.text))).collect()
        } else {
            let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
            files.iter().for_each(|(_, word)| *counts.entry(word).or_default() += 1);
            counts.into_iter().map(|(word, n)| count(n, word)).collect()
        };
        (!rendered.is_empty()).then(|| format!("Not looked at: {}", rendered.join(", ")))
    }

    /// What wasn't examined or didn't run, and what else to know.
    pub(super) fn problems(&self, out: &mut String) {
        let missed: Vec<_> = self.review.incomplete().collect();
        if !missed.is_empty() {
            _ = writeln!(out, "{}", self.paint.warning(format!("Not examined: {}", count(missed.len(), "file"))));
            for file in missed {
                _ = writeln!(
                    out,
                    "  {}: {}",
                    printable(&file.new_path.text),
                    printable(file.why_not.as_deref().unwrap_or_default())
                );
            }
            out.push('\n');
        }
        if let Some(rendered) = self.left_alone() {
            wrap(&rendered, self.width).iter().for_each(|line| _ = writeln!(out, "{line}"));
            out.push('\n');
        }
        let broken: Vec<_> = self.review.files.iter().filter(|f| f.syntax_errors > 0).collect();
        if !broken.is_empty() {
            _ = writeln!(out, "{}", self.paint.warning(format!("Syntax errors in {}", count(broken.len(), "file"))));
            for file in broken.iter().take(MOST_BROKEN) {
                let places = count(file.syntax_errors, "place");
                _ = writeln!(out, "  {}: {places}", printable(&file.new_path.text));
            }
            if broken.len() > MOST_BROKEN {
                _ = writeln!(out, "  … and {} more, all of them with --format json", broken.len() - MOST_BROKEN);
            }
            out.push('\n');
        }
        if !self.review.not_run.is_empty() {
            let mut reasons: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
            self.review.not_run.iter().for_each(|(rule, why)| reasons.entry(why).or_default().push(rule));
            _ = writeln!(
                out,
                "{}",
                self.paint.warning(format!("Not run: {}", count(self.review.not_run.len(), "rule")))
            );
            for (why, rules) in reasons {
                for line in wrap(&format!("{}: {}", printable(why), rules.join(", ")), self.width - 2) {
                    _ = writeln!(out, "  {line}");
                }
            }
            out.push('\n');
        }
        for note in &self.review.notes {
            for line in wrap(&printable(note), self.width) {
                _ = writeln!(out, "{line}");
            }
        }
        if !self.review.notes.is_empty() {
            out.push('\n');
        }
    }

    /// The lines under the findings; long because each figure is left out where it says nothing.
    pub(super) fn summary(&self, document: &Document<'_>, out: &mut String) {
        let counts = self.review.counts();
        let by_severity = |state: State| {
            let parts: Vec<String> = Severity::ALL
                .into_iter()
                .filter(|s| counts.get(state, *s) > 0)
                .map(|s| self.paint.severity(s, count(counts.get(state, s), s.word())))
                .collect();
            parts.join(", ")
        };
        let files = &self.review.files;
        if document.purpose == Purpose::Scan {
            let examined = files.iter().filter(|f| f.examined).count();
            let found = by_severity(State::New);
            _ = writeln!(
                out,
                "{} examined of {}: {}",
                count(examined, "file"),
                files.len(),
                if found.is_empty() { "nothing found".to_owned() } else { found }
            );
            let settled = self.review.findings.iter().filter(|f| f.settled().is_some()).count();
            if settled > 0 {
                _ = writeln!(out, "Also: {settled} settled.");
            }
            return;
        }
        let (added, removed) = files.iter().fold((0, 0), |(a, r), f| (a + f.added, r + f.removed));
        _ = writeln!(
            out,
            "{}, {} {}",
            count(files.len(), "file"),
            self.paint.good(format!("+{added}")),
            self.paint.gone(format!("-{removed}"))
        );
        let added = by_severity(State::New);
        let worse = self.review.findings.iter().filter(|f| f.is_worse()).count();
        let better = self.review.findings.iter().filter(|f| f.is_better()).count();
        let idle = self.review.idle_rules();
        let unlisted = self.review.all_unlisted();
        _ = match (added.is_empty(), idle) {
            (false, _) => writeln!(out, "New: {added}."),
            (true, 0) if unlisted > 0 => writeln!(out, "No new findings are listed."),
            (true, 0) => writeln!(out, "{}", self.paint.good("No new findings.")),
            (true, idle) => {
                let ran = count(self.review.rule_count.saturating_sub(idle), "rule");
                let idle = self.paint.warning(format!("{idle} could not run"));
                writeln!(out, "No new findings from {ran}; {idle}, see above.")
            }
        };
        let mut rest = Vec::new();
        if unlisted > 0 {
            rest.push(self.paint.warning(format!("{unlisted} new and not listed")));
        }
        let advisory = self.review.findings.iter().filter(|f| f.is_advisory() && f.state == State::New).count();
        if advisory > 0 {
            rest.push(format!("{advisory} advisory"));
        }
        if worse > 0 {
            rest.push(self.paint.warning(format!("{} worse", count(worse, "measure"))));
        }
        if better > 0 {
            rest.push(format!("{} improved", count(better, "measure")));
        }
        let settled = self.review.findings.iter().filter(|f| f.settled().is_some()).count();
        if settled > 0 {
            rest.push(format!("{settled} settled"));
        }
        if counts.state(State::Absent) > 0 {
            rest.push(self.paint.good(format!("{} fixed", counts.state(State::Absent))));
        }
        let kept = counts.state(State::Unchanged) + counts.state(State::Updated) - worse as u64 - better as u64;
        if kept > 0 {
            rest.push(format!("{kept} unchanged"));
        }
        if !rest.is_empty() {
            _ = writeln!(out, "Also: {}.", rest.join(", "));
        }
        if let Some(totals) = self.review.totals {
            _ = writeln!(out, "In the whole tree: {} → {}.", totals.old, count(totals.new, "finding"));
        }
    }

    pub(super) fn verdict(&self, verdict: &swage_core::gate::Verdict, out: &mut String) {
        out.push('\n');
        /// Least columns in which a reason is read beside its condition.
        const LEAST: usize = 30;
        let wide = verdict.conditions.iter().map(|c| c.name.len()).max().unwrap_or(0);
        let beside = 2 + 10 + 2 + wide + 2;
        let indent = if beside + LEAST <= self.width { beside } else { 14 };
        for condition in &verdict.conditions {
            let word = self.outcome(condition.result, format!("{:10}", condition.result.word()));
            let reason =
                wrap(&printable(&condition.reason), self.width - indent).join(&format!("\n{}", " ".repeat(indent)));
            _ = if indent == beside {
                writeln!(out, "  {word}  {:wide$}  {reason}", condition.name)
            } else {
                writeln!(out, "  {word}  {}\n{}{reason}", condition.name, " ".repeat(indent))
            };
        }
        _ = writeln!(out, "\nVerdict: {}", self.said(verdict.result));
    }

    fn outcome(&self, result: Outcome, text: String) -> String {
        match result {
            Outcome::Pass => self.paint.good(text),
            Outcome::Incomplete => self.paint.warning(text),
            Outcome::Fail => self.paint.error(text),
        }
    }

    /// A verdict in words.
    pub(super) fn said(&self, result: Outcome) -> String {
        let said = match result {
            Outcome::Pass => "pass: this may be merged",
            Outcome::Incomplete => "incomplete: some checks could not run, so the change does not pass",
            Outcome::Fail => "fail: this may not be merged as it is",
        };
        self.outcome(result, said.to_owned())
    }

    pub(super) fn next(&self, document: &Document<'_>, out: &mut String) {
        let against = self.review.findings.iter().any(Finding::counts_against_change);
        match document.purpose {
            Purpose::Review if against => {
                // A diff alone is nothing that a gate could merge.
                let gate =
                    self.review.base.as_ref().map_or("", |_| "`swage gate` decides whether this may be merged; ");
                let next = format!("{gate}`swage rules show RULE` explains a rule.");
                _ = writeln!(out, "{}", self.paint.faint(next));
            }
            Purpose::Review if !document.show_all && self.review.counts().state(State::Unchanged) > 0 => {
                _ = writeln!(out, "{}", self.paint.faint("`--all` shows unchanged findings, too."));
            }
            Purpose::Review | Purpose::Gate | Purpose::Compare | Purpose::Scan => {}
        }
    }
}
