//! Text for people.

mod closing;
mod tables;

use std::collections::BTreeMap;
use std::fmt::Write;

use swage_core::baseline::State;
use swage_core::review::{ExcerptLine, Finding, Fix, Marker, Proof, Review, ShortKeys};
use swage_core::rule::Severity;
use swage_core::sides::Side;
use unicode_width::UnicodeWidthStr;

use super::{Document, Purpose};
use crate::terminal::{Paint, count, fit, printable, width, wrap};

/// With more findings than these, a table of the rules is before them.
const MANY: usize = 20;
/// Most findings of a rule that are shown, unless all are asked for.
const MOST_OF_RULE: usize = 10;

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

/// Where a finding is.
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

    /// The patches of a series, each with its new findings.
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
            let adds = if counts.is_empty() { self.paint.faint("nothing new").to_string() } else { counts };
            let indent = 2 * wide + 5;
            let mut lines = wrap(&printable(subject), self.width.saturating_sub(indent).max(20)).into_iter();
            _ = writeln!(out, "  {:>wide$}/{of}  {}", index + 1, lines.next().unwrap_or_default());
            lines.for_each(|line| _ = writeln!(out, "{}{line}", " ".repeat(indent)));
            _ = writeln!(out, "{}{adds}", " ".repeat(indent));
        }
    }

    fn findings(&self, document: &Document<'_>, out: &mut String) {
        let mut helped = std::collections::BTreeSet::new();
        // People read the worst first, and of that what concerns security.
        let mut findings: Vec<&Finding> = self.review.findings.iter().filter(|f| document.shows(f)).collect();
        let security = |f: &Finding| self.review.rule(&f.rule).is_some_and(|r| r.tags.iter().any(|t| t == "security"));
        findings.sort_by_key(|f| (f.severity, !security(f)));
        // A rule that fires again and again is shown by its first findings; `--all` shows the rest.
        let is_whole = document.show_all || document.shown.names_rules();
        if findings.len() > MANY && !is_whole {
            self.table("rule", document, |f| f.rule.to_string(), out);
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
        let marks = [Some(f.rule.to_string()), state, advisory, patch, Some(self.keys.of(&f.key).to_owned())];
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
            also(format!("it was in {} before", printable(&before.to_string())), out);
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

    /// A place with marks after it, as many on a line as fit.
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
        let span = f.span().filter(|s| own.is_some_and(|own| s.has_number(own)));
        let inside = span.is_some();
        // A long line is cut around the finding, so that it is seen.
        let columns = self.width.saturating_sub(11);
        let column = span.filter(|s| own == Some(s.start_line.get())).map_or(1, |s| s.start_column.get());
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
}
