//! A change between two folders, neither of which need be a repository.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

use swage_core::change::{Change, ChangedFile, Content, Contents, Nature, Tree, TreeFile};
use swage_core::diff::{Kind, ReadOptions, read};
use swage_core::scan::content_id;
use swage_core::sides::Sides;

use crate::GitError;
use crate::command::{git, run};
use crate::repository::Repository;

/// Lets git compare two folders and hands the change with its contents to `use_it`. What lies in a `.git` folder is left
/// out.
///
/// # Errors
/// When a folder can't be read, or git's diff can't.
pub fn between_folders<R>(
    old: &Path,
    new: &Path,
    use_it: impl FnOnce(Change, &dyn Contents) -> R,
) -> Result<R, GitError> {
    let (old, new) = (old.canonicalize()?, new.canonicalize()?);
    let mut command = git(Path::new("/"));
    command.args([
        "diff",
        "--no-index",
        "--no-prefix",
        "--full-index",
        "--find-renames",
        "--no-ext-diff",
        "--no-color",
    ]);
    command.args(["--no-textconv", "--unified=0", "--"]).args([&old, &new]);
    let (text, _) = run(command, "diff", &[0, 1])?;
    let diff = read(&text, &ReadOptions { strip: Some(0), max_bytes: None })?;
    let mut listed: Vec<ChangedFile> = diff.files().map(|file| relative(ChangedFile::of(file), &old, &new)).collect();
    listed.retain(|f| ![&f.old_path, &f.new_path].iter().any(|p| p.starts_with(b".git/")));
    listed.sort_by(|a, b| a.new_path.cmp(&b.new_path));
    let change = Change { files: listed.clone(), ..Default::default() };
    Ok(use_it(change, &Folders { old, new, files: listed }))
}

/// git names files by their whole paths.
fn relative(mut file: ChangedFile, old: &Path, new: &Path) -> ChangedFile {
    for path in [&mut file.old_path, &mut file.new_path] {
        // git leaves the first slash out.
        let whole = [b"/", path.strip_prefix(b"/").unwrap_or(path)].concat();
        let inside =
            [old, new].into_iter().find_map(|root| Path::new(OsStr::from_bytes(&whole)).strip_prefix(root).ok());
        if let Some(inside) = inside {
            *path = inside.as_os_str().as_bytes().to_vec();
        }
    }
    file
}

struct Folders {
    old: PathBuf,
    new: PathBuf,
    files: Vec<ChangedFile>,
}

impl Contents for Folders {
    fn sides(&self, index: usize) -> Sides<Content> {
        let file = &self.files[index];
        let content = |root: &Path, path: &[u8], gone: bool| {
            if gone {
                return Content::Absent;
            }
            match read_regular(&root.join(OsStr::from_bytes(path))) {
                Ok(bytes) => Content::Whole { id: Some(content_id(&bytes)), bytes },
                Err(error) => Content::Unavailable(format!("it can't be read: {error}")),
            }
        };
        Sides {
            old: content(&self.old, &file.old_path, file.kind == Kind::Added),
            new: content(&self.new, &file.new_path, file.kind == Kind::Deleted),
        }
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        Ok(Box::new(FolderTree::of(&self.old)?))
    }
}

/// Reads a file, or where a link leads; anything else, such as a pipe, which might never end, is refused.
///
/// # Errors
/// When there is no such file, it can't be read, or it is no regular file.
pub fn read_regular(path: &Path) -> std::io::Result<Vec<u8>> {
    let meta = path.symlink_metadata()?;
    if meta.is_symlink() {
        return Ok(std::fs::read_link(path)?.into_os_string().into_encoded_bytes());
    }
    if !meta.is_file() {
        return Err(std::io::Error::other("it is no regular file"));
    }
    std::fs::read(path)
}

/// The files below a folder, as they lie on disk.
pub struct FolderTree {
    root: PathBuf,
    files: Vec<TreeFile>,
}

impl FolderTree {
    /// Every file below a folder, without `.git`.
    ///
    /// # Errors
    /// What to show the user when a folder can't be read.
    pub fn of(root: &Path) -> Result<Self, String> {
        let mut paths = Vec::new();
        let mut open = vec![PathBuf::new()];
        while let Some(relative) = open.pop() {
            let full = root.join(&relative);
            let failed = |e: std::io::Error| format!("{} can't be read: {e}", full.display());
            for entry in std::fs::read_dir(&full).map_err(failed)? {
                let entry = entry.map_err(failed)?;
                let path = relative.join(entry.file_name());
                let kind = entry.file_type().map_err(failed)?;
                if kind.is_dir() && entry.file_name() != ".git" {
                    open.push(path);
                } else if !kind.is_dir() {
                    paths.push(path.as_os_str().as_bytes().to_vec());
                }
            }
        }
        Ok(Self::with(root, paths))
    }

    /// The files of a working tree that are tracked, or untracked and not ignored.
    ///
    /// # Errors
    /// When git fails.
    pub fn of_checkout(repository: &Repository) -> Result<Self, GitError> {
        let root = repository.workdir().ok_or(GitError::Bare)?.to_owned();
        let mut list = repository.git();
        list.args(["ls-files", "--cached", "--others", "--exclude-standard", "--deduplicate", "-z"]);
        let (out, _) = run(list, "ls-files", &[0])?;
        let paths = out.split(|b| *b == 0).filter(|p| !p.is_empty());
        Ok(Self::with(&root, paths.map(<[u8]>::to_vec).collect()))
    }

    /// No files at all.
    pub fn empty() -> Self {
        Self { root: PathBuf::new(), files: Vec::new() }
    }

    fn with(root: &Path, mut paths: Vec<Vec<u8>>) -> Self {
        paths.sort();
        let file = |path: Vec<u8>| {
            let meta = root.join(OsStr::from_bytes(&path)).symlink_metadata();
            let nature = match &meta {
                Ok(meta) if meta.is_symlink() => Nature::Symlink,
                Ok(meta) if meta.is_dir() => Nature::Submodule,
                _ => Nature::Text,
            };
            let executable = meta.is_ok_and(|m| m.is_file() && m.permissions().mode() & 0o111 != 0);
            TreeFile { path, nature, executable }
        };
        Self { root: root.to_owned(), files: paths.into_iter().map(file).collect() }
    }
}

impl Tree for FolderTree {
    fn files(&self) -> &[TreeFile] {
        &self.files
    }

    /// Only reading a file gives its content a name.
    fn id(&self, _: usize) -> Option<String> {
        None
    }

    fn content(&self, index: usize) -> Content {
        let file = &self.files[index];
        let path = self.root.join(OsStr::from_bytes(&file.path));
        match read_regular(&path) {
            Ok(bytes) => Content::Whole { id: Some(content_id(&bytes)), bytes },
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Content::Absent,
            Err(e) => Content::Unavailable(format!("it can't be read: {e}")),
        }
    }
}
