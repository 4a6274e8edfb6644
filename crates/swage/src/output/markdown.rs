//! Markdown (CommonMark), to be read as a comment or a page. Everything that comes from a change is escaped.

use std::fmt::Write;

use swage_core::gate::Outcome;
use swage_core::invisible::shown;
use swage_core::review::{Finding, FindingCounts, Marker, Proof, Review};
use swage_core::rule::Severity;

use super::{Document, Purpose};
use crate::terminal::count;

/// Most findings that are shown with their code; the others are listed.
const MOST_SHOWN: usize = 50;

/// The whole document.
pub fn format(document: &Document<'_>) -> String {
    let review = document.review;
    let mut out = String::new();
    _ = writeln!(out, "# {}\n", text(&review.description));
    if let Some(verdict) = document.verdict {
        let says = match verdict.result {
            Outcome::Pass => "**pass**: this may be merged",
            Outcome::Incomplete => "**incomplete**: some checks could not run, so the change does not pass",
            Outcome::Fail => "**fail**: this may not be merged as it is",
        };
        _ = writeln!(out, "Verdict: {says}\n\n| result | condition | reason |\n|---|---|---|");
        for condition in &verdict.conditions {
            let result = condition.result.word();
            _ = writeln!(out, "| {result} | {} | {} |", text(&condition.name), text(&condition.reason));
        }
        out.push('\n');
    }
    summary(document, &mut out);
    let mut findings: Vec<&Finding> = review.findings.iter().filter(|f| document.shows(f)).collect();
    findings.sort_by_key(|f| f.severity);
    let (shown, listed) = findings.split_at(findings.len().min(MOST_SHOWN));
    shown.iter().for_each(|f| finding(f, review, &mut out));
    if !listed.is_empty() {
        _ = writeln!(out, "## {} more\n", count(listed.len(), "finding"));
        for f in listed {
            _ = writeln!(out, "- {}: {} ({})", code(&f.place()), text(&f.message), code(&f.rule));
        }
        out.push('\n');
    }
    remarks(review, &mut out);
    out
}

/// One finding with its code, help and fix, as a section of its own.
pub fn finding(f: &Finding, review: &Review, out: &mut String) {
    _ = writeln!(out, "## {}: {}\n", f.severity.word(), text(&f.message));
    let scope = if f.scope.is_empty() { String::new() } else { format!(" in {}", code(&f.scope)) };
    _ = writeln!(out, "{}{scope} · {} · {}\n", code(&f.place()), code(&f.rule), code(&f.key));
    for related in &f.related {
        _ = writeln!(out, "- {}: {}", text(&related.message), code(&related.anchor.to_string()));
    }
    if !f.related.is_empty() {
        out.push('\n');
    }
    if !f.excerpt.is_empty() {
        let lines: Vec<String> = f
            .excerpt
            .iter()
            .map(|line| {
                let mark = match line.marker {
                    Marker::Same => ' ',
                    Marker::Added => '+',
                    Marker::Removed => '-',
                };
                format!("{mark} {}", shown_line(&line.text))
            })
            .collect();
        block("diff", &lines.join("\n"), out);
    }
    if let Some(help) = review.rule(&f.rule).and_then(|rule| rule.help.as_deref()) {
        _ = writeln!(out, "{}\n", text(&help.replace('\n', " ")));
    }
    if let Some(fix) = &f.fix {
        let how = match &fix.proof {
            Proof::Proved => format!("Fix: {}. {}", text(&fix.title), code(&format!("swage fix --key {}", f.key))),
            Proof::Unproved(why) => format!("Hint: {} (not proved: {})", text(&fix.title), text(why)),
        };
        _ = writeln!(out, "{how}\n");
    }
}

fn summary(document: &Document<'_>, out: &mut String) {
    let counts = document.review.finding_counts();
    if document.purpose == Purpose::Scan {
        let by_severity = Severity::ALL.into_iter().zip(counts.new).map(|(severity, n)| count(n, severity.word()));
        _ = writeln!(out, "{}\n", by_severity.collect::<Vec<_>>().join(", "));
        return;
    }
    _ = writeln!(out, "| new | fixed | unchanged | worse | improved |\n|---|---|---|---|---|");
    let FindingCounts { new, fixed, unchanged, worse, improved } = counts;
    _ = writeln!(out, "| {} | {fixed} | {unchanged} | {worse} | {improved} |\n", new.iter().sum::<u64>());
}

/// What wasn't examined or didn't run, and what else to know.
fn remarks(review: &Review, out: &mut String) {
    let missed = review.incomplete().map(|file| {
        let why = file.why_not.as_deref().unwrap_or_default();
        format!("Not examined: {}: {}", code(&file.new_path.text), text(why))
    });
    let idle = review.not_run.iter().map(|(rule, why)| format!("Not run: {}: {}", code(rule), text(why)));
    let all: Vec<String> = missed.chain(idle).chain(review.notes.iter().map(|note| text(note))).collect();
    if !all.is_empty() {
        out.push_str("## Notes\n\n");
        all.iter().for_each(|remark| _ = writeln!(out, "- {remark}"));
    }
}

fn shown_line(line: &str) -> String {
    shown(line).replace('\n', " ")
}

/// Text in which nothing is markup (CommonMark 0.31, section 2.4): no links, HTML, emphasis or tables, no addresses and mentions
/// that renderers make links of, and nothing at its beginning that starts a list or a heading.
pub fn text(raw: &str) -> String {
    let raw = shown_line(raw);
    let number = raw.find(|c: char| !c.is_ascii_digit()).unwrap_or(0);
    let mut out = String::with_capacity(raw.len());
    for (at, c) in raw.char_indices() {
        let begins = at == 0 && matches!(c, '-' | '+' | '=') || at == number && at > 0 && matches!(c, '.' | ')');
        let links = c == ':' && raw[at..].starts_with("://") || c == '.' && raw[..at].ends_with("www");
        let marks = matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|' | '~' | '&' | '@');
        if begins || links || marks {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

/// A code span, fenced with more backticks than are in it (CommonMark 0.31, section 6.1). A bar would end a table's cell.
pub fn code(raw: &str) -> String {
    let raw = shown_line(raw).replace('|', "\\|");
    let fence = "`".repeat(longest_run(&raw) + 1);
    let pad = if raw.starts_with('`') || raw.ends_with('`') { " " } else { "" };
    format!("{fence}{pad}{raw}{pad}{fence}")
}

/// A fenced block, with a fence longer than any run of backticks in it (CommonMark 0.31, section 4.5).
pub fn block(language: &str, content: &str, out: &mut String) {
    let fence = "`".repeat(longest_run(content).max(2) + 1);
    _ = writeln!(out, "{fence}{language}\n{}\n{fence}\n", content.trim_end_matches('\n'));
}

fn longest_run(text: &str) -> usize {
    text.split(|c| c != '`').map(str::len).max().unwrap_or(0)
}
