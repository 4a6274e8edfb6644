//! Trying fixes, and applying many in rounds.

use std::borrow::Cow;
use std::convert::Infallible;

use super::Fixable;
use super::edits::{apply_edits, line_map, overlap};
use super::halving::keep_good;
use crate::baseline::{FileHits, State, compare};
use crate::diff::LineMap;
use crate::position::LineNumber;
use crate::scan::{Edit, FileScan, Hit, Span, Status, decoded};
use crate::sides::Sides;

/// Most rounds; each applies at least one fix.
const MOST_ROUNDS: u32 = 20;

/// Most times that a file is scanned to find the fixes that aren't good: a file that is made to have thousands of them must not
/// hold a review up.
const MOST_TRIALS: u32 = 100;

/// Why the fix of an outside program isn't proved in memory.
pub const NEEDS_RUN: &str = "its program has to run again to prove it, which `swage fix` does";

/// What became of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FixedFile {
    /// Its content with all fixes that could be proved.
    pub content: Vec<u8>,
    /// Where its lines went.
    pub map: LineMap,
    /// What became of each chosen finding, in the order of their places.
    pub attempts: Vec<Attempt>,
}

/// What became of one finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attempt {
    /// The finding as it was found at first.
    pub hit: Hit,
    /// What became of it.
    pub outcome: Outcome,
}

/// What became of a fix.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// It was applied, in this round, counted from 1.
    Applied(u32),
    /// Another fix took the finding along.
    GoneWith,
    /// It was tried and isn't good; the reason.
    Refused(String),
    /// The rule proposes nothing for this place.
    NoFix,
}

impl Outcome {
    /// Whether the finding is gone.
    pub fn is_fixed(&self) -> bool {
        matches!(self, Self::Applied(_) | Self::GoneWith)
    }
}

/// A content with what is found in it.
struct Tried {
    text: Vec<u8>,
    scan: FileScan,
}

impl Tried {
    /// The content as it is, with what outside programs found in it.
    fn first(file: &Fixable<'_>, text: &[u8]) -> Self {
        let mut scan = file.scan(text);
        add_reported(&mut scan, file.reported.iter().cloned());
        Self { text: text.to_vec(), scan }
    }

    /// The content after edits, and the findings of outside programs that weren't among the fixed ones where they are now.
    /// Those whose place was edited can't be followed.
    fn after(file: &Fixable<'_>, before: &Self, fixed: &[usize], edits: &[Edit]) -> Self {
        let text = apply_edits(&before.text, edits);
        let mut scan = file.scan(&text);
        let map = line_map(&before.text, edits);
        let hits = before.scan.hits.iter().enumerate();
        let left = hits.filter(|(index, hit)| file.is_reported(hit) && !fixed.contains(index));
        add_reported(&mut scan, left.filter_map(|(_, hit)| moved(hit, &map, edits)));
        Self { text, scan }
    }
}

fn add_reported(scan: &mut FileScan, hits: impl Iterator<Item = Hit>) {
    let found = scan.hits.len();
    scan.hits.extend(hits);
    if scan.hits.len() > found {
        scan.hits.sort_by(|a, b| (a.span, &a.rule, &a.message).cmp(&(b.span, &b.rule, &b.message)));
    }
}

/// A finding in its place after edits, its own edits too; `None` when its lines or the text of its edits were edited.
fn moved(hit: &Hit, map: &LineMap, edits: &[Edit]) -> Option<Hit> {
    let mut hit = hit.clone();
    if let Some(span) = hit.span {
        let new = |line: LineNumber| map.to_new(line.index()).map(LineNumber::from_index);
        let height = |from: LineNumber, to: LineNumber| to.get() - from.get();
        let lines = Some((new(span.start_line)?, new(span.end_line)?));
        let (start_line, end_line) =
            lines.filter(|(from, to)| height(*from, *to) == height(span.start_line, span.end_line))?;
        hit.span = Some(Span { start_line, end_line, ..span });
    }
    for own in hit.fix.iter_mut().flat_map(|fix| &mut fix.edits) {
        if edits.iter().any(|edit| overlap(edit, own)) {
            return None;
        }
        let before = edits.iter().filter(|edit| edit.range.end <= own.range.start);
        let (gone, come) = before.fold((0, 0), |(gone, come), edit| (gone + edit.range.len(), come + edit.text.len()));
        own.range = own.range.start + come - gone..own.range.end + come - gone;
    }
    Some(hit)
}

/// Tries the fixes of some findings of a file, each by itself; for each, why it isn't good.
pub fn prove(file: &Fixable<'_>, content: &[u8], hits: &[&Hit]) -> Vec<Result<(), String>> {
    let text = match editable(content) {
        Ok(text) => text,
        Err(why) => return vec![Err(why); hits.len()],
    };
    let before = Tried::first(file, text);
    let prove = |hit: &&Hit| {
        if file.is_reported(hit) {
            return Err(NEEDS_RUN.to_owned());
        }
        let index = before.scan.hits.iter().position(|own| own.rule == hit.rule && own.span == hit.span);
        attempt(file, &before, &[index.ok_or("it isn't found any more")?]).map(|_| ())
    };
    hits.iter().map(prove).collect()
}

/// The text of a file that edits can be made in.
fn editable(content: &[u8]) -> Result<&[u8], String> {
    match decoded(content) {
        Cow::Borrowed(text) => Ok(text),
        Cow::Owned(_) => Err("the file isn't UTF-8".to_owned()),
    }
}

/// Applies the fixes of the findings that `chosen` names, as far as they can be proved, in rounds, until nothing more can be
/// applied. The result depends only on the arguments.
pub fn fix_file(file: &Fixable<'_>, content: &[u8], chosen: &dyn Fn(&Hit) -> bool) -> FixedFile {
    let Ok(text) = editable(content) else {
        return FixedFile { content: content.to_vec(), map: LineMap::identity(), attempts: Vec::new() };
    };
    let mark = &content[..content.len() - text.len()];
    let mut now = Tried::first(file, text);
    let mut attempts: Vec<Attempt> = Vec::new();
    // Findings that are still there: which attempt each belongs to, and its index among the present hits.
    let mut open: Vec<(usize, usize)> = Vec::new();
    for (index, hit) in now.scan.hits.iter().enumerate().filter(|(_, hit)| hit.suppressed.is_none() && chosen(hit)) {
        open.push((attempts.len(), index));
        attempts.push(Attempt { hit: hit.clone(), outcome: Outcome::NoFix });
    }
    let mut map = LineMap::identity();
    let mut trials = MOST_TRIALS;
    for round in 1..=MOST_ROUNDS {
        let Ok::<_, Infallible>(kept) = keep_good(pick(&now.scan.hits, &open), |set| {
            let Some(left) = trials.checked_sub(1) else {
                return Ok(Err("too many fixes of this file aren't good".to_owned()));
            };
            trials = left;
            Ok(attempt(file, &now, set))
        });
        note_refused(&mut attempts, &open, kept.refused);
        let (Some(next), applied) = (kept.result, kept.good) else { break };
        for (attempt, index) in &open {
            if applied.contains(index) {
                attempts[*attempt].outcome = Outcome::Applied(round);
            }
        }
        let step = line_map(&now.text, &edits_of(&now.scan.hits, &applied));
        let stayed = partners(file.path, &now, &next, &step);
        open.retain_mut(|(attempt, index)| match stayed[*index] {
            _ if applied.contains(index) => false,
            Some(partner) => {
                *index = partner;
                true
            }
            None => {
                let attempt = &mut attempts[*attempt];
                attempt.outcome = if file.is_reported(&attempt.hit) {
                    Outcome::Refused("another fix changed its place; run the command again".to_owned())
                } else {
                    Outcome::GoneWith
                };
                false
            }
        });
        map = map.then(&step);
        now = next;
    }
    for (attempt, index) in &open {
        let attempt = &mut attempts[*attempt];
        if attempt.outcome == Outcome::NoFix && now.scan.hits[*index].fix.is_some() {
            attempt.outcome = Outcome::Refused("it overlaps other fixes; run the command again".to_owned());
        }
    }
    FixedFile { content: [mark, &now.text].concat(), map, attempts }
}

fn note_refused(attempts: &mut [Attempt], open: &[(usize, usize)], refused: Vec<(usize, String)>) {
    for (index, why) in refused {
        if let Some((attempt, _)) = open.iter().find(|(_, own)| *own == index) {
            attempts[*attempt].outcome = Outcome::Refused(why);
        }
    }
}

/// The open findings whose fixes don't overlap; where they do, the one that begins first wins.
fn pick(hits: &[Hit], open: &[(usize, usize)]) -> Vec<usize> {
    let mut taken: Vec<&Edit> = Vec::new();
    let mut picked = Vec::new();
    for (_, index) in open {
        let Some(fix) = &hits[*index].fix else { continue };
        if !fix.edits.iter().any(|edit| taken.iter().rev().take(64).any(|other| overlap(edit, other))) {
            taken.extend(&fix.edits);
            picked.push(*index);
        }
    }
    picked
}

/// The edits of some findings, in order.
fn edits_of(hits: &[Hit], chosen: &[usize]) -> Vec<Edit> {
    let mut edits: Vec<Edit> =
        chosen.iter().filter_map(|index| hits[*index].fix.as_ref()).flat_map(|fix| fix.edits.iter().cloned()).collect();
    edits.sort_by_key(|edit| (edit.range.start, edit.range.end));
    edits
}

/// Makes the edits of some findings and looks at the result.
fn attempt(file: &Fixable<'_>, before: &Tried, chosen: &[usize]) -> Result<Tried, String> {
    let hits = &before.scan.hits;
    if let Some(index) = chosen.iter().find(|index| hits[**index].fix.is_none()) {
        return Err(format!("the rule `{}` proposes nothing here", hits[*index].rule));
    }
    let edits = edits_of(hits, chosen);
    let after = Tried::after(file, before, chosen, &edits);
    if let Status::NotExamined(why) = &after.scan.status {
        return Err(format!("the file couldn't be examined any more: {why}"));
    }
    let errors = |scan: &FileScan| scan.syntax.as_ref().map_or(0, |syntax| syntax.errors);
    if errors(&after.scan) > errors(&before.scan) {
        return Err("the file wouldn't parse".to_owned());
    }
    let (sides, texts) = sides(file.path, before, &after, line_map(&before.text, &edits));
    for c in compare(&sides, &|_| Some(texts.clone())) {
        let (old, new) = (c.place.old.map(|(_, at)| at), c.place.new.map(|(_, at)| at));
        if let (Some(old), Some(_)) = (old, new)
            && chosen.contains(&old)
        {
            return Err("the finding would still be there".to_owned());
        }
        let Some(hit) = new.map(|at| &after.scan.hits[at]).filter(|hit| hit.suppressed.is_none()) else { continue };
        let value = |hit: &Hit| hit.figure.map(|figure| figure.value);
        let is_worse = old.is_some_and(|at| value(hit) > value(&hits[at]));
        if c.state == State::New && !file.is_reported(hit) || is_worse {
            let place = hit.start_line().map_or_else(String::new, |line| format!(" in line {line}"));
            return Err(format!("it would add a finding of `{}`{place}", hit.rule));
        }
    }
    Ok(after)
}

/// Both contents as sides of a comparison.
fn sides(path: &[u8], before: &Tried, after: &Tried, map: LineMap) -> ([FileHits; 1], Sides<Vec<u8>>) {
    let hits = FileHits {
        old_path: path.to_vec(),
        new_path: path.to_vec(),
        map,
        hits: Sides { old: before.scan.hits.clone(), new: after.scan.hits.clone() },
    };
    ([hits], Sides { old: before.text.clone(), new: after.text.clone() })
}

/// For each finding before, the one that it is after.
fn partners(path: &[u8], before: &Tried, after: &Tried, map: &LineMap) -> Vec<Option<usize>> {
    let (sides, texts) = sides(path, before, after, map.clone());
    let mut partners = vec![None; before.scan.hits.len()];
    for c in compare(&sides, &|_| Some(texts.clone())) {
        if let (Some((_, old)), Some((_, new))) = (c.place.old, c.place.new) {
            partners[old] = Some(new);
        }
    }
    partners
}
