//! From what was typed to a change with its contents.

use std::path::PathBuf;

use swage_core::change::{Change, Commit, Contents};
use swage_core::diff::{Diff, ReadOptions};
use swage_core::ids::CommitId;
use swage_git::{DiffSource, GitError, Head, Repository, Target};

use crate::cli::ChangeArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::{Fetched, Hosting};
use crate::patch::PatchChange;
use crate::patch_files::{Part, PatchFiles, is_empty};
use crate::target::find_target;

/// Where a command runs: in a repository, or in any folder.
pub struct Workspace {
    /// The repository, when there is one.
    pub repository: Option<Repository>,
    /// Where configuration is looked for.
    pub root: PathBuf,
}

impl Workspace {
    /// The repository around the current folder, else the folder itself.
    pub fn find() -> Result<Self, Failure> {
        let here = std::env::current_dir()
            .map_err(|e| Failure::unfinished(format!("the current folder can't be read: {e}")))?;
        let repository = match Repository::discover(&here) {
            Ok(repository) => Some(repository),
            Err(GitError::NoRepository(_) | GitError::NoGit(_)) => None,
            Err(error) => return Err(error.into()),
        };
        let root = repository.as_ref().and_then(|r| r.workdir()).unwrap_or(&here).to_owned();
        Ok(Self { repository, root })
    }

    /// The repository, or the reason why there must be one.
    pub fn repository(&self) -> Result<&Repository, Failure> {
        match &self.repository {
            Some(repository) => Ok(repository),
            None => Err(Repository::discover(&self.root)
                .err()
                .map_or_else(|| Failure::wrong("there is no git repository here"), Failure::from)),
        }
    }
}

/// A range as it was typed.
pub struct Range<'a> {
    /// Its left side; HEAD when it is left out.
    pub from: &'a str,
    /// Its right side; HEAD when it is left out.
    pub to: &'a str,
    /// Three dots: from where the right side left the left one.
    pub since_fork: bool,
}

impl<'a> Range<'a> {
    /// Reads `A..B` or `A...B`.
    pub fn parse(text: &'a str) -> Result<Self, Failure> {
        let (from, to, since_fork) = match (text.split_once("..."), text.split_once("..")) {
            (Some((from, to)), _) => (from, to, true),
            (None, Some((from, to))) => (from, to, false),
            (None, None) => {
                return Err(Failure::wrong(format!("`{text}` isn't a range of revisions")).hint(format!(
                    "Write {text}..HEAD for what came since it, or name the branch to enter with --target {text}."
                )));
            }
        };
        let side = |s: &'a str| if s.is_empty() { "HEAD" } else { s };
        Ok(Self { from: side(from), to: side(to), since_fork })
    }
}

/// The words with which a change is offered.
#[derive(Debug, Default)]
pub struct Offer {
    /// Its title.
    pub title: Option<String>,
    /// Its text.
    pub description: Option<String>,
}

impl Offer {
    /// What was typed.
    pub fn of(args: &ChangeArgs) -> Result<Self, Failure> {
        let read = |path: &PathBuf| {
            let bytes = std::fs::read(path).map_err(|e| Failure::unreadable("the description ", path, &e))?;
            Ok::<_, Failure>(String::from_utf8_lossy(&bytes).into_owned())
        };
        Ok(Self { title: args.title.clone(), description: args.description.as_ref().map(read).transpose()? })
    }

    /// The words of a proposal, where none were typed.
    pub fn take_from(&mut self, fetched: &Fetched) {
        self.title.get_or_insert_with(|| fetched.proposal.title.clone());
        self.description.get_or_insert_with(|| fetched.proposal.description.clone());
    }

    /// The change with its commits and with these words; a change of one commit is offered with its message.
    pub fn on(&self, change: Change, repository: &Repository, (base, head): (&str, Option<&str>)) -> Change {
        let commits = head.and_then(|head| repository.commits(base, head).ok());
        let only = commits.as_ref().and_then(|list| list.first().filter(|_| list.len() == 1));
        let title = self.title.clone().or_else(|| only.map(|c| c.subject().to_owned()));
        let body = only.map(|c| c.message.lines().skip(1).collect::<Vec<_>>().join("\n").trim().to_owned());
        Change { title, body: self.description.clone().or(body), commits, ..change }
    }
}

/// Finds the change in author mode and hands it, with its contents, to `use_it`; also what a reader should know.
/// Long because a change can be named in many ways.
pub fn with_change<R>(
    workspace: &Workspace,
    args: &ChangeArgs,
    configuration: &Configuration,
    use_it: impl FnOnce(Change, &dyn Contents) -> R,
) -> Result<(R, Vec<String>), Failure> {
    if !args.patch.is_empty() {
        return with_patch(&PatchFiles::read(&args.patch)?, args, configuration, use_it);
    }
    let repository = workspace.repository()?;
    let mut offer = Offer::of(args)?;
    let head = repository.head()?;
    let mut target: Option<Target> = None;
    let since_target = |target: &mut Option<Target>| -> Result<CommitId, Failure> {
        let found = find_target(repository, args.target.as_deref())?;
        let base = repository.fork_point(&found, "HEAD")?;
        *target = Some(found);
        Ok(base)
    };
    let (source, description) = if let Some(number) = args.proposal {
        let fetched = Hosting::find(workspace, args.host.as_deref())?.fetch(workspace, number)?;
        offer.take_from(&fetched);
        let Fetched { revision, target: of_host, .. } = fetched;
        let what = format!("proposal {number}, revision {}", revision.number);
        target = Some(of_host);
        (DiffSource::Commits { base: revision.base, head: revision.head }, what)
    } else if let Some(range) = &args.range {
        let range_of = Range::parse(range)?;
        let (from, to) = (repository.commit(range_of.from)?, repository.commit(range_of.to)?);
        let base = if range_of.since_fork { repository.merge_base(range_of.from, range_of.to)? } else { from };
        (DiffSource::Commits { base: base.to_string(), head: to.to_string() }, range.clone())
    } else if args.staged {
        (DiffSource::Index { base: head.clone() }, "what is staged".to_owned())
    } else if args.uncommitted || head.is_none() {
        (DiffSource::WorkingTree { base: head.clone() }, "what isn't committed".to_owned())
    } else if args.committed {
        let base = since_target(&mut target)?;
        (
            DiffSource::Commits { base: base.into(), head: head.clone().map(String::from).unwrap_or_default() },
            describe("what is committed since", target.as_ref()),
        )
    } else {
        let base = since_target(&mut target)?;
        (DiffSource::WorkingTree { base: Some(base) }, describe("all work since", target.as_ref()))
    };
    let unsaved_on = head;
    let (base, head) = match &source {
        DiffSource::Commits { base, head } => {
            (Some(CommitId::from(base.as_str())), Some(CommitId::from(head.as_str())))
        }
        DiffSource::WorkingTree { base } | DiffSource::Index { base } => (base.clone(), None),
    };
    let result = repository.diff(source)?.with(|change, contents| {
        // Unsaved work sits on the commits up to HEAD.
        let last = head.clone().or(unsaved_on);
        let change = match &base {
            Some(base) => offer.on(change, repository, (base, last.as_deref())),
            None => change,
        };
        let change = Change { base, head, target: target.map(|t| t.tip), description, ..change };
        use_it(change, contents)
    })?;
    Ok((result, Vec::new()))
}

fn describe(what: &str, target: Option<&Target>) -> String {
    target.map_or_else(|| what.to_owned(), |t| format!("{what} {} ({})", t.name, &t.tip[..t.tip.len().min(10)]))
}

/// Hands the change of diffs, which were read from files, to `use_it`; also what a reader should know.
pub fn with_patch<R>(
    files: &PatchFiles,
    args: &ChangeArgs,
    configuration: &Configuration,
    use_it: impl FnOnce(Change, &dyn Contents) -> R,
) -> Result<(R, Vec<String>), Failure> {
    let options = ReadOptions { strip: args.strip, max_bytes: configuration.config.limits.patch_size };
    let texts = files.texts();
    let diff = files.diff(&texts, &options, args.allow_empty)?;
    let parts = files.parts();
    let read: Vec<(&Part, Diff<'_>)> = parts.iter().map(|part| (part, part.diff(&options))).collect();
    let mut mails = read.iter().filter_map(|(part, diff)| Some((part.commit.as_ref()?, diff)));
    let cover = mails.next().filter(|(_, diff)| is_empty(diff) && mails.next().is_some());
    let cover = cover.map(|(commit, _)| commit.message.clone());
    let (parts, mut series): (Vec<&Part>, Vec<Diff<'_>>) = read.into_iter().filter(|(_, diff)| !is_empty(diff)).unzip();
    if series.len() < 2 {
        series.clear();
    }
    let mut patch = PatchChange::new(&diff, &series, args.tree.as_deref())?;
    let commits: Option<Vec<Commit>> = parts.iter().map(|part| part.commit.clone()).collect();
    let only = commits.as_ref().and_then(|all| all.first().filter(|_| all.len() == 1)).map(|c| c.message.clone());
    // What the cover letter of a series says is said of all of it.
    let offered = cover.or(only);
    let offered = offered.map(|text| match text.split_once('\n') {
        Some((title, body)) => (title.to_owned(), body.trim().to_owned()),
        None => (text, String::new()),
    });
    let (title, body) = offered.unzip();
    let offer = Offer::of(args)?;
    let change = Change {
        description: format!("the diff in {}", files.name()),
        title: offer.title.or(title),
        body: offer.description.or(body),
        commits: commits.filter(|all| !all.is_empty()),
        series: if series.is_empty() { Vec::new() } else { parts.iter().map(|part| part.subject.clone()).collect() },
        ..std::mem::take(&mut patch.change)
    };
    let mut notes = files.notes.clone();
    notes.append(&mut patch.notes);
    Ok((use_it(change, &patch), notes))
}

/// A proposal that wants to enter its target, and what it is called.
pub fn proposal_sides(fetched: &Fetched) -> (Target, Head, String) {
    let (target, revision) = (&fetched.target, &fetched.revision);
    let what = format!("proposal {}, revision {}", fetched.proposal.number, revision.number);
    let description = format!("{what} merged into {} ({})", target.name, &target.tip[..target.tip.len().min(10)]);
    (target.clone(), Head::Commit(revision.head.clone().into()), description)
}

/// What wants to enter the target, and the target, in gate mode. A range's left side is the target.
pub fn gate_sides(repository: &Repository, args: &ChangeArgs) -> Result<(Target, Head, String), Failure> {
    let (named, head, what) = if let Some(range) = &args.range {
        let range_of = Range::parse(range)?;
        (Some(range_of.from.to_owned()), Head::Commit(repository.commit(range_of.to)?), range_of.to.to_owned())
    } else if args.staged {
        (None, Head::Index, "what is staged".to_owned())
    } else if args.committed {
        (None, Head::Commit(repository.commit("HEAD")?), "HEAD".to_owned())
    } else {
        (None, Head::WorkingTree, "all work".to_owned())
    };
    let target = find_target(repository, args.target.clone().or(named).as_deref())?;
    let description = format!("{what} merged into {} ({})", target.name, &target.tip[..target.tip.len().min(10)]);
    Ok((target, head, description))
}
