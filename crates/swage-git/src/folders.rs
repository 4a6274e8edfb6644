//! A change between two folders, neither of which need be a repository.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use swage_core::change::{Change, ChangedFile, Content, Contents, Sides};
use swage_core::diff::{Kind, ReadOptions, read};
use swage_core::scan::content_id;

use crate::GitError;
use crate::command::{git, run};

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
    fn sides(&self, index: usize) -> Sides {
        let file = &self.files[index];
        let content = |root: &Path, path: &[u8], gone: bool| {
            if gone {
                return Content::Absent;
            }
            match std::fs::read(root.join(OsStr::from_bytes(path))) {
                Ok(bytes) => Content::Whole { id: Some(content_id(&bytes)), bytes },
                Err(error) => Content::Unavailable(format!("it can't be read: {error}")),
            }
        };
        Sides {
            old: content(&self.old, &file.old_path, file.kind == Kind::Added),
            new: content(&self.new, &file.new_path, file.kind == Kind::Deleted),
        }
    }
}
