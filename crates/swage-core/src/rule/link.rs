//! Rules on facts of many files: what is collected, and what must or must not meet.

use super::paths::{PathSet, is_wanted};

/// What must hold between facts.
#[derive(Debug)]
pub struct Link {
    /// What is collected.
    pub collections: Vec<Collection>,
    /// The collection whose facts are judged, by index.
    pub each: usize,
    /// What is demanded of them.
    pub demand: Meeting,
    /// Collections whose facts excuse those that they meet.
    pub unless: Vec<usize>,
    /// The holes whose texts must be equal for two facts to meet.
    pub on: Vec<String>,
    /// What is kept of each fact: the texts of `on`, then others that the message names; `match` for the whole text.
    pub kept: Vec<String>,
    /// How far apart two facts may be.
    pub within: Within,
    /// Facts whose texts are in more files than this aren't judged.
    pub max_files: Option<u64>,
}

/// What is demanded of a fact.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meeting {
    /// There is one of that collection with the same texts.
    Must(usize),
    /// There is none.
    MustNot(usize),
    /// There is no other of its own collection.
    Unique,
}

/// Where two facts must both be to meet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Within {
    /// Anywhere.
    Tree,
    /// In the same folder.
    Directory,
    /// In the same file.
    File,
}

/// A named set of facts; the rule's ways with its index collect them.
#[derive(Debug)]
pub struct Collection {
    /// Its name in the rule.
    pub name: String,
    /// What is said of a fact that a finding also names.
    pub says: String,
    /// Only these paths; all when `None`.
    pub paths: Option<PathSet>,
    /// Never these paths.
    pub skip_paths: Option<PathSet>,
    /// How far apart its facts may be from those that they meet; as the link says when `None`.
    pub within: Option<Within>,
    /// Only facts that were there before the change and whose texts no fact has any more.
    pub removed: bool,
    /// Which file its facts are about: those of two collections that both say so meet only when both mean one of the
    /// same name.
    pub file: Option<FileOf>,
    /// The hole whose text is a name that the file may import: it becomes the name that it has where it comes from, and what
    /// it is imported from becomes the text that names the fact's file.
    pub imported: Option<String>,
    /// Its facts have no texts to compare: they excuse all that is about their file.
    pub of_file_only: bool,
}

/// What says which file a fact is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileOf {
    /// It is the one that the fact is in.
    Own,
    /// A text names it: the one of this index among what is kept of each fact. An empty one means the file that the fact is in.
    Kept(usize),
}

/// What is captured for the file from which a name is imported.
pub(crate) const IMPORTED_FROM: &str = "imported from";

/// The name by which code mentions a file with this path: the last part without its extension. Files that stand for
/// their folder have the folder's name.
pub(crate) fn own_name(path: &[u8]) -> &[u8] {
    parts_of_path(path).pop().unwrap_or(path)
}

/// The name of the file that a text means: a path, or a name of parts with dots or colons between.
pub(crate) fn meant_name(text: &[u8]) -> &[u8] {
    parts_of_text(text).pop().unwrap_or(text)
}

/// Whether a text may mean the file with this path, which has the name that the text mentions. The parts of the text
/// must be the last ones of the path. A name that isn't relative begins at the root or in a folder of sources there, so
/// that `dates` doesn't mean `quay/shared/dates.py`; one of three parts and more is the same wherever it lies.
pub(crate) fn may_mean(text: &[u8], path: &[u8]) -> bool {
    let (meant, own) = (parts_of_text(text), parts_of_path(path));
    let relative = text.starts_with(b".");
    own.ends_with(&meant) && (relative || text.contains(&b'/') || meant.len() > 2 || own.len() <= meant.len() + 1)
}

fn parts_of_path(path: &[u8]) -> Vec<&[u8]> {
    let mut parts: Vec<&[u8]> =
        path.split(|b| *b == b'/').filter(|p| !p.is_empty() && *p != b"." && *p != b"..").collect();
    if let Some(last) = parts.pop() {
        let stem = last.split(|b| *b == b'.').next().unwrap_or(last);
        if parts.is_empty() || ![&b"__init__"[..], b"index", b"mod"].contains(&stem) {
            parts.push(stem);
        }
    }
    parts
}

fn parts_of_text(text: &[u8]) -> Vec<&[u8]> {
    if text.contains(&b'/') {
        return parts_of_path(text);
    }
    text.split(|b| matches!(b, b'.' | b':')).filter(|part| !part.is_empty()).collect()
}

impl Link {
    /// Whether any collection takes facts from files with this path.
    pub fn wants_path(&self, path: &[u8]) -> bool {
        self.collections.iter().any(|c| c.wants_path(path))
    }
}

impl Collection {
    /// Whether it takes facts from files with this path.
    pub fn wants_path(&self, path: &[u8]) -> bool {
        is_wanted(path, self.paths.as_ref(), self.skip_paths.as_ref())
    }
}
