//! Posting to a review host: findings become threads.

mod answers;

use std::process::ExitCode;

use swage_core::gate::{Outcome, Verdict};
use swage_git::Repository;
use swage_host::{NewStatus, Posted, StatusState};

use super::Offered;
use crate::cli::PostArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::{Fetched, Hosting, failed};
use crate::output::print_text;
use crate::source::{Offer, Workspace, proposal_sides};

/// The name under which Swage's threads are on a host.
const REPORTER: &str = "swage";

pub fn run(args: &PostArgs, workspace: &Workspace) -> Result<ExitCode, Failure> {
    let number = args.change.proposal.ok_or_else(|| {
        Failure::wrong("a review host is posted to by proposal")
            .hint("Give --proposal N; `swage propose` opens one. --to mail and --to command are other ways.")
    })?;
    let repository = workspace.repository()?;
    let hosting = Hosting::find(workspace, args.change.host.as_deref())?;
    if args.answer {
        return answers::run(args, workspace, &hosting, number);
    }
    let status = Status { hosting: &hosting, number };
    let fetched = hosting.fetch(workspace, number)?;
    let head = fetched.revision.head.clone();
    status.set(&head, StatusState::Pending, "reviewing".to_owned())?;
    let (posted, verdict) = match posted(args, repository, &status, fetched) {
        Ok(done) => done,
        Err(failure) => {
            // The status isn't left at work; that it can't be set doesn't hide why.
            _ = status.set(&head, StatusState::Failed, failure.message().chars().take(150).collect());
            return Err(failure);
        }
    };
    let state = if verdict.result == Outcome::Pass { StatusState::Passed } else { StatusState::Failed };
    status.set(&head, state, format!("the findings: {}", verdict.result.word()))?;
    print_text(&rendered(&posted, &hosting.page(number)))?;
    Ok(ExitCode::SUCCESS)
}

/// The checker's status on a proposal; each word of it is kept with its time.
struct Status<'a> {
    hosting: &'a Hosting,
    number: u64,
}

impl Status<'_> {
    fn set(&self, head: &str, state: StatusState, text: String) -> Result<(), Failure> {
        let status = NewStatus { state, text, link: Some(self.hosting.page(self.number)) };
        self.hosting.client.put_status(self.number, head, REPORTER, &status).map(|_| ()).map_err(failed)
    }
}

/// Reviews the newest revision by the target's rules, and sends what was found.
fn posted(
    args: &PostArgs,
    repository: &Repository,
    status: &Status<'_>,
    fetched: Fetched,
) -> Result<(Posted, Verdict), Failure> {
    let configuration = Configuration::of_target(repository, &fetched.target)?;
    let mut offer = Offer::default();
    offer.take_from(&fetched);
    let (target, _, what) = proposal_sides(&fetched);
    let (base, head) = (fetched.revision.base, fetched.revision.head);
    let offered = Offered {
        target,
        base: base.into(),
        head: head.into(),
        name: format!("proposal {}", status.number),
        what,
        offer,
    };
    let (report, verdict) = offered.report(args, repository, &configuration)?;
    let found = crate::terminal::count(report.findings.len(), "new finding");
    status.set(&offered.head, StatusState::Pending, format!("sending {found}"))?;
    let posted = status.hosting.client.report(status.number, &offered.head, REPORTER, &report).map_err(failed)?;
    Ok((posted, verdict))
}

fn rendered(posted: &Posted, page: &str) -> String {
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
