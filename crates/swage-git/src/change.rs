//! From two states of a repository to a [`Change`] with its contents.

use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::process::Command;

use gix::ObjectId;
use swage_core::change::{Change, ChangedFile, Content, Contents, Tree};
use swage_core::diff::{Body, Diff, Direction, FileDiff, Kind, ReadOptions, apply, read};
use swage_core::ids::CommitId;
use swage_core::lang::Language;
use swage_core::scan::{decoded, is_binary};
use swage_core::sides::Sides;
use tempfile::TempDir;

use crate::GitError;
use crate::command::run;
use crate::folders::{FolderTree, read_regular};
use crate::repository::Repository;

/// The two states to compare.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DiffSource {
    /// Two commits or trees.
    Commits {
        /// Before.
        base: String,
        /// After.
        head: String,
    },
    /// A commit and the working tree with its untracked files; the empty tree before the first commit.
    WorkingTree {
        /// Before.
        base: Option<CommitId>,
    },
    /// A commit and the index.
    Index {
        /// Before.
        base: Option<CommitId>,
    },
}

impl DiffSource {
    /// The commit or tree before.
    pub fn base(&self) -> Option<&str> {
        match self {
            Self::Commits { base, .. } => Some(base),
            Self::WorkingTree { base } | Self::Index { base } => base.as_deref(),
        }
    }
}

/// Up to this many bytes, a file that is named like source code is compared line by line whatever it holds.
const SMALL: usize = 2 << 20;

/// A diff that git made, with what is needed to read the contents of both sides.
pub struct ReadChange<'r> {
    repo: &'r Repository,
    source: DiffSource,
    text: Vec<u8>,
    /// A second diff, of files that git's diff shows as binary although they hold text.
    forced: Vec<u8>,
    /// The commit or tree whose attributes count.
    attributes: String,
    /// Where objects are that aren't in the repository.
    pub(crate) objects: Option<PathBuf>,
}

impl Repository {
    /// Asks git for the diff between two states.
    ///
    /// # Errors
    /// When git fails, or the repository has no working tree and one is needed.
    pub fn diff(&self, source: DiffSource) -> Result<ReadChange<'_>, GitError> {
        let attributes = source.base().map_or_else(|| self.empty_tree(), str::to_owned);
        self.diff_with(source, attributes, None)
    }

    /// The same with the attributes of a commit or tree, and objects that aren't in the repository.
    pub(crate) fn diff_with(
        &self,
        source: DiffSource,
        attributes: String,
        objects: Option<PathBuf>,
    ) -> Result<ReadChange<'_>, GitError> {
        let mut change = ReadChange { repo: self, source, text: Vec::new(), forced: Vec::new(), attributes, objects };
        let index = match &change.source {
            DiffSource::WorkingTree { .. } => self.index_with_untracked()?,
            DiffSource::Commits { .. } | DiffSource::Index { .. } => None,
        };
        let index = index.as_ref().map(|dir| dir.path().join("index"));
        change.text = change.ask(index.as_deref(), &[])?;
        let hidden: Vec<Vec<u8>> = {
            let diff = read(&change.text, &ReadOptions::default())?;
            let contents = change.contents(files(diff));
            let hidden = (0..contents.files.len()).filter(|&index| contents.hides_text(index));
            hidden.flat_map(|i| [contents.files[i].old_path.to_vec(), contents.files[i].new_path.to_vec()]).collect()
        };
        if !hidden.is_empty() {
            change.forced = change.ask(index.as_deref(), &hidden)?;
        }
        Ok(change)
    }

    /// A copy of the index in which untracked files are as about to be added; `None` when there are none.
    fn index_with_untracked(&self) -> Result<Option<TempDir>, GitError> {
        if self.workdir().is_none() {
            return Err(GitError::Bare);
        }
        let mut list = self.git();
        list.args(["ls-files", "--others", "--exclude-standard", "-z", "--directory", "--no-empty-directory"]);
        if run(list, "ls-files", &[0])?.0.is_empty() {
            return Ok(None);
        }
        let dir = self.copy_index()?;
        let mut add = self.git();
        add.env("GIT_INDEX_FILE", dir.path().join("index")).args(["add", "--intent-to-add", "--", ":/"]);
        run(add, "add", &[0])?;
        Ok(Some(dir))
    }

    /// A copy of the index in a temporary folder.
    pub(crate) fn copy_index(&self) -> Result<TempDir, GitError> {
        let dir = tempfile::tempdir()?;
        let from = self.inner.to_thread_local().index_path();
        let to = dir.path().join("index");
        match std::fs::copy(&from, &to) {
            // A file that isn't older than the index may have been written after it in the same tick of the clock, so git
            // reads it again. A younger copy would keep it from doing so, and the change would be missed.
            Ok(_) => File::options().write(true).open(to)?.set_modified(from.metadata()?.modified()?)?,
            // Before the first commit there may be none.
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => {}
            Err(e) => return Err(e.into()),
        }
        Ok(dir)
    }

    /// The id of the tree without files.
    pub(crate) fn empty_tree(&self) -> String {
        ObjectId::empty_tree(self.inner.to_thread_local().object_hash()).to_string()
    }
}

impl ReadChange<'_> {
    fn ask(&self, index: Option<&Path>, only: &[Vec<u8>]) -> Result<Vec<u8>, GitError> {
        let mut command = self.repo.git();
        if let Some(index) = index {
            command.env("GIT_INDEX_FILE", index);
        }
        if let Some(objects) = &self.objects {
            with_objects(&mut command, self.repo, objects);
        }
        command.arg(format!("--attr-source={}", self.attributes)).args([
            "diff",
            "--no-color",
            "--no-ext-diff",
            "--no-textconv",
            "--full-index",
            "--find-renames=50%",
            "-l2000",
            "--unified=0",
        ]);
        command.args([
            "--inter-hunk-context=0",
            "--src-prefix=a/",
            "--dst-prefix=b/",
            "--submodule=short",
            "--ignore-submodules=dirty",
            "--no-relative",
        ]);
        command.args(["--diff-algorithm=myers", "--indent-heuristic"]);
        if !only.is_empty() {
            command.arg("--text");
        }
        let empty = self.repo.empty_tree();
        match &self.source {
            DiffSource::Commits { base, head } => command.args([base, head]),
            DiffSource::WorkingTree { base } => command.arg(base.as_deref().unwrap_or(&empty)),
            DiffSource::Index { base } => command.arg("--cached").arg(base.as_deref().unwrap_or(&empty)),
        };
        let only = only.iter().map(|path| OsString::from_vec([b":(top,literal)", &path[..]].concat()));
        command.arg("--").args(only);
        run(command, "diff", &[0]).map(|(out, _)| out)
    }

    /// Reads the diff and hands the change with its contents to `use_it`.
    ///
    /// # Errors
    /// When git's diff can't be read.
    pub fn with<R>(&self, use_it: impl FnOnce(Change, &dyn Contents) -> R) -> Result<R, GitError> {
        let diff = read(&self.text, &ReadOptions::default())?;
        let forced = read(&self.forced, &ReadOptions::default())?;
        let mut files = files(diff);
        let shown = self::files(forced);
        for file in &mut files {
            if let Some(text) = shown.iter().find(|f| f.new_path == file.new_path && f.old_path == file.old_path) {
                *file = text.clone();
            }
        }
        files.sort_by(|a, b| a.new_path.cmp(&b.new_path));
        let listed = files.iter().map(ChangedFile::of).collect();
        let tree = |commit: &String| self.repo.tree_id(commit).unwrap_or_else(|| commit.clone());
        let trees = match &self.source {
            DiffSource::Commits { base, head } => Some(Sides { old: tree(base), new: tree(head) }),
            DiffSource::WorkingTree { .. } | DiffSource::Index { .. } => None,
        };
        let change = Change { files: listed, trees, ..Default::default() };
        Ok(use_it(change, &self.contents(files)))
    }

    fn contents<'d>(&self, files: Vec<FileDiff<'d>>) -> GitContents<'_, 'd> {
        GitContents { repo: self.repo, source: &self.source, objects: self.objects.as_deref(), files }
    }
}

/// Lets a command read and write objects in a folder outside the repository.
pub(crate) fn with_objects(command: &mut Command, repo: &Repository, objects: &Path) {
    command
        .env("GIT_OBJECT_DIRECTORY", objects)
        .env("GIT_ALTERNATE_OBJECT_DIRECTORIES", repo.common_dir().join("objects"));
}

/// The files of a diff. A file that becomes a link shows as two: one that goes and one that comes.
fn files(diff: Diff<'_>) -> Vec<FileDiff<'_>> {
    diff.patches.into_iter().flat_map(|p| p.files).collect()
}

/// Old contents come from the repository, new ones are old ones with the hunks applied.
struct GitContents<'r, 'd> {
    repo: &'r Repository,
    source: &'r DiffSource,
    objects: Option<&'r Path>,
    files: Vec<FileDiff<'d>>,
}

impl Contents for GitContents<'_, '_> {
    fn sides(&self, index: usize) -> Sides<Content> {
        let file = &self.files[index];
        let id = |hex: &[u8]| ObjectId::from_hex(hex).ok().filter(|id| !id.is_null());
        let (old_id, new_id) = file.ids.map_or((None, None), |(old, new, _)| (id(old), id(new)));
        // Without an index line the content stays: a pure rename or a mode change.
        let old = match old_id {
            _ if file.kind == Kind::Added => Content::Absent,
            Some(id) => self.repo.blob(id),
            None => self.source.base().map_or(Content::Absent, |base| self.repo.blob_at(base, &file.old_path)),
        };
        let empty = Vec::new();
        let new = match (&old, &file.body) {
            _ if file.kind == Kind::Deleted => Content::Absent,
            (Content::Unavailable(why), _) => Content::Unavailable(why.clone()),
            (_, Body::Binary(_)) => self.after(file, new_id),
            (Content::Whole { .. }, Body::Unchanged) => old.clone(),
            (Content::Whole { bytes, .. }, _) => self.applied(bytes, file, new_id),
            _ => self.applied(&empty, file, new_id),
        };
        Sides { old, new }
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        let empty = self.repo.empty_tree();
        match self.repo.files(self.source.base().unwrap_or(&empty)) {
            Ok(files) => Ok(Box::new(files)),
            Err(_) if self.source.base().is_none() => Ok(Box::new(FolderTree::empty())),
            Err(error) => Err(format!("the tree before the change can't be read: {error}")),
        }
    }
}

impl GitContents<'_, '_> {
    /// Whether git shows a file as binary, by an attribute or by a rule of its own, that holds text on one side.
    fn hides_text(&self, index: usize) -> bool {
        let file = &self.files[index];
        if !matches!(file.body, Body::Binary(_)) || file.is_gitlink() {
            return false;
        }
        let Sides { old, new } = self.sides(index);
        let holds_text = |content: &Content| match content {
            Content::Whole { bytes, .. } => !is_binary(&decoded(bytes)),
            _ => false,
        };
        let named = Language::by_path(&file.new_path).is_some();
        let small = |content: &Content| match content {
            Content::Whole { bytes, .. } => bytes.len() <= SMALL,
            Content::Absent | Content::Partial { .. } | Content::Unavailable(_) => true,
        };
        holds_text(&old) || holds_text(&new) || named && small(&old) && small(&new)
    }

    /// The content after the change of a file whose diff shows no lines.
    fn after(&self, file: &FileDiff<'_>, id: Option<ObjectId>) -> Content {
        if let Some(id) = id {
            let blob = self.repo.blob(id);
            if !matches!(blob, Content::Unavailable(_)) {
                return blob;
            }
            if let Some(objects) = self.objects {
                let mut command = self.repo.git();
                with_objects(&mut command, self.repo, objects);
                command.args(["cat-file", "blob", &id.to_string()]);
                return match run(command, "cat-file", &[0]) {
                    Ok((bytes, _)) => Content::Whole { id: Some(id.to_string()), bytes },
                    Err(error) => Content::Unavailable(error.to_string()),
                };
            }
        }
        let DiffSource::WorkingTree { .. } = self.source else {
            return Content::Unavailable("git shows it as binary, and its content isn't in this clone".into());
        };
        let path = self.repo.workdir().map(|root| root.join(OsStr::from_bytes(&file.new_path)));
        match path.map(|path| read_regular(&path)) {
            Some(Ok(bytes)) => Content::Whole { id: self.repo.blob_id(&bytes).map(|id| id.to_string()), bytes },
            Some(Err(error)) => Content::Unavailable(format!("it can't be read: {error}")),
            None => Content::Unavailable("there is no working tree".into()),
        }
    }

    /// The old content with the hunks applied, under the name that git would give it.
    fn applied(&self, old: &[u8], file: &FileDiff<'_>, id: Option<ObjectId>) -> Content {
        match apply(old, file, Direction::Forward) {
            Ok(bytes) => {
                let id = id.or_else(|| self.repo.blob_id(&bytes));
                Content::Whole { id: id.map(|id| id.to_string()), bytes }
            }
            Err(error) => Content::Unavailable(format!("git's diff of it doesn't fit its old content: {error}")),
        }
    }
}
