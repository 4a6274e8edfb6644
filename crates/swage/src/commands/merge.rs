//! `swage merge`: the gate is decided for exactly the commits that are merged, and the host moves the target only then.

use std::fmt::Write;
use std::process::ExitCode;

use swage_core::change::{Change, Contents};
use swage_core::gate::{Outcome, Verdict};
use swage_core::review::Review;
use swage_git::{NewCommit, Repository, Signature};
use swage_host::{Edited, HostError, MergeKind, MergeRequest, NewProposal, Proposal, Role};

use crate::checkers::Outside;
use crate::checks::run_checks;
use crate::cli::MergeArgs;
use crate::configuration::Configuration;
use crate::failure::{Failure, SAYS_NO, UNFINISHED};
use crate::history::now;
use crate::hosted::Hosted;
use crate::hosting::{Fetched, Hosting, failed};
use crate::output::print_text;
use crate::source::{Offer, Workspace, proposal_sides};
use crate::terminal::{Paint, count, printable};

/// How often a merge is started again because the target or the proposal moved.
const MOST_TRIES: u32 = 5;

pub fn run(args: &MergeArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let hosting = Hosting::find(&workspace, args.host.host.as_deref())?;
    let me = hosting.client.me().map_err(failed)?;
    if me.role != Role::Maintainer && !args.dry_run && !args.undo {
        return Err(Failure::wrong(format!("{} is a {} here, and maintainers merge", me.name, me.role.word()))
            .hint("`swage merge --dry-run` says whether it would be merged."));
    }
    match args.number {
        Some(number) if args.undo => undo(&workspace, &hosting, number),
        Some(number) => {
            let outcome = merge(args, &workspace, &hosting, number)?;
            print_text(&outcome.text)?;
            Ok(match outcome.result {
                Outcome::Pass => ExitCode::SUCCESS,
                Outcome::Fail => ExitCode::from(SAYS_NO),
                Outcome::Incomplete => ExitCode::from(UNFINISHED),
            })
        }
        None => queue(args, &workspace, &hosting),
    }
}

/// What came of one proposal.
struct Merged {
    result: Outcome,
    text: String,
}

/// Decides, and merges what passes; starts over when something moved meanwhile.
fn merge(args: &MergeArgs, workspace: &Workspace, hosting: &Hosting, number: u64) -> Result<Merged, Failure> {
    for _ in 0..MOST_TRIES {
        let hosted = Hosted::fetch(hosting, workspace, number)?;
        let verdict = decided(args, workspace, &hosted)?;
        let fetched = &hosted.fetched;
        if verdict.result != Outcome::Pass {
            if !args.dry_run {
                hosted.post(&verdict)?;
            }
            return Ok(Merged { result: verdict.result, text: refused(&fetched.proposal, &verdict) });
        }
        let request = request(args, workspace.repository()?, fetched)?;
        if args.dry_run {
            return Ok(Merged { result: verdict.result, text: planned(fetched, &request, &verdict) });
        }
        hosted.post(&verdict)?;
        match hosting.client.merge(number, &request) {
            Ok(merged) => return Ok(Merged { result: Outcome::Pass, text: done(&merged) }),
            // Something moved, or somebody spoke: it is decided again for what is there now.
            Err(HostError::Refused { status: 409, why }) if is_race(&why) => {
                anstream::eprintln!("{}; deciding again", printable(&why));
            }
            Err(error) => return Err(failed(error)),
        }
    }
    Err(Failure::unfinished(format!("proposal {number} or its target moved {MOST_TRIES} times while it was decided"))
        .hint("Try again when less is going on; nothing was merged."))
}

/// Whether the host refuses because what was decided isn't what is there any more.
fn is_race(why: &str) -> bool {
    ["isn't at", "is newer than", "is void"].iter().any(|part| why.contains(part))
}

fn decided(args: &MergeArgs, workspace: &Workspace, hosted: &Hosted<'_>) -> Result<Verdict, Failure> {
    let repository = workspace.repository()?;
    let fetched = &hosted.fetched;
    let configuration = Configuration::of_target(repository, &fetched.target)?;
    let store = super::cache(Some(repository), args.no_cache);
    let outside = Outside::trusting(repository, &configuration, &fetched.target.tip, &[])?;
    let mut offer = Offer::default();
    offer.take_from(fetched);
    let target = repository.files(&fetched.target.tip)?;
    let look = |change: &Change, contents: &dyn Contents, _: &Review| {
        run_checks(&configuration.config.checks, change, contents, &target)
    };
    let with = (store.as_ref(), &outside);
    let (review, verdict, checked) =
        super::judge(repository, proposal_sides(fetched), &offer, &configuration, with, look)?;
    let people = hosted.conditions(repository, &configuration, &review, true)?;
    Ok(Verdict::of(verdict.conditions.into_iter().chain(people).chain(checked?).collect()))
}

fn request(args: &MergeArgs, repository: &Repository, fetched: &Fetched) -> Result<MergeRequest, Failure> {
    let (proposal, revision) = (&fetched.proposal, &fetched.revision);
    let message = match &args.message {
        Some(message) => message.clone(),
        None => message(args.kind(), repository, fetched)?,
    };
    Ok(MergeRequest {
        target: fetched.target.tip.to_string(),
        head: revision.head.clone(),
        kind: args.kind(),
        message,
        delete_branch: args.delete_branch || proposal.delete_branch,
    })
}

/// Title, description, the tickets, and for one commit of all what the commits were and who wrote them.
fn message(kind: MergeKind, repository: &Repository, fetched: &Fetched) -> Result<String, Failure> {
    let (proposal, revision) = (&fetched.proposal, &fetched.revision);
    let mut message = format!("{} (proposal {})", proposal.title, proposal.number);
    if !proposal.description.trim().is_empty() {
        _ = write!(message, "\n\n{}", proposal.description.trim());
    }
    let mut trailers: Vec<String> = proposal.tickets.iter().map(|ticket| format!("Closes: {}", ticket.name)).collect();
    if kind == MergeKind::Squash {
        let commits = repository.commits(&revision.base, &revision.head)?;
        if commits.len() > 1 {
            let list = commits.iter().map(|c| format!("- {}", c.subject())).collect::<Vec<_>>().join("\n");
            if !proposal.description.contains(&list) {
                _ = write!(message, "\n\n{list}");
            }
        }
        for commit in &commits {
            let trailer = format!("Written-by: {}", commit.author);
            if !trailers.contains(&trailer) {
                trailers.push(trailer);
            }
        }
    }
    if !trailers.is_empty() {
        _ = write!(message, "\n\n{}", trailers.join("\n"));
    }
    Ok(message)
}

fn conditions(verdict: &Verdict, all: bool) -> String {
    let paint = Paint;
    let shown = verdict.conditions.iter().filter(|c| all || c.result != Outcome::Pass);
    let line = |c: &swage_core::gate::Condition| {
        let word = match c.result {
            Outcome::Pass => paint.good("pass      "),
            Outcome::Fail => paint.error("fail      "),
            Outcome::Incomplete => paint.warning("incomplete"),
        };
        format!("  {word} {}: {}\n", printable(&c.name), printable(&c.reason))
    };
    shown.map(line).collect()
}

fn refused(proposal: &Proposal, verdict: &Verdict) -> String {
    let head = format!("Proposal {}, {}: not merged.\n", proposal.number, printable(&proposal.title));
    head + &conditions(verdict, false)
}

fn planned(fetched: &Fetched, request: &MergeRequest, verdict: &Verdict) -> String {
    let p = &fetched.proposal;
    let mut out = format!("Proposal {}, {}: it would be merged.\n", p.number, printable(&p.title));
    out += &conditions(verdict, true);
    let (head, target) = (&request.head[..10], &request.target[..10]);
    _ = writeln!(out, "\n{} of {head} into {} ({target}):\n", request.kind.word(), p.target);
    if request.kind != MergeKind::FastForward {
        request.message.lines().for_each(|line| _ = writeln!(out, "{}", format!("    {}", printable(line)).trim_end()));
    }
    out.push('\n');
    if request.delete_branch {
        _ = writeln!(out, "The branch {} would be taken away.", p.branch);
    }
    for ticket in p.tickets.iter().filter(|ticket| ticket.open) {
        _ = writeln!(out, "The ticket {} would be closed.", ticket.name);
    }
    out
}

fn done(merged: &Proposal) -> String {
    let mut out = String::new();
    let how = merged.merged.as_ref().map_or(String::new(), |m| format!(" as {} ({})", &m.commit[..10], m.kind.word()));
    _ = writeln!(out, "Merged proposal {}, {}, into {}{how}.", merged.number, printable(&merged.title), merged.target);
    for ticket in &merged.tickets {
        _ = writeln!(out, "Closed the ticket {}.", ticket.name);
    }
    out
}

/// Merges all that pass, each decided on what those before it give.
fn queue(args: &MergeArgs, workspace: &Workspace, hosting: &Hosting) -> Result<ExitCode, Failure> {
    let mut rows = hosting.client.inbox("open").map_err(failed)?;
    rows.sort_by_key(|row| row.number);
    let (mut merged, mut left) = (0, 0);
    for row in rows {
        let proposal = hosting.client.proposal(row.number).map_err(failed)?;
        if proposal.repository != hosting.repository {
            continue;
        }
        let outcome = merge(args, workspace, hosting, row.number)?;
        print_text(&outcome.text)?;
        if outcome.result == Outcome::Pass { merged += 1 } else { left += 1 }
    }
    let verb = if args.dry_run { "would be merged" } else { "merged" };
    print_text(&format!("{} {verb}, {left} left.\n", count(merged, "proposal")))?;
    Ok(if left == 0 { ExitCode::SUCCESS } else { ExitCode::from(SAYS_NO) })
}

/// Offers a proposal that takes a merge back: the tree before it, with what came later kept.
fn undo(workspace: &Workspace, hosting: &Hosting, number: u64) -> Result<ExitCode, Failure> {
    let repository = workspace.repository()?;
    let fetched = hosting.fetch(workspace, number)?;
    let proposal = &fetched.proposal;
    let merged = proposal.merged.as_ref().ok_or_else(|| {
        Failure::wrong(format!("proposal {number} hasn't been merged")).hint("`swage close` closes one that is open.")
    })?;
    let commit = undoing(repository, &fetched, &merged.commit, &merged.before)?;
    let me = hosting.client.me().map_err(failed)?;
    let own = if me.role == Role::Contributor { format!("{}/", me.name) } else { String::new() };
    let branch = format!("{own}undo-{number}");
    hosting.push(repository, &hosting.repository, (&commit, &branch), None)?;
    let new = NewProposal {
        repository: hosting.repository.clone(),
        target: proposal.target.clone(),
        branch,
        title: format!("Undo: {}", proposal.title),
        description: format!("Takes proposal {number} back, merged as {}.", merged.commit),
        delete_branch: true,
        ..NewProposal::default()
    };
    let offered = hosting.client.propose(&new).map_err(failed)?;
    for ticket in proposal.tickets.iter() {
        // The ticket is to be done again.
        let names = vec![ticket.name.clone()];
        _ = hosting.client.edit(offered.number, &Edited { tickets: Some(names), ..Edited::default() });
    }
    let text = format!("Proposal {} takes proposal {number} back.\n{}\n", offered.number, hosting.page(offered.number));
    print_text(&text)?;
    Ok(ExitCode::SUCCESS)
}

/// A commit on the target that takes a merge back: a merge of what was before it, with the merge as the common ancestor.
fn undoing(repository: &Repository, fetched: &Fetched, merge: &str, before: &str) -> Result<String, Failure> {
    let me = repository.author().unwrap_or_else(|| "swage <swage@localhost>".to_owned());
    let (name, mail) = me.split_once(" <").unwrap_or((&me, ""));
    let who = Signature { name: name.to_owned(), mail: mail.trim_end_matches('>').to_owned(), at: now() };
    let undone = repository.merged_tree_from(merge, &fetched.target.tip, before)?;
    if !undone.conflicts.is_empty() {
        let paths = undone.conflicts.join(", ");
        return Err(Failure::unfinished(format!("what came later conflicts with taking it back, in {paths}"))
            .hint("Take it back by hand on a branch, and offer that."));
    }
    let message = format!("Undo: {}\n\nTakes {merge} back.", fetched.proposal.title);
    let parents = [fetched.target.tip.as_str()];
    let new = NewCommit { tree: &undone.tree, parents: &parents, message: &message, author: &who, committer: &who };
    Ok(repository.write_commit(&new)?)
}
