//! A proposed change: its files, and how to get their contents.

use std::collections::HashSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::diff::{Body, Diff, FileDiff, Kind, LineMap, Mode};
use crate::ids::CommitId;
use crate::sides::{Side, Sides};

/// The edits under review.
#[derive(Debug, Clone, Default)]
pub struct Change {
    /// Commit id of the base, when it is a commit.
    pub base: Option<CommitId>,
    /// Commit id of the head, when it is a commit.
    pub head: Option<CommitId>,
    /// Commit id of the target's tip, when there is a target.
    pub target: Option<CommitId>,
    /// Ids of the trees before and after it, when they are known.
    pub trees: Option<Sides<String>>,
    /// What the change is, for people: `main...quay-times`, `uncommitted work`.
    pub description: String,
    /// The files, in the order of their new paths.
    pub files: Vec<ChangedFile>,
    /// The title under which it is offered, when that is known.
    pub title: Option<String>,
    /// The text with which it is offered, when that is known.
    pub body: Option<String>,
    /// Its commits, without merges, oldest first; `None` when they aren't known.
    pub commits: Option<Vec<Commit>>,
    /// The subjects of its patches in order, when it came as a series of them.
    pub series: Vec<String>,
}

/// A commit of a change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Commit {
    /// Its id.
    pub id: CommitId,
    /// Who wrote it, as `Name <address>`.
    pub author: String,
    /// Its whole message.
    pub message: String,
}

impl Change {
    /// Whether a path of a tree is touched: it goes, comes or changes.
    pub fn touches(&self) -> impl Fn(&[u8]) -> bool + '_ {
        let leaves = |f: &ChangedFile| matches!(f.kind, Kind::Modified | Kind::Deleted | Kind::Renamed);
        let old = self.files.iter().filter(move |f| leaves(f)).map(|f| f.old_path.as_slice());
        let touched: HashSet<&[u8]> = old.chain(self.files.iter().map(|f| f.new_path.as_slice())).collect();
        move |path| touched.contains(path)
    }
}

impl Commit {
    /// The first line of its message.
    pub fn subject(&self) -> &str {
        self.message.lines().next().unwrap_or_default()
    }
}

/// A file of a change.
#[derive(Debug, Clone)]
pub struct ChangedFile {
    /// Path before; for an added file, its path.
    pub old_path: Vec<u8>,
    /// Path after; for a deleted file, its path.
    pub new_path: Vec<u8>,
    /// What happens to it.
    pub kind: Kind,
    /// What kind of thing it is.
    pub nature: Nature,
    /// Only its mode changes.
    pub mode_only: bool,
    /// Its mode changes, perhaps among other things.
    pub modes: Option<Sides<u32>>,
    /// Whether it may be run, before and after.
    pub executable: Sides<bool>,
    /// Where its lines went.
    pub map: LineMap,
    /// Added lines.
    pub added: usize,
    /// Removed lines.
    pub removed: usize,
}

impl ChangedFile {
    /// What a diff says of one file.
    pub fn of(file: &FileDiff<'_>) -> Self {
        let (added, removed) = file.line_counts();
        let symlink = file.new_mode.or(file.old_mode).is_some_and(|m| m.is_symlink());
        let nature = match &file.body {
            _ if file.is_gitlink() => Nature::Submodule,
            _ if symlink => Nature::Symlink,
            Body::Binary(_) => Nature::Binary,
            Body::Text(_) | Body::Unchanged => Nature::Text,
        };
        let runs = |mode: Option<Mode>| mode.is_some_and(|m| m.0 & 0o111 != 0 && m.0 & 0o170_000 == 0o100_000);
        let modes = file.old_mode.zip(file.new_mode).filter(|(old, new)| old != new);
        let modes = modes.map(|(old, new)| Sides { old: old.0, new: new.0 });
        Self {
            old_path: file.old_path.to_vec(),
            new_path: file.new_path.to_vec(),
            kind: file.kind,
            nature,
            mode_only: modes.is_some() && file.body == Body::Unchanged && file.kind == Kind::Modified,
            modes,
            executable: Sides {
                old: runs(file.old_mode.or(file.new_mode)),
                new: runs(file.new_mode.or(file.old_mode)),
            },
            map: if matches!(file.kind, Kind::Added | Kind::Deleted) || matches!(file.body, Body::Binary(_)) {
                LineMap::nothing()
            } else {
                LineMap::from_hunks(file.hunks())
            },
            added,
            removed,
        }
    }
}

impl ChangedFile {
    /// Its path on a side.
    pub fn path(&self, side: Side) -> &[u8] {
        match side {
            Side::Old => &self.old_path,
            Side::New => &self.new_path,
        }
    }
}

/// What kind of thing a path is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Nature {
    /// A file of lines.
    Text,
    /// A file whose diff shows no lines.
    Binary,
    /// A symbolic link.
    Symlink,
    /// A submodule.
    Submodule,
}

/// One side of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// The file isn't there on this side.
    Absent,
    /// All of it.
    Whole {
        /// The id of its blob, or only of itself, when it is known.
        id: Option<String>,
        /// The bytes.
        bytes: Vec<u8>,
    },
    /// Only the lines that a diff shows.
    Partial {
        /// The lines, each with an LF.
        bytes: Vec<u8>,
        /// Their numbers in the file, 1-based.
        numbers: Vec<u32>,
    },
    /// It can't be had; the reason.
    Unavailable(String),
}

/// Gives the contents of a change's files when they are needed, from any thread.
pub trait Contents: Sync {
    /// Both sides of the file with this index in [`Change::files`].
    fn sides(&self, index: usize) -> Sides<Content>;

    /// The tree that the change is made in, for rules that look beyond the changed files. Whether the files that it
    /// touches are in it before or after the change doesn't matter.
    ///
    /// # Errors
    /// Why it can't be had, and the remedy, for the user.
    fn tree(&self) -> Result<Box<dyn Tree + '_>, String>;

    /// The patches named in [`Change::series`].
    fn series(&self) -> &[Diff<'_>] {
        &[]
    }
}

/// A file of a tree.
#[derive(Debug, Clone)]
pub struct TreeFile {
    /// Its path.
    pub path: Vec<u8>,
    /// What kind of thing it is.
    pub nature: Nature,
    /// Whether it may be run.
    pub executable: bool,
}

/// All files of a state, and how to get their contents, from any thread.
pub trait Tree: Sync {
    /// The files in the order of their paths.
    fn files(&self) -> &[TreeFile];

    /// The name of a file's content, when it can be had without reading it.
    fn id(&self, index: usize) -> Option<String>;

    /// A file's content by its index.
    fn content(&self, index: usize) -> Content;
}

/// A tree without files.
#[derive(Debug, Clone, Copy)]
pub struct NoFiles;

impl Tree for NoFiles {
    fn files(&self) -> &[TreeFile] {
        &[]
    }

    fn id(&self, _: usize) -> Option<String> {
        None
    }

    fn content(&self, _: usize) -> Content {
        Content::Absent
    }
}
