//! Reading values that stand in many places of a rule: languages, path patterns, expressions, words of a list.

use regex::bytes::{Regex, RegexBuilder};

use super::paths::PathSet;
use super::problem::{Problems, nearest};
use super::table::{At, Table};
use crate::lang::{Class, Language};
use crate::pattern::Hole;

pub(super) fn languages(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Vec<&'static Language>> {
    let at = table.at;
    let names = table.strings("languages", p)?;
    if names.is_empty() {
        p.at(at, "`languages` is empty", Some("leave it out for all languages".into()));
    }
    let known = || crate::lang::NAMES.iter().map(|name| (*name, *name));
    let names = names.iter().filter_map(|name| one_of(name, "language", known(), p));
    // One that was left out of this build is a language in which nothing is found.
    Some(names.filter_map(Language::by_name).collect())
}

pub(super) fn path_set(table: &mut Table<'_, '_>, key: &'static str, p: &mut Problems<'_>) -> Option<PathSet> {
    let list = table.strings(key, p)?;
    match PathSet::new(list.iter().map(|pattern| pattern.value.clone()).collect()) {
        Ok(set) => Some(set),
        Err(wrong) => {
            for (pattern, why) in wrong.into_iter().filter_map(|(index, why)| Some((list.get(index)?, why))) {
                let hint = "`*` stands for anything but `/`, `**` for any folders, `{a,b}` for either".to_owned();
                p.at(pattern.at, format!("`{}` is no path pattern: {why}", pattern.value), Some(hint));
            }
            None
        }
    }
}

pub(super) fn regex(text: &At<String>, p: &mut Problems<'_>) -> Option<Regex> {
    RegexBuilder::new(&text.value).size_limit(4 << 20).build().map_err(|error| bad_regex(text, &error, p)).ok()
}

pub(super) fn bad_regex(text: &At<String>, error: &regex::Error, p: &mut Problems<'_>) {
    let why = error.to_string();
    let why = why.lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
    p.at(text.at, format!("`{}` is no regular expression: {why}", text.value), None);
}

pub(super) fn one_of<T>(
    word: &At<String>,
    what: &str,
    known: impl IntoIterator<Item = (&'static str, T)>,
    p: &mut Problems<'_>,
) -> Option<T> {
    let mut names = Vec::new();
    for (name, value) in known {
        if name == word.value {
            return Some(value);
        }
        names.push(name);
    }
    p.at(word.at, format!("`{}` is no {what}", word.value), Some(nearest(&word.value, names)));
    None
}

/// The holes that a table declares.
pub(super) fn read_holes(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Vec<Hole> {
    let mut holes = Vec::new();
    if let Some(named) = table.table("holes", p) {
        for (name, mut hole) in named.entries(p) {
            let good = |c: char| c.is_alphanumeric() || c == '_';
            if !name.chars().all(good) {
                let hint = "use a name that the language would take as an identifier, such as CALL".to_owned();
                p.at(hole.at, format!("`{name}` can't be a hole's name"), Some(hint));
            }
            let text = hole.string("text", p).and_then(|t| regex(&t, p));
            let node = hole.string("node", p).and_then(|n| one_of(&n, "node class", Class::ALL, p));
            let many = hole.flag("many", p).unwrap_or(false);
            hole.finish(p);
            holes.push(Hole { name, many, text, node });
        }
    }
    holes
}
