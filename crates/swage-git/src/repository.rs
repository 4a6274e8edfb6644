//! A repository: finding it, its revisions, and the files of its commits.

use std::collections::BTreeSet;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use bstr::ByteSlice;
use gix::ObjectId;
use swage_core::change::{Commit, Content, Nature, Tree, TreeFile};
use swage_core::config::FileReader;
use swage_core::ids::CommitId;

use crate::GitError;
use crate::command::{git, run};

/// A git repository, usable from any thread.
pub struct Repository {
    pub(crate) inner: gix::ThreadSafeRepository,
    pub(crate) workdir: Option<PathBuf>,
    /// Notes on names that name several things.
    pub(crate) ambiguous: Mutex<BTreeSet<String>>,
}

pub(crate) fn unreadable(error: impl std::fmt::Display) -> GitError {
    GitError::Unreadable(error.to_string())
}

/// Lets git judge a folder: whether there is a repository, whether its configuration can be read, and whether git's own
/// configuration lets in one that somebody else owns.
fn check(folder: &Path) -> Result<(), GitError> {
    let mut command = git(folder);
    command.args(["rev-parse", "--git-dir"]);
    match run(command, "rev-parse", &[0]) {
        Ok(_) => Ok(()),
        Err(GitError::Failed { message, .. }) if message.contains("not a git repository") => {
            let damaged = folder.ancestors().find(|around| around.join(".git").symlink_metadata().is_ok());
            Err(damaged.map_or_else(
                || GitError::NoRepository(folder.display().to_string()),
                |around| GitError::NotTaken(around.display().to_string()),
            ))
        }
        Err(GitError::Failed { message, .. }) if message.contains("dubious ownership") => {
            // git names the folder in its own advice, which is the last line.
            let advice = message.rsplit("; ").next().map(|line| line.trim().to_owned()).unwrap_or_default();
            Err(GitError::ForeignOwner { folder: folder.display().to_string(), advice })
        }
        Err(GitError::Failed { message, .. }) => Err(unreadable(message)),
        Err(error) => Err(error),
    }
}

/// Since when a line is there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LineSince {
    /// The commit that introduced it.
    pub commit: String,
    /// Who wrote that.
    pub author: String,
    /// When, in seconds since 1970-01-01 UTC.
    pub at: i64,
    /// The first line of its message.
    pub subject: String,
    /// The file in which it came.
    pub path: String,
}

impl Repository {
    /// Finds the repository that a folder is in: a checkout, a linked worktree or a bare one.
    ///
    /// # Errors
    /// When there is none, or it can't be opened, or git refuses it because it belongs to somebody else.
    pub fn discover(folder: &Path) -> Result<Self, GitError> {
        let inner = match gix::ThreadSafeRepository::discover_with_environment_overrides(folder) {
            Ok(inner) => inner,
            Err(error) => {
                check(folder)?;
                return Err(unreadable(error));
            }
        };
        if inner.to_thread_local().git_dir_trust() != gix::sec::Trust::Full {
            check(folder)?;
        }
        let workdir = inner.to_thread_local().workdir().map(|w| w.canonicalize().unwrap_or_else(|_| w.to_owned()));
        Ok(Self { inner, workdir, ambiguous: Mutex::default() })
    }

    /// The root of the working tree, when there is one.
    pub fn workdir(&self) -> Option<&Path> {
        self.workdir.as_deref()
    }

    /// The folder that all worktrees share: where objects, refs and hooks are.
    pub fn common_dir(&self) -> PathBuf {
        let dir = self.inner.to_thread_local().common_dir().to_owned();
        dir.canonicalize().unwrap_or(dir)
    }

    /// A git command at the root of the repository.
    pub fn git(&self) -> std::process::Command {
        git(self.workdir().unwrap_or(&self.common_dir()))
    }

    /// The commit id of a revision. A name means a branch first, whatever tags there are.
    ///
    /// # Errors
    /// When it names no commit, or that can't be read.
    pub fn commit(&self, revision: &str) -> Result<CommitId, GitError> {
        let repo = self.inner.to_thread_local();
        let bad = || GitError::BadRevision(revision.to_owned());
        let (name, rest) = revision.split_at(revision.find(['^', '~', '@', ':']).unwrap_or(revision.len()));
        let is_branch = !name.is_empty() && name != "HEAD" && self.has_ref(&format!("refs/heads/{name}"));
        if is_branch && self.has_ref(&format!("refs/tags/{name}")) {
            let note = format!("`{name}` names a branch and a tag; the branch is meant.");
            self.ambiguous.lock().unwrap_or_else(PoisonError::into_inner).insert(note);
        }
        // A branch is there, so its commits must be.
        let lost = |error: &dyn std::fmt::Display| {
            if is_branch && rest.is_empty() { unreadable(format!("the branch `{name}`: {error}")) } else { bad() }
        };
        let whole = if is_branch { format!("refs/heads/{name}{rest}") } else { revision.to_owned() };
        let id = repo.rev_parse_single(whole.as_bytes().as_bstr()).map_err(|e| lost(&e))?;
        let commit = id.object().map_err(|e| lost(&e))?;
        let commit = commit.peel_to_kind(gix::object::Kind::Commit).map_err(|e| lost(&e))?;
        Ok(commit.id.to_string().into())
    }

    fn has_ref(&self, name: &str) -> bool {
        self.inner.to_thread_local().try_find_reference(name).is_ok_and(|found| found.is_some())
    }

    /// What a reader should know of the names that were used so far: those that name a tag, too.
    pub fn ambiguous_names(&self) -> Vec<String> {
        self.ambiguous.lock().unwrap_or_else(PoisonError::into_inner).iter().cloned().collect()
    }

    /// A file of the commit with this id, which may be shortened; `None` when the commit has none of that path.
    ///
    /// # Errors
    /// What to show the user when there is no such commit, or the file can't be read.
    pub fn file_at(&self, id: &str, path: &str) -> Result<Option<Vec<u8>>, String> {
        // A branch may be called like the beginning of an id.
        let commit = self.commit(id).ok().filter(|found| found.starts_with(&id.to_ascii_lowercase()));
        let commit = commit.ok_or_else(|| format!("git:{path}@{id}: there is no such commit here"))?;
        match self.blob_at(&commit, path.as_bytes()) {
            Content::Whole { bytes, .. } => Ok(Some(bytes)),
            Content::Unavailable(why) => Err(format!("git:{path}@{id}: {why}")),
            Content::Absent | Content::Partial { .. } => Ok(None),
        }
    }

    /// The commit id of HEAD; `None` before the first commit.
    ///
    /// # Errors
    /// When it names a commit that can't be read.
    pub fn head(&self) -> Result<Option<CommitId>, GitError> {
        let repo = self.inner.to_thread_local();
        if repo.head().map_err(unreadable)?.is_unborn() {
            return Ok(None);
        }
        self.commit("HEAD").map(Some).map_err(|_| unreadable("HEAD names a commit that isn't there or is damaged"))
    }

    /// Who writes commits here, as `Name <address>`; `None` when nobody has said so.
    pub fn author(&self) -> Option<String> {
        let mut command = self.git();
        command.args(["var", "GIT_AUTHOR_IDENT"]);
        let (out, _) = run(command, "var", &[0]).ok()?;
        let ident = String::from_utf8_lossy(&out);
        Some(ident[..ident.rfind('>')? + 1].to_owned())
    }

    /// The commit that introduced a line (1-based) of a file at HEAD, followed through renames and through moves within the file and
    /// between files; `None` when the file isn't there or the line isn't committed.
    pub fn line_since(&self, path: &str, line: u32) -> Option<LineSince> {
        let mut command = self.git();
        let range = format!("{line},{line}");
        command.args(["blame", "-M", "-C", "--porcelain", "-L", &range, "HEAD", "--", path]);
        let (out, _) = run(command, "blame", &[0]).ok()?;
        let text = String::from_utf8_lossy(&out);
        let field = |name: &str| {
            let value = text.lines().find_map(|l| l.strip_prefix(name)?.strip_prefix(' '));
            value.unwrap_or_default().to_owned()
        };
        let commit = text.split(' ').next().filter(|id| id.len() >= 40)?.to_owned();
        Some(LineSince {
            commit,
            author: field("author"),
            at: field("author-time").parse().ok()?,
            subject: field("summary"),
            path: field("filename"),
        })
    }

    /// The best common ancestor of two commits.
    ///
    /// # Errors
    /// When there is none, or the part of the history that holds it is missing.
    pub fn merge_base(&self, one: &str, two: &str) -> Result<CommitId, GitError> {
        let repo = self.inner.to_thread_local();
        let shallow = repo.is_shallow().unwrap_or(false);
        let none = || GitError::NoMergeBase { one: one.to_owned(), two: two.to_owned(), shallow };
        let (a, b) = (object_id(&self.commit(one)?)?, object_id(&self.commit(two)?)?);
        repo.merge_base(a, b).map_err(|_| none())?.map(|id| id.detach().to_string().into()).ok_or_else(none)
    }

    /// The commits between two, without merges, oldest first. Their bytes are read as they are: an author's name may hold
    /// whatever a commit can.
    ///
    /// # Errors
    /// When git fails, or a commit can't be read.
    pub fn commits(&self, base: &str, head: &str) -> Result<Vec<Commit>, GitError> {
        let mut list = self.git();
        list.args(["rev-list", "--no-merges", "--reverse", &format!("{base}..{head}"), "--"]);
        let (out, _) = run(list, "rev-list", &[0])?;
        let repo = self.inner.to_thread_local();
        let ids = out.split(|b| *b == b'\n').filter(|id| !id.is_empty());
        ids.map(|id| {
            let id = ObjectId::from_hex(id).map_err(unreadable)?;
            let object = repo.find_object(id).map_err(unreadable)?;
            Ok(read_commit(id, &object.data))
        })
        .collect()
    }

    /// How many files hold work that isn't committed, untracked ones included.
    ///
    /// # Errors
    /// When git fails.
    pub fn unsaved_files(&self) -> Result<usize, GitError> {
        if self.workdir.is_none() {
            return Ok(0);
        }
        let mut status = self.git();
        status.args(["status", "--porcelain", "-z", "--untracked-files=normal", "--no-renames"]);
        let (out, _) = run(status, "status", &[0])?;
        Ok(out.split(|b| *b == 0).filter(|entry| !entry.is_empty()).count())
    }

    /// The files of a commit or tree, in the order of their paths.
    ///
    /// # Errors
    /// When the commit's trees can't be read.
    pub fn files(&self, commit: &str) -> Result<CommitFiles<'_>, GitError> {
        let repo = self.inner.to_thread_local();
        let tree = repo
            .find_object(object_id(commit)?)
            .map_err(unreadable)?
            .peel_to_kind(gix::object::Kind::Tree)
            .map_err(unreadable)?
            .into_tree();
        let mut entries = tree.traverse().breadthfirst.files().map_err(unreadable)?;
        entries.sort_by(|a, b| a.filepath.cmp(&b.filepath));
        let files = entries.iter().filter(|e| !e.mode.is_tree()).map(|e| {
            let nature = match () {
                () if e.mode.is_commit() => Nature::Submodule,
                () if e.mode.is_link() => Nature::Symlink,
                () => Nature::Text,
            };
            (TreeFile { path: e.filepath.to_vec(), nature, executable: e.mode.is_executable() }, e.oid)
        });
        let (files, ids) = files.unzip();
        Ok(CommitFiles { repo: self, commit: commit.to_owned(), files, ids })
    }

    /// The id of the tree of a commit or tree that lies in the repository.
    pub(crate) fn tree_id(&self, treeish: &str) -> Option<String> {
        let repo = self.inner.to_thread_local();
        let object = repo.find_object(object_id(treeish).ok()?).ok()?;
        Some(object.peel_to_kind(gix::object::Kind::Tree).ok()?.id.to_string())
    }

    /// The blob at a path of a commit or tree.
    pub(crate) fn blob_at(&self, treeish: &str, path: &[u8]) -> Content {
        let find = || {
            let repo = self.inner.to_thread_local();
            let tree = repo
                .find_object(object_id(treeish)?)
                .map_err(unreadable)?
                .peel_to_kind(gix::object::Kind::Tree)
                .map_err(unreadable)?
                .into_tree();
            let entry = tree.lookup_entry_by_path(std::ffi::OsStr::from_bytes(path)).map_err(unreadable)?;
            Ok::<_, GitError>(entry.map(|e| e.object_id()))
        };
        match find() {
            Ok(Some(id)) => self.blob(id),
            Ok(None) => Content::Absent,
            Err(error) => Content::Unavailable(error.to_string()),
        }
    }

    /// The id that content has as a blob.
    pub(crate) fn blob_id(&self, content: &[u8]) -> Option<ObjectId> {
        let kind = self.inner.to_thread_local().object_hash();
        gix::objs::compute_hash(kind, gix::objs::Kind::Blob, content).ok()
    }

    /// A blob by its id.
    pub(crate) fn blob(&self, id: ObjectId) -> Content {
        thread_local! {
            // Opening a thread's own handle is costly next to reading a small blob.
            static LOCAL: std::cell::RefCell<Option<(PathBuf, gix::Repository)>> = const { std::cell::RefCell::new(None) };
        }
        LOCAL.with_borrow_mut(|slot| {
            let dir = self.inner.git_dir();
            if slot.as_ref().is_none_or(|(path, _)| path != dir) {
                *slot = Some((dir.to_owned(), self.inner.to_thread_local()));
            }
            let Some((_, repo)) = slot else { return Content::Absent };
            match repo.try_find_object(id) {
                Ok(Some(mut object)) => {
                    Content::Whole { id: Some(id.to_string()), bytes: std::mem::take(&mut object.data) }
                }
                Ok(None) => Content::Unavailable("its content isn't in this clone (shallow or partial)".to_owned()),
                Err(error) => Content::Unavailable(format!("its content can't be read: {error}")),
            }
        })
    }
}

pub(crate) fn object_id(hex: &str) -> Result<ObjectId, GitError> {
    ObjectId::from_hex(hex.as_bytes()).map_err(unreadable)
}

/// A commit from its object: header lines up to an empty one, then the message.
fn read_commit(id: ObjectId, object: &[u8]) -> Commit {
    let (headers, message) = object.split_once_str(b"\n\n").unwrap_or((object, b""));
    let header = |name: &str| headers.split(|b| *b == b'\n').find_map(|line| line.strip_prefix(name.as_bytes()));
    let encoding = header("encoding ").and_then(encoding_rs::Encoding::for_label);
    let text = |bytes: &[u8]| match encoding {
        Some(encoding) => encoding.decode_without_bom_handling(bytes).0.into_owned(),
        None => String::from_utf8_lossy(bytes).into_owned(),
    };
    let author = header("author ").unwrap_or_default();
    // The time comes after the address.
    let end = author.rfind_byte(b'>').map_or(author.len(), |at| at + 1);
    Commit { id: id.to_string().into(), author: text(&author[..end]), message: text(message) }
}

/// The files of a commit.
pub struct CommitFiles<'r> {
    repo: &'r Repository,
    /// The commit's id.
    pub commit: String,
    /// The files, in the order of their paths.
    pub files: Vec<TreeFile>,
    ids: Vec<ObjectId>,
}

impl Tree for CommitFiles<'_> {
    fn files(&self) -> &[TreeFile] {
        &self.files
    }

    fn id(&self, index: usize) -> Option<String> {
        Some(self.ids[index].to_string())
    }

    fn content(&self, index: usize) -> Content {
        self.repo.blob(self.ids[index])
    }
}

impl CommitFiles<'_> {
    /// The index of a path.
    pub fn find(&self, path: &[u8]) -> Option<usize> {
        self.files.binary_search_by(|f| f.path.as_slice().cmp(path)).ok()
    }
}

impl FileReader for CommitFiles<'_> {
    /// Paths that lead out of the repository are read beside its working tree: no change can touch them there.
    fn read(&self, path: &str) -> Result<Option<Vec<u8>>, String> {
        if path.starts_with("../") {
            let Some(root) = self.repo.workdir() else {
                return Err(format!("{path} lies outside the repository, and a bare one has no place beside it"));
            };
            return match std::fs::read(root.join(path)) {
                Ok(bytes) => Ok(Some(bytes)),
                Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(None),
                Err(e) => Err(format!("{path}: {e}")),
            };
        }
        let Some(index) = self.find(path.as_bytes()) else { return Ok(None) };
        match self.content(index) {
            _ if self.files[index].nature != Nature::Text => {
                Err(format!("{path} isn't a plain file in {}", self.commit))
            }
            Content::Whole { bytes, .. } => Ok(Some(bytes)),
            Content::Unavailable(why) => Err(format!("{path}: {why}")),
            Content::Absent | Content::Partial { .. } => Ok(None),
        }
    }

    fn read_at(&self, commit: &str, path: &str) -> Result<Option<Vec<u8>>, String> {
        self.repo.file_at(commit, path)
    }

    fn list(&self, folder: &str) -> Result<Vec<String>, String> {
        let prefix = format!("{folder}/");
        let names = self.files.iter().filter_map(|f| f.path.strip_prefix(prefix.as_bytes()));
        Ok(names.filter(|n| !n.contains(&b'/')).map(|n| n.to_str_lossy().into_owned()).collect())
    }
}
