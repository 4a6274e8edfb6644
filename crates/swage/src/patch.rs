//! A change from a diff in a file, with or without the files that it is about.

use std::collections::BTreeMap;
use std::io::Read;
use std::path::{Path, PathBuf};

use swage_core::change::{Change, ChangedFile, Content, Contents, Sides, Tree as CoreTree};
use swage_core::diff::{ApplyError, Body, Diff, Direction, FileDiff, Kind, LineKind, LineMap, apply};

use swage_git::FolderTree;

use crate::failure::Failure;

/// Reads a diff: a file, mapped into memory, or standard input.
pub fn read_input(path: &Path) -> Result<Vec<u8>, Failure> {
    let failed = |e: std::io::Error| Failure::unfinished(format!("the diff {} can't be read: {e}", path.display()));
    if path == Path::new("-") {
        let mut bytes = Vec::new();
        std::io::stdin().lock().read_to_end(&mut bytes).map_err(failed)?;
        return Ok(bytes);
    }
    match std::fs::read(path) {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
            Err(Failure::wrong(format!("there is no file {}", path.display()))
                .hint("Give --patch the path of a diff, or `-` for standard input."))
        }
        other => other.map_err(failed),
    }
}

/// Both sides of a file that patches touch, and where its lines went.
struct Touched<'d> {
    file: &'d FileDiff<'d>,
    old_path: Vec<u8>,
    kind: Kind,
    map: LineMap,
    sides: Sides,
    counts: (usize, usize),
}

/// A change read from a diff.
pub struct PatchChange {
    /// Its files.
    pub change: Change,
    /// What a reader should know.
    pub notes: Vec<String>,
    sides: Vec<Sides>,
    folder: Option<PathBuf>,
}

impl Contents for PatchChange {
    fn sides(&self, index: usize) -> Sides {
        self.sides[index].clone()
    }

    fn tree(&self) -> Result<Box<dyn CoreTree + '_>, String> {
        match &self.folder {
            Some(folder) => Ok(Box::new(FolderTree::of(folder)?)),
            None => Err("it looks beyond the changed files; give --tree DIR".to_owned()),
        }
    }
}

impl PatchChange {
    /// Applies a diff in memory to the files of `tree`, forwards or, when the tree has the new files, in reverse.
    pub fn new(diff: &Diff<'_>, tree: Option<&Path>) -> Result<Self, Failure> {
        let mut patches: Vec<&[FileDiff<'_>]> = diff.patches.iter().map(|p| p.files.as_slice()).collect();
        if diff.newest_first() {
            patches.reverse();
        }
        for file in diff.files() {
            for path in [&file.old_path, &file.new_path] {
                stays_inside(path).map_err(|why| {
                    Failure::wrong(format!("the diff is refused: {why}"))
                        .hint("Give --strip N to take leading path components off its names.")
                })?;
            }
        }
        let mut notes = Vec::new();
        let touched = match tree {
            None => {
                notes.push("Without --tree only rules that need nothing but lines have run.".to_owned());
                patches.into_iter().flatten().map(lines_only).collect()
            }
            Some(folder) => {
                let tree = Tree { root: folder.to_owned() };
                if !folder.is_dir() {
                    return Err(Failure::wrong(format!("{} isn't a folder", folder.display()))
                        .hint("Give --tree the folder that the paths in the diff start from."));
                }
                match through(&patches, &tree, Direction::Forward) {
                    Ok(touched) => {
                        notes.push(format!("{} holds the files before the change.", folder.display()));
                        touched
                    }
                    Err(forward) => match through(&patches, &tree, Direction::Reverse) {
                        Ok(touched) => {
                            notes.push(format!("{} holds the files after the change.", folder.display()));
                            touched
                        }
                        Err(_) => {
                            let failure = Failure::wrong(format!(
                                "the diff fits the files in {} neither forwards nor in reverse: {forward}",
                                folder.display()
                            ));
                            return Err(failure.hint("Check out the state that the diff was made from, or give --strip when its paths start elsewhere."));
                        }
                    },
                }
            }
        };
        let mut files: Vec<(ChangedFile, Sides)> = touched.into_iter().map(listed).collect();
        files.sort_by(|a, b| a.0.new_path.cmp(&b.0.new_path));
        let (files, sides) = files.into_iter().unzip();
        Ok(Self { change: Change { files, ..Default::default() }, notes, sides, folder: tree.map(Path::to_owned) })
    }
}

fn listed(touched: Touched<'_>) -> (ChangedFile, Sides) {
    let file = touched.file;
    let own = ChangedFile::of(file);
    let changed = ChangedFile {
        old_path: touched.old_path,
        kind: touched.kind,
        mode_only: own.modes.is_some() && file.body == Body::Unchanged && touched.kind == Kind::Modified,
        map: touched.map,
        added: touched.counts.0,
        removed: touched.counts.1,
        ..own
    };
    (changed, touched.sides)
}

/// The lines that the diff itself shows, on both sides.
fn lines_only<'d>(file: &'d FileDiff<'d>) -> Touched<'d> {
    let side = |gone: LineKind, from: fn(&swage_core::diff::Hunk<'_>) -> u32| {
        let (mut bytes, mut numbers) = (Vec::new(), Vec::new());
        for hunk in file.hunks() {
            let lines = hunk.lines().filter(|l| l.kind != gone);
            for (number, line) in (from(hunk).max(1)..).zip(lines) {
                bytes.extend_from_slice(line.text);
                bytes.push(b'\n');
                numbers.push(number);
            }
        }
        Content::Partial { bytes, numbers }
    };
    let old = side(LineKind::Added, |h| h.old_start);
    let new = side(LineKind::Removed, |h| h.new_start);
    Touched {
        file,
        old_path: file.old_path.to_vec(),
        kind: file.kind,
        map: LineMap::from_hunks(file.hunks()),
        sides: Sides { old, new },
        counts: file.line_counts(),
    }
}

/// Sends all patches through the tree; several that touch one file become one change of it.
fn through<'d>(patches: &[&'d [FileDiff<'d>]], tree: &Tree, direction: Direction) -> Result<Vec<Touched<'d>>, String> {
    let mut ordered: Vec<&FileDiff<'d>> = patches.iter().flat_map(|p| p.iter()).collect();
    if direction == Direction::Reverse {
        ordered.reverse();
    }
    // By the path at the far side of what was done so far: the file as the next patch knows it.
    let mut open: BTreeMap<Vec<u8>, Touched<'d>> = BTreeMap::new();
    for file in ordered {
        let (near, far) = match direction {
            Direction::Forward => (&file.old_path, &file.new_path),
            Direction::Reverse => (&file.new_path, &file.old_path),
        };
        let comes = if direction == Direction::Forward { Kind::Added } else { Kind::Deleted };
        let goes = if direction == Direction::Forward { Kind::Deleted } else { Kind::Added };
        let before = open.remove(near.as_ref());
        let start = match (&before, file.kind == comes) {
            (Some(touched), _) => far_side(&touched.sides, direction).clone(),
            (None, true) => Content::Absent,
            (None, false) if matches!(file.body, Body::Binary(_)) || file.is_gitlink() => Content::Absent,
            (None, false) => tree.read(near)?,
        };
        let bytes: &[u8] = if let Content::Whole { bytes, .. } = &start { bytes } else { &[] };
        let told = |e: ApplyError| format!("{}: {e}", String::from_utf8_lossy(near));
        let result = match &file.body {
            Body::Binary(_) => Content::Absent,
            _ if file.kind == goes => {
                // What goes must be all there is.
                apply(bytes, file, direction).map_err(told)?;
                Content::Absent
            }
            _ => Content::Whole { id: None, bytes: apply(bytes, file, direction).map_err(told)? },
        };
        let step = LineMap::from_hunks(file.hunks());
        let counts = file.line_counts();
        let sides = match direction {
            Direction::Forward => Sides { old: start, new: result },
            Direction::Reverse => Sides { old: result, new: start },
        };
        let own = if matches!(file.kind, Kind::Added | Kind::Deleted) { LineMap::nothing() } else { step };
        let touched = match before {
            None => Touched { file, old_path: file.old_path.to_vec(), kind: file.kind, map: own, sides, counts },
            Some(earlier) => join(
                earlier,
                Touched { file, old_path: file.old_path.to_vec(), kind: file.kind, map: own, sides, counts },
                direction,
            ),
        };
        open.insert(far.to_vec(), touched);
    }
    Ok(open.into_values().collect())
}

fn far_side(sides: &Sides, direction: Direction) -> &Content {
    match direction {
        Direction::Forward => &sides.new,
        Direction::Reverse => &sides.old,
    }
}

/// Two patches of one file as one. In reverse the later one was met first.
fn join<'d>(met: Touched<'d>, next: Touched<'d>, direction: Direction) -> Touched<'d> {
    let (first, second) = match direction {
        Direction::Forward => (met, next),
        Direction::Reverse => (next, met),
    };
    let kind = match (first.kind, second.kind) {
        (Kind::Added, _) => Kind::Added,
        (_, Kind::Deleted) => Kind::Deleted,
        (Kind::Deleted, _) => Kind::Modified,
        _ if first.old_path != second.file.new_path.as_ref() => Kind::Renamed,
        (kind, _) => kind,
    };
    Touched {
        file: second.file,
        kind,
        map: first.map.then(&second.map),
        sides: Sides { old: first.sides.old, new: second.sides.new },
        counts: (first.counts.0 + second.counts.0, first.counts.1 + second.counts.1),
        old_path: first.old_path,
    }
}

/// Refuses names that lead out of the tree, whether one is given or not.
fn stays_inside(path: &[u8]) -> Result<(), String> {
    if path.split(|b| *b == b'/').any(|part| matches!(part, b"" | b"." | b"..") || part.contains(&0)) {
        return Err(format!("{}: this path leads out of the tree", String::from_utf8_lossy(path)));
    }
    Ok(())
}

/// A folder that is read and never left.
struct Tree {
    root: PathBuf,
}

impl Tree {
    /// A file's content. Paths that lead out of the folder, or through a link, are refused before anything is read.
    fn read(&self, path: &[u8]) -> Result<Content, String> {
        use std::ffi::OsStr;
        use std::os::unix::ffi::OsStrExt;
        let shown = String::from_utf8_lossy(path);
        stays_inside(path)?;
        let mut at = self.root.clone();
        for part in path.split(|b| *b == b'/') {
            at.push(OsStr::from_bytes(part));
            match at.symlink_metadata() {
                Ok(meta) if meta.is_symlink() => {
                    return Err(format!("{shown}: this path goes through a symbolic link, so it isn't read"));
                }
                Ok(meta) if !meta.is_dir() && !meta.is_file() => {
                    return Err(format!("{shown}: it is no regular file, so it isn't read"));
                }
                Ok(_) => {}
                Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
                    return Err(format!("{shown}: there is no such file"));
                }
                Err(e) => return Err(format!("{shown}: {e}")),
            }
        }
        std::fs::read(&at).map(|bytes| Content::Whole { id: None, bytes }).map_err(|e| format!("{shown}: {e}"))
    }
}
