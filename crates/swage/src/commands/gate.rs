//! `swage gate`: may this change be merged?

use std::process::ExitCode;

use swage_core::change::{Change, Content, Contents};
use swage_core::decision::{DECISIONS_FILE, read_decisions};
use swage_core::gate::{Outcome, Verdict, decide};
use swage_core::review::{Fixes, Review, offered};
use swage_git::{Head, Repository, Target};
use swage_store::Store;

use crate::checkers::Outside;
use crate::checks::run_checks;
use crate::cli::GateArgs;
use crate::configuration::Configuration;
use crate::failure::{Failure, SAYS_NO, UNFINISHED};
use crate::history::{self, Record};
use crate::hosted::Hosted;
use crate::hosting::Hosting;
use crate::output::{Document, Purpose};
use crate::source::{Offer, Workspace, gate_sides, proposal_sides};

/// The story of the command; long because a proposal, a branch and a finished verdict end in different ways.
pub fn run(args: &GateArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    if !args.change.patch.is_empty() {
        return Err(Failure::wrong("the gate needs a branch to merge, and a patch isn't one")
            .hint("Review it with `swage review --patch`, or commit it on a branch and give the range."));
    }
    let repository = workspace.repository()?;
    let hosting = args.change.proposal.map(|_| Hosting::find(&workspace, args.change.host.as_deref())).transpose()?;
    let hosted = match (&hosting, args.change.proposal) {
        (Some(hosting), Some(number)) => Some(Hosted::fetch(hosting, &workspace, number)?),
        _ => None,
    };
    let sides = match &hosted {
        Some(hosted) => proposal_sides(&hosted.fetched),
        None => gate_sides(repository, &args.change)?,
    };
    let configuration = Configuration::of_target(repository, &sides.0)?;
    let store = super::cache(Some(repository), args.no_cache);
    let outside = Outside::trusting(repository, &configuration, &sides.0.tip, &args.outside.checker_results)?;
    let mut offer = Offer::of(&args.change)?;
    hosted.iter().for_each(|hosted| offer.take_from(&hosted.fetched));
    let target = repository.files(&sides.0.tip)?;
    let look = |change: &Change, contents: &dyn Contents, review: &Review| {
        let page = args.output.page(change, contents, review, &configuration);
        let checks = if args.run_checks { &configuration.config.checks[..] } else { &[] };
        Ok::<_, Failure>((page, run_checks(checks, change, contents, &target)?))
    };
    let with = (store.as_ref(), &outside);
    let (mut review, verdict, looked) = judge(repository, sides, &offer, &configuration, with, look)?;
    let (page, mut more) = looked?;
    let unrun = !args.run_checks && !configuration.config.checks.is_empty();
    match &hosted {
        Some(hosted) => more.extend(hosted.conditions(repository, &configuration, &review, args.run_checks)?),
        None if !configuration.config.policy.people.is_empty() => {
            review.notes.push("What people must say isn't judged here: give --proposal N for that.".to_owned());
        }
        None => {}
    }
    if unrun && hosted.is_none() {
        review.notes.push("The checks of the target weren't run: give --run-checks for that.".to_owned());
    }
    let verdict = Verdict::of(verdict.conditions.into_iter().chain(more).collect());
    if let Some(hosted) = &hosted {
        hosted.post(&verdict)?;
    }
    review.notes.extend(repository.ambiguous_names());
    if !args.no_cache {
        let branch = history::branch_of(repository, &args.change);
        let (command, rules) = ("gate", &configuration.rules);
        Record { command, review: &review, verdict: Some(&verdict), rules, branch }.leave(repository);
    }
    args.output.write(&Document {
        verdict: Some(&verdict),
        page: page.as_ref(),
        root: Some(&workspace.root),
        ..Document::new(Purpose::Gate, &review)
    })?;
    Ok(match verdict.result {
        Outcome::Pass => ExitCode::SUCCESS,
        Outcome::Fail => ExitCode::from(SAYS_NO),
        Outcome::Incomplete => ExitCode::from(UNFINISHED),
    })
}

/// Names the decisions that the change adds: they count once they are on the target.
fn note_offered(
    review: &mut Review,
    change: &Change,
    contents: &dyn Contents,
    configuration: &Configuration,
) -> Result<(), Failure> {
    let Some(index) = change.files.iter().position(|file| file.new_path == DECISIONS_FILE.as_bytes()) else {
        return Ok(());
    };
    let Content::Whole { bytes, .. } = contents.sides(index).new else { return Ok(()) };
    let mut added = read_decisions(DECISIONS_FILE, &String::from_utf8_lossy(&bytes))?;
    added.retain(|decision| !configuration.decisions.contains(decision));
    let offered: Vec<String> = offered(review, &added)
        .into_iter()
        .map(|(f, answer)| {
            let place = f.place();
            format!("{} at {place} as {}", f.rule, answer.word())
        })
        .collect();
    if !offered.is_empty() {
        review.notes.push(format!(
            "The change adds decisions, which count once they are on the target. They would settle: {}.",
            offered.join(", ")
        ));
    }
    Ok(())
}

/// Reviews the merged tree against the target's tip with the target's rules, and decides by the target's policy.
/// `look` sees the merge while its contents are at hand.
pub fn judge<R>(
    repository: &Repository,
    (target, head, description): (Target, Head, String),
    offer: &Offer,
    configuration: &Configuration,
    (store, outside): (Option<&Store>, &Outside<'_>),
    look: impl FnOnce(&Change, &dyn Contents, &Review) -> R,
) -> Result<(Review, Verdict, R), Failure> {
    let merge = repository.merge(&target, &head)?;
    let (review, seen) = merge.change.with(|change, contents| {
        let change = Change {
            base: Some(target.tip.clone()),
            head: merge.head.clone(),
            target: Some(target.tip.clone()),
            description,
            ..change
        };
        let change = offer.on(change, repository, (&target.tip, merge.head.as_deref()));
        let mut review = super::examine_change(&change, contents, configuration, store, outside, Fixes::Tried)?;
        note_offered(&mut review, &change, contents, configuration)?;
        let seen = look(&change, contents, &review);
        Ok::<_, Failure>((review, seen))
    })??;
    let verdict = decide(&review, &configuration.config.policy, &merge.conflicts);
    Ok((review, verdict, seen))
}
