//! What the host does: its memory and its repositories together.

use std::collections::HashMap;
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use swage_core::change::Change;
use swage_git::{GitError, NewCommit, Repository as GitRepository, Signature};

use crate::protocol::{
    Anchor, CodeLine, Edited, InboxRow, MergeKind, MergeRequest, NewProposal, NewRepository, NewThread, Person,
    Proposal, Repository, Role, Side, Thread, TouchedFile,
};
use crate::reading::Readings;
use crate::repositories::{Branches, Repositories, carried, measured};
use crate::storage::{Intent, OpenError, Pushed, Refusal, Storage, Which, now};

/// Lists look for pushes that nobody reported at most this often.
const LOOK_AGAIN: Duration = Duration::from_secs(2);

/// Why the host's folder can't be used.
#[derive(Debug, thiserror::Error)]
pub enum FolderError {
    /// Its files can't be written.
    #[error(transparent)]
    Io(#[from] std::io::Error),
    /// Its database can't be used.
    #[error("host.db: {0}")]
    Database(#[from] OpenError),
}

/// A host's folder.
pub struct Host {
    storage: Mutex<Storage>,
    /// Its repositories.
    pub repositories: Repositories,
    /// Held while revisions are recorded and merges are made: one after the other.
    moving: Mutex<Instant>,
    /// Changes that pages have shown.
    pub readings: Readings,
}

fn git(error: GitError) -> Refusal {
    if error.is_usage() { Refusal::Invalid(error.to_string()) } else { Refusal::Failed(error.to_string()) }
}

impl Host {
    /// Opens the folder, which is made when it isn't there, and finishes what was cut short.
    pub fn open(folder: &Path) -> Result<Self, FolderError> {
        let repositories = Repositories::open(folder.join("repositories"))?;
        let storage = Mutex::new(Storage::open(&folder.join("host.db"))?);
        let long_ago = Instant::now().checked_sub(LOOK_AGAIN).unwrap_or_else(Instant::now);
        let host = Self { storage, repositories, moving: Mutex::new(long_ago), readings: Readings::default() };
        if let Err(why) = host.recover() {
            tracing::error!(?why, "merges that were cut short can't be looked at");
        }
        Ok(host)
    }

    /// The memory, for one call.
    pub fn storage(&self) -> MutexGuard<'_, Storage> {
        self.storage.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Merges that were begun and not finished: the target's history shows whether it has moved.
    fn recover(&self) -> Result<(), Refusal> {
        let open = self.storage().open_merges()?;
        for intent in open {
            let proposal = self.storage().proposal(intent.proposal, &intent.by)?;
            let moved = self.repositories.get(&proposal.repository).ok().is_some_and(|repository| {
                let tip = repository.ref_commit(&format!("refs/heads/{}", proposal.target));
                tip.is_some_and(|tip| repository.is_ancestor(&intent.commit, &tip).unwrap_or(false))
            });
            if moved {
                self.storage().finish_merge(intent.proposal)?;
            } else {
                self.storage().drop_merge(intent.proposal)?;
            }
        }
        Ok(())
    }

    /// Makes a repository: a shared one, or a copy that only its owner pushes to.
    pub fn make_repository(&self, person: &Person, new: &NewRepository) -> Result<Repository, Refusal> {
        let owner = new.copy_of.as_ref().map(|_| person.name.clone());
        if owner.is_none() && person.role != Role::Maintainer {
            return Err(Refusal::Forbidden(
                "only maintainers make shared repositories; copy one for yourself".to_owned(),
            ));
        }
        let protected = match (&owner, new.protected.as_slice()) {
            (Some(_), _) => Vec::new(),
            (None, []) => vec!["main".to_owned()],
            (None, named) => named.to_vec(),
        };
        if let Some(other) = &new.copy_of {
            self.storage().repository(other)?;
        }
        let made = Repository { name: new.name.clone(), owner, copy_of: new.copy_of.clone(), protected };
        if self.repositories.path(&new.name).exists() {
            return Err(Refusal::Conflict(format!("there is a repository `{}` already", new.name)));
        }
        self.repositories.make(&new.name, new.copy_of.as_deref(), &made.protected).map_err(git)?;
        self.storage().add_repository(&made)?;
        Ok(made)
    }

    /// Opens a proposal; its number.
    pub fn propose(&self, person: &Person, new: &NewProposal) -> Result<u64, Refusal> {
        let source = new.source.as_ref().unwrap_or(&new.repository);
        for name in [&new.repository, source] {
            self.storage().repository(name)?;
        }
        let _one_at_a_time = self.moving();
        let branches = Branches { target: (&new.repository, &new.target), source: (source, &new.branch) };
        let word = random_word().map_err(|e| Refusal::Failed(e.to_string()))?;
        let keep = format!("refs/offers/{word}");
        let first = self.repositories.revision(&branches, &keep).map_err(git)?;
        let repository = self.repositories.get(&new.repository).map_err(git)?;
        let first = match &new.after {
            None if first.base == first.head => {
                let why = format!("{} holds nothing that {} doesn't have", new.branch, new.target);
                return Err(Refusal::Invalid(format!(
                    "{why}; name the commit before with `after` to have it reviewed"
                )));
            }
            None => first,
            Some(after) => {
                let after = repository.commit(after).map_err(git)?;
                if !repository.is_ancestor(&after, &first.head).map_err(git)? {
                    return Err(Refusal::Invalid(format!("{after} isn't in the history of {}", new.branch)));
                }
                measured(&repository, after.to_string(), first.head).map_err(git)?
            }
        };
        let number = self.storage().propose(&person.name, new, &first)?;
        let own = format!("refs/proposals/{number}/1");
        _ = repository.move_ref(&own, Some(&first.head), None, "a revision").map_err(git)?;
        _ = repository.move_ref(&keep, None, Some(&first.head), "kept elsewhere");
        Ok(number)
    }

    fn moving(&self) -> MutexGuard<'_, Instant> {
        self.moving.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Looks whether the branches of a repository's proposals, or of all, have moved.
    pub fn look_for_pushes(&self, repository: Option<&str>) -> Result<(), Refusal> {
        let mut last = self.moving();
        if repository.is_none() && last.elapsed() < LOOK_AGAIN {
            return Ok(());
        }
        let watched = self.storage().watched(repository)?;
        // The branches of a repository are read once, however many proposals it holds.
        let mut heads: HashMap<String, HashMap<String, String>> = HashMap::new();
        for pushed in watched {
            let branches = heads.entry(pushed.source.clone()).or_insert_with(|| {
                let list = self.repositories.get(&pushed.source).and_then(|repository| repository.branches());
                list.unwrap_or_default().into_iter().collect()
            });
            if branches.get(&pushed.branch).is_some_and(|head| *head != pushed.newest.head) {
                self.look_at(&pushed)?;
            }
        }
        *last = Instant::now();
        Ok(())
    }

    /// Notes a new revision when the branch of a proposal has moved.
    fn look_at(&self, pushed: &Pushed) -> Result<(), Refusal> {
        let Ok(source) = self.repositories.get(&pushed.source) else { return Ok(()) };
        let head = source.ref_commit(&format!("refs/heads/{}", pushed.branch));
        // A branch that went away leaves the proposal as it was.
        if head.is_none_or(|head| head == pushed.newest.head) {
            return Ok(());
        }
        let branches =
            Branches { target: (&pushed.repository, &pushed.target), source: (&pushed.source, &pushed.branch) };
        let number = pushed.newest.number + 1;
        let keep = format!("refs/proposals/{}/{number}", pushed.number);
        let new = match self.repositories.revision(&branches, &keep) {
            Ok(new) => new,
            Err(error) => {
                tracing::warn!(%error, proposal = pushed.number, "a push can't be read");
                return Ok(());
            }
        };
        let between = |old: &str, new: &str| self.repositories.change(&pushed.repository, old, new);
        let heads = between(&pushed.newest.head, &new.head).map_err(git)?;
        let bases = if pushed.newest.base == new.base {
            Change::default()
        } else {
            between(&pushed.newest.base, &new.base).map_err(git)?
        };
        let carry = |anchor: &Anchor| {
            let (change, commit) = match anchor.side {
                Side::Old => (&bases, &new.base),
                Side::New => (&heads, &new.head),
            };
            let anchor = carried(change, anchor)?;
            let code = self.repositories.code(&pushed.repository, commit, &anchor);
            Some((anchor, code))
        };
        self.storage().push(pushed.number, &new, pushed.newest.number, &carry)?;
        Ok(())
    }

    /// Looks whether one proposal's branch has moved.
    pub fn look(&self, number: u64) -> Result<(), Refusal> {
        let _one_at_a_time = self.moving();
        let pushed = self.storage().watched_proposal(number)?;
        pushed.map_or(Ok(()), |pushed| self.look_at(&pushed))
    }

    /// A proposal as somebody sees it.
    pub fn proposal(&self, number: u64, person: &str) -> Result<Proposal, Refusal> {
        self.look(number)?;
        let mut proposal = self.storage().proposal(number, person)?;
        let repository = self.repositories.get(&proposal.repository).map_err(git)?;
        proposal.target_tip = repository.ref_commit(&format!("refs/heads/{}", proposal.target));
        if let Some(verdict) = &mut proposal.verdict {
            verdict.holds &= Some(&verdict.target) == proposal.target_tip.as_ref();
        }
        Ok(proposal)
    }

    /// The files that the newest revision of a proposal changes.
    pub fn files(&self, number: u64, person: &str) -> Result<Vec<TouchedFile>, Refusal> {
        self.look(number)?;
        let proposal = self.storage().proposal(number, person)?;
        let Some(revision) = proposal.newest() else { return Ok(Vec::new()) };
        let change = self.repositories.change(&proposal.repository, &revision.base, &revision.head).map_err(git)?;
        let name = |path: &[u8]| String::from_utf8_lossy(path).into_owned();
        let touched = |file: &swage_core::change::ChangedFile| TouchedFile {
            path: name(&file.new_path),
            old_path: name(&file.old_path),
            kind: file.kind.word().to_owned(),
            added: file.added as u64,
            removed: file.removed as u64,
        };
        Ok(change.files.iter().map(touched).collect())
    }

    pub fn inbox(&self, person: &str, which: Which) -> Result<Vec<InboxRow>, Refusal> {
        self.look_for_pushes(None)?;
        self.storage().inbox(person, which)
    }

    pub fn threads(&self, number: u64, person: &str) -> Result<Vec<Thread>, Refusal> {
        self.look(number)?;
        self.storage().threads(number, person)
    }

    /// Opens a thread in a revision; its number.
    pub fn open_thread(&self, number: u64, person: &Person, new: &NewThread) -> Result<u64, Refusal> {
        self.look(number)?;
        let proposal = self.storage().proposal(number, &person.name)?;
        let asked = new.revision.or_else(|| proposal.newest().map(|r| r.number));
        let revision = proposal.revisions.iter().find(|r| Some(r.number) == asked);
        let revision = revision.ok_or_else(|| Refusal::Invalid(format!("proposal {number} has no such revision")))?;
        let mut code: Vec<CodeLine> = Vec::new();
        if let Some(anchor) = &new.anchor {
            let commit = if anchor.side == Side::Old { &revision.base } else { &revision.head };
            self.repositories.has_place(&proposal.repository, commit, anchor).map_err(Refusal::Invalid)?;
            code = self.repositories.code(&proposal.repository, commit, anchor);
        }
        self.storage().open_thread(number, person, new, &code)
    }

    pub fn edit(&self, number: u64, person: &Person, edited: &Edited) -> Result<bool, Refusal> {
        if let Some(target) = &edited.target {
            let proposal = self.storage().proposal(number, &person.name)?;
            let repository = self.repositories.get(&proposal.repository).map_err(git)?;
            if repository.ref_commit(&format!("refs/heads/{target}")).is_none() {
                return Err(Refusal::Invalid(format!("there is no branch `{target}` in {}", proposal.repository)));
            }
        }
        self.storage().edit(number, person, edited)
    }

    /// Merges a proposal, when its verdict is a pass for exactly these two commits: the target moves by compare-and-swap.
    pub fn merge(&self, number: u64, person: &Person, request: &MergeRequest) -> Result<(), Refusal> {
        self.look(number)?;
        let _one_at_a_time = self.moving();
        let proposal = self.storage().proposal(number, &person.name)?;
        let repository = self.repositories.get(&proposal.repository).map_err(git)?;
        let target = format!("refs/heads/{}", proposal.target);
        let moved = || {
            Refusal::Conflict(format!(
                "{} isn't at {} any more; judge the proposal again",
                proposal.target, request.target
            ))
        };
        if repository.ref_commit(&target).as_ref() != Some(&request.target) {
            return Err(moved());
        }
        let commit = merge_commit(&repository, person, &proposal, request)?;
        self.storage().intend(&Intent {
            proposal: number,
            before: request.target.clone(),
            head: request.head.clone(),
            commit: commit.clone(),
            kind: request.kind,
            delete_branch: request.delete_branch,
            by: person.name.clone(),
        })?;
        let why = format!("proposal {number}");
        if !repository.move_ref(&target, Some(&commit), Some(&request.target), &why).map_err(git)? {
            self.storage().drop_merge(number)?;
            return Err(moved());
        }
        self.storage().finish_merge(number)?;
        if request.delete_branch || proposal.delete_branch {
            let source = self.repositories.get(&proposal.source).map_err(git)?;
            // What was pushed in the meantime isn't lost.
            let branch = format!("refs/heads/{}", proposal.branch);
            if let Err(error) = source.move_ref(&branch, None, Some(&request.head), "merged") {
                tracing::warn!(%error, proposal = number, "the branch can't be taken away");
            }
        }
        Ok(())
    }
}

/// The commit to which the target would move.
fn merge_commit(
    repository: &GitRepository,
    person: &Person,
    proposal: &Proposal,
    request: &MergeRequest,
) -> Result<String, Refusal> {
    let follows = repository.is_ancestor(&request.target, &request.head).map_err(git)?;
    if request.kind == MergeKind::FastForward {
        return if follows {
            Ok(request.head.clone())
        } else {
            Err(Refusal::Conflict(format!("{} doesn't follow {}", proposal.branch, proposal.target)))
        };
    }
    let merged = repository.merged_tree(&request.target, &request.head).map_err(git)?;
    if !merged.conflicts.is_empty() {
        return Err(Refusal::Conflict(format!("merging conflicts in {}", merged.conflicts.join(", "))));
    }
    let own = Signature { name: person.name.clone(), mail: format!("{}@localhost", person.name), at: now() };
    let parents: &[&str] = match request.kind {
        MergeKind::Squash => &[&request.target],
        MergeKind::Merge | MergeKind::FastForward => &[&request.target, &request.head],
    };
    let message = if request.message.trim().is_empty() { &proposal.title } else { &request.message };
    let new = NewCommit { tree: &merged.tree, parents, message, author: &own, committer: &own };
    repository.write_commit(&new).map_err(git)
}

/// A word that nobody can guess.
///
/// # Errors
/// When the system gives no random numbers; nothing weaker takes their place.
pub fn random_word() -> std::io::Result<String> {
    let mut bytes = [0u8; 24];
    getrandom::fill(&mut bytes).map_err(|e| std::io::Error::other(e.to_string()))?;
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}
