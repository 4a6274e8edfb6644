//! `swage propose`: a branch is pushed to a review host and offered for merging.

use std::collections::BTreeSet;
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

use swage_core::change::Commit;
use swage_core::review::Fixes;
use swage_git::{DiffSource, Repository};
use swage_host::{
    Edited, HostError, InboxRow, Me, NewProposal, NewRepository, Proposal, ProposalState, Repository as HostRepository,
    Role,
};

use crate::checkers::Outside;
use crate::cli::{AnswerFormat, ProposeArgs};
use crate::commands::say::text_of;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::{Hosting, failed};
use crate::output::{for_people, print, to_json};
use crate::source::Workspace;
use crate::target::find_target;
use crate::terminal::{count, printable};

/// Most open proposals whose files are looked at.
const MOST_OTHERS: usize = 50;

pub fn run(args: &ProposeArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let hosting = Hosting::find(&workspace, args.host.host.as_deref())?;
    let client = &hosting.client;
    let me = client.me().map_err(failed)?;
    if !matches!(me.role, Role::Contributor | Role::Maintainer) {
        let who = format!("{} is a {} here, and contributors and maintainers propose", me.name, me.role.word());
        return Err(Failure::wrong(who).hint("Ask a maintainer of the host for another role."));
    }
    let head = repository.head()?.ok_or_else(|| Failure::wrong("there is no commit yet to offer"))?;
    let target = find_target(repository, args.target.as_deref())?;
    let target_name = target.name.strip_prefix("origin/").unwrap_or(&target.name).to_owned();
    let branch = branch_name(args, repository, &me)?;
    let source = args.source.clone().unwrap_or_else(|| hosting.repository.clone());
    if args.source.is_some() {
        copy_of_own(&hosting, &source, &me)?;
    }
    let open = offered(&hosting, &source, &branch, &target_name)?;
    push(args, &hosting, repository, &source, (&head, &branch), open.as_ref())?;
    let proposal = match &open {
        Some(open) => client.edit(open.number, &edits(args)?).map_err(failed)?,
        None => {
            let after = args.after.as_deref().map(|revision| repository.commit(revision)).transpose()?;
            let base = match &after {
                Some(after) => after.clone(),
                None => repository.fork_point(&target, &head)?,
            };
            let commits = repository.commits(&base, &head)?;
            let new = NewProposal {
                repository: hosting.repository.clone(),
                target: target_name,
                source: Some(source).filter(|name| *name != hosting.repository),
                branch: branch.clone(),
                after: after.map(String::from),
                title: title(args, &commits, &branch),
                description: description(args, &workspace, &commits, (&base, &head))?,
                draft: args.draft,
                reviewers: args.reviewer.clone(),
                labels: args.label.clone(),
                tickets: tickets(args, &hosting, &commits)?,
                due: args.due.clone(),
                delete_branch: args.delete_branch,
            };
            client.propose(&new).map_err(failed)?
        }
    };
    let text = match args.format {
        AnswerFormat::Json => to_json(&proposal),
        AnswerFormat::Human => for_people(&rendered(&hosting, &proposal, open.is_some())?),
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// The branch on the host: contributors have theirs in a shared repository below their name.
fn branch_name(args: &ProposeArgs, repository: &Repository, me: &Me) -> Result<String, Failure> {
    let local = || {
        repository.current_branch().ok_or_else(|| {
            Failure::wrong("no branch is checked out").hint("Name the branch on the host with --branch.")
        })
    };
    let name = args.branch.clone().map_or_else(local, Ok)?;
    let own = format!("{}/", me.name);
    let is_shared = args.source.is_none() && me.role == Role::Contributor;
    Ok(if is_shared && !name.starts_with(&own) { own + &name } else { name })
}

/// Makes a repository of one's own when it isn't there.
fn copy_of_own(hosting: &Hosting, name: &str, me: &Me) -> Result<(), Failure> {
    let there: Vec<HostRepository> = hosting.client.repositories().map_err(failed)?;
    match there.iter().find(|repository| repository.name == name) {
        Some(own) if own.owner.as_deref() == Some(&me.name) => Ok(()),
        Some(_) => {
            Err(Failure::wrong(format!("the repository {name} isn't yours")).hint("Choose another name with --source."))
        }
        None => {
            let copy_of = Some(hosting.repository.clone());
            let new = NewRepository { name: name.to_owned(), copy_of, protected: Vec::new() };
            hosting.client.make_repository(&new).map_err(failed).map(|_| ())
        }
    }
}

/// The open proposal of a branch.
fn offered(hosting: &Hosting, source: &str, branch: &str, target: &str) -> Result<Option<Proposal>, Failure> {
    let rows: Vec<InboxRow> = hosting.client.inbox("mine").map_err(failed)?;
    for row in rows.iter().filter(|row| row.state == ProposalState::Open) {
        let proposal = hosting.client.proposal(row.number).map_err(failed)?;
        let is_own = proposal.source == source && proposal.branch == branch;
        if is_own && proposal.target == target && proposal.repository == hosting.repository {
            return Ok(Some(proposal));
        }
    }
    Ok(None)
}

fn push(
    args: &ProposeArgs,
    hosting: &Hosting,
    repository: &Repository,
    source: &str,
    (head, branch): (&str, &str),
    open: Option<&Proposal>,
) -> Result<(), Failure> {
    let newest = open.and_then(Proposal::newest).map(|revision| revision.head.as_str());
    if newest == Some(head) {
        return Ok(());
    }
    // What was pushed before is replaced only on request, and only when it is what the user knows.
    let lease = newest.filter(|_| args.rewritten);
    hosting.push(repository, source, (head, branch), lease).map_err(|failure| {
        let rejected = failure.message().contains("non-fast-forward") || failure.message().contains("rejected");
        if rejected && !args.rewritten {
            failure.hint("When you have rewritten the commits that were pushed, give --rewritten; else fetch and merge them first.")
        } else {
            failure
        }
    })
}

fn title(args: &ProposeArgs, commits: &[Commit], branch: &str) -> String {
    let subject = || match commits {
        [only] => Some(only.subject().to_owned()),
        _ => None,
    };
    let of_branch = || {
        let words = branch.rsplit('/').next().unwrap_or(branch).replace(['-', '_'], " ");
        let mut chars = words.chars();
        chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).collect())
    };
    args.title.clone().or_else(subject).filter(|title| !title.trim().is_empty()).unwrap_or_else(of_branch)
}

fn description(
    args: &ProposeArgs,
    workspace: &Workspace,
    commits: &[Commit],
    (base, head): (&str, &str),
) -> Result<String, Failure> {
    if let Some(path) = &args.description {
        return read_description(path);
    }
    let body = |commit: &Commit| commit.message.lines().skip(1).collect::<Vec<_>>().join("\n").trim().to_owned();
    let mut text = match commits {
        [only] => body(only),
        _ => commits.iter().map(|commit| format!("- {}", commit.subject())).collect::<Vec<_>>().join("\n"),
    };
    if args.describe {
        if !text.is_empty() {
            text.push_str("\n\n");
        }
        text.push_str(&drafted(workspace, base, head)?);
    }
    Ok(text)
}

/// The description in a file, or on standard input.
fn read_description(path: &Path) -> Result<String, Failure> {
    if path.as_os_str() == "-" {
        return text_of("-");
    }
    std::fs::read_to_string(path).map_err(|e| Failure::unreadable("the description ", path, &e))
}

/// What the brief says of a change, in a few lines.
fn drafted(workspace: &Workspace, base: &str, head: &str) -> Result<String, Failure> {
    let repository = workspace.repository()?;
    let configuration = Configuration::of_folder(&workspace.root, None)?;
    let store = super::cache(Some(repository), false);
    let diff = repository.diff(DiffSource::Commits { base: base.to_owned(), head: head.to_owned() })?;
    let (base, head) = (Some(base.into()), Some(head.into()));
    diff.with(|change, contents| {
        let change = swage_core::change::Change { base, head, ..change };
        let outside = Outside::given(&[]);
        let review =
            super::examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::LeftAside)?;
        let background = swage_core::brief::Background::default();
        Ok(crate::output::brief::markdown::short(&swage_core::brief::brief(&change, contents, &review, &background)))
    })?
}

/// The tickets that are named, or that the commits name and the host knows.
fn tickets(args: &ProposeArgs, hosting: &Hosting, commits: &[Commit]) -> Result<Vec<String>, Failure> {
    if !args.ticket.is_empty() {
        return Ok(args.ticket.clone());
    }
    let is_part = |c: char| c.is_ascii_alphanumeric() || c == '-';
    let named: BTreeSet<&str> = commits
        .iter()
        .flat_map(|commit| commit.message.split(|c| !is_part(c)))
        .filter(|word| {
            word.rsplit_once('-').is_some_and(|(key, number)| {
                key.starts_with(|c: char| c.is_ascii_uppercase())
                    && key.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '-')
                    && !number.is_empty()
                    && number.chars().all(|c| c.is_ascii_digit())
            })
        })
        .collect();
    let mut known = Vec::new();
    for name in named {
        match hosting.client.ticket(name) {
            Ok(ticket) => known.push(ticket.name),
            Err(HostError::Refused { status: 404, .. }) => {}
            Err(error) => return Err(failed(error)),
        }
    }
    Ok(known)
}

/// What is changed about a proposal that is open already: what was typed.
fn edits(args: &ProposeArgs) -> Result<Edited, Failure> {
    let some = |list: &Vec<String>| Some(list.clone()).filter(|list| !list.is_empty());
    Ok(Edited {
        title: args.title.clone(),
        description: args.description.as_deref().map(read_description).transpose()?,
        target: None,
        draft: if args.ready { Some(false) } else { Some(true).filter(|_| args.draft) },
        reviewers: some(&args.reviewer),
        labels: some(&args.label),
        tickets: some(&args.ticket),
        due: args.due.clone(),
        open: None,
    })
}

fn rendered(hosting: &Hosting, proposal: &Proposal, was_open: bool) -> Result<String, Failure> {
    let mut out = String::new();
    let revision = proposal.newest().map_or(0, |revision| revision.number);
    let number = proposal.number;
    let what =
        if was_open { format!("Revision {revision} of proposal {number}") } else { format!("Proposal {number}") };
    _ = writeln!(out, "{what}: {}", printable(&proposal.title));
    if let Some(revision) = proposal.newest() {
        let size = format!("{}, +{} -{}", count(revision.files, "file"), revision.added, revision.removed);
        _ = writeln!(out, "{}:{} into {} ({size})", proposal.source, proposal.branch, proposal.target);
    }
    for ticket in &proposal.tickets {
        _ = writeln!(out, "closes {}: {}", ticket.name, printable(&ticket.title));
    }
    for (other, title, shared) in others(hosting, proposal)? {
        _ = writeln!(out, "Proposal {other}, {}, touches {shared} of the same files.", printable(&title));
    }
    if proposal.reviewers.is_empty() && !was_open {
        _ = writeln!(out, "Nobody is asked to review it yet; `swage reviewers` suggests who could be.");
    }
    _ = writeln!(out, "{}", hosting.page(number));
    Ok(out)
}

/// Other open proposals that touch the same files: number, title and how many.
fn others(hosting: &Hosting, proposal: &Proposal) -> Result<Vec<(u64, String, usize)>, Failure> {
    let client = &hosting.client;
    let paths = |number: u64| -> Result<BTreeSet<String>, Failure> {
        let files = client.files(number).map_err(failed)?;
        Ok(files.into_iter().flat_map(|file| [file.path, file.old_path]).collect())
    };
    let own = paths(proposal.number)?;
    let rows = client.inbox("open").map_err(failed)?;
    let mut found = Vec::new();
    for row in rows.iter().filter(|row| row.number != proposal.number).take(MOST_OTHERS) {
        let shared = paths(row.number)?.intersection(&own).count();
        if shared > 0 {
            found.push((row.number, row.title.clone(), shared));
        }
    }
    Ok(found)
}
