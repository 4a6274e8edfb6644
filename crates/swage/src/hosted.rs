//! A proposal of a host as the gate sees it: its commits, and what people and outside programs say of it.

use swage_core::brief::cover;
use swage_core::gate::{Condition, Outcome, ProposalFacts, Verdict, judge_people};
use swage_core::review::Review;
use swage_core::rule::{Severity, is_rule_file};
use swage_git::Repository;
use swage_host::{HostError, NewVerdict, StanceWord, StatusState, ThreadKind};

use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::{Fetched, Hosting, failed};
use crate::source::Workspace;

/// A proposal that is to be judged.
pub struct Hosted<'h> {
    hosting: &'h Hosting,
    /// Its commits, and what the host knows of it.
    pub fetched: Fetched,
    /// The last event that is taken into account.
    upto: u64,
}

impl<'h> Hosted<'h> {
    pub fn fetch(hosting: &'h Hosting, workspace: &Workspace, number: u64) -> Result<Self, Failure> {
        // What happens after this is reported by the host, and voids the verdict.
        let upto = hosting.client.timeline(number).map_err(failed)?.last().map_or(0, |event| event.number);
        Ok(Self { hosting, fetched: hosting.fetch(workspace, number)?, upto })
    }

    /// The conditions on people and outside programs, and those of checks that weren't run.
    pub fn conditions(
        &self,
        repository: &Repository,
        configuration: &Configuration,
        review: &Review,
        checked: bool,
    ) -> Result<Vec<Condition>, Failure> {
        let config = &configuration.config;
        let mut conditions = judge_people(&config.policy.people, &config.owners, &self.facts(repository, review)?);
        if !checked {
            conditions.extend(config.checks.iter().map(|(name, _)| Condition {
                name: format!("checks.{name}"),
                result: Outcome::Incomplete,
                reason: "it wasn't run; --run-checks does".to_owned(),
            }));
        }
        Ok(conditions)
    }

    fn facts(&self, repository: &Repository, review: &Review) -> Result<ProposalFacts, Failure> {
        let (proposal, revision) = (&self.fetched.proposal, &self.fetched.revision);
        let threads = self.hosting.client.threads(proposal.number).map_err(failed)?;
        // Findings have conditions of their own.
        let open: Vec<_> = threads.iter().filter(|t| t.open && !t.draft && t.finding.is_none()).collect();
        let mut texts = vec![
            ("title".to_owned(), proposal.title.clone()),
            ("description".to_owned(), proposal.description.clone()),
        ];
        let commits = repository.commits(&revision.base, &revision.head)?;
        texts.extend(commits.into_iter().map(|commit| (commit.id.into(), commit.message)));
        texts.extend(review.files.iter().map(|file| (file.new_path.text.clone(), file.new_path.text.clone())));
        let tickets = proposal.tickets.iter().map(|ticket| {
            let points = ticket.points.iter().map(|point| (point.text.clone(), point.done)).collect();
            let silent = cover(points, &texts).into_iter().filter(|p| !p.ticked && p.spoken_of_by.is_empty());
            (ticket.name.clone(), silent.map(|point| point.text).collect())
        });
        let stances = |word, of_newest: bool| {
            let own = proposal
                .stances
                .iter()
                .filter(move |s| s.stance == word && (!of_newest || s.revision == revision.number));
            own.map(|stance| stance.person.clone()).collect()
        };
        let statuses = proposal.statuses.iter().filter(|status| status.revision == revision.number);
        let statuses = statuses.map(|status| {
            let passed = match status.state {
                StatusState::Pending => None,
                StatusState::Passed => Some(true),
                StatusState::Failed => Some(false),
            };
            (status.name.clone(), passed)
        });
        let mut paths: Vec<String> =
            review.files.iter().flat_map(|f| [f.old_path.text.clone(), f.new_path.text.clone()]).collect();
        paths.sort();
        paths.dedup();
        Ok(ProposalFacts {
            author: proposal.author.clone(),
            title: proposal.title.clone(),
            description: proposal.description.clone(),
            draft: proposal.draft,
            approvals: stances(StanceWord::Approve, true),
            objections: stances(StanceWord::Object, false),
            todos: open.iter().filter(|thread| thread.kind == ThreadKind::Todo).count() as u64,
            open_threads: open.len() as u64,
            tickets: tickets.collect(),
            statuses: statuses.collect(),
            rule_files: paths.iter().filter(|path| is_rule_file(path.as_bytes())).cloned().collect(),
            paths,
            suppressed_errors: review.new_suppressions().filter(|(f, _)| f.severity == Severity::Error).count() as u64,
        })
    }

    /// Reports the verdict to the host. A user who may not do that still sees it.
    pub fn post(&self, verdict: &Verdict) -> Result<(), Failure> {
        let condition = |c: &Condition| swage_host::Condition {
            name: c.name.clone(),
            result: c.result.word().to_owned(),
            reason: c.reason.clone(),
        };
        let new = NewVerdict {
            target: self.fetched.target.tip.to_string(),
            head: self.fetched.revision.head.clone(),
            result: verdict.result.word().to_owned(),
            conditions: verdict.conditions.iter().map(condition).collect(),
            upto: self.upto,
        };
        match self.hosting.client.put_verdict(self.fetched.proposal.number, &new) {
            Ok(_) => Ok(()),
            Err(HostError::Refused { status: 403, .. }) => {
                anstream::eprintln!("The verdict isn't kept on the host: checkers and maintainers may do that.");
                Ok(())
            }
            Err(error) => Err(failed(error)),
        }
    }
}
