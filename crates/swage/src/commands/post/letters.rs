//! Replies to the mails of a series: the diff quoted, each finding below its line.

use std::collections::BTreeMap;
use std::fmt::Write;

use swage_core::diff::{Diff, FileDiff, HunkLine, LineKind, Mail, ShownLine};
use swage_core::review::{Finding, Proof, Review};
use swage_core::rule::RuleSet;
use swage_mail::Letter;

use super::report::praise;
use crate::history::day;
use crate::terminal::{count, printable, wrap};

/// Columns of our own text.
const WIDTH: usize = 72;
/// Lines that are quoted before a finding, and after the last one of a hunk.
const BEFORE: usize = 8;
const AFTER: usize = 2;
/// What stands for lines that aren't quoted.
const CUT: &str = "> [...]";

/// A series of mails with the diff of each; that of a mail without one is empty.
pub struct Series<'a> {
    pub mails: &'a [Mail],
    pub diffs: &'a [Diff<'a>],
}

/// Who writes, when, and whether a review without findings is worth a letter.
pub struct Writer<'a> {
    /// The address.
    pub from: &'a str,
    /// In seconds since 1970-01-01 UTC.
    pub date: i64,
    /// Whether nothing found is worth a letter.
    pub praise: bool,
    /// Rules whose matches aren't shown.
    pub rules: &'a RuleSet,
}

/// The findings below each shown line.
type Placed<'a> = BTreeMap<ShownLine, Vec<&'a Finding>>;

impl Series<'_> {
    /// A reply to each mail that shows the line of a finding. The reply to the first mail says how many findings there are, and names
    /// those whose lines no mail shows. Without findings, and when all was examined, there is no letter.
    pub fn replies(&self, review: &Review, writer: &Writer<'_>) -> Vec<Letter> {
        let mut findings: Vec<&Finding> = review.findings.iter().filter(|f| f.counts_against_change()).collect();
        findings.sort_by_key(|f| (f.severity, f.path().cloned(), f.span()));
        let missed = review.incomplete().count() + review.not_run.len();
        if findings.is_empty() && missed == 0 && !writer.praise {
            return Vec::new();
        }
        let (mut placed, mut elsewhere) = (Placed::new(), Vec::new());
        for f in &findings {
            match f.shown_in(self.diffs) {
                Some(line) => placed.entry(line).or_default().push(f),
                None => elsewhere.push(*f),
            }
        }
        let letters = self.mails.iter().enumerate().filter_map(|(index, mail)| {
            let own = placed.keys().any(|line| line.patch == index);
            let text = match (index, own) {
                (0, _) => summary(review, &findings, &elsewhere, writer) + &self.quoted(0, &placed, review, writer),
                (_, true) => self.quoted(index, &placed, review, writer),
                (_, false) => return None,
            };
            Some(reply(mail, text, writer))
        });
        letters.collect()
    }

    /// The parts of a mail's diff that findings are about.
    fn quoted(&self, index: usize, placed: &Placed<'_>, review: &Review, writer: &Writer<'_>) -> String {
        let mut out = String::new();
        for (number, file) in self.diffs[index].files().enumerate() {
            let own: Vec<&ShownLine> = placed.keys().filter(|at| at.patch == index && at.file == number).collect();
            if own.is_empty() {
                continue;
            }
            out.push('\n');
            names(file, &mut out);
            for (hunk_number, hunk) in file.hunks().iter().enumerate() {
                let lines: Vec<usize> = own.iter().filter(|at| at.hunk == hunk_number).map(|at| at.line).collect();
                let Some(last) = lines.last() else { continue };
                quote(&String::from_utf8_lossy(hunk.header()), &mut out);
                let mut cut = false;
                for (line_number, line) in hunk.lines().enumerate().take_while(|(n, _)| *n <= last + AFTER) {
                    let near = lines.iter().any(|at| line_number <= *at && at - line_number <= BEFORE);
                    if !near && line_number < *last {
                        cut = true;
                        continue;
                    }
                    if std::mem::take(&mut cut) {
                        out.push_str(CUT);
                        out.push('\n');
                    }
                    let at = ShownLine { patch: index, file: number, hunk: hunk_number, line: line_number };
                    let here = placed.get(&at).map(Vec::as_slice).unwrap_or_default();
                    quote(&shown_line(&line, here, writer.rules), &mut out);
                    here.iter().for_each(|f| finding(f, review, &mut out));
                }
            }
        }
        out
    }
}

/// A line of a diff as it is quoted; of one that holds a secret only the marker.
fn shown_line(line: &HunkLine<'_>, findings: &[&Finding], rules: &RuleSet) -> String {
    let marker = match line.kind {
        LineKind::Context => ' ',
        LineKind::Removed => '-',
        LineKind::Added => '+',
    };
    let is_secret = findings.iter().any(|f| rules.get(&f.rule).is_some_and(|rule| rule.secret));
    let text = if is_secret { "[not quoted]".into() } else { String::from_utf8_lossy(line.text) };
    format!("{marker}{text}")
}

fn names(file: &FileDiff<'_>, out: &mut String) {
    quote(&format!("--- {}", String::from_utf8_lossy(&file.old_path)), out);
    quote(&format!("+++ {}", String::from_utf8_lossy(&file.new_path)), out);
}

fn quote(line: &str, out: &mut String) {
    let line = line.trim_end_matches('\r');
    let shown: Vec<_> = line.split('\t').map(printable).collect();
    _ = writeln!(out, "> {}", shown.join("\t"));
}

/// A finding with its help and its fix, between empty lines.
fn finding(f: &Finding, review: &Review, out: &mut String) {
    out.push('\n');
    paragraph(&format!("{}: {} ({})", f.severity.word(), f.message, f.rule), "", out);
    if let Some(help) = review.rule(&f.rule).and_then(|rule| rule.help.as_deref()) {
        paragraph(&help.replace('\n', " "), "  ", out);
    }
    for related in &f.related {
        paragraph(&format!("{}: {}", related.message, related.anchor), "  ", out);
    }
    if let Some(fix) = f.fix.as_ref().filter(|fix| fix.proof == Proof::Proved) {
        paragraph(&format!("Fix: {}", fix.title), "  ", out);
        for line in fix.edits.iter().flat_map(|edit| edit.text.lines()) {
            _ = writeln!(out, "    {}", printable(line));
        }
    }
    out.push('\n');
}

fn paragraph(text: &str, indent: &str, out: &mut String) {
    for line in wrap(&printable(text), WIDTH - indent.len()) {
        _ = writeln!(out, "{indent}{line}");
    }
}

/// What the first letter begins with.
fn summary(review: &Review, findings: &[&Finding], elsewhere: &[&Finding], writer: &Writer<'_>) -> String {
    let mut out = String::new();
    let counts = review.finding_counts();
    let old = format!("{} fixed, {} unchanged", counts.fixed, counts.unchanged);
    let new = match findings.len() {
        0 if writer.praise => praise(review.files.len(), counts.fixed as usize),
        n => format!("{}; {old}.", count(n, "new finding")),
    };
    paragraph(&format!("{new} {}", review.rules_from), "", &mut out);
    for file in review.incomplete() {
        let why = file.why_not.as_deref().unwrap_or("the reason isn't known");
        paragraph(&format!("Not examined: {}: {why}", file.new_path.text), "", &mut out);
    }
    for (rule, why) in &review.not_run {
        paragraph(&format!("Not run: {rule}: {why}"), "", &mut out);
    }
    review.notes.iter().for_each(|note| paragraph(note, "", &mut out));
    if !elsewhere.is_empty() {
        out.push_str("\nIn lines that these mails don't show:\n");
    }
    for f in elsewhere {
        out.push('\n');
        paragraph(&f.place(), "", &mut out);
        finding(f, review, &mut out);
    }
    out
}

/// The letter that answers a mail.
fn reply(mail: &Mail, text: String, writer: &Writer<'_>) -> Letter {
    let person = |(name, address): &(Option<String>, String)| match name {
        Some(name) => format!("\"{}\" <{address}>", name.replace(['"', '\\', '\n', '\r'], "")),
        None => address.clone(),
    };
    let sender = mail.from.as_ref();
    let who = sender.map_or("Somebody", |(name, address)| name.as_ref().unwrap_or(address));
    let when = mail.date.map(|date| format!(" on {}", day(date))).unwrap_or_default();
    let own = |address: &str| writer.from.contains(address) || sender.is_some_and(|(_, own)| own == address);
    let is_reply = mail.subject.get(..3).is_some_and(|start| start.eq_ignore_ascii_case("re:"));
    Letter {
        from: writer.from.to_owned(),
        to: sender.map(person).into_iter().collect(),
        cc: mail.to.iter().filter(|(_, address)| !own(address)).map(person).collect(),
        subject: if is_reply { mail.subject.clone() } else { format!("Re: {}", mail.subject) },
        in_reply_to: mail.id.clone(),
        references: mail.references.iter().chain(&mail.id).cloned().collect(),
        date: writer.date,
        // Who wrote is before what is quoted.
        text: match text.find("\n> ") {
            Some(at) => format!("{}\n{}\n{}", &text[..at], printable(&format!("{who} wrote{when}:")), &text[at..]),
            None => text,
        }
        .trim_start_matches('\n')
        .to_owned(),
    }
}
