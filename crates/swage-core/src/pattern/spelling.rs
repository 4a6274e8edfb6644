//! What is written for holes where a name alone doesn't parse.

use std::cmp::Reverse;
use std::collections::HashSet;

use super::{Hole, Reading, in_name};
use crate::lang::Language;

/// Why a spelling has no reading.
#[derive(Debug, Default)]
pub(super) struct NoReading {
    /// How far in the pattern parsing got.
    pub furthest: usize,
    /// It parses, and this hole isn't a node of its own.
    pub lacks: Option<usize>,
    /// It parses, and a hole is the first thing in it.
    pub begins_with_hole: bool,
    /// It parses, and this is what it is read as, which doesn't match its own text.
    pub silent: Option<String>,
}

/// The text of a pattern with something written for each of its holes.
#[derive(Clone)]
pub(super) struct Spelling {
    /// The text that is parsed.
    pub text: String,
    /// For each hole, the stand-in that was written for it; `None` for its name.
    pub spelled: Vec<Option<String>>,
    /// The pattern as it was written.
    code: String,
    /// The holes by name.
    names: Vec<String>,
    /// Where each hole is in the text: first and last byte, how much was added before the end, and the hole.
    places: Vec<HoleSpan>,
}

#[derive(Clone)]
struct HoleSpan {
    start: usize,
    end: usize,
    /// How many bytes longer the text is than the pattern, up to `end`.
    grown: usize,
    hole: usize,
}

impl Spelling {
    /// Each hole as its name.
    pub fn plain(code: &str, holes: &[Hole]) -> Self {
        Self::new(code, holes.iter().map(|hole| hole.name.clone()).collect(), vec![None; holes.len()])
    }

    fn new(code: &str, names: Vec<String>, spelled: Vec<Option<String>>) -> Self {
        let mut out = Self { text: String::new(), spelled, code: code.to_owned(), names, places: Vec::new() };
        let mut rest = code;
        let mut grown = 0;
        while let Some(at) = rest.find(in_name) {
            let (before, word) = rest.split_at(at);
            let (word, after) = word.split_at(word.find(|c| !in_name(c)).unwrap_or(word.len()));
            out.text += before;
            let start = out.text.len();
            match out.names.iter().position(|name| name == word) {
                Some(hole) => {
                    let written = out.spelled[hole].as_deref().unwrap_or(word);
                    out.text += written;
                    grown += written.len().saturating_sub(word.len());
                    out.places.push(HoleSpan { start, end: out.text.len(), grown, hole });
                }
                None => out.text += word,
            }
            rest = after;
        }
        out.text += rest;
        out
    }

    /// The same with another form of one hole.
    fn with(&self, hole: usize, form: Option<&str>) -> Self {
        let mut spelled = self.spelled.clone();
        // A number that nobody writes.
        let number = (97_001 + hole).to_string();
        spelled[hole] = form.map(|form| form.replace("HOLE", &self.names[hole]).replace("NUMBER", &number));
        Self::new(&self.code, self.names.clone(), spelled)
    }

    /// An offset in the text as one in the pattern as it was written.
    pub fn in_pattern(&self, offset: usize) -> usize {
        let before = self.places.iter().rfind(|place| place.end <= offset);
        offset.saturating_sub(before.map_or(0, |place| place.grown)).min(self.code.len())
    }

    /// The holes that may be why parsing failed: those that begin before an offset in the pattern, the last first, or the
    /// first of all.
    fn holes_before(&self, offset: usize) -> Vec<usize> {
        let mut holes = Vec::new();
        let before = self.places.iter().rev().filter(|place| self.in_pattern(place.start) <= offset);
        for place in before.chain(self.places.first()) {
            if !holes.contains(&place.hole) {
                holes.push(place.hole);
            }
        }
        holes
    }

    /// The same with a declaration for the first hole in the head of a `for`, which is an expression as it is.
    pub fn with_for_declaration(&self, language: &Language) -> Option<Self> {
        let form = language.for_declaration?;
        let first = self.places.iter().find(|place| {
            let head = self.text[..place.start].trim_end().strip_suffix('(').map(str::trim_end);
            head.is_some_and(|head| head.ends_with("for")) && self.text[place.end..].trim_start().starts_with(';')
        })?;
        Some(self.with(first.hole, Some(form)))
    }
}

/// How many spellings are tried one by one, guided by how far each gets, and how many in plain order after that.
const GUIDED: usize = 150;
const IN_ORDER: usize = 512;

/// Looks for stand-ins with which a pattern parses. Where parsing fails shows which hole to spell otherwise, so that a
/// pattern of many holes takes about as many tries as it has holes and stand-ins; where that leads nowhere, all spellings
/// of few holes are tried, those with the fewest stand-ins first.
pub(super) fn search(
    plain: &Spelling,
    language: &Language,
    mut read: impl FnMut(&Spelling) -> Result<Vec<Reading>, NoReading>,
) -> Option<(Spelling, Vec<Reading>)> {
    if language.stand_ins.is_empty() || plain.names.is_empty() {
        return None;
    }
    let mut seen = HashSet::new();
    guided(plain.clone(), GUIDED, language, &mut seen, &mut read).or_else(|| {
        in_order(plain.names.len(), language.stand_ins.len()).into_iter().find_map(|forms| {
            let spelling = forms.iter().enumerate().fold(plain.clone(), |spelling, (hole, form)| {
                spelling.with(hole, form.map(|form| language.stand_ins[form]))
            });
            let fresh = seen.insert(spelling.spelled.clone());
            fresh.then(|| read(&spelling).ok()).flatten().map(|readings| (spelling, readings))
        })
    })
}

/// The same with few tries, for what parses already and may mean something else.
pub(super) fn guided_search(
    plain: &Spelling,
    language: &Language,
    mut read: impl FnMut(&Spelling) -> Result<Vec<Reading>, NoReading>,
) -> Option<(Spelling, Vec<Reading>)> {
    let any = !language.stand_ins.is_empty() && !plain.names.is_empty();
    any.then(|| guided(plain.clone(), 8 * plain.names.len(), language, &mut HashSet::new(), &mut read)).flatten()
}

/// Looks for other readings of a pattern that parses as it is, with a stand-in for one of its runs.
pub(super) fn otherwise(
    plain: &Spelling,
    holes: &[Hole],
    language: &Language,
    mut read: impl FnMut(&Spelling) -> Result<Vec<Reading>, NoReading>,
) -> Option<Vec<Reading>> {
    let runs = (0..holes.len()).rev().filter(|hole| holes[*hole].many);
    let mut starts = runs.flat_map(|hole| language.stand_ins.iter().map(move |form| plain.with(hole, Some(form))));
    starts.find_map(|start| {
        let tries = 4 * holes.len();
        guided(start, tries, language, &mut HashSet::new(), &mut read).map(|(_, readings)| readings)
    })
}

fn guided(
    start: Spelling,
    tries: usize,
    language: &Language,
    seen: &mut HashSet<Vec<Option<String>>>,
    read: &mut impl FnMut(&Spelling) -> Result<Vec<Reading>, NoReading>,
) -> Option<(Spelling, Vec<Reading>)> {
    // How far each came from, and how many holes before the one where that failed it changes.
    let mut open = vec![((0, Reverse(0)), start)];
    for _ in 0..tries {
        // The one that got furthest; among those, the earliest found.
        let best = (0..open.len()).rev().max_by_key(|index| open[*index].0)?;
        let (_, spelling) = open.remove(best);
        if !seen.insert(spelling.spelled.clone()) {
            continue;
        }
        match read(&spelling) {
            Ok(readings) => return Some((spelling, readings)),
            Err(why) => {
                for (back, hole) in spelling.holes_before(why.furthest).into_iter().enumerate() {
                    let forms = std::iter::once(None).chain(language.stand_ins.iter().copied().map(Some));
                    open.extend(forms.map(|form| ((why.furthest, Reverse(back)), spelling.with(hole, form))));
                }
            }
        }
    }
    None
}

/// Which holes to write as which stand-in, fewest first; not all ways of many holes.
fn in_order(holes: usize, forms: usize) -> Vec<Vec<Option<usize>>> {
    let mut all: Vec<Vec<Option<usize>>> = vec![Vec::new()];
    for _ in 0..holes {
        let more = |list: &Vec<Option<usize>>| {
            let list = list.clone();
            std::iter::once(None).chain((0..forms).map(Some)).map(move |form| [&list[..], &[form]].concat())
        };
        all = all.iter().flat_map(more).take(IN_ORDER).collect();
    }
    all.sort_by_key(|list| list.iter().flatten().count());
    all.retain(|list| list.iter().any(Option::is_some));
    all
}
