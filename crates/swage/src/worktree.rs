//! Changing files of the working tree: only files that are as they were read, each whole or not at all, and never through a
//! symbolic link.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Component, Path, PathBuf};

use crate::failure::Failure;
use crate::output::write_file;
use crate::terminal::printable;

/// A file and what becomes of it.
pub struct Replacement<'a> {
    /// Its path from the root, with `/` between its parts.
    pub path: &'a [u8],
    /// What it must hold.
    pub before: &'a [u8],
    /// What it is to hold.
    pub after: &'a [u8],
}

/// Replaces files below a folder. Nothing is written unless all of them are as they were; when writing fails later, the error
/// says which files are done.
pub fn replace(root: &Path, replacements: &[Replacement<'_>]) -> Result<(), Failure> {
    let paths: Vec<PathBuf> =
        replacements.iter().map(|replacement| checked(root, replacement)).collect::<Result<_, _>>()?;
    for (done, (path, replacement)) in paths.iter().zip(replacements).enumerate() {
        // It may have changed while others were written.
        checked(root, replacement).and_then(|_| write_file(path, replacement.after)).map_err(|error| {
            let names = |of: &[Replacement<'_>]| {
                let names: Vec<_> =
                    of.iter().map(|r| printable(&String::from_utf8_lossy(r.path)).into_owned()).collect();
                if names.is_empty() { "none".to_owned() } else { names.join(", ") }
            };
            let (written, left) = replacements.split_at(done);
            error.hint(format!("Changed so far: {}. Left as they were: {}.", names(written), names(left)))
        })?;
    }
    Ok(())
}

/// Where a file is, when it is a regular one, reached without links, and as it was.
fn checked(root: &Path, replacement: &Replacement<'_>) -> Result<PathBuf, Failure> {
    let relative = Path::new(OsStr::from_bytes(replacement.path));
    let shown = printable(&relative.to_string_lossy()).into_owned();
    let refused = |why: &str| Failure::unfinished(format!("{shown} isn't changed: {why}; no file was changed"));
    if !relative.components().all(|part| matches!(part, Component::Normal(_))) {
        return Err(refused("it leads out of the repository"));
    }
    let mut path = root.to_owned();
    let parts: Vec<Component<'_>> = relative.components().collect();
    for (index, part) in parts.iter().enumerate() {
        path.push(part);
        let meta = path.symlink_metadata().map_err(|e| refused(&e.to_string()))?;
        let is_right = if index + 1 == parts.len() { meta.is_file() } else { meta.is_dir() };
        if !is_right {
            return Err(refused(if meta.is_symlink() {
                "a symbolic link leads there"
            } else {
                "it is no regular file"
            }));
        }
    }
    let now = std::fs::read(&path).map_err(|e| refused(&e.to_string()))?;
    if now != replacement.before {
        return Err(refused("it has changed since it was read").hint("Run the command again."));
    }
    Ok(path)
}
