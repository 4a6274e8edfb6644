//! `swage post`: a review becomes threads on a host.

use std::fmt::Write;
use std::process::ExitCode;

use swage_core::baseline::State;
use swage_core::change::Change;
use swage_core::gate::{Outcome, Verdict};
use swage_core::review::{Anchor as ReviewAnchor, Finding, Fix, Fixes, Marker, Proof, Review, Side};
use swage_git::{DiffSource, Repository, Target};
use swage_host::{Anchor, CodeLine, Edit, NewStatus, Posted, Related, Report, ReportedFinding, Settled, StatusState};
use swage_store::Store;

use crate::checkers::Outside;
use crate::cli::PostArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::{Fetched, Hosting, failed};
use crate::output::print;
use crate::source::{Offer, Place, proposal_sides};
use crate::terminal::printable;

/// The name under which Swage's threads stand on a host.
const REPORTER: &str = "swage";

pub fn run(args: &PostArgs) -> Result<ExitCode, Failure> {
    let place = Place::find()?;
    let repository = place.repository()?;
    let hosting = Hosting::find(&place, args.host.host.as_deref())?;
    let fetched = hosting.fetch(&place, args.proposal)?;
    let head = fetched.revision.head.clone();
    let say = |state, text: String| {
        let status = NewStatus { state, text, link: Some(hosting.page(args.proposal)) };
        hosting.client.put_status(args.proposal, &head, REPORTER, &status).map_err(failed)
    };
    say(StatusState::Pending, "reviewing".to_owned())?;
    let done = posted(args, repository, &hosting, &fetched);
    let (posted, verdict) = match done {
        Ok(done) => done,
        Err(failure) => {
            // The status isn't left at work; that it can't be set doesn't hide why.
            _ = say(StatusState::Failed, failure.message().chars().take(150).collect());
            return Err(failure);
        }
    };
    let state = if verdict.result == Outcome::Pass { StatusState::Passed } else { StatusState::Failed };
    say(state, format!("the findings: {}", verdict.result.word()))?;
    print(told(&posted, &hosting.page(args.proposal)).as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// Reviews the newest revision by the target's rules, and sends what was found.
fn posted(
    args: &PostArgs,
    repository: &Repository,
    hosting: &Hosting,
    fetched: &Fetched,
) -> Result<(Posted, Verdict), Failure> {
    let target = &fetched.target;
    let configuration = Configuration::of_target(repository, target)?;
    let store = super::cache(Some(repository), args.no_cache);
    let outside = Outside::trusting(repository, &configuration, &target.tip, &args.outside.checker_results)?;
    let mut offer = Offer::default();
    offer.take_from(fetched);
    let head = &fetched.revision.head;
    let review = review(repository, fetched, &offer, &configuration, store.as_ref(), &outside)?;
    let with = (store.as_ref(), &outside);
    let (_, verdict, ()) =
        super::judge(repository, proposal_sides(fetched), &offer, &configuration, with, |_, _, _| ())?;
    let report = report(&review, &verdict, target, args.most_threads);
    let posted = hosting.client.report(args.proposal, head, REPORTER, &report).map_err(failed)?;
    Ok((posted, verdict))
}

/// Findings at the lines of the revision itself, by the target's rules.
fn review(
    repository: &Repository,
    fetched: &Fetched,
    offer: &Offer,
    configuration: &Configuration,
    store: Option<&Store>,
    outside: &Outside<'_>,
) -> Result<Review, Failure> {
    let (base, head) = (fetched.revision.base.clone(), fetched.revision.head.clone());
    let diff = repository.diff(DiffSource::Commits { base: base.clone(), head: head.clone() })?;
    diff.with(|change, contents| {
        let change = offer.on(change, &configuration.rules, repository, (&base, Some(&head)));
        let target = Some(fetched.target.tip.clone());
        let change = Change { base: Some(base), head: Some(head), target, ..change };
        super::examine_change(&change, contents, configuration, store, outside, Fixes::Tried)
    })?
}

fn report(review: &Review, verdict: &Verdict, target: &Target, most_threads: u64) -> Report {
    let counts = review.counts();
    let mut overview = format!("{}: {}", target.name, verdict.result.word());
    for condition in &verdict.conditions {
        _ = write!(overview, "\n{} · {}: {}", condition.result.word(), condition.name, condition.reason);
    }
    _ = write!(
        overview,
        "\n\n{} new, {} fixed, {} unchanged. {}",
        counts.state(State::New),
        counts.state(State::Absent),
        counts.state(State::Unchanged) + counts.state(State::Updated),
        review.rules_from
    );
    for note in &review.notes {
        _ = write!(overview, "\n{note}");
    }
    // Worst first, as a review lists them: the host may not open a thread for all.
    let against = review.findings.iter().filter(|f| f.counts_against_change());
    let settled = review.findings.iter().filter_map(|f| {
        let decision = f.settled()?;
        Some(Settled { key: f.key.clone(), why: format!("{}: {}", decision.answer, decision.because) })
    });
    Report {
        format: "swage-report/1".to_owned(),
        verdict: Some(verdict.result.word().to_owned()),
        overview: overview.lines().map(printable).collect::<Vec<_>>().join("\n"),
        findings: against.map(|f| reported(f, review)).collect(),
        settled: settled.collect(),
        most_threads: Some(most_threads),
    }
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
        key: f.key.clone(),
        rule: f.rule.clone(),
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
        start_line: edit.span.start_line,
        start_column: edit.span.start_column,
        end_line: edit.span.end_line,
        end_column: edit.span.end_column,
        text: edit.text.clone(),
    });
    swage_host::Fix { title: fix.title.clone(), edits: edits.collect() }
}

fn anchor(a: &ReviewAnchor) -> Anchor {
    Anchor {
        path: a.path.text.clone(),
        path_encoded: a.path.encoded,
        side: if a.side == Side::Old { swage_host::Side::Old } else { swage_host::Side::New },
        start_line: a.span.map(|s| s.start_line),
        start_column: a.span.map(|s| s.start_column),
        end_line: a.span.map(|s| s.end_line),
        end_column: a.span.map(|s| s.end_column),
    }
}

fn told(posted: &Posted, page: &str) -> String {
    if posted.unchanged {
        return format!("Proposal {} has this report already; nothing was changed.\n{page}\n", posted.proposal);
    }
    let parts = [
        (posted.opened, "opened"),
        (posted.reopened, "opened again"),
        (posted.moved, "moved"),
        (posted.kept, "kept"),
        (posted.closed, "closed"),
        (posted.left, "left to the overview"),
    ];
    let parts: Vec<String> = parts.into_iter().filter(|(n, _)| *n > 0).map(|(n, what)| format!("{n} {what}")).collect();
    let threads = if parts.is_empty() { "none needed".to_owned() } else { parts.join(", ") };
    format!("Proposal {}, revision {}: threads: {threads}.\n{page}\n", posted.proposal, posted.revision)
}
