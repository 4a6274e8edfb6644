//! What a change does to definitions: both sides of all files are paired, and what is left over came or went.
//!
//! A definition is paired in this order, each once: the same file and name; anywhere, the same name and text (it moved); the
//! same file and kind with the same text but for the name (it was renamed); the same name and kind elsewhere, or the same
//! kind in the same file under another name, with at least half of the lines in common.

use serde::Serialize;

use super::outline::Definition;
use crate::diff::LineMap;
use crate::review::Path;

/// Share of lines that two texts must have in common to be taken for one that was moved or renamed and changed, in percent.
const MIN_COMMON: usize = 50;

/// Definitions of fewer lines than this aren't paired by what they have in common: short ones are all alike.
const MIN_LINES: usize = 3;

/// What a change does to a definition.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum DefinitionStatus {
    /// It comes.
    Added,
    /// Its text is another.
    Changed,
    /// It has another name.
    Renamed,
    /// It is in another file, or in another definition.
    Moved,
    /// It goes.
    Removed,
}

impl DefinitionStatus {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Added => "added",
            Self::Changed => "changed",
            Self::Renamed => "renamed",
            Self::Moved => "moved",
            Self::Removed => "removed",
        }
    }
}

/// A definition that a change touches.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct DefinitionChange {
    /// What happens to it.
    pub what: DefinitionStatus,
    /// Its name after those of the definitions around it, joined with dots; where it goes, the one that it had.
    pub name: String,
    /// The name before, when that was another.
    pub old_name: Option<String>,
    /// `function`, or `type` for a class or anything of that kind.
    pub kind: &'static str,
    /// Its file; where it goes, the one that it was in.
    pub path: Path,
    /// The file before, when that was another.
    pub old_path: Option<Path>,
    /// Its first and last line, 1-based; where it goes, those before the change.
    pub lines: (u32, u32),
    /// Its signature after the change, with single blanks.
    pub signature: Option<String>,
    /// Its signature before, when that was another.
    pub old_signature: Option<String>,
    /// Lines of its own that the change adds and removes, those of definitions inside it left out.
    pub changed_lines: u32,
    /// How deep loops and branches nest in it, before and after.
    pub nesting: (u32, u32),
    /// How many definitions inside it come or go with it; they aren't listed.
    pub inside: usize,
}

impl DefinitionChange {
    /// The last part of its name, by which others refer to it.
    pub fn own_name(&self) -> &str {
        self.name.rsplit('.').next().unwrap_or(&self.name)
    }

    /// The last part of the name that it had, when that was another.
    pub fn old_own_name(&self) -> Option<&str> {
        let old = self.old_name.as_deref()?;
        let own = old.rsplit('.').next().unwrap_or(old);
        (own != self.own_name()).then_some(own)
    }
}

/// The definitions of a changed file on both sides.
#[derive(Debug)]
pub(super) struct FileOutlines {
    pub old_path: Path,
    pub new_path: Path,
    pub map: LineMap,
    pub old: Vec<Definition>,
    pub new: Vec<Definition>,
    /// Only the lines of a diff are known of it.
    pub is_partial: bool,
}

impl FileOutlines {
    /// Whether the change adds a line, 1-based.
    pub fn adds(&self, line: u32) -> bool {
        self.map.to_old(line - 1).is_none()
    }

    /// Whether the change removes a line, 1-based.
    pub fn removes(&self, line: u32) -> bool {
        self.map.to_new(line - 1).is_none()
    }
}

/// A definition by its file and its place in it.
type At = (usize, usize);

/// What the change does to the definitions of its files, in the order of the files and of the text; what goes is last.
pub(super) fn compare(files: &[FileOutlines]) -> Vec<DefinitionChange> {
    let mut pairing = Pairing::of(files);
    // The n-th of a name with the n-th.
    pairing.pair_within_files(|(_, old), (_, new)| old.name == new.name && old.is_function == new.is_function);
    pairing.pair(|(_, old), (_, new)| old.own_name == new.own_name && old.text == new.text);
    let long = |d: &Definition| d.line_digests.len() >= MIN_LINES;
    pairing.pair_within_files(|(_, old), (_, new)| old.text == new.text && old.is_function == new.is_function);
    pairing.pair(|(a, old), (b, new)| {
        old.is_function == new.is_function
            && (a == b || old.own_name == new.own_name)
            && long(old)
            && long(new)
            && common(old, new) >= MIN_COMMON
    });
    let mut changes = Vec::new();
    for (index, file) in files.iter().enumerate() {
        for at in 0..file.new.len() {
            add(&mut changes, pairing.change_of((index, at)));
        }
    }
    for &(index, at) in &pairing.old {
        let (file, old) = (&files[index], &files[index].old[at]);
        let gone = DefinitionChange {
            what: DefinitionStatus::Removed,
            name: old.name.clone(),
            old_name: None,
            kind: kind(old),
            path: file.old_path.clone(),
            old_path: None,
            lines: old.lines,
            signature: None,
            old_signature: Some(old.signature.clone()),
            changed_lines: old.own_lines.len() as u32,
            nesting: (old.nesting, 0),
            inside: 0,
        };
        add(&mut changes, Some(gone));
    }
    changes
}

/// Takes a change to the list, unless it merely comes or goes with the definition around it.
fn add(changes: &mut Vec<DefinitionChange>, change: Option<DefinitionChange>) {
    let Some(change) = change else { return };
    let around = changes.iter_mut().rev().take_while(|outer| outer.path == change.path).find(|outer| {
        outer.what == change.what
            && change.name.strip_prefix(&outer.name).is_some_and(|rest| rest.starts_with('.'))
            && outer.lines.0 <= change.lines.0
            && change.lines.1 <= outer.lines.1
    });
    match (around, change.what) {
        (Some(outer), DefinitionStatus::Added | DefinitionStatus::Removed) => {
            outer.inside += 1;
            outer.changed_lines += change.changed_lines;
            outer.nesting = (outer.nesting.0.max(change.nesting.0), outer.nesting.1.max(change.nesting.1));
        }
        _ => changes.push(change),
    }
}

fn kind(definition: &Definition) -> &'static str {
    if definition.is_function { "function" } else { "type" }
}

/// The definition around one, by its place in the file.
fn outer(definitions: &[Definition], at: usize) -> Option<usize> {
    let (name, _) = definitions[at].name.rsplit_once('.')?;
    (0..at).rev().find(|&n| definitions[n].name == name && definitions[n].lines.1 >= definitions[at].lines.0)
}

/// How many lines two definitions have in common.
fn common_lines(old: &Definition, new: &Definition) -> usize {
    let (mut a, mut b) = (old.line_digests.iter().peekable(), new.line_digests.iter().peekable());
    let mut common = 0;
    while let (Some(x), Some(y)) = (a.peek(), b.peek()) {
        match x.cmp(y) {
            std::cmp::Ordering::Less => _ = a.next(),
            std::cmp::Ordering::Greater => _ = b.next(),
            std::cmp::Ordering::Equal => {
                common += 1;
                a.next();
                b.next();
            }
        }
    }
    common
}

/// The share of lines that two definitions have in common, in percent of the longer one.
fn common(old: &Definition, new: &Definition) -> usize {
    let longer = old.line_digests.len().max(new.line_digests.len());
    (common_lines(old, new) * 100).checked_div(longer).unwrap_or(0)
}

/// Definitions of both sides that have no partner yet, and the pairs.
struct Pairing<'f> {
    files: &'f [FileOutlines],
    old: Vec<At>,
    new: Vec<At>,
    /// For the new ones, the old ones.
    partners: std::collections::HashMap<At, At>,
}

/// How many definitions are compared with how many at most: a change that replaces everything isn't paired by what is alike.
const MAX_PAIRS: usize = 4_000_000;

impl<'f> Pairing<'f> {
    /// What happened to a definition of the new side; `None` when nothing did.
    fn change_of(&self, (index, at): At) -> Option<DefinitionChange> {
        let (file, new) = (&self.files[index], &self.files[index].new[at]);
        let Some(&(old_file, old_at)) = self.partners.get(&(index, at)) else {
            return Some(DefinitionChange {
                what: DefinitionStatus::Added,
                name: new.name.clone(),
                old_name: None,
                kind: kind(new),
                path: file.new_path.clone(),
                old_path: None,
                lines: new.lines,
                signature: Some(new.signature.clone()),
                old_signature: None,
                changed_lines: new.own_lines.len() as u32,
                nesting: (0, new.nesting),
                inside: 0,
            });
        };
        let old = &self.files[old_file].old[old_at];
        // What is in a definition that moved or got another name goes with it.
        let carried = match (outer(&self.files[old_file].old, old_at), outer(&file.new, at)) {
            (None, None) => old_file == index,
            (Some(from), Some(to)) => self.partners.get(&(index, to)) == Some(&(old_file, from)),
            (Some(_), None) | (None, Some(_)) => false,
        };
        let what = match () {
            () if old.own_name != new.own_name => DefinitionStatus::Renamed,
            () if !carried => DefinitionStatus::Moved,
            () if old.text == new.text => return None,
            () => DefinitionStatus::Changed,
        };
        // Lines that moved to another file are neither added nor removed.
        let changed_lines = if old_file == index {
            let added = new.own_lines.iter().filter(|line| file.adds(**line));
            let removed = old.own_lines.iter().filter(|line| file.removes(**line));
            added.count() + removed.count()
        } else {
            old.line_digests.len() + new.line_digests.len() - 2 * common_lines(old, new)
        };
        let old_path = (old_file != index).then(|| self.files[old_file].old_path.clone());
        Some(DefinitionChange {
            what,
            name: new.name.clone(),
            old_name: (old.name != new.name && !(carried && old.own_name == new.own_name)).then(|| old.name.clone()),
            kind: kind(new),
            path: file.new_path.clone(),
            old_path,
            lines: new.lines,
            signature: Some(new.signature.clone()),
            old_signature: Some(old.signature.clone()).filter(|signature| *signature != new.signature),
            changed_lines: changed_lines as u32,
            nesting: (old.nesting, new.nesting),
            inside: 0,
        })
    }

    fn of(files: &'f [FileOutlines]) -> Self {
        let all = |side: fn(&FileOutlines) -> &[Definition]| {
            let one = |(index, file)| (0..side(file).len()).map(move |at| (index, at));
            files.iter().enumerate().flat_map(one).collect()
        };
        Self { files, old: all(|f| &f.old), new: all(|f| &f.new), partners: Default::default() }
    }

    /// Pairs each old one with the first new one that is the same by this measure.
    fn pair(&mut self, same: impl Fn((usize, &Definition), (usize, &Definition)) -> bool) {
        if self.old.len().saturating_mul(self.new.len()) > MAX_PAIRS {
            return self.pair_within_files(same);
        }
        let Self { files, old, new, partners } = self;
        old.retain(|&(file, at)| {
            let one = (file, &files[file].old[at]);
            let found = new.iter().position(|&(f, n)| same(one, (f, &files[f].new[n])));
            found.is_none_or(|place| {
                partners.insert(new.remove(place), (file, at));
                false
            })
        });
    }

    /// The same, without looking at other files.
    fn pair_within_files(&mut self, same: impl Fn((usize, &Definition), (usize, &Definition)) -> bool) {
        let Self { files, old, new, partners } = self;
        old.retain(|&(file, at)| {
            let one = (file, &files[file].old[at]);
            let from = new.partition_point(|&(f, _)| f < file);
            let own = new[from..].iter().take_while(|(f, _)| *f == file);
            let found = own.into_iter().position(|&(f, n)| same(one, (f, &files[f].new[n])));
            found.is_none_or(|place| {
                partners.insert(new.remove(from + place), (file, at));
                false
            })
        });
    }
}
