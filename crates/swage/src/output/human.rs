//! Text for people.

use std::collections::BTreeMap;
use std::fmt::Write;

use swage_core::baseline::State;
use swage_core::change::Nature;
use swage_core::gate::Outcome;
use swage_core::review::{ExcerptLine, FileEntry, Finding, Fix, Marker, Proof, Review, ShortKeys, Side};
use swage_core::rule::Severity;

use super::{Document, Purpose};
use crate::table::{Align, NOTHING, Table};
use unicode_width::UnicodeWidthStr;

use crate::terminal::{Paint, count, fit, printable, width, wrap};

/// With more findings than these, a table of the rules stands before them.
const MANY: usize = 20;
/// Most findings of a rule that are shown, unless all are asked for.
const MOST_OF_RULE: usize = 10;

/// A column of a table of findings.
struct Column {
    /// What it counts: a state of findings, or a severity.
    name: &'static str,
    width: usize,
    tone: Tone,
}

/// How a figure is painted.
#[derive(Clone, Copy)]
enum Tone {
    Bad,
    Good,
    Plain,
}

const OF_A_CHANGE: [Column; 5] = [
    Column { name: "new", width: 9, tone: Tone::Bad },
    Column { name: "fixed", width: 9, tone: Tone::Good },
    Column { name: "unchanged", width: 11, tone: Tone::Plain },
    Column { name: "worse", width: 7, tone: Tone::Bad },
    Column { name: "improved", width: 10, tone: Tone::Good },
];

const OF_A_TREE: [Column; 3] = [
    Column { name: "error", width: 9, tone: Tone::Bad },
    Column { name: "warning", width: 10, tone: Tone::Bad },
    Column { name: "note", width: 7, tone: Tone::Plain },
];

/// The whole document.
pub fn format(document: &Document<'_>) -> String {
    let mut out = String::new();
    let page = Page { review: document.review, paint: Paint, width: width(), keys: document.review.short_keys() };
    page.head(&mut out);
    page.in_short(document, &mut out);
    match document.purpose {
        _ if document.shown.is_summary() => page.tables(document, &mut out),
        Purpose::Compare => page.tables(document, &mut out),
        Purpose::Review | Purpose::Gate | Purpose::Scan => page.findings(document, &mut out),
    }
    page.suppressions(document, &mut out);
    page.problems(&mut out);
    page.summary(document, &mut out);
    if let Some(verdict) = document.verdict {
        page.verdict(verdict, &mut out);
    }
    page.next(document, &mut out);
    out
}

struct Page<'a> {
    review: &'a Review,
    paint: Paint,
    width: usize,
    keys: ShortKeys<'a>,
}

/// Where a finding stands.
fn place(f: &Finding) -> String {
    printable(&f.place()).into_owned()
}

impl Page<'_> {
    fn head(&self, out: &mut String) {
        let r = self.review;
        _ = writeln!(out, "{}", self.paint.strong(printable(&r.description)));
        if !r.rules_from.is_empty() {
            for line in wrap(&printable(&r.rules_from), self.width) {
                _ = writeln!(out, "{}", self.paint.faint(line));
            }
        }
        self.series(out);
        out.push('\n');
    }

    /// What it comes to, before many findings.
    fn in_short(&self, document: &Document<'_>, out: &mut String) {
        let shown = self.review.findings.iter().filter(|f| document.shows(f)).count();
        if shown <= MANY || document.shown.is_summary() || document.purpose == Purpose::Compare {
            return;
        }
        self.summary(document, out);
        if let Some(verdict) = document.verdict {
            _ = writeln!(out, "Verdict: {}", self.said(verdict.result));
        }
        out.push('\n');
    }

    /// The patches of a series, each with what it brings.
    fn series(&self, out: &mut String) {
        let of = self.review.series.len();
        if of > 0 {
            out.push('\n');
        }
        let wide = of.to_string().len();
        for (index, subject) in self.review.series.iter().enumerate() {
            let own = |f: &&Finding| f.counts_against_change() && f.patch == Some(index + 1);
            let counts = Severity::ALL.into_iter().filter_map(|severity| {
                let n = self.review.findings.iter().filter(own).filter(|f| f.severity == severity).count();
                (n > 0).then(|| self.paint.severity(severity, count(n, severity.word())))
            });
            let counts = counts.collect::<Vec<_>>().join(", ");
            let brings = if counts.is_empty() { self.paint.faint("nothing new").to_string() } else { counts };
            let indent = 2 * wide + 5;
            let mut lines = wrap(&printable(subject), self.width.saturating_sub(indent).max(20)).into_iter();
            _ = writeln!(out, "  {:>wide$}/{of}  {}", index + 1, lines.next().unwrap_or_default());
            lines.for_each(|line| _ = writeln!(out, "{}{line}", " ".repeat(indent)));
            _ = writeln!(out, "{}{brings}", " ".repeat(indent));
        }
    }

    fn findings(&self, document: &Document<'_>, out: &mut String) {
        let mut helped = std::collections::BTreeSet::new();
        // People read the worst first, and of that what concerns security.
        let mut findings: Vec<&Finding> = self.review.findings.iter().filter(|f| document.shows(f)).collect();
        let security = |f: &Finding| self.review.rule(&f.rule).is_some_and(|r| r.tags.iter().any(|t| t == "security"));
        findings.sort_by_key(|f| (f.severity, !security(f)));
        // A rule that fires again and again is shown by its first findings; whoever asks for everything gets it.
        let is_whole = document.show_all || document.shown.names_rules();
        if findings.len() > MANY && !is_whole {
            self.table("rule", document, |f| f.rule.clone(), out);
        }
        let mut of_rule: BTreeMap<&str, usize> = BTreeMap::new();
        for finding in findings {
            let n = of_rule.entry(&finding.rule).or_default();
            *n += 1;
            if is_whole || *n <= MOST_OF_RULE {
                self.finding(finding, document.purpose, helped.insert(&finding.rule), out);
            }
        }
        let mut cut = false;
        for (rule, n) in of_rule.into_iter().filter(|(_, n)| !is_whole && *n > MOST_OF_RULE) {
            cut = true;
            _ = writeln!(out, "{} more of {rule}: `--rule {rule}` shows them.", n - MOST_OF_RULE);
        }
        let left_out = document.left_out();
        if left_out > 0 {
            cut = true;
            _ = writeln!(out, "{} left out, because others were asked for.", count(left_out, "finding"));
        }
        if cut {
            out.push('\n');
        }
    }

    fn finding(&self, f: &Finding, purpose: Purpose, first_of_rule: bool, out: &mut String) {
        let paint = self.paint;
        let label = paint.severity(f.severity, format!("{:8}", f.severity.word()));
        let indent = 8;
        for (n, line) in wrap(&printable(&f.message), self.width - indent).iter().enumerate() {
            _ = writeln!(out, "{}{}", if n == 0 { label.clone() } else { " ".repeat(indent) }, paint.strong(line));
        }
        let scope = if f.scope.is_empty() { String::new() } else { format!(" in {}", printable(&f.scope)) };
        let state = match (purpose, f.state, f.figure_before) {
            (Purpose::Scan, ..) => None,
            (_, State::Updated, Some(before)) => Some(format!("{before} before")),
            (_, State::New, _) if f.about_change => None,
            (_, state, _) => Some(state.word().to_owned()),
        };
        let advisory = f.is_advisory().then(|| "advisory".to_owned());
        let patch = f.patch.map(|number| format!("patch {number}/{}", self.review.series.len()));
        let marks = [Some(f.rule.clone()), state, advisory, patch, Some(self.keys.of(&f.key).to_owned())];
        self.marked(&format!("{}{scope}", place(f)), marks.into_iter().flatten(), indent, out);
        let also = |text: String, out: &mut String| {
            for line in wrap(&text, self.width - indent) {
                _ = writeln!(out, "        {}", paint.faint(line));
            }
        };
        for related in &f.related {
            let before = if related.anchor.side == Side::Old { " before the change" } else { "" };
            let (message, at) = (printable(&related.message), related.anchor.to_string());
            also(format!("{message}: {}{before}", printable(&at)), out);
        }
        if let Some(before) = &f.before
            && Some(&before.path) != f.path()
        {
            also(format!("it stood in {} before", printable(&before.to_string())), out);
        }
        let help = self.review.rule(&f.rule).and_then(|r| r.help.as_deref()).filter(|_| first_of_rule);
        if let Some(help) = help {
            for line in wrap(&printable(&help.replace('\n', " ")), self.width.min(100) - indent) {
                _ = writeln!(out, "        {}", paint.faint(line));
            }
        }
        for line in &f.excerpt {
            self.excerpt_line(line, f, out);
        }
        if let Some(fix) = &f.fix {
            self.fix(fix, self.keys.of(&f.key), out);
        }
        out.push('\n');
    }

    /// A place with marks behind it, so many of them on a line as fit.
    fn marked(&self, place: &str, marks: impl Iterator<Item = String>, indent: usize, out: &mut String) {
        let (mut used, mut line) = (indent + place.width(), String::new());
        _ = write!(out, "{}{place}", " ".repeat(indent));
        for mark in marks {
            if used + 3 + mark.width() > self.width {
                _ = write!(out, "{}\n{}", self.paint.faint(std::mem::take(&mut line)), " ".repeat(indent));
                used = indent;
            } else {
                line += " · ";
                used += 3;
            }
            used += mark.width();
            line += &mark;
        }
        _ = writeln!(out, "{}", self.paint.faint(line));
    }

    fn excerpt_line(&self, line: &ExcerptLine, f: &Finding, out: &mut String) {
        let number = line.new.or(line.old).unwrap_or_default();
        let own = match f.anchor.as_ref().map(|a| a.side) {
            Some(Side::Old) => line.old.filter(|_| line.marker != Marker::Added),
            Some(Side::New) | None => line.new.filter(|_| line.marker != Marker::Removed),
        };
        let span = f.span().filter(|s| own.is_some_and(|own| (s.start_line..=s.end_line).contains(&own)));
        let inside = span.is_some();
        // A long line is cut around the finding, so that it is seen.
        let columns = self.width.saturating_sub(11);
        let column = span.filter(|s| own == Some(s.start_line)).map_or(1, |s| s.start_column);
        let at = column.saturating_sub(line.skipped + 1) as usize;
        let before: String = line.text.chars().take(at).collect();
        let mut text = printable(&line.text).into_owned();
        let mut cut = line.skipped > 0;
        if printable(&before).width() + columns / 3 > columns {
            let from = at.saturating_sub(columns / 3);
            text = printable(&line.text.chars().skip(from).collect::<String>()).into_owned();
            cut = true;
        }
        let text = if cut { format!("…{text}") } else { text };
        let text = fit(&text, columns);
        let pointer = if inside { self.paint.severity(f.severity, "▸") } else { " ".to_owned() };
        _ = match line.marker {
            Marker::Same => writeln!(out, "  {pointer}{number:5}   {text}"),
            Marker::Added => writeln!(out, "  {pointer}{number:5} {}", self.paint.good(format!("+ {text}"))),
            Marker::Removed => writeln!(out, "  {pointer}{number:5} {}", self.paint.gone(format!("- {text}"))),
        };
    }

    fn fix(&self, fix: &Fix, key: &str, out: &mut String) {
        let title = printable(&fix.title);
        _ = match &fix.proof {
            Proof::Proved => {
                let how = self.paint.faint(format!("· swage fix --key {key}"));
                writeln!(out, "        {} {title} {how}", self.paint.good("Fix:"))
            }
            Proof::Unproved(why) => {
                let why = self.paint.faint(format!("(not proved: {})", printable(why)));
                writeln!(out, "        {} {title} {why}", self.paint.faint("Hint:"))
            }
        };
    }

    /// Per rule and per file: new, fixed, unchanged, worse, improved.
    fn tables(&self, document: &Document<'_>, out: &mut String) {
        self.table("rule", document, |f| f.rule.clone(), out);
        self.table("file", document, |f| f.path().map_or_else(|| "the change".to_owned(), |p| p.text.clone()), out);
    }

    fn table(&self, title: &str, document: &Document<'_>, name: impl Fn(&Finding) -> String, out: &mut String) {
        let columns = if document.purpose == Purpose::Scan { &OF_A_TREE[..] } else { &OF_A_CHANGE };
        let mut rows: BTreeMap<String, Vec<u64>> = BTreeMap::new();
        for f in self.review.findings.iter().filter(|f| f.is_open() && document.shown.has(f)) {
            let row = rows.entry(printable(&name(f)).into_owned()).or_insert_with(|| vec![0; columns.len()]);
            let word = if document.purpose == Purpose::Scan { f.severity.word() } else { f.state_word() };
            columns.iter().position(|column| column.name == word).into_iter().for_each(|at| row[at] += 1);
        }
        if rows.is_empty() {
            return;
        }
        let heads = columns.iter().map(|column| (column.name, Align::Right, column.width));
        let mut table = Table::new(0, std::iter::once((title, Align::Left, 4)).chain(heads));
        for (name, row) in rows {
            let cells = columns.iter().zip(row).map(|(column, n)| match (n, column.tone) {
                (0, _) => NOTHING.to_owned(),
                (n, Tone::Bad) => self.paint.gone(n),
                (n, Tone::Good) => self.paint.good(n),
                (n, Tone::Plain) => n.to_string(),
            });
            table.row(std::iter::once(name).chain(cells).collect());
        }
        out.push_str(&table.render(self.width, |head| self.paint.strong(head)));
        out.push('\n');
    }

    /// The findings that comments let be: those that the change brought a comment for, or in a whole tree all of them.
    fn suppressions(&self, document: &Document<'_>, out: &mut String) {
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
        let told: Vec<String> = if files.len() <= MOST_NAMED {
            files.iter().map(|(f, word)| format!("{} ({word})", printable(&f.new_path.text))).collect()
        } else {
            let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
            files.iter().for_each(|(_, word)| *counts.entry(word).or_default() += 1);
            counts.into_iter().map(|(word, n)| count(n, word)).collect()
        };
        (!told.is_empty()).then(|| format!("Not looked at: {}", told.join(", ")))
    }

    /// What wasn't examined or didn't run, and what else to know.
    fn problems(&self, out: &mut String) {
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
        if let Some(told) = self.left_alone() {
            wrap(&told, self.width).iter().for_each(|line| _ = writeln!(out, "{line}"));
            out.push('\n');
        }
        let broken: Vec<_> = self.review.files.iter().filter(|f| f.syntax_errors > 0).collect();
        if !broken.is_empty() {
            _ = writeln!(out, "{}", self.paint.warning(format!("Syntax errors in {}", count(broken.len(), "file"))));
            for file in broken {
                let places = count(file.syntax_errors, "place");
                _ = writeln!(out, "  {}: {places}", printable(&file.new_path.text));
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

    fn summary(&self, document: &Document<'_>, out: &mut String) {
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
        let brought = by_severity(State::New);
        let worse = self.review.findings.iter().filter(|f| f.is_worse()).count();
        let better = self.review.findings.iter().filter(|f| f.is_better()).count();
        let idle = self.review.idle_rules();
        _ = match (brought.is_empty(), idle) {
            (false, _) => writeln!(out, "New: {brought}."),
            (true, 0) => writeln!(out, "{}", self.paint.good("No new findings.")),
            (true, idle) => {
                let ran = count(self.review.rule_count.saturating_sub(idle), "rule");
                let idle = self.paint.warning(format!("{idle} could not run"));
                writeln!(out, "No new findings from {ran}; {idle}, see above.")
            }
        };
        let mut rest = Vec::new();
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
        if let Some((base, head)) = self.review.totals {
            _ = writeln!(out, "In the whole tree: {base} → {}.", count(head, "finding"));
        }
    }

    fn verdict(&self, verdict: &swage_core::gate::Verdict, out: &mut String) {
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
    fn said(&self, result: Outcome) -> String {
        let said = match result {
            Outcome::Pass => "pass: this may be merged",
            Outcome::Incomplete => "incomplete: some checks could not run, so the change does not pass",
            Outcome::Fail => "fail: this may not be merged as it is",
        };
        self.outcome(result, said.to_owned())
    }

    fn next(&self, document: &Document<'_>, out: &mut String) {
        let against = self.review.findings.iter().any(Finding::counts_against_change);
        match document.purpose {
            Purpose::Review if against => {
                _ = writeln!(
                    out,
                    "{}",
                    self.paint.faint(
                        "`swage gate` decides whether this may be merged; `swage rules show RULE` explains a rule."
                    )
                )
            }
            Purpose::Review if !document.show_all && self.review.counts().state(State::Unchanged) > 0 => {
                _ = writeln!(out, "{}", self.paint.faint("`--all` shows unchanged findings, too."));
            }
            Purpose::Review | Purpose::Gate | Purpose::Compare | Purpose::Scan => {}
        }
    }
}
