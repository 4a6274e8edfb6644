//! From places of one kind to a pattern that covers them all, and to what was made of them.

use std::collections::HashMap;
use std::ops::Range;

use super::differ::Instance;
use super::piece::Piece;
use super::{Learned, LearnedFix, Pair};
use crate::lang::Language;

/// The places from which a rule is learned, each with the pair that it is in.
pub(super) struct Generaliser<'a> {
    pub pairs: &'a [Pair],
    pub instances: &'a [(usize, Instance)],
}

/// A part of the first place that becomes a hole, in bytes of its file.
struct Gap {
    range: Range<usize>,
    /// What it takes in each place.
    texts: Vec<String>,
    many: bool,
    /// What to call it.
    base: &'static str,
}

impl Generaliser<'_> {
    pub fn run(&self, doubts: &mut Vec<String>) -> Result<Learned, String> {
        let (pair, first) = &self.instances[0];
        let source = &self.pairs[*pair].before;
        let befores: Vec<&Piece> = self.instances.iter().map(|(_, instance)| &instance.before).collect();
        let mut gaps = Vec::new();
        let whole = differing(&befores, &mut gaps);
        if !whole {
            return Err("the places have nothing in common that a pattern could say".to_owned());
        }
        if let [only] = befores[..]
            && gaps.is_empty()
        {
            if let Some(after) = &first.after {
                kept(only, after, &mut gaps);
            }
            let holes = if gaps.is_empty() { "has no holes" } else { "guesses which parts may differ" };
            doubts.push(format!("it was seen in one place only, so the pattern {holes}; give another pair to be sure"));
        }
        let names = names(&gaps, &first.before.text);
        let pattern =
            filled(source, &first.before.range, gaps.iter().zip(&names).map(|(gap, name)| (&gap.range, name.clone())));
        let mut holes: Vec<(String, bool)> =
            gaps.iter().zip(&names).map(|(gap, name)| (name.clone(), gap.many)).collect();
        holes.sort();
        holes.dedup();
        let fix = match &first.after {
            None => Some(LearnedFix::Remove),
            Some(after) => self.rewrite(after, &gaps, &names),
        };
        if fix.is_none() {
            doubts.push("the code after doesn't follow from the code before, so there is no fix".to_owned());
        }
        let language = Language::of(self.pairs[*pair].path.as_bytes(), source).ok_or("the language isn't known")?;
        Ok(Learned { language, pattern, holes, fix, places: 0, doubts: Vec::new() })
    }

    /// The code after, with the holes of the code before; `None` when it holds something else that differs.
    fn rewrite(&self, after: &Piece, gaps: &[Gap], names: &[String]) -> Option<LearnedFix> {
        let afters: Vec<&Piece> = self.instances.iter().filter_map(|(_, instance)| instance.after.as_ref()).collect();
        let mut parts = Vec::new();
        let mut differing_parts = Vec::new();
        if !differing(&afters, &mut differing_parts) {
            return None;
        }
        for part in differing_parts {
            let at = gaps.iter().position(|gap| gap.texts == part.texts)?;
            parts.push((part.range, format!("{{{}}}", names[at])));
        }
        if self.instances.len() == 1 {
            // What was kept, outermost first.
            for piece in after.all() {
                let inside = parts.iter().any(|(range, _): &(Range<usize>, String)| {
                    range.start <= piece.range.start && piece.range.end <= range.end
                });
                let gap = gaps.iter().position(|gap| piece.is_named && gap.texts[0] == piece.text);
                if let (false, Some(at)) = (inside, gap) {
                    parts.push((piece.range.clone(), format!("{{{}}}", names[at])));
                }
            }
            parts.sort_by_key(|(range, _)| range.start);
        }
        let source = &self.pairs[self.instances[0].0].after;
        // Braces that are code must not be read as holes.
        let text = filled(source, &after.range, parts.iter().map(|(range, name)| (range, format!("\u{1}{name}\u{2}"))));
        let text = text.replace('{', "{ ").replace("\u{1}{ ", "{").replace('\u{2}', "");
        Some(LearnedFix::Rewrite(text))
    }
}

/// Gathers the smallest parts in which places differ; false when they differ as a whole.
fn differing(places: &[&Piece], gaps: &mut Vec<Gap>) -> bool {
    let first = places[0];
    if places.iter().all(|place| place.text == first.text && place.kind == first.kind) {
        return true;
    }
    if places.iter().any(|place| place.kind != first.kind || place.children.is_empty()) {
        return false;
    }
    if places.iter().all(|place| place.children.len() == first.children.len()) {
        for index in 0..first.children.len() {
            let inner: Vec<&Piece> = places.iter().map(|place| &place.children[index]).collect();
            let mut own = Vec::new();
            if differing(&inner, &mut own) {
                gaps.extend(own);
            } else if inner.iter().all(|piece| piece.is_named && !piece.holds_arguments) {
                let texts = inner.iter().map(|piece| piece.text.clone()).collect();
                let base = base(inner[0], first);
                gaps.push(Gap { range: inner[0].range.clone(), texts, many: false, base });
            } else {
                return false;
            }
        }
        return true;
    }
    // Lists of several lengths: what they begin and end with alike stays, the rest is a run.
    if !(first.holds_arguments || first.holds_statements) {
        return false;
    }
    let lists: Vec<Vec<&Piece>> = places.iter().map(|place| place.named().collect()).collect();
    let shortest = lists.iter().map(Vec::len).min().unwrap_or(0);
    let same = |index: &usize| lists.iter().all(|list| list[*index].text == lists[0][*index].text);
    let alike = (0..shortest).take_while(same).count();
    let last = |list: &[&Piece], index: usize| list[list.len() - 1 - index].text.clone();
    let ends = |index: &usize| lists.iter().all(|list| last(list, *index) == last(&lists[0], *index));
    let end = (0..shortest - alike).take_while(ends).count();
    let run = |list: &[&Piece]| {
        let run = list[alike..list.len() - end].iter().map(|piece| piece.text.as_str());
        run.collect::<Vec<_>>().join(", ")
    };
    let texts = lists.iter().map(|list| run(list)).collect();
    let own = &lists[0][alike..lists[0].len() - end];
    let Some((from, to)) = own.first().zip(own.last()) else { return false };
    let base = if first.holds_arguments { "ARGS" } else { "BODY" };
    gaps.push(Gap { range: from.range.start..to.range.end, texts, many: true, base });
    true
}

/// Values of a single place that were kept: arguments, and the bodies of blocks.
fn kept(before: &Piece, after: &Piece, gaps: &mut Vec<Gap>) {
    let known: Vec<&str> = after.all().into_iter().filter(|p| p.is_named).map(|p| p.text.as_str()).collect();
    let mut open = vec![before];
    while let Some(piece) = open.pop() {
        for child in piece.named() {
            if piece.holds_arguments && known.contains(&child.text.as_str()) {
                let texts = vec![child.text.clone()];
                gaps.push(Gap { range: child.range.clone(), texts, many: false, base: base(child, piece) });
            } else {
                open.push(child);
            }
        }
    }
    gaps.sort_by_key(|gap| gap.range.start);
}

/// What to call a hole in the place of a piece.
fn base(piece: &Piece, parent: &Piece) -> &'static str {
    match () {
        () if parent.holds_arguments => "ARG",
        () if piece.holds_statements => "BODY",
        () if piece.is_call => "CALL",
        () if piece.children.is_empty() && piece.text.starts_with(|c: char| c.is_ascii_digit()) => "NUMBER",
        () if piece.text.starts_with(['"', '\'', '`']) => "TEXT",
        () if piece.children.is_empty() => "NAME",
        () => "PART",
    }
}

/// The name of each gap: the same for those that take the same texts, and none that is in the code.
fn names(gaps: &[Gap], code: &str) -> Vec<String> {
    let mut given: HashMap<&Vec<String>, String> = HashMap::new();
    let mut used: HashMap<&str, usize> = HashMap::new();
    let name = |gap| {
        let Gap { texts, base, .. }: &Gap = gap;
        given
            .entry(texts)
            .or_insert_with(|| {
                let n = used.entry(base).or_default();
                loop {
                    *n += 1;
                    let name = if *n == 1 { (*base).to_owned() } else { format!("{base}{n}") };
                    if !code.split(' ').any(|word| word == name) {
                        break name;
                    }
                }
            })
            .clone()
    };
    gaps.iter().map(name).collect()
}

/// The text of a range, with parts of it replaced, and lines after the first indented as if it began its line.
fn filled<'r>(source: &[u8], range: &Range<usize>, parts: impl Iterator<Item = (&'r Range<usize>, String)>) -> String {
    let (mut out, mut from) = (String::new(), range.start);
    for (part, text) in parts {
        if part.start < from {
            continue;
        }
        out += &String::from_utf8_lossy(&source[from..part.start]);
        out += &text;
        from = part.end;
    }
    out += &String::from_utf8_lossy(&source[from..range.end]);
    let line = source[..range.start].iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
    let indent = source[line..range.start].iter().take_while(|b| b.is_ascii_whitespace()).count();
    let lines = out.trim_end().lines().enumerate().map(|(at, text)| {
        let blank = text.len() - text.trim_start().len();
        if at == 0 { text } else { &text[blank.min(indent)..] }
    });
    lines.collect::<Vec<_>>().join("\n")
}
