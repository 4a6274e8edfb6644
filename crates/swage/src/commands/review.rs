//! `swage review`: a change and its findings.

use std::process::ExitCode;

use swage_core::review::{Finding, Fixes};

use crate::checkers::Outside;
use crate::cli::ReviewArgs;
use crate::configuration::Configuration;
use crate::failure::{Failure, SAYS_NO};
use crate::history::{self, Record};
use crate::output::{Document, Purpose};
use crate::source::{Place, with_change};

pub fn run(args: &ReviewArgs) -> Result<ExitCode, Failure> {
    let place = Place::find()?;
    let configuration = Configuration::of_folder(&place.root, args.config.as_deref())?;
    let store = super::cache(place.repository.as_ref(), args.no_cache);
    let trusted = Configuration::of_trusted(place.repository.as_ref(), args.change.target.as_deref(), &configuration);
    let outside = Outside::of_target(place.repository.as_ref(), &trusted, &args.outside.checker_results)?;
    let (review, notes) = with_change(&place, &args.change, &configuration, |change, contents| {
        let review = super::examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::Tried)?;
        let page = args.output.page(&change, contents, &review, &configuration);
        Ok::<_, Failure>((review, page))
    })?;
    let (mut review, page) = review?;
    review.notes.extend(notes);
    review.notes.extend(place.repository.iter().flat_map(|r| r.ambiguous_names()));
    if let Some(repository) = place.repository.as_ref().filter(|_| !args.no_cache) {
        let branch = history::branch_of(repository, &args.change);
        let (command, rules) = ("review", &configuration.rules);
        Record { command, review: &review, verdict: None, rules, branch }.leave(repository);
    }
    args.output.write(&Document {
        show_all: args.all,
        page: page.as_ref(),
        ..Document::new(Purpose::Review, &review)
    })?;
    let grave = args.fail_on.map(|least| least.severity());
    let counts = |f: &&Finding| f.counts_against_change() && !f.is_advisory() && grave.is_some_and(|g| f.severity <= g);
    Ok(if review.findings.iter().any(|f| counts(&f)) { ExitCode::from(SAYS_NO) } else { ExitCode::SUCCESS })
}
