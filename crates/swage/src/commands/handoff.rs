//! `swage handoff`: a list of work for a colleague or an assistant, with all that is needed to do it.

use std::fmt::Write;
use std::process::ExitCode;

use serde_json::{Value, json};
use swage_core::baseline::State;
use swage_core::review::{Finding, Fixes, Proof, Review};
use swage_core::scan::Span;
use swage_core::sides::Side;

use crate::checkers::Outside;
use crate::cli::{HandoffArgs, HandoffFormat};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::output::{for_people, markdown, print, to_json, write_file};
use crate::source::{Workspace, with_change};
use crate::terminal::count;

pub fn run(args: &HandoffArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let configuration = Configuration::of_folder(&workspace.root, args.setup.config.as_deref())?;
    let store = super::cache(workspace.repository.as_ref(), args.setup.no_cache);
    let outside = Outside::given(&[]);
    let (review, _) = with_change(&workspace, &args.change, &configuration, |change, contents| {
        super::examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::Tried)
    })?;
    let review = review?;
    let wanted = args.findings.wanted()?;
    wanted.are_in(&review)?;
    let mut findings: Vec<&Finding> = review.findings.iter().filter(|f| wanted.wants(f)).collect();
    findings.sort_by_key(|f| (f.severity, f.path().cloned(), f.span()));
    let text = match args.format {
        HandoffFormat::Markdown if args.output.is_none() => {
            for_people(&list(&findings, &review, &args.change.as_typed()))
        }
        HandoffFormat::Markdown => list(&findings, &review, &args.change.as_typed()),
        HandoffFormat::Json => document(&findings, &review, &args.change.as_typed()),
    };
    match &args.output {
        Some(path) => write_file(path, text.as_bytes())?,
        None => print(text.as_bytes())?,
    }
    Ok(ExitCode::SUCCESS)
}

/// How one sees that the work is done.
fn check(f: &Finding, change: &str) -> String {
    let done = match f.state {
        State::New => "is gone from `New`",
        State::Updated | State::Unchanged | State::Absent => "is counted as fixed",
    };
    format!("Run `swage review{change}`: the finding {} {done}, and no other is new.", f.key)
}

const CONSTRAINTS: [&str; 3] = [
    "Change what the finding is about, and nothing else.",
    "Do not suppress or settle it; that is for the maintainers of the rules.",
    "Where a fix is given, it has been tried: the file parses with it, the finding is gone, and no other has come.",
];

fn list(findings: &[&Finding], review: &Review, change: &str) -> String {
    let mut out = String::new();
    _ = writeln!(out, "# To do: {}\n", count(findings.len(), "finding"));
    _ = writeln!(out, "{}\n", markdown::text(&review.description));
    CONSTRAINTS.iter().for_each(|line| _ = writeln!(out, "- {line}"));
    out.push('\n');
    for f in findings {
        markdown::finding(f, review, &mut out);
        if let Some(fix) = f.fix.as_ref().filter(|fix| fix.proof == Proof::Proved) {
            for edit in &fix.edits {
                _ = writeln!(out, "{}\n", instruction(edit.span, &edit.text));
                if !edit.text.is_empty() {
                    markdown::block("", &edit.text, &mut out);
                }
            }
        }
        _ = writeln!(out, "- [ ] Done. {}\n", check(f, change));
    }
    out
}

/// What an edit does, in words; the new text follows.
fn instruction(span: Span, text: &str) -> String {
    let [from, start, to, end] = span.numbers();
    let lines = |from: u32, to: u32| if from == to { format!("line {from}") } else { format!("lines {from} to {to}") };
    if (from, start) == (to, end) {
        return format!("Insert before column {start} of line {from}:");
    }
    let place = match (start, end) {
        // The end of the last line is the beginning of the next one.
        (1, 1) => lines(from, to - 1),
        _ if from == to => format!("columns {start} to {} of line {from}", end - 1),
        _ => format!("what begins in column {start} of line {from} and ends before column {end} of line {to}"),
    };
    if text.is_empty() { format!("Remove {place}.") } else { format!("Replace {place} with:") }
}

fn document(findings: &[&Finding], review: &Review, change: &str) -> String {
    let items: Vec<Value> = findings
        .iter()
        .map(|f| {
            let fix = f.fix.as_ref().filter(|fix| fix.proof == Proof::Proved).map(|fix| {
                let edits = fix.edits.iter().map(|edit| json!({ "span": edit.span, "text": edit.text }));
                json!({ "title": fix.title, "edits": edits.collect::<Vec<_>>() })
            });
            let code =
                f.excerpt.iter().map(|l| json!({ "marker": l.marker, "old": l.old, "new": l.new, "text": l.text }));
            json!({
                "key": f.key,
                "rule": f.rule,
                "severity": f.severity,
                "message": f.message,
                "help": review.rule(&f.rule).and_then(|rule| rule.help.as_ref()),
                "path": f.path().map(|path| &path.text),
                "side": f.anchor.as_ref().map_or(Side::New, |anchor| anchor.side),
                "span": f.span(),
                "definition": f.scope,
                "code": code.collect::<Vec<_>>(),
                "fix": fix,
                "check": check(f, change),
            })
        })
        .collect();
    let value = json!({
        "format": "swage-handoff/1",
        "description": review.description,
        "constraints": CONSTRAINTS,
        "items": items,
    });
    to_json(&value)
}
