//! A change line by line, as a page shows it: the hunks of each file with their line numbers and what each word is, so that they can be
//! coloured. What a rule must not show is masked.

mod paint;

use rayon::prelude::*;

use self::paint::paint;
use crate::change::{Change, ChangedFile, Content, Contents, Nature};
use crate::diff::{Kind, LineMap};
use crate::lang::Language;
use crate::position::{Column, LineNumber};
use crate::review::{Finding, Marker, Path, Review};
use crate::rule::RuleSet;
use crate::scan::Span;
use crate::sides::{Side, Sides};

pub use self::paint::{Painted, Word};

/// Lines that stay are shown so far around those that don't.
const CONTEXT: usize = 3;

/// Of longer lines only the beginning is shown, in characters.
const MAX_WIDTH: usize = 2_000;

/// A change line by line.
#[derive(Debug, Clone, Default)]
pub struct ChangeView {
    /// Its files, in the order of the change.
    pub files: Vec<FileView>,
}

/// A file of the change.
#[derive(Debug, Clone)]
pub struct FileView {
    /// Its path; before the change when that deletes it.
    pub path: Path,
    /// Its path before.
    pub old_path: Path,
    /// Its hunks.
    pub hunks: Vec<Vec<LineView>>,
    /// Why no lines are shown, when none are.
    pub note: Option<String>,
}

/// A line of a hunk.
#[derive(Debug, Clone)]
pub struct LineView {
    /// What the change does to it.
    pub marker: Marker,
    /// Its number before, 1-based.
    pub old: Option<u32>,
    /// Its number after, 1-based.
    pub new: Option<u32>,
    /// Its text without the line end.
    pub text: String,
    /// What its words are, in order; byte ranges of the text.
    pub words: Vec<Painted>,
}

impl ChangeView {
    /// The lines of a change that has been reviewed.
    pub fn of(change: &Change, contents: &dyn Contents, review: &Review, rules: &RuleSet) -> Self {
        let secret = |f: &&Finding| rules.get(&f.rule).is_some_and(|rule| rule.secret);
        let secrets: Vec<&Finding> = review.findings.iter().filter(secret).collect();
        let file = |(index, file): (usize, &ChangedFile)| file_view(file, &contents.sides(index), &secrets);
        Self { files: change.files.par_iter().enumerate().map(file).collect() }
    }
}

/// The lines of one side that are known.
struct SideLines {
    /// Their numbers, 1-based, with text and words.
    lines: Vec<(u32, String, Vec<Painted>)>,
}

impl SideLines {
    fn of(path: &[u8], content: &Content, hidden: &[Span]) -> Self {
        let (bytes, numbers) = match content {
            Content::Whole { bytes, .. } => (bytes, None),
            Content::Partial { bytes, numbers } => (bytes, Some(numbers)),
            Content::Absent | Content::Unavailable(_) => return Self { lines: Vec::new() },
        };
        let number = |at: usize| numbers.map_or(at as u32 + 1, |numbers| numbers.get(at).copied().unwrap_or(0));
        // Without the rest of the file, words can't be classified.
        let language = Language::of(path, bytes).filter(|_| numbers.is_none());
        let mut words = language.map(|language| paint(bytes, language)).unwrap_or_default().into_iter().peekable();
        let (mut lines, mut start) = (Vec::new(), 0);
        for (at, line) in bytes.split_inclusive(|b| *b == b'\n').enumerate() {
            let end = start + line.len();
            let mut own = Vec::new();
            while let Some(word) = words.peek().filter(|word| word.range.start < end) {
                let range = word.range.start.max(start) - start..word.range.end.min(end) - start;
                own.push(Painted { range, word: word.word });
                if word.range.end > end {
                    break;
                }
                words.next();
            }
            start = end;
            let text = std::str::from_utf8(line).map(str::to_owned);
            let text = text.unwrap_or_else(|_| {
                own.clear();
                String::from_utf8_lossy(line).into_owned()
            });
            let mut text = text.trim_end_matches(['\n', '\r']).to_owned();
            if let Some((cut, _)) = text.char_indices().nth(MAX_WIDTH) {
                text.truncate(cut);
                text.push('…');
            }
            if hide(&mut text, number(at), hidden) {
                own.clear();
            }
            own.retain_mut(|word| {
                word.range.end = word.range.end.min(text.len());
                word.range.start < word.range.end
                    && text.is_char_boundary(word.range.start)
                    && text.is_char_boundary(word.range.end)
            });
            lines.push((number(at), text, own));
        }
        Self { lines }
    }
}

/// Masks what must not be shown of a line; whether there was anything.
fn hide(text: &mut String, line: u32, hidden: &[Span]) -> bool {
    let Some(line) = LineNumber::new(line) else { return false };
    let own: Vec<_> = hidden.iter().filter(|s| s.has_line(line)).map(|s| s.columns_in(line)).collect();
    if !own.is_empty() {
        let mask = |(column, c): (Column, char)| if own.iter().any(|o| o.contains(&column)) { '•' } else { c };
        *text = (0..).map(Column::from_index).zip(text.chars()).map(mask).collect();
    }
    !own.is_empty()
}

fn file_view(file: &ChangedFile, sides: &Sides<Content>, secrets: &[&Finding]) -> FileView {
    let path = Path::new(if file.kind == Kind::Deleted { &file.old_path } else { &file.new_path });
    let old_path = Path::new(&file.old_path);
    let unavailable = sides.iter().find_map(|content| match content {
        Content::Unavailable(why) => Some(why.clone()),
        _ => None,
    });
    let note = match file.nature {
        _ if unavailable.is_some() => unavailable,
        Nature::Binary => Some("binary".to_owned()),
        Nature::Symlink => Some("a symbolic link".to_owned()),
        Nature::Submodule => Some("a submodule".to_owned()),
        Nature::Text if file.mode_only => Some("only its mode changes".to_owned()),
        Nature::Text if file.added + file.removed == 0 => Some("no line changes".to_owned()),
        Nature::Text => None,
    };
    if note.is_some() {
        return FileView { path, old_path, hunks: Vec::new(), note };
    }
    let hidden = |path: &[u8], side: Side| -> Vec<Span> {
        let path = Path::new(path);
        let anchors = secrets.iter().flat_map(|f| f.anchor.iter().chain(&f.before));
        anchors.filter(|a| a.path == path && a.side == side).filter_map(|a| a.span).collect()
    };
    let old = SideLines::of(&file.old_path, &sides.old, &hidden(&file.old_path, Side::Old));
    let new = SideLines::of(&file.new_path, &sides.new, &hidden(&file.new_path, Side::New));
    FileView { path, old_path, hunks: hunks(rows(old, new, &file.map)), note: None }
}

/// All known lines of both sides, removed ones before those that take their place.
fn rows(old: SideLines, new: SideLines, map: &LineMap) -> Vec<LineView> {
    let mut rows = Vec::new();
    let mut old = old.lines.into_iter().peekable();
    let removed = |(number, text, words): (u32, String, Vec<Painted>)| LineView {
        marker: Marker::Removed,
        old: Some(number),
        new: None,
        text,
        words,
    };
    for (number, text, words) in new.lines {
        let before = number.checked_sub(1).and_then(|line| map.to_old(line)).map(|line| line + 1);
        if let Some(before) = before {
            while let Some(line) = old.next_if(|(line, ..)| *line < before) {
                rows.push(removed(line));
            }
            old.next_if(|(line, ..)| *line == before);
        } else {
            // What goes in the same region is before what comes.
            while let Some(line) = old.next_if(|(line, ..)| {
                let line = line.saturating_sub(1);
                map.to_new(line).is_none() && map.region_of_old(line) <= map.region_of_new(number.saturating_sub(1))
            }) {
                rows.push(removed(line));
            }
        }
        let marker = if before.is_some() { Marker::Same } else { Marker::Added };
        rows.push(LineView { marker, old: before, new: Some(number), text, words });
    }
    rows.extend(old.map(removed));
    rows
}

/// The changed rows with some of those around them, as runs.
fn hunks(rows: Vec<LineView>) -> Vec<Vec<LineView>> {
    let mut shown = vec![false; rows.len()];
    for (at, _) in rows.iter().enumerate().filter(|(_, row)| row.marker != Marker::Same) {
        let to = (at + CONTEXT + 1).min(rows.len());
        shown[at.saturating_sub(CONTEXT)..to].fill(true);
    }
    let mut hunks: Vec<Vec<LineView>> = Vec::new();
    let mut last = None;
    for (at, row) in rows.into_iter().enumerate().filter(|(at, _)| shown[*at]) {
        // Lines that a partial side doesn't know part hunks, too.
        let follows = last.is_some_and(|(before, new): (usize, Option<u32>)| {
            before + 1 == at && (row.new.is_none() || new.is_none() || new.map(|n| n + 1) == row.new)
        });
        last = Some((at, row.new));
        match hunks.last_mut() {
            Some(hunk) if follows => hunk.push(row),
            _ => hunks.push(vec![row]),
        }
    }
    hunks
}
