//! Writing a tree into an empty folder, so that programs can run in it.

use std::fs::{DirBuilder, OpenOptions};
use std::io::Write;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{OpenOptionsExt, symlink};
use std::path::{Component, Path};

use rayon::prelude::*;
use swage_core::change::{Change, ChangedFile, Content, Contents, Nature, Tree};
use swage_core::diff::Kind;
use swage_core::sides::Side;

/// Writes the tree on one side of a change.
pub fn export_side(change: &Change, contents: &dyn Contents, side: Side, folder: &Path) -> Result<(), String> {
    export_rest(change, contents, folder)?;
    let is_there = |file: &ChangedFile| match side {
        Side::Old => !matches!(file.kind, Kind::Added | Kind::Copied),
        Side::New => file.kind != Kind::Deleted,
    };
    change.files.par_iter().enumerate().filter(|(_, file)| is_there(file)).try_for_each(|(index, file)| {
        let content = contents.sides(index).take(side);
        put(folder, file.path(side), file.nature, *file.executable.on(side), &content)
    })
}

/// Writes a whole tree.
pub fn export_tree(tree: &dyn Tree, folder: &Path) -> Result<(), String> {
    write(tree, folder, &|_| true)
}

/// Writes what the change leaves as it is.
fn export_rest(change: &Change, contents: &dyn Contents, folder: &Path) -> Result<(), String> {
    let tree = contents.tree()?;
    let touched = change.touches();
    write(tree.as_ref(), folder, &|path| !touched(path))
}

fn write(tree: &dyn Tree, folder: &Path, wanted: &(dyn Fn(&[u8]) -> bool + Sync)) -> Result<(), String> {
    tree.files().par_iter().enumerate().filter(|(_, file)| wanted(&file.path)).try_for_each(|(index, file)| {
        if file.nature == Nature::Submodule {
            return Ok(());
        }
        put(folder, &file.path, file.nature, file.executable, &tree.content(index))
    })
}

/// Writes one file where nothing is yet. A link that leads out of the tree isn't made.
fn put(folder: &Path, path: &[u8], nature: Nature, executable: bool, content: &Content) -> Result<(), String> {
    let relative = Path::new(std::ffi::OsStr::from_bytes(path));
    let shown = relative.display();
    let bytes = match content {
        Content::Whole { bytes, .. } => bytes,
        Content::Absent => return Ok(()),
        _ if nature == Nature::Submodule => return Ok(()),
        Content::Partial { .. } => return Err(format!("{shown} is known only in part")),
        Content::Unavailable(why) => return Err(format!("{shown} can't be had: {why}")),
    };
    let plain = |p: &Path| p.components().all(|c| matches!(c, Component::Normal(_)));
    if !plain(relative) || relative.components().any(|c| c.as_os_str() == ".git") {
        return Err(format!("{shown} leads out of the tree"));
    }
    let whole = folder.join(relative);
    let failed = |e: std::io::Error| format!("{shown} can't be written: {e}");
    if let Some(parent) = whole.parent() {
        DirBuilder::new().recursive(true).create(parent).map_err(failed)?;
    }
    if nature == Nature::Symlink {
        let target = Path::new(std::ffi::OsStr::from_bytes(bytes));
        return if stays_inside(relative, target) { symlink(target, &whole).map_err(failed) } else { Ok(()) };
    }
    let mode = if executable { 0o755 } else { 0o644 };
    let mut file = OpenOptions::new().write(true).create_new(true).mode(mode).open(&whole).map_err(failed)?;
    file.write_all(bytes).map_err(failed)
}

/// Whether a link at a path of the tree leads to a place in the tree: upwards first, if at all, and never above the root.
/// Going up later could start from where another link leads.
fn stays_inside(link: &Path, target: &Path) -> bool {
    let depth = link.components().count().saturating_sub(1);
    let up = target.components().take_while(|part| *part == Component::ParentDir).count();
    up <= depth && target.components().skip(up).all(|part| matches!(part, Component::Normal(_) | Component::CurDir))
}
