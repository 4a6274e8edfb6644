//! `swage post`: a review becomes threads on a host.

use std::fmt::Write;
use std::process::ExitCode;

use swage_core::baseline::State;
use swage_core::change::Change;
use swage_core::gate::Verdict;
use swage_core::review::{Anchor as ReviewAnchor, Finding, Fix, Fixes, Marker, Proof, Review, Side};
use swage_git::{DiffSource, Head, Repository, Target};
use swage_host::{Anchor, Client, CodeLine, Edit, HostError, NewProposal, Posted, Related, Report, ReportedFinding};
use swage_store::Store;

use crate::checkers::Outside;
use crate::cli::{ChangeArgs, PostArgs};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::output::print;
use crate::source::{Offer, Place, gate_sides};
use crate::terminal::count;

/// The name under which Swage's threads stand on a host.
const REPORTER: &str = "swage";

pub fn run(args: &PostArgs) -> Result<ExitCode, Failure> {
    let client = Client::new(&args.to, &super::host::token()?).map_err(failed)?;
    let place = Place::find()?;
    let repository = place.repository()?;
    if args.change.staged || args.change.uncommitted || args.change.patch.is_some() {
        return Err(Failure::wrong("only commits can be posted: a host shows revisions, and unsaved work is none")
            .hint("Commit first, or review it here with `swage review`."));
    }
    let change = ChangeArgs { committed: args.change.range.is_none(), ..args.change.clone() };
    let (target, head, description) = gate_sides(repository, &change)?;
    let Head::Commit(commit) = &head else { return Err(Failure::wrong("there is no commit to post")) };
    let commit = commit.clone();
    let configuration = Configuration::of_target(repository, &target)?;
    let store = super::cache(Some(repository), args.no_cache);
    let outside = Outside::trusting(repository, &configuration, &target.tip, &args.outside.checker_results)?;
    let mut offer = Offer::of(&args.change)?;
    if offer.title.is_none() {
        // What isn't open yet has the title that it will be opened with.
        let there = || client.proposal(args.proposal).ok().map(|p| p.title);
        offer.title = args.open.clone().or_else(there);
    }
    let review = review(repository, &target, &commit, &offer, &configuration, store.as_ref(), &outside)?;
    let sides = (target.clone(), head, description);
    let with = (store.as_ref(), &outside);
    let (_, verdict, ()) = super::judge(repository, sides, &offer, &configuration, with, |_, _, _| ())?;
    let report = report(&review, &verdict, &target);
    if let Some(title) = &args.open {
        client
            .open_proposal(args.proposal, &NewProposal { title: title.clone(), target: target.name.clone() })
            .map_err(failed)?;
    }
    let posted = client.report(args.proposal, &commit, REPORTER, &report).map_err(failed)?;
    print(told(&posted, &args.to).as_bytes())?;
    let unsaved = repository.unsaved_files()?;
    if args.change.range.is_none() && unsaved > 0 {
        anstream::eprintln!("swage: {} with uncommitted work aren't part of what was posted", count(unsaved, "file"));
    }
    Ok(ExitCode::SUCCESS)
}

/// Findings at the lines of the revision itself, by the target's rules.
fn review(
    repository: &Repository,
    target: &Target,
    head: &str,
    offer: &Offer,
    configuration: &Configuration,
    store: Option<&Store>,
    outside: &Outside<'_>,
) -> Result<Review, Failure> {
    let base = repository.fork_point(target, head)?;
    let diff = repository.diff(DiffSource::Commits { base: base.clone(), head: head.to_owned() })?;
    diff.with(|change, contents| {
        let change = offer.on(change, &configuration.rules, repository, (&base, Some(head)));
        let change =
            Change { base: Some(base), head: Some(head.to_owned()), target: Some(target.tip.clone()), ..change };
        super::examine_change(&change, contents, configuration, store, outside, Fixes::Tried)
    })?
}

fn failed(error: HostError) -> Failure {
    let remedy = match &error {
        HostError::Address(_) => "Give --to an address such as http://127.0.0.1:8417.",
        HostError::Unreachable { sent: false, .. } => {
            "See that the host runs and that the address is right; then post again. Nothing was sent."
        }
        HostError::Unreachable { sent: true, .. } => {
            "The report may have arrived. See that the host runs, then post again; that is safe."
        }
        HostError::Refused { status: 401, .. } => "Put the host's own token into SWAGE_TOKEN.",
        HostError::Refused { status: 404, .. } => {
            "Open the proposal with --open TITLE, or give the right --proposal number."
        }
        HostError::Refused { status: 409, .. } => "Post the newest revision, or choose another proposal number.",
        _ => {
            "Check that the address is that of a review host with Swage's protocol, then post again. The report may have arrived; posting again is safe."
        }
    };
    let usage = matches!(error, HostError::Address(_));
    let failure = if usage { Failure::wrong(&error) } else { Failure::unfinished(&error) };
    failure.hint(remedy)
}

fn report(review: &Review, verdict: &Verdict, target: &Target) -> Report {
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
    let findings = review.findings.iter().filter(|f| f.counts_against_change()).map(|f| reported(f, review)).collect();
    Report {
        format: "swage-report/1".to_owned(),
        base: review.base.clone(),
        verdict: Some(verdict.result.word().to_owned()),
        overview,
        findings,
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
        side: if a.side == Side::Old { "old" } else { "new" }.to_owned(),
        start_line: a.span.map(|s| s.start_line),
        start_column: a.span.map(|s| s.start_column),
        end_line: a.span.map(|s| s.end_line),
        end_column: a.span.map(|s| s.end_column),
    }
}

fn told(posted: &Posted, url: &str) -> String {
    let url = url.trim_end_matches('/');
    if posted.unchanged {
        return format!(
            "Proposal {} has this report already; nothing was changed.\n{url}/proposals/{}\n",
            posted.proposal, posted.proposal
        );
    }
    let parts = [
        (posted.opened, "opened"),
        (posted.reopened, "opened again"),
        (posted.moved, "moved"),
        (posted.kept, "kept"),
        (posted.closed, "closed"),
    ];
    let parts: Vec<String> = parts.into_iter().filter(|(n, _)| *n > 0).map(|(n, what)| format!("{n} {what}")).collect();
    let threads = if parts.is_empty() { "none needed".to_owned() } else { parts.join(", ") };
    format!(
        "Proposal {}, revision {}: threads: {threads}.\n{url}/proposals/{}\n",
        posted.proposal, posted.revision, posted.proposal
    )
}
