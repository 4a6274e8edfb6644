//! Bare repositories that a host keeps: made, copied, fetched between, and their refs moved by compare-and-swap.

use std::ffi::OsStr;
use std::path::Path;
use std::process::Command;
use std::sync::Mutex;

use crate::GitError;
use crate::command::{git, run};
use crate::repository::{Repository, unreadable};

/// Who is named in a commit, and when.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Signature {
    /// The name.
    pub name: String,
    /// The mail address.
    pub mail: String,
    /// Seconds since 1970-01-01 UTC.
    pub at: i64,
}

impl Signature {
    fn put(&self, command: &mut Command, role: &str) {
        command
            .env(format!("GIT_{role}_NAME"), &self.name)
            .env(format!("GIT_{role}_EMAIL"), &self.mail)
            .env(format!("GIT_{role}_DATE"), format!("@{} +0000", self.at));
    }
}

/// A commit that is to be written.
#[derive(Debug, Clone)]
pub struct NewCommit<'a> {
    /// Its tree.
    pub tree: &'a str,
    /// Its parents, the first one first.
    pub parents: &'a [&'a str],
    /// Its message.
    pub message: &'a str,
    /// Who wrote it.
    pub author: &'a Signature,
    /// Who makes it.
    pub committer: &'a Signature,
}

/// What merging two commits gives.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MergedTree {
    /// The tree, which lies in the repository; with conflicts, one with markers in it.
    pub tree: String,
    /// Paths in conflict.
    pub conflicts: Vec<String>,
}

impl MergedTree {
    /// What `git merge-tree -z --name-only` says: the tree, and when it ended with 1, names in conflict until an empty part.
    pub(crate) fn read(out: &[u8], code: i32) -> Self {
        let mut parts = out.split(|b| *b == 0);
        let tree = text(parts.next().unwrap_or_default());
        let named = parts.take_while(|part| !part.is_empty()).map(|part| String::from_utf8_lossy(part).into_owned());
        Self { tree, conflicts: if code == 1 { named.collect() } else { Vec::new() } }
    }
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).trim().to_owned()
}

impl Repository {
    /// Opens the bare repository that lies at a path, and not one above it.
    ///
    /// # Errors
    /// When there is none.
    pub fn open_bare(path: &Path) -> Result<Self, GitError> {
        let inner = gix::ThreadSafeRepository::open(path).map_err(unreadable)?;
        Ok(Self { inner, workdir: None, ambiguous: Mutex::default() })
    }

    /// Makes an empty bare repository whose HEAD names a branch.
    ///
    /// # Errors
    /// When git fails.
    pub fn init_bare(path: &Path, branch: &str) -> Result<Self, GitError> {
        let mut init = git(path.parent().unwrap_or(Path::new(".")));
        init.args(["init", "--quiet", "--bare", "--template=", &format!("--initial-branch={branch}")]).arg(path);
        run(init, "init", &[0])?;
        Self::open_bare(path)
    }

    /// The commit that a ref with this full name points to; `None` when there is no such ref.
    pub fn ref_commit(&self, name: &str) -> Option<String> {
        let repo = self.inner.to_thread_local();
        let mut found = repo.try_find_reference(name).ok()??;
        Some(found.peel_to_id().ok()?.object().ok()?.peel_to_kind(gix::object::Kind::Commit).ok()?.id.to_string())
    }

    /// Moves a ref from one commit to another, or makes it (`old` is `None`), or takes it away (`new` is `None`). False when it
    /// isn't where `old` says; then nothing was done.
    ///
    /// # Errors
    /// When git fails for another reason.
    pub fn move_ref(&self, name: &str, new: Option<&str>, old: Option<&str>, why: &str) -> Result<bool, GitError> {
        let mut update = self.git();
        update.args(["update-ref", "--no-deref", "--create-reflog", "-m", why]);
        match new {
            Some(new) => update.args([name, new, old.unwrap_or_default()]),
            None => update.args(["-d", name, old.unwrap_or_default()]),
        };
        match run(update, "update-ref", &[0]) {
            Ok(_) => Ok(true),
            Err(_) if self.ref_commit(name).as_deref() != old => Ok(false),
            Err(error) => Err(error),
        }
    }

    /// Fetches a branch of another repository on this machine into a ref, and says at which commit it was.
    ///
    /// # Errors
    /// When git fails, such as when the other has no such branch.
    pub fn fetch_branch(&self, other: &Path, branch: &str, keep: &str) -> Result<String, GitError> {
        let mut fetch = self.git();
        fetch.args(["fetch", "--quiet", "--no-tags", "--no-write-fetch-head", "--no-auto-maintenance"]);
        fetch.arg(other).arg(format!("+refs/heads/{branch}:{keep}"));
        run(fetch, "fetch", &[0])?;
        self.ref_commit(keep).ok_or_else(|| GitError::BadRevision(branch.to_owned()))
    }

    /// Fetches all branches and tags of another repository on this machine.
    ///
    /// # Errors
    /// When git fails.
    pub fn fetch_all(&self, other: &Path) -> Result<(), GitError> {
        let mut fetch = self.git();
        fetch.args(["fetch", "--quiet", "--no-write-fetch-head", "--no-auto-maintenance"]);
        fetch.arg(other).args(["+refs/heads/*:refs/heads/*", "+refs/tags/*:refs/tags/*"]);
        run(fetch, "fetch", &[0]).map(|_| ())
    }

    /// The branches, with their commits, in the order of their names.
    ///
    /// # Errors
    /// When git fails.
    pub fn branches(&self) -> Result<Vec<(String, String)>, GitError> {
        let mut list = self.git();
        list.args(["for-each-ref", "--format=%(refname:lstrip=2) %(objectname)", "refs/heads"]);
        let (out, _) = run(list, "for-each-ref", &[0])?;
        let lines = String::from_utf8_lossy(&out).into_owned();
        Ok(lines
            .lines()
            .filter_map(|line| line.rsplit_once(' '))
            .map(|(n, id)| (n.to_owned(), id.to_owned()))
            .collect())
    }

    /// Whether a commit is in the history of another, or is that one.
    ///
    /// # Errors
    /// When git fails, such as when one of them isn't here.
    pub fn is_ancestor(&self, commit: &str, of: &str) -> Result<bool, GitError> {
        let mut ask = self.git();
        ask.args(["merge-base", "--is-ancestor", commit, of]);
        run(ask, "merge-base", &[0, 1]).map(|(_, code)| code == 0)
    }

    /// Whether a name can be that of a branch.
    pub fn is_branch_name(name: &str) -> bool {
        let mut check = git(Path::new("/"));
        check.args(["check-ref-format", &format!("refs/heads/{name}")]);
        !name.starts_with('-') && run(check, "check-ref-format", &[0]).is_ok()
    }

    /// Merges a head into a target, with the target's attributes, and writes the tree.
    ///
    /// # Errors
    /// When git fails, or the histories share nothing.
    pub fn merged_tree(&self, target: &str, head: &str) -> Result<MergedTree, GitError> {
        self.merged(target, head, &[])
    }

    /// The same with this commit as the common ancestor, whatever the histories say.
    ///
    /// # Errors
    /// When git fails.
    pub fn merged_tree_from(&self, ancestor: &str, target: &str, head: &str) -> Result<MergedTree, GitError> {
        self.merged(target, head, &[format!("--merge-base={ancestor}")])
    }

    fn merged(&self, target: &str, head: &str, more: &[String]) -> Result<MergedTree, GitError> {
        let mut merge = self.git();
        merge.arg(format!("--attr-source={target}"));
        merge.args(["merge-tree", "--write-tree", "--name-only", "--no-messages", "-z"]);
        merge.args(more).args([target, head]);
        run(merge, "merge-tree", &[0, 1]).map(|(out, code)| MergedTree::read(&out, code))
    }

    /// Writes a commit; its id.
    ///
    /// # Errors
    /// When git fails.
    pub fn write_commit(&self, new: &NewCommit<'_>) -> Result<String, GitError> {
        let mut commit = self.git();
        commit.args(["-c", "commit.gpgSign=false", "commit-tree", "-m", new.message]);
        new.parents.iter().for_each(|parent| _ = commit.args(["-p", parent]));
        commit.arg(new.tree);
        new.author.put(&mut commit, "AUTHOR");
        new.committer.put(&mut commit, "COMMITTER");
        run(commit, "commit-tree", &[0]).map(|(out, _)| text(&out))
    }

    /// The tree of a commit.
    ///
    /// # Errors
    /// When there is no such commit.
    pub fn tree_of(&self, commit: &str) -> Result<String, GitError> {
        self.tree_id(commit).ok_or_else(|| GitError::BadRevision(commit.to_owned()))
    }

    /// A value of the repository's own configuration is set, added to what is there.
    ///
    /// # Errors
    /// When git fails.
    pub fn add_setting(&self, key: &str, value: impl AsRef<OsStr>) -> Result<(), GitError> {
        let mut config = self.git();
        config.args(["config", "--local", "--add", key]).arg(value);
        run(config, "config", &[0]).map(|_| ())
    }
}
