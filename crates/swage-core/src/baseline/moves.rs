//! Whether code moved: the same text in two places proves nothing, so what is around it must have moved along.
//!
//! A finding moved when the lines that left the one place and came to the other hold a common run around its first line:
//! at least [`LEAST_LINES`] lines that aren't blank, with at least [`LEAST_SIGNS`] letters and digits. Or when the definition
//! around it left the one place and came to the other as a whole. White space doesn't count.
//!
//! Candidates are found by the digest of three neighbouring lines, so the cost is linear in the lines of the files that
//! hold unpaired findings, however many of those are alike.

use std::cell::RefCell;
use std::collections::HashMap;
use std::ops::Range;
use std::rc::Rc;

use super::FileHits;
use crate::digest::{short_digest, without_white_space};
use crate::scan::Hit;
use crate::sides::Sides;

/// Fewest lines of a common run.
const LEAST_LINES: usize = 3;
/// Fewest letters and digits in it.
const LEAST_SIGNS: usize = 30;
/// Most candidates that are tried for a finding; with more that look alike, it counts as new.
const MOST_TRIED: usize = 256;

/// A line that isn't blank.
#[derive(Debug, Clone, Copy)]
struct Line {
    /// 1-based.
    number: u32,
    /// Of its text without white space.
    digest: u64,
    /// Letters and digits, other than ASCII included.
    signs: usize,
    /// It left its place, or came to it, with the change.
    moved: bool,
}

/// One digest for lines in their order.
fn digest_of(lines: &[Line]) -> u64 {
    let digests: Vec<[u8; 8]> = lines.iter().map(|l| l.digest.to_be_bytes()).collect();
    short_digest(&digests.iter().map(<[u8; 8]>::as_slice).collect::<Vec<_>>())
}

/// The lines of one side of a file, not counting blank ones.
#[derive(Debug, Default)]
pub(super) struct Outline(Vec<Line>);

impl Outline {
    /// `moved` says by a line's number, 0-based, whether the change moved it.
    fn of(text: &[u8], moved: impl Fn(u32) -> bool) -> Self {
        // Blank lines are left out here, once, so that runs go across them.
        let line = |(number, text): (u32, &[u8])| {
            let text = without_white_space(text);
            let signs = text.iter().filter(|b| b.is_ascii_alphanumeric() || !b.is_ascii()).count();
            (!text.is_empty()).then(|| Line {
                number: number + 1,
                digest: short_digest(&[&text]),
                signs,
                moved: moved(number),
            })
        };
        Self((0..).zip(text.split(|b| *b == b'\n')).filter_map(line).collect())
    }

    /// The index of the line with a number, or of the next one that isn't blank.
    fn index(&self, number: u32) -> usize {
        self.0.partition_point(|line| line.number < number)
    }

    /// Digests of the three windows of three lines that hold a line.
    fn windows(&self, at: usize) -> impl Iterator<Item = (usize, u64)> + '_ {
        (0..LEAST_LINES).filter_map(move |place| {
            let from = at.checked_sub(place)?;
            Some((place, digest_of(self.0.get(from..from + LEAST_LINES)?)))
        })
    }

    /// The lines of a definition around a finding, whose line is `own`, and the digest of them all, when the change moved
    /// it as a whole. Lines of signs alone are in many places, so a diff may well keep them. What is measured of a
    /// definition is named in its first line, which may have changed on the way.
    fn moved_definition(&self, hit: &Hit, own: usize) -> Option<(Range<usize>, u64)> {
        let (first, last) = hit.definition?;
        // The last line's number + 1 is the first one after the definition.
        let range = self.index(first) + usize::from(hit.figure.is_some())..self.index(last + 1);
        let lines = self.0.get(range.clone()).filter(|lines| !lines.is_empty())?;
        if !range.clone().zip(lines).all(|(at, line)| line.moved || line.signs == 0 || at == own) {
            return None;
        }
        let digest = digest_of(lines);
        Some((range, digest))
    }
}

/// Whether the run of equal lines that moved around two lines is long enough. The two themselves count in any case: a diff
/// may have taken another line of the same text for one of them.
fn common_run(old: &Outline, at_old: usize, new: &Outline, at_new: usize) -> bool {
    // A line of signs alone neither counts nor ends the run: `}` is everywhere.
    let pair = |a: Option<&Line>, b: Option<&Line>| match (a, b) {
        (Some(a), Some(b)) if a.digest == b.digest => {
            let moved = a.moved && b.moved;
            (moved || a.signs == 0).then_some((usize::from(moved), if moved { a.signs } else { 0 }))
        }
        _ => None,
    };
    let (Some(own), Some(other)) = (old.0.get(at_old), new.0.get(at_new)) else { return false };
    if own.digest != other.digest {
        return false;
    }
    let (mut lines, mut signs) = (1, own.signs);
    let mut take = |step: (usize, usize)| {
        (lines, signs) = (lines + step.0, signs + step.1);
        lines >= LEAST_LINES && signs >= LEAST_SIGNS
    };
    // Downwards, then upwards; long enough is enough.
    let mut distance = 1;
    while let Some(step) = pair(old.0.get(at_old + distance), new.0.get(at_new + distance)) {
        if take(step) {
            return true;
        }
        distance += 1;
    }
    distance = 1;
    while let (Some(a), Some(b)) = (at_old.checked_sub(distance), at_new.checked_sub(distance)) {
        match pair(old.0.get(a), new.0.get(b)) {
            Some(step) if take(step) => return true,
            Some(_) => distance += 1,
            None => break,
        }
    }
    false
}

/// The same around the first lines of two findings; none is around one of a whole file.
fn run_around(old: &Outline, before: &Hit, new: &Outline, after: &Hit) -> bool {
    let at = |outline: &Outline, hit: &Hit| hit.start_line().map(|line| outline.index(line.get()));
    at(old, before).zip(at(new, after)).is_some_and(|(was, is)| common_run(old, was, new, is))
}

/// By what findings that moved together are found: the rule, what it named, and lines around it with the place in them.
type Trail<'a> = (&'a str, u64, Around);

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Around {
    /// Three lines, and which of them is the finding's.
    Lines(usize, u64),
    /// A definition, and which of its lines is the finding's.
    Definition(usize, u64),
}

/// Says whether places that a diff's line map keeps are the same in truth. A diff takes a line that left for an equal one
/// that came where that makes it shorter. So where the first line of the definition around the place isn't the same as
/// before, the lines around it must have stayed too, as many as for code that moved, or all others of the definition.
pub(super) struct Stays<'a> {
    files: &'a [FileHits],
    texts: &'a dyn Fn(usize) -> Option<Sides<Vec<u8>>>,
    /// The lines of both sides, with those that stayed, of the files that were asked for.
    known: RefCell<HashMap<usize, Option<Kept>>>,
}

/// The lines of both sides.
type Kept = Rc<Sides<Outline>>;

impl<'a> Stays<'a> {
    pub fn new(files: &'a [FileHits], texts: &'a dyn Fn(usize) -> Option<Sides<Vec<u8>>>) -> Self {
        Self { files, texts, known: RefCell::default() }
    }

    fn outlines(&self, at: usize) -> Option<Kept> {
        let map = &self.files[at].map;
        let read = || {
            let Sides { old, new } = (self.texts)(at)?;
            let old = Outline::of(&old, |line| map.to_new(line).is_some());
            Some(Rc::new(Sides { old, new: Outline::of(&new, |line| map.to_old(line).is_some()) }))
        };
        self.known.borrow_mut().entry(at).or_insert_with(read).clone()
    }

    /// Whether two findings of the file with an index, whose places the line map takes to each other, are the same.
    pub fn holds(&self, at: usize, before: &Hit, after: &Hit) -> bool {
        let same_definition = match (before.definition, after.definition) {
            (None, None) => true,
            (Some((old, _)), Some((new, _))) => self.files[at].map.to_new(old - 1).is_some_and(|line| line + 1 == new),
            (Some(_), None) | (None, Some(_)) => false,
        };
        // The diff kept the first line of the definition, so the two are in the same one.
        if same_definition {
            return true;
        }
        let Some(outlines) = self.outlines(at) else { return true };
        let Sides { old, new } = &*outlines;
        let body = |outline: &Outline, hit: &Hit| {
            let (first, last) = hit.definition?;
            let lines = outline.0.get(outline.index(first + 1)..outline.index(last + 1))?;
            let stays = lines.iter().all(|line| line.moved || line.signs == 0);
            (stays && !lines.is_empty()).then(|| lines.iter().map(|line| line.digest).collect::<Vec<_>>())
        };
        run_around(old, before, new, after) || body(old, before).is_some_and(|lines| Some(lines) == body(new, after))
    }
}

/// The lines of a file that came and went.
struct FileMoves {
    /// Before, with those that the change took away.
    left: Outline,
    /// Before, with those that are there still under another name, at which the rule doesn't look; empty when the name stays.
    renamed: Outline,
    /// After, with those that the change added.
    came: Outline,
}

impl FileMoves {
    /// The lines of the file as a finding before the change left it.
    fn left_by(&self, file: &FileHits, hit: &Hit) -> &Outline {
        let stays = hit.first_index().is_some_and(|line| file.map.to_new(line).is_some());
        if stays && file.old_path != file.new_path { &self.renamed } else { &self.left }
    }
}

/// Both sides' lines of the files that hold unpaired findings.
pub(super) struct Moves {
    outlines: Vec<Option<FileMoves>>,
}

impl Moves {
    /// `texts` gives those of a file by its index; `open` says for which it is asked.
    pub fn of(
        files: &[FileHits],
        texts: &dyn Fn(usize) -> Option<Sides<Vec<u8>>>,
        open: impl Fn(usize) -> bool,
    ) -> Self {
        let outline = |(at, file): (usize, &FileHits)| {
            let Sides { old, new } = texts(at)?;
            let is_renamed = file.old_path != file.new_path;
            let renamed = |line| is_renamed && file.map.to_new(line).is_some();
            Some(FileMoves {
                left: Outline::of(&old, |line| file.map.to_new(line).is_none()),
                renamed: if is_renamed { Outline::of(&old, renamed) } else { Outline::default() },
                came: Outline::of(&new, |line| file.map.to_old(line).is_none()),
            })
        };
        Self { outlines: files.iter().enumerate().map(|f| if open(f.0) { outline(f) } else { None }).collect() }
    }

    /// All trails by which a finding can be met; none when its line was not part of the change.
    fn trails<'a>(&self, outline: &Outline, hit: &'a Hit) -> Vec<Trail<'a>> {
        let Some(first) = hit.first_index() else { return Vec::new() };
        let at = outline.index(first + 1);
        if outline.0.get(at).is_none_or(|line| line.number != first + 1) {
            return Vec::new();
        }
        let lines = outline.windows(at).map(|(place, digest)| Around::Lines(place, digest));
        let whole = outline.moved_definition(hit, at);
        let whole = whole.map(|(range, digest)| Around::Definition(at.saturating_sub(range.start), digest));
        lines.chain(whole).map(|around| (hit.rule.as_str(), hit.identity, around)).collect()
    }

    /// Pairs what left one place with what came to another, in order; both lists are of the file's and the hit's index.
    pub fn pairs(
        &self,
        files: &[FileHits],
        left: &[(usize, usize)],
        came: &[(usize, usize)],
    ) -> Vec<((usize, usize), (usize, usize))> {
        let mut open: HashMap<Trail<'_>, Vec<usize>> = HashMap::new();
        for (number, &(file, hit)) in left.iter().enumerate() {
            if let Some(sides) = &self.outlines[file] {
                let hit = &files[file].hits.old[hit];
                for trail in self.trails(sides.left_by(&files[file], hit), hit) {
                    open.entry(trail).or_default().push(number);
                }
            }
        }
        let mut used = vec![false; left.len()];
        let mut pairs = Vec::new();
        for &(file, index) in came {
            let Some(FileMoves { came: outline, .. }) = &self.outlines[file] else { continue };
            let hit = &files[file].hits.new[index];
            // A digest of three lines only proposes a pair: the run has to be long enough, in letters, too.
            let fits = |trail: &Trail<'_>, &number: &usize| {
                let (from, base) = left[number];
                match (trail.2, &self.outlines[from]) {
                    (Around::Definition(..), _) => true,
                    (Around::Lines(..), Some(sides)) => {
                        let before = &files[from].hits.old[base];
                        let old = sides.left_by(&files[from], before);
                        run_around(old, before, outline, hit)
                    }
                    (Around::Lines(..), None) => false,
                }
            };
            let found = self.trails(outline, hit).into_iter().find_map(|trail| {
                let list = open.get_mut(&trail)?;
                // Each finding is paired once, and the list doesn't grow old.
                list.retain(|&number| !used[number]);
                list.iter().take(MOST_TRIED).copied().find(|number| fits(&trail, number))
            });
            if let Some(number) = found {
                used[number] = true;
                pairs.push((left[number], (file, index)));
            }
        }
        pairs
    }
}
