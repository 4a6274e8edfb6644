//! A change from a diff in a file, with or without the files that it is about.

use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use swage_core::change::{Change, ChangedFile, Content, Contents, Tree as CoreTree};
use swage_core::diff::{ApplyError, Body, Diff, Direction, FileDiff, Hunk, Kind, LineKind, LineMap, Mode, apply};
use swage_core::scan::content_id;
use swage_core::sides::Sides;

use swage_git::{FolderTree, read_regular};

use crate::failure::Failure;

/// Both sides of a file that patches touch, and where its lines went.
#[derive(Clone)]
struct Touched<'d> {
    file: &'d FileDiff<'d>,
    old_path: Vec<u8>,
    kind: Kind,
    map: LineMap,
    sides: Sides<Content>,
    counts: (usize, usize),
}

/// A change read from a diff.
pub struct PatchChange<'d> {
    /// Its files.
    pub change: Change,
    /// What a reader should know.
    pub notes: Vec<String>,
    sides: Vec<Sides<Content>>,
    folder: Option<PathBuf>,
    series: &'d [Diff<'d>],
}

impl Contents for PatchChange<'_> {
    fn sides(&self, index: usize) -> Sides<Content> {
        self.sides[index].clone()
    }

    fn tree(&self) -> Result<Box<dyn CoreTree + '_>, String> {
        match &self.folder {
            Some(folder) => Ok(Box::new(FolderTree::of(folder)?)),
            None => Err("it needs files outside the diff; give --tree DIR".to_owned()),
        }
    }

    fn series(&self) -> &[Diff<'_>] {
        self.series
    }
}

impl<'d> PatchChange<'d> {
    /// Applies a diff in memory to the files of `tree`, forwards or, when the tree has the new files, in reverse. Leading
    /// components that all names share are left out when the diff fits only so.
    pub fn new(diff: &Diff<'_>, series: &'d [Diff<'d>], tree: Option<&Path>) -> Result<Self, Failure> {
        let whole = Self::of(diff, series, tree);
        if whole.is_ok() || tree.is_none() {
            return whole;
        }
        let shared = diff.shared_folders();
        let shorter = (1..=shared).filter_map(|n| Self::of(&diff.without_leading(n)?, series, tree).ok());
        shorter.into_iter().next().map_or(whole, Ok)
    }

    fn of(diff: &Diff<'_>, series: &'d [Diff<'d>], tree: Option<&Path>) -> Result<Self, Failure> {
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
                notes.push(
                    "Without --tree, rules see only the lines of the diff, which shows added and deleted files whole; rules that need whole files skip the others."
                        .to_owned(),
                );
                let mentions = mentions(diff);
                diff.files().map(|file| shown(file, &mentions)).collect()
            }
            Some(folder) => {
                if !folder.is_dir() {
                    return Err(Failure::wrong(format!("{} isn't a folder", folder.display()))
                        .hint("Give --tree the folder that the paths in the diff start from."));
                }
                let (direction, touched) = fitting(diff, &Tree { root: folder.to_owned() })?;
                let when = if direction == Direction::Forward { "before" } else { "after" };
                notes.push(format!("{} holds the files {when} the change.", folder.display()));
                touched
            }
        };
        let mut files: Vec<(ChangedFile, Sides<Content>)> = renamed(touched.into_iter().map(listed).collect());
        // Of two files of a path, the one that goes comes first.
        files.sort_by(|(a, _), (b, _)| {
            (&a.new_path, a.kind != Kind::Deleted).cmp(&(&b.new_path, b.kind != Kind::Deleted))
        });
        let (files, sides) = files.into_iter().unzip();
        let folder = tree.map(Path::to_owned);
        Ok(Self { change: Change { files, ..Default::default() }, notes, sides, folder, series })
    }
}

fn listed(touched: Touched<'_>) -> (ChangedFile, Sides<Content>) {
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

/// What the diff itself shows of a file: all of it when the file comes or goes and no other patch touches it, else the lines
/// of both sides.
fn shown<'d>(file: &'d FileDiff<'d>, mentions: &BTreeMap<&[u8], usize>) -> Touched<'d> {
    let whole = |direction| {
        let bytes = apply(b"", file, direction).ok()?;
        Some(Content::Whole { id: Some(content_id(&bytes)), bytes })
    };
    let is_touched_again = mentions.get(&*file.new_path).is_some_and(|number| *number > 1);
    let sides = match file.kind {
        _ if matches!(file.body, Body::Binary(_)) || file.is_gitlink() || is_touched_again => None,
        Kind::Added => whole(Direction::Forward).map(|new| Sides { old: Content::Absent, new }),
        Kind::Deleted => whole(Direction::Reverse).map(|old| Sides { old, new: Content::Absent }),
        Kind::Modified | Kind::Renamed | Kind::Copied => None,
    };
    Touched {
        file,
        old_path: file.old_path.to_vec(),
        kind: file.kind,
        map: LineMap::from_hunks(file.hunks()),
        sides: sides.unwrap_or_else(|| lines_only(file)),
        counts: file.line_counts(),
    }
}

/// How many files of a diff bear a name, before or after it.
fn mentions<'d>(diff: &'d Diff<'_>) -> BTreeMap<&'d [u8], usize> {
    let mut mentions = BTreeMap::new();
    for file in diff.files() {
        for path in BTreeSet::from([&*file.old_path, &*file.new_path]) {
            *mentions.entry(path).or_default() += 1;
        }
    }
    mentions
}

/// The lines that the diff shows of both sides.
fn lines_only(file: &FileDiff<'_>) -> Sides<Content> {
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
    Sides { old, new }
}

/// A copy of a file that goes is a rename.
fn renamed(mut files: Vec<(ChangedFile, Sides<Content>)>) -> Vec<(ChangedFile, Sides<Content>)> {
    let gone: Vec<Vec<u8>> =
        files.iter().filter(|(f, _)| f.kind == Kind::Deleted).map(|(f, _)| f.old_path.clone()).collect();
    let mut taken = Vec::new();
    for (file, _) in files.iter_mut().filter(|(f, _)| f.kind == Kind::Copied) {
        if gone.contains(&file.old_path) && !taken.contains(&file.old_path) {
            file.kind = Kind::Renamed;
            taken.push(file.old_path.clone());
        }
    }
    files.retain(|(f, _)| f.kind != Kind::Deleted || !taken.contains(&f.old_path));
    files
}

/// Finds the way in which a diff fits a tree: forwards or in reverse, its commits in the order in which they are or the
/// other one, its paths as they are or without what all of them begin with.
fn fitting<'d>(diff: &'d Diff<'d>, tree: &Tree) -> Result<(Direction, Vec<Touched<'d>>), Failure> {
    let mut first_error = None;
    for mut steps in [diff.steps(), strict_steps(diff)] {
        if diff.newest_first() {
            steps.reverse();
        }
        for turned in [false, true] {
            if turned && steps.len() < 2 {
                break;
            }
            if turned {
                steps.reverse();
            }
            for direction in [Direction::Forward, Direction::Reverse] {
                match through(&steps, tree, direction) {
                    Ok(touched) => return Ok((direction, touched)),
                    Err(error) => _ = first_error.get_or_insert(error),
                }
            }
        }
    }
    let failure = Failure::wrong(format!(
        "the diff fits the files in {} neither forwards nor in reverse: {}",
        tree.root.display(),
        first_error.unwrap_or_default()
    ));
    Err(failure
        .hint("Check out the state that the diff was made from, or give --strip when its paths start elsewhere."))
}

/// The files in patches of which none touches a path twice, for logs in which a name goes from file to file.
fn strict_steps<'d>(diff: &'d Diff<'d>) -> Vec<Vec<&'d FileDiff<'d>>> {
    let mut steps: Vec<Vec<&FileDiff<'_>>> = Vec::new();
    for file in diff.steps().into_iter().flatten() {
        let meets = |other: &&FileDiff<'_>| {
            [&other.old_path, &other.new_path].iter().any(|p| **p == file.old_path || **p == file.new_path)
        };
        match steps.last_mut() {
            Some(step) if !step.iter().any(meets) => step.push(file),
            _ => steps.push(vec![file]),
        }
    }
    steps
}

/// Sends patches through the tree; several that touch one file become one change of it. The files of a patch are changed
/// at once, so that two of them may trade their names.
fn through<'d>(
    patches: &[Vec<&'d FileDiff<'d>>],
    tree: &Tree,
    direction: Direction,
) -> Result<Vec<Touched<'d>>, String> {
    // By the path at the far side of what was done so far: the file as the next patch knows it.
    let mut open: BTreeMap<Vec<u8>, Touched<'d>> = BTreeMap::new();
    let mut done = Vec::new();
    let ordered: Vec<&Vec<&FileDiff<'_>>> = match direction {
        Direction::Forward => patches.iter().collect(),
        Direction::Reverse => patches.iter().rev().collect(),
    };
    for patch in ordered {
        let mut results: Vec<Touched<'d>> = Vec::new();
        let mut left = Vec::new();
        for &file in patch {
            let near = if direction == Direction::Forward { &file.old_path } else { &file.new_path };
            let before = open.get(near.as_ref()).filter(|before| is_of_kind(before.file, file, direction));
            results.push(step(file, before, tree, direction)?);
            if before.is_some() && file.kind != Kind::Copied {
                left.push(near.to_vec());
            }
        }
        left.iter().for_each(|near| _ = open.remove(near));
        for touched in results {
            let goes = touched.kind == Kind::Deleted || direction == Direction::Reverse && touched.kind == Kind::Added;
            let far = if direction == Direction::Forward { &touched.file.new_path } else { &touched.file.old_path };
            // What goes makes room for what comes under its name.
            match open.entry(far.to_vec()) {
                Entry::Occupied(_) if goes => done.push(touched),
                Entry::Occupied(mut there) => done.push(there.insert(touched)),
                Entry::Vacant(place) => _ = place.insert(touched),
            }
        }
    }
    done.extend(open.into_values());
    Ok(done)
}

/// Whether a patch goes on with what an earlier one made: a link or a submodule that takes the place of a file is another
/// thing.
fn is_of_kind(before: &FileDiff<'_>, file: &FileDiff<'_>, direction: Direction) -> bool {
    let far = |f: &FileDiff<'_>| {
        if direction == Direction::Forward { f.new_mode.or(f.old_mode) } else { f.old_mode.or(f.new_mode) }
    };
    let near = |f: &FileDiff<'_>| {
        if direction == Direction::Forward { f.old_mode.or(f.new_mode) } else { f.new_mode.or(f.old_mode) }
    };
    let special = |mode: Option<Mode>| mode.filter(|m| m.is_symlink() || m.is_gitlink());
    special(far(before)) == special(near(file))
}

/// One file of a patch, on top of what earlier patches made of it.
/// Long because a file may be added, removed, renamed, copied or only named.
fn step<'d>(
    file: &'d FileDiff<'d>,
    before: Option<&Touched<'d>>,
    tree: &Tree,
    direction: Direction,
) -> Result<Touched<'d>, String> {
    let (near, comes, goes) = match direction {
        Direction::Forward => (&file.old_path, Kind::Added, Kind::Deleted),
        Direction::Reverse => (&file.new_path, Kind::Deleted, Kind::Added),
    };
    let mut kind = file.kind;
    let empty = |near: bool| {
        let lines = |h: &Hunk<'_>| if near == (direction == Direction::Forward) { h.old_lines } else { h.new_lines };
        file.is_plain() && !file.hunks().is_empty() && file.hunks().iter().all(|h| lines(h) == 0)
    };
    let start = match before {
        Some(touched) => far_side(&touched.sides, direction).clone(),
        None if file.kind == comes => Content::Absent,
        None if matches!(file.body, Body::Binary(_)) || file.is_gitlink() => Content::Absent,
        None => match tree.read(near)? {
            // A diff without times says of a file that comes only that it was empty.
            None if empty(true) => {
                kind = comes;
                Content::Absent
            }
            None if file.body == Body::Unchanged && file.is_plain() => Content::Absent,
            None => return Err(format!("{}: there is no such file", String::from_utf8_lossy(near))),
            Some(content) => content,
        },
    };
    let bytes: &[u8] = if let Content::Whole { bytes, .. } = &start { bytes } else { &[] };
    let rendered = |e: ApplyError| format!("{}: {e}", String::from_utf8_lossy(near));
    let result = match &file.body {
        _ if matches!(file.body, Body::Binary(_)) || file.is_gitlink() => Content::Absent,
        Body::Unchanged if start == Content::Absent && file.kind != comes => Content::Absent,
        _ if kind == goes => {
            // What goes must be all there is.
            apply(bytes, file, direction).map_err(rendered)?;
            Content::Absent
        }
        _ => {
            let bytes = apply(bytes, file, direction).map_err(rendered)?;
            if kind == Kind::Modified && bytes.is_empty() && empty(false) {
                kind = goes;
                Content::Absent
            } else {
                Content::Whole { id: None, bytes }
            }
        }
    };
    let sides = match direction {
        Direction::Forward => Sides { old: start, new: result },
        Direction::Reverse => Sides { old: result, new: start },
    };
    let map = match (kind, &file.body) {
        (Kind::Added | Kind::Deleted, _) | (_, Body::Binary(_)) => LineMap::nothing(),
        _ => LineMap::from_hunks(file.hunks()),
    };
    let own = Touched { file, old_path: file.old_path.to_vec(), kind, map, sides, counts: file.line_counts() };
    Ok(match before {
        None => own,
        Some(earlier) => join(earlier.clone(), own, direction),
    })
}

fn far_side(sides: &Sides<Content>, direction: Direction) -> &Content {
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
        (_, Kind::Copied) => Kind::Copied,
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
    /// A file's content, or where a link leads; `None` when there is nothing. Paths that lead out of the folder, or
    /// through a link, are refused before anything is read.
    fn read(&self, path: &[u8]) -> Result<Option<Content>, String> {
        use std::ffi::OsStr;
        use std::os::unix::ffi::OsStrExt;
        let shown = String::from_utf8_lossy(path);
        stays_inside(path)?;
        let mut at = self.root.clone();
        let mut parts = path.split(|b| *b == b'/').peekable();
        while let Some(part) = parts.next() {
            at.push(OsStr::from_bytes(part));
            match at.symlink_metadata() {
                Ok(meta) if meta.is_symlink() && parts.peek().is_some() => {
                    return Err(format!("{shown}: this path goes through a symbolic link, so it isn't read"));
                }
                Ok(_) => {}
                Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(None),
                Err(e) => return Err(format!("{shown}: {e}")),
            }
        }
        match read_regular(&at) {
            Ok(bytes) => Ok(Some(Content::Whole { id: None, bytes })),
            // A property of a folder, as some systems have it.
            Err(_) if at.is_dir() => Ok(None),
            Err(e) => Err(format!("{shown}: {e}, so it isn't read")),
        }
    }
}
