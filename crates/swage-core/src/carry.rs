//! Carrying places from one state of the files to the next, so that what was said of some lines stays with them.
//!
//! A place goes where the line map of its file takes its first and its last line; files that were renamed are followed. When
//! one of the two is gone, the place is outdated: nothing is guessed, since a remark at the wrong line is worse than one that
//! says that its lines are gone. Lines that come in between widen the place; lines that go from its middle narrow it.

use crate::change::{Change, Nature};
use crate::diff::Kind;

/// A file, or some of its lines.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinePlace {
    /// The file.
    pub path: Vec<u8>,
    /// First and last line, 1-based; `None` for the whole file.
    pub lines: Option<(u32, u32)>,
}

/// What becomes of a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Carried {
    /// It is where it was.
    Same,
    /// It is elsewhere.
    Moved(LinePlace),
    /// The file, or the first or the last line, isn't there any more.
    Outdated,
}

/// Takes a place of the files before a change to the files after it.
pub fn carry(change: &Change, place: &LinePlace) -> Carried {
    let goes_on = |kind: Kind| matches!(kind, Kind::Modified | Kind::Renamed);
    let mut files = change.files.iter().filter(|file| file.old_path == place.path);
    // A copy leaves the original where it is.
    let Some(file) = files.find(|file| goes_on(file.kind) || file.kind == Kind::Deleted) else { return Carried::Same };
    if !goes_on(file.kind) {
        return Carried::Outdated;
    }
    let lines = match place.lines {
        None => None,
        Some(_) if matches!(file.nature, Nature::Binary | Nature::Submodule) && !file.mode_only => {
            return Carried::Outdated;
        }
        Some((first, last)) => {
            let to_new = |line: u32| Some(file.map.to_new(line.checked_sub(1)?)? + 1);
            match (to_new(first), to_new(last)) {
                (Some(first), Some(last)) if first <= last => Some((first, last)),
                _ => return Carried::Outdated,
            }
        }
    };
    let new = LinePlace { path: file.new_path.clone(), lines };
    if new == *place { Carried::Same } else { Carried::Moved(new) }
}
