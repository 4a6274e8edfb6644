//! `swage post`: a review goes where people discuss the change.

mod by_mail;
mod by_program;
mod letters;
mod on_host;
mod report;
mod steps;

use std::process::ExitCode;

use swage_core::change::Change;
use swage_core::config::Posting;
use swage_core::gate::Verdict;
use swage_core::ids::CommitId;
use swage_core::review::{Fixes, Review};
use swage_git::{DiffSource, Head, Repository, Target};
use swage_host::Report;
use swage_store::Store;

use crate::checkers::Outside;
use crate::cli::{PostArgs, PostWay};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::source::{Offer, Workspace};

pub fn run(args: &PostArgs) -> Result<ExitCode, Failure> {
    let (host, mail) = (args.to == PostWay::Host, args.to == PostWay::Mail);
    let misplaced = [
        (args.answer && !host, "--answer", "a review host"),
        (args.from.is_some() && !mail, "--from", "mail"),
        (args.smtp.is_some() && !mail, "--smtp", "mail"),
        (args.output.is_some() && !mail, "--output", "mail"),
        (!args.change.patch.is_empty() && !mail, "--patch", "mail"),
        (args.change.staged || args.change.uncommitted, "unsaved work", "nobody: commit it first"),
    ];
    if let Some((_, what, whom)) = misplaced.iter().find(|(is, ..)| *is) {
        return Err(Failure::wrong(format!("{what} can't be posted this way; it is for {whom}"))
            .hint("`swage post --help` shows the ways."));
    }
    let workspace = Workspace::find()?;
    match args.to {
        PostWay::Host => on_host::run(args, &workspace),
        PostWay::Mail => by_mail::run(args, &workspace),
        PostWay::Command => by_program::run(args, &workspace),
    }
}

/// Commits that are offered for merging into a target.
struct Offered {
    target: Target,
    /// Where they left the target.
    base: CommitId,
    head: CommitId,
    /// The same in all revisions: the branch, or the proposal.
    name: String,
    /// What they are, for people.
    what: String,
    offer: Offer,
}

impl Offered {
    /// Reviews them by the target's rules, with the findings at the lines of the head itself.
    fn review(
        &self,
        args: &PostArgs,
        repository: &Repository,
        configuration: &Configuration,
    ) -> Result<Review, Failure> {
        let store = super::cache(Some(repository), args.no_cache);
        self.review_with(repository, configuration, (store.as_ref(), &self.outside(args, repository, configuration)?))
    }

    fn outside<'r>(
        &self,
        args: &'r PostArgs,
        repository: &'r Repository,
        configuration: &'r Configuration,
    ) -> Result<Outside<'r>, Failure> {
        Outside::trusting(repository, configuration, &self.target.tip, &args.outside.checker_results)
    }

    fn review_with(
        &self,
        repository: &Repository,
        configuration: &Configuration,
        (store, outside): (Option<&Store>, &Outside<'_>),
    ) -> Result<Review, Failure> {
        let diff = repository.diff(DiffSource::Commits { base: self.base.to_string(), head: self.head.to_string() })?;
        diff.with(|change, contents| {
            let change = self.offer.on(change, repository, (&self.base, Some(&self.head)));
            let (base, head) = (Some(self.base.clone()), Some(self.head.clone()));
            let change = Change { base, head, target: Some(self.target.tip.clone()), ..change };
            super::examine_change(&change, contents, configuration, store, outside, Fixes::Tried)
        })?
    }

    /// The findings at the lines of the head, and the verdict on what a merge would give.
    fn report(
        &self,
        args: &PostArgs,
        repository: &Repository,
        configuration: &Configuration,
    ) -> Result<(Report, Verdict), Failure> {
        let store = super::cache(Some(repository), args.no_cache);
        let outside = self.outside(args, repository, configuration)?;
        let with = (store.as_ref(), &outside);
        let review = self.review_with(repository, configuration, with)?;
        let sides = (self.target.clone(), Head::Commit(self.head.clone()), self.what.clone());
        let (_, verdict, ()) = super::judge(repository, sides, &self.offer, configuration, with, |_, _, _| ())?;
        let own = &configuration.config.posting;
        let posting = Posting { most_threads: args.most_threads.unwrap_or(own.most_threads), ..own.clone() };
        Ok((report::of(&review, &verdict, &self.target, &posting), verdict))
    }
}
