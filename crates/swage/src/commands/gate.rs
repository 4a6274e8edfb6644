//! `swage gate`: may this change be merged?

use std::process::ExitCode;

use swage_core::change::Change;
use swage_core::gate::{Outcome, Verdict, decide};
use swage_core::review::Review;

use crate::cli::{ChangeArgs, GateArgs};
use crate::configuration::Configuration;
use crate::failure::{Failure, SAYS_NO, UNFINISHED};
use crate::output::{Document, Purpose};
use crate::source::{Place, gate_sides};

pub fn run(args: &GateArgs) -> Result<ExitCode, Failure> {
    let place = Place::find()?;
    let (review, verdict) = judge(&place, &args.change, args.no_cache)?;
    args.output.write(&Document {
        purpose: Purpose::Gate,
        review: &review,
        verdict: Some(&verdict),
        show_all: false,
    })?;
    Ok(match verdict.result {
        Outcome::Pass => ExitCode::SUCCESS,
        Outcome::Fail => ExitCode::from(SAYS_NO),
        Outcome::Incomplete => ExitCode::from(UNFINISHED),
    })
}

/// Reviews the merged tree against the target's tip with the target's rules, and decides by the target's policy.
pub fn judge(place: &Place, args: &ChangeArgs, no_cache: bool) -> Result<(Review, Verdict), Failure> {
    if args.patch.is_some() {
        return Err(Failure::wrong("the gate needs a branch to merge, and a patch isn't one")
            .hint("Review it with `swage review --patch`, or commit it on a branch and give the range."));
    }
    let repository = place.repository()?;
    let (target, head, description) = gate_sides(repository, args)?;
    let configuration = Configuration::of_target(repository, &target)?;
    let store = super::cache(Some(repository), no_cache);
    let merge = repository.merge(&target, &head)?;
    let review = merge.change.with(|change, contents| {
        let change = Change {
            base: Some(target.tip.clone()),
            head: merge.head.clone(),
            target: Some(target.tip.clone()),
            description,
            ..change
        };
        super::examine_change(&change, contents, &configuration, store.as_ref())
    })?;
    let verdict = decide(&review, &configuration.config.policy, &merge.conflicts);
    Ok((review, verdict))
}
