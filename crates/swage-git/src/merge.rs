//! What the target would look like after the merge, without touching a checkout.

use std::path::Path;

use tempfile::TempDir;

use crate::GitError;
use crate::bare::MergedTree;
use crate::change::{DiffSource, ReadChange, with_objects};
use crate::command::run;
use crate::repository::Repository;
use crate::target::Target;
use swage_core::ids::CommitId;

/// What wants to enter the target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Head {
    /// A commit.
    Commit(CommitId),
    /// The working tree with its untracked files.
    WorkingTree,
    /// The index.
    Index,
}

/// A merge that was computed and not made.
pub struct Merge<'r> {
    /// From the target to the merged tree; with conflicts, from the common ancestor to the head.
    pub change: ReadChange<'r>,
    /// Paths in conflict.
    pub conflicts: Vec<String>,
    /// The commit of the head; for unsaved work, the commit that it sits on.
    pub head: Option<CommitId>,
    /// Holds the objects of the merged tree as long as they are needed.
    _objects: TempDir,
}

impl Repository {
    /// Merges a head into the target in memory.
    ///
    /// # Errors
    /// When git fails, or the histories share nothing.
    pub fn merge(&self, target: &Target, head: &Head) -> Result<Merge<'_>, GitError> {
        let temporary = tempfile::tempdir()?;
        let objects = temporary.path().join("objects");
        std::fs::create_dir(&objects)?;
        let (commit, shown) = match head {
            Head::Commit(id) => (id.clone(), Some(id.clone())),
            Head::WorkingTree | Head::Index => (self.temporary_commit(head, target, &objects)?, self.head()?),
        };
        let base = match &shown {
            Some(id) => self.fork_point(target, id)?,
            None => {
                return Err(GitError::NoMergeBase {
                    one: target.name.clone(),
                    two: "unsaved work without a commit".into(),
                    shallow: false,
                });
            }
        };
        let mut merge = self.git();
        with_objects(&mut merge, self, &objects);
        merge.arg(format!("--attr-source={}", target.tip));
        merge.args(["merge-tree", "--write-tree", "--name-only", "-z", &target.tip, &commit]);
        let (out, code) = run(merge, "merge-tree", &[0, 1])?;
        let MergedTree { tree, conflicts } = MergedTree::read(&out, code);
        let source = match conflicts.as_slice() {
            [] => DiffSource::Commits { base: target.tip.to_string(), head: tree },
            _ => DiffSource::Commits { base: base.to_string(), head: commit.to_string() },
        };
        let change = self.diff_with(source, target.tip.to_string(), Some(objects))?;
        Ok(Merge { change, conflicts, head: shown, _objects: temporary })
    }

    /// A commit of unsaved work on top of HEAD, in a temporary object folder.
    fn temporary_commit(&self, head: &Head, target: &Target, objects: &Path) -> Result<CommitId, GitError> {
        if self.workdir().is_none() {
            return Err(GitError::Bare);
        }
        let index = self.copy_index()?;
        let command = || {
            let mut command = self.git();
            with_objects(&mut command, self, objects);
            command.env("GIT_INDEX_FILE", index.path().join("index"));
            for role in ["AUTHOR", "COMMITTER"] {
                command
                    .env(format!("GIT_{role}_NAME"), "swage")
                    .env(format!("GIT_{role}_EMAIL"), "swage@localhost")
                    .env(format!("GIT_{role}_DATE"), "2000-01-01T00:00:00Z");
            }
            command
        };
        if *head == Head::WorkingTree {
            let mut add = command();
            add.arg(format!("--attr-source={}", target.tip)).args(["add", "--all", "--", ":/"]);
            run(add, "add", &[0])?;
        }
        let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).trim().to_owned();
        let mut write = command();
        write.arg("write-tree");
        let tree = text(run(write, "write-tree", &[0])?.0);
        let mut commit = command();
        commit.args(["commit-tree", "-m", "unsaved work", &tree]);
        if let Some(parent) = self.head()? {
            commit.args(["-p", &parent]);
        }
        Ok(text(run(commit, "commit-tree", &[0])?.0).into())
    }
}
