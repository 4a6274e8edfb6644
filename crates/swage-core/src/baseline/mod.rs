//! Comparing two sets of findings: which are the same, which came, which went.
//!
//! Findings are paired in fixed steps, each finding at most once, and within a step in the order of files and places, so
//! the result depends on nothing else:
//!
//! 1. the same file (renames followed) and rule, and the diff's line map takes the old place to the new one: first with
//!    the same text, then with the same identity although what a `many` hole took changed. Where the definition around it
//!    is another one, the lines around it must have stayed, too;
//! 2. the same file, rule, enclosing definition and identity; outside of all definitions, the same changed region;
//! 3. moved code: the same rule and identity elsewhere in the change, to another file or within one, when the code around
//!    it moved along (`moves`);
//! 4. for measures, the same definition by name.
//!
//! The identity of a finding is what its rule named ([`Hit::identity`]). What is left on the head is new, on the base
//! absent. Each finding is in exactly one state, so unchanged + updated + new is all at the head, and unchanged + updated +
//! absent is all at the base.
//!
//! Each step is one pass over the findings that are still open, with a table of the old side's by their keys; so the cost
//! is linear in the findings of the change's files, and the number of steps is fixed.
//!
//! What was rejected, and why:
//!
//! - pairing by line numbers alone: every line added above would make all findings below it new;
//! - pairing by the text of a finding wherever it is: a change could take a bad line out of one file, write it into
//!   another and count as having moved it. So a move must bring the code around it along;
//! - one score for how alike two findings are, with a limit: nobody could predict what a change has to do to be
//!   blamed, and a small edit elsewhere could tip a pair over.

mod moves;

use std::collections::{HashMap, HashSet};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use self::moves::{Moves, Stays};
use crate::diff::LineMap;
use crate::digest::short_digest;
use crate::ids::FindingKey;
use crate::position::LineNumber;
use crate::scan::{Hit, Span};
use crate::sides::{Side, Sides};

/// A finding's state against the baseline, in the words of SARIF 2.1.0, section 3.27.24.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum State {
    /// The change added it.
    New,
    /// It was there before, and its measure, its message or what a `many` hole took differs.
    Updated,
    /// It was there before.
    Unchanged,
    /// It is gone.
    Absent,
}

impl State {
    /// All states.
    pub const ALL: [State; 4] = [State::New, State::Updated, State::Unchanged, State::Absent];

    /// The word for it in files and output.
    pub fn word(self) -> &'static str {
        match self {
            Self::New => "new",
            Self::Updated => "updated",
            Self::Unchanged => "unchanged",
            Self::Absent => "absent",
        }
    }
}

/// The findings of one file on both sides, in the order of their places.
#[derive(Debug, Clone, Default)]
pub struct FileHits {
    /// Path before.
    pub old_path: Vec<u8>,
    /// Path after.
    pub new_path: Vec<u8>,
    /// Where lines went.
    pub map: LineMap,
    /// Its findings.
    pub hits: Sides<Vec<Hit>>,
}

impl FileHits {
    /// Its path on a side.
    pub fn path(&self, side: Side) -> &[u8] {
        match side {
            Side::Old => &self.old_path,
            Side::New => &self.new_path,
        }
    }
}

/// One finding after the comparison: the file's and the hit's index on each side where it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Compared {
    /// Its state.
    pub state: State,
    /// Where it is.
    pub place: Sides<Option<(usize, usize)>>,
}

impl Compared {
    /// The side that speaks for it, the new one where it is there, with the file's and the hit's index.
    pub fn spoken_for(&self) -> Option<(Side, (usize, usize))> {
        let on = |side: Side| Some((side, (*self.place.on(side))?));
        on(Side::New).or_else(|| on(Side::Old))
    }
}

/// Pairs the findings of both sides. `texts` gives a file's texts by its index; it is asked for those with findings that
/// may have moved, and where it has none nothing counts as moved. The order of the result: all of the head by file and
/// place, then the absent ones.
pub fn compare(files: &[FileHits], texts: &dyn Fn(usize) -> Option<Sides<Vec<u8>>>) -> Vec<Compared> {
    let mut pairing = Pairing {
        files,
        partners: Sides {
            old: files.iter().map(|f| vec![None; f.hits.old.len()]).collect(),
            new: files.iter().map(|f| vec![None; f.hits.new.len()]).collect(),
        },
    };
    let place = |f: &FileHits, h: &Hit| {
        let span = h.span?;
        let (start, end) = (f.map.to_new(span.start_line.index())?, f.map.to_new(span.end_line.index())?);
        Some(Span { start_line: LineNumber::from_index(start), end_line: LineNumber::from_index(end), ..span })
    };
    // Step 1. The line map is the diff's word, which may take a line that left for an equal one that came.
    let stays = Stays::new(files, texts);
    let in_place = |at: usize, before: &Hit, after: &Hit| stays.holds(at, before, after);
    pairing.within_if(|f, h| Some((place(f, h)?, h.exact)), |_, h| Some((h.span?, h.exact)), in_place);
    pairing.within_if(
        |f, h| Some((f.map.to_new(h.first_index()?)?, h.span?.start_column, h.identity)),
        |_, h| Some((h.first_index()?, h.span?.start_column, h.identity)),
        in_place,
    );
    // Step 2. Those of the same text first, so that it is others whose `many` holes took something else.
    for what in [|h: &Hit| (h.identity, Some(h.folded)), |h: &Hit| (h.identity, None)] {
        pairing.within(
            |f, h| Some((h.scope.clone(), region(h, |line| f.map.region_of_old(line)), what(h))),
            |f, h| Some((h.scope.clone(), region(h, |line| f.map.region_of_new(line)), what(h))),
        );
    }
    // Step 3. Only after what stayed in its file: a copy elsewhere must not take the place of what is still there.
    pairing.moved(texts);
    // Step 4. A function that is too long stays the same finding however much of it was rewritten.
    pairing.within(|_, h| h.figure.map(|_| h.scope.clone()), |_, h| h.figure.map(|_| h.scope.clone()));
    pairing.result()
}

/// The changed region that a finding outside of all definitions is in: nothing else says that it stayed in its place.
fn region(hit: &Hit, of: impl Fn(u32) -> usize) -> Option<usize> {
    if hit.scope.is_empty() { hit.first_index().map(of) } else { None }
}

/// For each finding of a file its partner on the other side: the file's and the hit's index.
type Partners = Vec<Option<(usize, usize)>>;

struct Pairing<'a> {
    files: &'a [FileHits],
    /// For each finding of a side its partner on the other.
    partners: Sides<Vec<Partners>>,
}

impl Pairing<'_> {
    /// Pairs what is left within each file, where both sides give the same key.
    fn within<K: std::hash::Hash + Eq>(
        &mut self,
        base_key: impl Fn(&FileHits, &Hit) -> Option<K>,
        head_key: impl Fn(&FileHits, &Hit) -> Option<K>,
    ) {
        self.within_if(base_key, head_key, |_, _, _| true);
    }

    /// The same where the two fit each other, by the file's index.
    fn within_if<K: std::hash::Hash + Eq>(
        &mut self,
        base_key: impl Fn(&FileHits, &Hit) -> Option<K>,
        head_key: impl Fn(&FileHits, &Hit) -> Option<K>,
        fits: impl Fn(usize, &Hit, &Hit) -> bool,
    ) {
        for (at, file) in self.files.iter().enumerate() {
            let mut open: HashMap<(&str, K), Vec<usize>> = HashMap::new();
            for (i, hit) in file.hits.old.iter().enumerate().rev() {
                if self.partners.old[at][i].is_none()
                    && let Some(key) = base_key(file, hit)
                {
                    open.entry((&hit.rule, key)).or_default().push(i);
                }
            }
            for (i, hit) in file.hits.new.iter().enumerate() {
                if self.partners.new[at][i].is_none()
                    && let Some(key) = head_key(file, hit)
                    && let Some(list) = open.get_mut(&(hit.rule.as_str(), key))
                    && let Some(partner) = list.pop_if(|partner| fits(at, &file.hits.old[*partner], hit))
                {
                    self.partners.new[at][i] = Some((at, partner));
                    self.partners.old[at][partner] = Some((at, i));
                }
            }
        }
    }

    /// Pairs what left one place with what came to another.
    fn moved(&mut self, texts: &dyn Fn(usize) -> Option<Sides<Vec<u8>>>) {
        let open = |pairs: &[Partners]| -> Vec<(usize, usize)> {
            let of = |(at, list): (usize, &Vec<Option<_>>)| {
                let open = list.iter().enumerate().filter(|(_, partner)| partner.is_none());
                open.map(|(i, _)| (at, i)).collect::<Vec<_>>()
            };
            pairs.iter().enumerate().flat_map(of).collect()
        };
        let (mut left, mut came) = (open(&self.partners.old), open(&self.partners.new));
        let base = |&(file, i): &(usize, usize)| {
            (self.files[file].hits.old[i].rule.as_str(), self.files[file].hits.old[i].identity)
        };
        let head = |&(file, i): &(usize, usize)| {
            (self.files[file].hits.new[i].rule.as_str(), self.files[file].hits.new[i].identity)
        };
        let (before, after): (HashSet<_>, HashSet<_>) =
            (left.iter().map(base).collect(), came.iter().map(head).collect());
        left.retain(|place| after.contains(&base(place)));
        came.retain(|place| before.contains(&head(place)));
        if left.is_empty() || came.is_empty() {
            return;
        }
        let wanted: HashSet<usize> = left.iter().chain(&came).map(|(file, _)| *file).collect();
        let moves = Moves::of(self.files, texts, |file| wanted.contains(&file));
        for (base, head) in moves.pairs(self.files, &left, &came) {
            self.partners.new[head.0][head.1] = Some(base);
            self.partners.old[base.0][base.1] = Some(head);
        }
    }

    fn result(self) -> Vec<Compared> {
        let mut out = Vec::new();
        for (at, file) in self.files.iter().enumerate() {
            for (i, hit) in file.hits.new.iter().enumerate() {
                let base = self.partners.new[at][i];
                let state = match base.map(|(f, b)| &self.files[f].hits.old[b]) {
                    None => State::New,
                    Some(old) if (old.figure, &old.message, old.folded) != (hit.figure, &hit.message, hit.folded) => {
                        State::Updated
                    }
                    Some(_) => State::Unchanged,
                };
                out.push(Compared { state, place: Sides { old: base, new: Some((at, i)) } });
            }
        }
        for (at, file) in self.files.iter().enumerate() {
            let gone = (0..file.hits.old.len()).filter(|&i| self.partners.old[at][i].is_none());
            out.extend(gone.map(|i| Compared { state: State::Absent, place: Sides { old: Some((at, i)), new: None } }));
        }
        out
    }
}

/// Gives every compared finding its key: sixteen hexadecimal digits of a digest of rule, path, enclosing definition,
/// identity and a number that distinguishes equal ones. A finding that was there before keeps the key that it has on the base.
pub fn keys(files: &[FileHits], compared: &[Compared]) -> Vec<FindingKey> {
    let key = |path: &[u8], hit: &Hit, number: u32| {
        let (rule, scope, identity) = (hit.rule.as_bytes(), hit.scope.as_bytes(), hit.shown_identity().to_be_bytes());
        let digest = short_digest(&[rule, path, scope, &identity, &number.to_be_bytes()]);
        FindingKey::from(format!("{digest:016x}"))
    };
    // The base first: keys that are remembered elsewhere, in decisions and threads, must not depend on what a change adds.
    let mut base_keys: HashMap<(usize, usize), FindingKey> = HashMap::new();
    let mut used = HashSet::new();
    for (at, file) in files.iter().enumerate() {
        let mut numbers: HashMap<(&str, &str, u64), u32> = HashMap::new();
        for (i, hit) in file.hits.old.iter().enumerate() {
            let number = numbers.entry((&hit.rule, &hit.scope, hit.shown_identity())).or_default();
            let name = key(&file.old_path, hit, *number);
            *number += 1;
            used.insert(name.clone());
            base_keys.insert((at, i), name);
        }
    }
    // Where to go on looking for a free number; equal findings may be many.
    let mut next: HashMap<(usize, &str, &str, u64), u32> = HashMap::new();
    let mut fresh = |at: usize, i: usize| {
        let (file, hit) = (&files[at], &files[at].hits.new[i]);
        let number = next.entry((at, &hit.rule, &hit.scope, hit.shown_identity())).or_default();
        loop {
            let name = key(&file.new_path, hit, *number);
            *number += 1;
            if used.insert(name.clone()) {
                return name;
            }
        }
    };
    compared
        .iter()
        .map(|c| match (c.place.old, c.place.new) {
            (Some(place), _) => base_keys[&place].clone(),
            (None, Some((at, i))) => fresh(at, i),
            (None, None) => FindingKey::from(""),
        })
        .collect()
}
