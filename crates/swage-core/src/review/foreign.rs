//! Folders of generated and vendored files that the target has already: what a change adds there is of the same kind, while
//! such a folder that the change makes says nothing.

use std::collections::BTreeSet;
use std::sync::OnceLock;

use super::licences::{Grants, Licences, licences};
use crate::change::{Change, Contents};
use crate::diff::Kind;
use crate::rule::RuleSet;

/// Says whether the target has the folder of a file that is added.
pub(super) struct ForeignFolders<'a> {
    change: &'a Change,
    contents: &'a dyn Contents,
    rules: &'a RuleSet,
    /// Those that the target has, once something has been added to any.
    known: OnceLock<BTreeSet<&'a [u8]>>,
    /// What licences say, once they are asked for.
    licences: OnceLock<Licences>,
}

impl<'a> ForeignFolders<'a> {
    pub fn new(change: &'a Change, contents: &'a dyn Contents, rules: &'a RuleSet) -> Self {
        Self { change, contents, rules, known: OnceLock::new(), licences: OnceLock::new() }
    }

    /// Whether a path lies in one of them.
    pub fn hold(&self, path: &[u8]) -> bool {
        self.folder(path).is_some_and(|folder| self.known.get_or_init(|| self.known()).contains(folder))
    }

    /// Whether a folder around a path has a licence of others, or the file one that isn't the repository's.
    pub fn are_of_others(&self, path: &[u8], granted: Grants) -> bool {
        let licences = self.licences.get_or_init(|| licences(self.change, self.contents));
        licences.are_of_others(path) || licences.differ_from(granted)
    }

    /// The outermost folder around a path in which the usual names say that people don't write files like it; `None` when
    /// they don't, or say so of its own name alone.
    fn folder<'p>(&self, path: &'p [u8]) -> Option<&'p [u8]> {
        if !self.rules.is_generated(path) {
            return None;
        }
        let name = path.rsplit(|b| *b == b'/').next()?;
        // Where its own name says so everywhere, such as `quay.min.js`, the folder is asked with another one.
        let name = if self.rules.is_generated(name) { &b"quay"[..] } else { name };
        let mut folders = memchr::memchr_iter(b'/', path).map(|end| &path[..=end]);
        folders.find(|folder| self.rules.is_generated(&[folder, name].concat()))
    }

    fn known(&self) -> BTreeSet<&'a [u8]> {
        let added: BTreeSet<&[u8]> =
            self.change.files.iter().filter(|f| f.kind != Kind::Modified).map(|f| &f.new_path[..]).collect();
        let Ok(tree) = self.contents.tree() else { return BTreeSet::new() };
        let files = tree.files();
        let holds_older = |folder: &&[u8]| {
            let from = files.partition_point(|file| file.path[..] < **folder);
            let mut inside = files[from..].iter().take_while(|file| file.path.starts_with(folder));
            inside.any(|file| !added.contains(&file.path[..]))
        };
        let folders: BTreeSet<&'a [u8]> = self.change.files.iter().filter_map(|f| self.folder(&f.new_path)).collect();
        folders.into_iter().filter(holds_older).collect()
    }
}
