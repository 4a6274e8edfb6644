//! The bare repositories that the host keeps.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

use swage_core::carry::{Carried, LinePlace, carry};
use swage_core::change::Change;
use swage_git::{DiffSource, GitError, Repository};

use crate::host::random_word;
use crate::protocol::{Anchor, CodeLine, Side};
use crate::storage::NewRevision;

/// The hook that refuses pushes; git runs it for every ref, however the push comes.
const UPDATE_HOOK: &str = include_str!("update-hook.sh");

/// Lines of code that are kept before and after those of an anchor.
const AROUND: u32 = 2;
/// Most lines of code that are kept with a thread.
const MOST_LINES: u32 = 40;
/// Most bytes of a line that are kept.
const MOST_LINE: usize = 400;

/// A folder of repositories.
pub struct Repositories {
    folder: PathBuf,
}

/// How a proposal's branch is found, and where it wants to go.
pub struct Branches<'a> {
    /// The repository that it wants to enter, and the branch there.
    pub target: (&'a str, &'a str),
    /// The repository that holds it, and the branch there.
    pub source: (&'a str, &'a str),
}

impl Repositories {
    /// The repositories in a folder, which is made when it isn't there.
    pub fn open(folder: PathBuf) -> std::io::Result<Self> {
        fs::create_dir_all(&folder)?;
        Ok(Self { folder: folder.canonicalize()? })
    }

    /// The folder with all of them.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Where a repository lies.
    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.join(format!("{name}.git"))
    }

    pub fn get(&self, name: &str) -> Result<Repository, GitError> {
        Repository::open_bare(&self.path(name))
    }

    /// Makes a repository: empty, or a copy of another. It appears whole or not at all.
    pub fn make(&self, name: &str, copy_of: Option<&str>, protected: &[String]) -> Result<(), GitError> {
        let temporary = tempfile_in(&self.folder)?;
        let inner = temporary.join("new.git");
        let made = (|| {
            let default = protected.first().map_or("main", String::as_str);
            let repository = Repository::init_bare(&inner, default)?;
            if let Some(other) = copy_of {
                repository.fetch_all(&self.path(other))?;
            }
            let settings = [
                ("receive.fsckObjects", "true"),
                ("receive.autogc", "false"),
                ("gc.auto", "0"),
                ("core.logAllRefUpdates", "always"),
                ("http.receivepack", "true"),
            ];
            for (key, value) in settings {
                repository.add_setting(key, value)?;
            }
            for branch in protected {
                repository.add_setting("swage.protected", branch)?;
            }
            let hook = inner.join("hooks").join("update");
            fs::create_dir_all(inner.join("hooks"))?;
            fs::write(&hook, UPDATE_HOOK)?;
            fs::set_permissions(&hook, fs::Permissions::from_mode(0o755))?;
            fs::rename(&inner, self.path(name))?;
            Ok(())
        })();
        _ = fs::remove_dir_all(&temporary);
        made
    }

    /// The state of a proposal's branch as a revision, kept under a ref of its own so that it stays whatever is pushed later.
    pub fn revision(&self, branches: &Branches<'_>, keep: &str) -> Result<NewRevision, GitError> {
        let (repository, target) = branches.target;
        let (source, branch) = branches.source;
        let target_repository = self.get(repository)?;
        let full = format!("refs/heads/{branch}");
        let head = if source == repository {
            let head = target_repository.ref_commit(&full).ok_or_else(|| GitError::BadRevision(branch.to_owned()))?;
            let before = target_repository.ref_commit(keep);
            target_repository.move_ref(keep, Some(&head), before.as_deref(), "a revision")?;
            head
        } else {
            target_repository.fetch_branch(&self.path(source), branch, keep)?
        };
        let tip = target_repository.ref_commit(&format!("refs/heads/{target}"));
        let tip = tip.ok_or_else(|| GitError::BadRevision(target.to_owned()))?;
        let base = target_repository.merge_base(&tip, &head)?;
        measured(&target_repository, base.to_string(), head)
    }

    /// What changes between two commits of a repository.
    pub fn change(&self, repository: &str, old: &str, new: &str) -> Result<Change, GitError> {
        let repository = self.get(repository)?;
        let source = DiffSource::Commits { base: old.to_owned(), head: new.to_owned() };
        repository.diff(source)?.with(|change, _| change)
    }

    /// The lines of an anchor in a commit, with a few around them.
    pub fn code(&self, repository: &str, commit: &str, anchor: &Anchor) -> Vec<CodeLine> {
        let (Some(first), Some(last)) = (anchor.start_line, anchor.end_line) else { return Vec::new() };
        let Ok(repository) = self.get(repository) else { return Vec::new() };
        let Ok(Some(bytes)) = repository.file_at(commit, &anchor.path) else { return Vec::new() };
        let text = String::from_utf8_lossy(&bytes);
        let from = first.saturating_sub(AROUND).max(1);
        let to = last.saturating_add(AROUND).min(from.saturating_add(MOST_LINES - 1));
        let lines = (1u32..).zip(text.lines()).filter(|(number, _)| (from..=to).contains(number));
        let marker = |number: u32| if (first..=last).contains(&number) { own_marker(anchor.side) } else { "same" };
        lines
            .map(|(number, line)| {
                let text = line.chars().take(MOST_LINE).collect();
                CodeLine { marker: marker(number).to_owned(), number, text }
            })
            .collect()
    }

    /// Whether an anchor is a place of a commit.
    pub fn has_place(&self, repository: &str, commit: &str, anchor: &Anchor) -> Result<(), String> {
        let repository = self.get(repository).map_err(|e| e.to_string())?;
        let found = repository.file_at(commit, &anchor.path)?;
        let bytes = found.ok_or_else(|| format!("{} isn't in the revision", anchor.path))?;
        let lines = String::from_utf8_lossy(&bytes).lines().count() as u32;
        match anchor.end_line {
            Some(line) if line > lines => Err(format!("{} has {lines} lines, and {line} isn't one", anchor.path)),
            _ => Ok(()),
        }
    }
}

/// The marker of an anchor's own lines; what isn't of the change is marked by the page.
fn own_marker(side: Side) -> &'static str {
    match side {
        Side::Old => "removed",
        Side::New => "added",
    }
}

/// The size of a change between two commits.
pub fn measured(repository: &Repository, base: String, head: String) -> Result<NewRevision, GitError> {
    let source = DiffSource::Commits { base: base.clone(), head: head.clone() };
    let (files, added, removed) = repository.diff(source)?.with(|change, _| {
        let sum = |of: fn(&swage_core::change::ChangedFile) -> usize| change.files.iter().map(of).sum::<usize>() as u64;
        (change.files.len() as u64, sum(|file| file.added), sum(|file| file.removed))
    })?;
    Ok(NewRevision { head, base, files, added, removed })
}

/// An anchor in the next revision; `None` when its lines are gone.
pub fn carried(change: &Change, anchor: &Anchor) -> Option<Anchor> {
    // A name that isn't UTF-8 comes encoded, and is the same as long as its file is.
    let place = LinePlace { path: anchor.path.clone().into_bytes(), lines: anchor.start_line.zip(anchor.end_line) };
    match carry(change, &place) {
        Carried::Same => Some(anchor.clone()),
        Carried::Outdated => None,
        Carried::Moved(place) => {
            let lines = place.lines;
            let path = String::from_utf8(place.path).ok()?;
            let (start_line, end_line) = (lines.map(|(first, _)| first), lines.map(|(_, last)| last));
            Some(Anchor { path, start_line, end_line, ..anchor.clone() })
        }
    }
}

/// An empty folder in another, with a name that nobody else uses.
fn tempfile_in(folder: &Path) -> std::io::Result<PathBuf> {
    let path = folder.join(format!(".new-{}", random_word()?));
    fs::create_dir(&path)?;
    Ok(path)
}
