//! A review as the report that hosts and programs get.

use std::fmt::Write;

use swage_core::baseline::State;
use swage_core::config::Posting;
use swage_core::gate::{Outcome, Verdict};
use swage_core::review::{Anchor as ReviewAnchor, Finding, Fix, Marker, Proof, Review};
use swage_core::sides::Side;
use swage_git::Target;
use swage_host::{Anchor, CodeLine, Edit, Related, Report, ReportedFinding, Settled};

use crate::terminal::{count, printable};

/// What was found, worst first, with the verdict.
pub fn of(review: &Review, verdict: &Verdict, target: &Target, posting: &Posting) -> Report {
    let counts = review.counts();
    let mut overview = format!("{}: {}", target.name, verdict.result.word());
    for condition in &verdict.conditions {
        _ = write!(overview, "\n{} · {}: {}", condition.result.word(), condition.name, condition.reason);
    }
    let (new, fixed) = (counts.state(State::New), counts.state(State::Absent));
    let unchanged = counts.state(State::Unchanged) + counts.state(State::Updated);
    _ = write!(overview, "\n\n{new} new, {fixed} fixed, {unchanged} unchanged. {}", review.rules_from);
    for note in &review.notes {
        _ = write!(overview, "\n{note}");
    }
    // Worst first, as a review lists them: the host may not open a thread for all.
    let against: Vec<&Finding> = review.findings.iter().filter(|f| f.counts_against_change()).collect();
    let settled = review.findings.iter().filter_map(|f| {
        let decision = f.settled()?;
        Some(Settled { key: f.key.to_string(), why: format!("{}: {}", decision.answer.word(), decision.because) })
    });
    let clean = posting.praise && against.is_empty() && verdict.result == Outcome::Pass;
    Report {
        format: "swage-report/1".to_owned(),
        verdict: Some(verdict.result.word().to_owned()),
        overview: overview.lines().map(printable).collect::<Vec<_>>().join("\n"),
        praise: clean.then(|| praise(review.files.len(), fixed as usize)),
        findings: against.into_iter().map(|f| reported(f, review)).collect(),
        settled: settled.collect(),
        most_threads: Some(posting.most_threads),
    }
}

/// What is said when there is nothing to say against a change.
pub fn praise(files: usize, fixed: usize) -> String {
    let fixed = if fixed == 0 { String::new() } else { format!(", and {} fixed", count(fixed, "old finding")) };
    format!("Nothing new was found in {}{fixed}.", count(files, "file"))
}

fn reported(f: &Finding, review: &Review) -> ReportedFinding {
    let code = f.excerpt.iter().map(|line| CodeLine {
        marker: match line.marker {
            Marker::Same => "same",
            Marker::Added => "added",
            Marker::Removed => "removed",
        }
        .to_owned(),
        number: line.new.or(line.old).unwrap_or_default(),
        text: line.text.clone(),
    });
    ReportedFinding {
        key: f.key.to_string(),
        rule: f.rule.to_string(),
        severity: f.severity.word().to_owned(),
        message: f.message.clone(),
        help: review.rule(&f.rule).and_then(|r| r.help.clone()),
        anchor: f.anchor.as_ref().map(anchor),
        related: f.related.iter().map(|r| Related { anchor: anchor(&r.anchor), message: r.message.clone() }).collect(),
        advisory: f.is_advisory(),
        code: code.collect(),
        fix: f.fix.as_ref().filter(|fix| fix.proof == Proof::Proved).map(fix),
    }
}

fn fix(fix: &Fix) -> swage_host::Fix {
    let edits = fix.edits.iter().map(|edit| Edit {
        start_line: edit.span.start_line.into(),
        start_column: edit.span.start_column.into(),
        end_line: edit.span.end_line.into(),
        end_column: edit.span.end_column.into(),
        text: edit.text.clone(),
    });
    swage_host::Fix { title: fix.title.clone(), edits: edits.collect() }
}

fn anchor(a: &ReviewAnchor) -> Anchor {
    Anchor {
        path: a.path.text.clone(),
        path_encoded: a.path.encoded,
        side: if a.side == Side::Old { swage_host::Side::Old } else { swage_host::Side::New },
        start_line: a.span.map(|s| s.start_line.get()),
        start_column: a.span.map(|s| s.start_column.get()),
        end_line: a.span.map(|s| s.end_line.get()),
        end_column: a.span.map(|s| s.end_column.get()),
    }
}
