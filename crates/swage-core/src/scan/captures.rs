//! What matches say: the texts of holes and groups, and messages filled with them.

use std::ops::Range;

use super::text_formats;
use crate::rule::{Clause, Hole, NodeTest, Relation, Rule, TextMatch};

/// What the named groups of an expression take in a match.
pub(super) fn groups(text: &TextMatch, source: &[u8], range: &Range<usize>) -> Vec<(String, String)> {
    if text.regex.captures_len() == 1 {
        return Vec::new();
    }
    let Some(found) = text.regex.captures_at(source, range.start) else { return Vec::new() };
    let names = text.regex.capture_names().flatten();
    let named = names.filter_map(|name| Some((name, found.name(name)?)));
    named.map(|(name, m)| (name.to_owned(), String::from_utf8_lossy(m.as_bytes()).into_owned())).collect()
}

/// Whether a text is one that the clause must not match.
pub(super) fn is_excused(clause: &Clause, text: &[u8]) -> bool {
    let mut places = clause.filters.iter().filter(|f| f.relation == Relation::Unless).flat_map(|f| &f.any);
    places.any(|place| matches!(&place.what, NodeTest::Text(regex) if regex.is_match(text)))
}

/// The place of a match: its group `here`, or all of it; `None` when that isn't of the form that it must have, or is what
/// it must not be.
pub(super) fn place_of(clause: &Clause, text: &TextMatch, source: &[u8], range: &Range<usize>) -> Option<Range<usize>> {
    let named = text.regex.captures_len() > 1 && text.regex.capture_names().flatten().any(|name| name == "here");
    let here = named.then(|| text.regex.captures_at(source, range.start)?.name("here").map(|m| m.range()));
    let place = here.flatten().unwrap_or_else(|| range.clone());
    let found = &source[place.clone()];
    let random = text.min_entropy.is_none_or(|least| text_formats::entropy(found) >= least);
    (random && !is_excused(clause, found) && text.form.is_none_or(|form| text_formats::is_of(form, found)))
        .then_some(place)
}

/// What holes took, as texts.
pub(super) fn texts(source: &[u8], holes: &[Hole], taken: &[Option<Range<usize>>]) -> Vec<(String, String)> {
    let taken = holes.iter().zip(taken).filter_map(|(hole, range)| Some((hole, source.get(range.clone()?)?)));
    taken.map(|(hole, text)| (hole.name.clone(), String::from_utf8_lossy(text).into_owned())).collect()
}

pub(super) fn fill_named(rule: &Rule, source: &[u8], range: &Range<usize>, texts: &[(String, String)]) -> String {
    rule.say(|gap| match gap {
        "match" => Some(String::from_utf8_lossy(&source[range.clone()]).into_owned()),
        name => texts.iter().find(|(hole, _)| hole == name).map(|(_, text)| text.clone()),
    })
}

pub(super) fn fill_plain(rule: &Rule, source: &[u8], range: &Range<usize>) -> String {
    rule.say(|gap| (gap == "match").then(|| String::from_utf8_lossy(&source[range.clone()]).into_owned()))
}
