//! Reading what a link collects and demands.

use super::clauses::{clause_keys, read_clauses, ways};
use super::fix::FIX_KEY;
use super::keys::{Choice, Holds, Key, Keys, words};
use super::link::{Collection, FileOf, Link, Meeting, Within};
use super::model::Clause;
use super::problem::{At, Problems, nearest};
use super::table::Table;
use super::values::{PATH_KEYS, one_of, path_set};
use crate::lang::Language;

/// The names that a clause captures texts under and that can decide whether facts meet.
fn hole_names(clause: &Clause) -> Vec<String> {
    clause.matcher.captures().into_iter().map(str::to_owned).collect()
}

/// The word for the file that a fact stands in.
const OWN: &str = "own";

/// What is collected from files and compared.
pub(super) static LINK: Keys = Keys {
    choice: Choice::One(|| vec!["must_meet", "must_not_meet", "unique"]),
    ..Keys::new("link", "What to collect from files, and what is demanded of it.", || {
        LINK_KEYS.iter().chain([&WITHIN]).collect()
    })
};
static LINK_KEYS: [Key; 8] = [
    Key::required("collect", Holds::Named(&COLLECTION, 1), "Named sets of facts."),
    Key::required("each", Holds::String, "The set whose facts are judged."),
    Key::new("must_meet", Holds::String, "The set of which each must meet one."),
    Key::new("must_not_meet", Holds::String, "The set of which each must meet none."),
    Key::new("unique", Holds::True, "No two facts of `each` may meet."),
    Key::new("unless_meets", Holds::Strings, "The sets whose facts excuse those that they meet."),
    Key::new("max_files", Holds::Number, "Facts at fault in more files than this are left alone."),
    Key::new("on", Holds::Strings, "The holes whose texts must be equal; those that all sets have when left out."),
];
static WITHIN: Key = Key::new("within", Holds::OneOf(|| words(&REACHES)), "How far apart facts may be.");
static COLLECTION: Keys = Keys {
    choice: Choice::One(ways),
    ..Keys::new("collection", "A set of facts.", || {
        clause_keys().chain([&FIX_KEY]).chain(&COLLECTION_KEYS).chain(&PATH_KEYS).chain([&WITHIN]).collect()
    })
};
static COLLECTION_KEYS: [Key; 3] = [
    Key::new("says", Holds::String, "What a finding says of a fact that it also names."),
    Key::new("removed", Holds::Flag, "Only facts that the change took away."),
    Key::new(
        "file",
        Holds::String,
        "Which file its facts are about: \"own\", or a hole that takes a path or a dotted name.",
    ),
];
const REACHES: [(&str, Within); 3] = [("tree", Within::Tree), ("directory", Within::Directory), ("file", Within::File)];

/// Reads a match with `collect`.
pub(super) fn read_link(
    table: &mut Table<'_, '_>,
    outer: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<(Vec<Clause>, Link)> {
    let before = p.list.len();
    let (mut clauses, mut collections) = (Vec::new(), Vec::new());
    let mut holes: Vec<Vec<String>> = Vec::new();
    let mut files: Vec<Option<At<String>>> = Vec::new();
    for (word, mut inner) in table.table("collect", p)?.entries(p) {
        let index = collections.len();
        let says = inner.string("says", p).map_or_else(|| word.replace(['-', '_'], " "), |s| s.value);
        let (paths, skip_paths) = (path_set(&mut inner, "paths", p), path_set(&mut inner, "skip_paths", p));
        let removed = inner.flag("removed", p).unwrap_or(false);
        let within = read_within(&mut inner, p);
        let file = inner.string("file", p);
        let mut own = read_clauses(&mut inner, outer, &format!("the collection `{word}` of {name}"), p);
        let mut names: Option<Vec<String>> = None;
        for clause in &mut own {
            clause.collection = Some(index);
            if clause.fix.take().is_some() {
                let hint = "give it to a rule that looks at one file".to_owned();
                p.at(inner.at, "what is collected for a link can't have a fix", Some(hint));
            }
            let these = hole_names(clause);
            names = Some(match names {
                None => these,
                Some(names) => names.into_iter().filter(|n| these.contains(n)).collect(),
            });
        }
        let names = names.unwrap_or_default();
        if let Some(named) = file.as_ref().filter(|f| f.value != OWN && !names.contains(&f.value)) {
            let hint = format!("write \"{OWN}\" for the file of the fact itself, or name a hole that holds its name");
            p.at(named.at, format!("the hole `{}` isn't in all of `{word}`", named.value), Some(hint));
        }
        holes.push(names);
        files.push(file);
        inner.finish(p);
        clauses.extend(own);
        collections.push(Collection {
            name: word,
            says,
            paths,
            skip_paths,
            within,
            removed,
            file: None,
            of_file_only: false,
        });
    }
    let names = || collections.iter().map(|c| c.name.as_str());
    let named = |word: &At<String>, p: &mut Problems<'_>| {
        let index = names().position(|n| n == word.value);
        if index.is_none() {
            p.at(word.at, format!("nothing is collected as `{}`", word.value), Some(nearest(&word.value, names())));
        }
        index
    };
    let find = |key: &'static str, table: &mut Table<'_, '_>, p: &mut Problems<'_>| {
        table.string(key, p).and_then(|word| named(&word, p))
    };
    if !table.has("each") {
        let hint = "name the collection whose facts are judged".to_owned();
        p.at(table.at, format!("{name} collects facts and needs `each`"), Some(hint));
    }
    let each = find("each", table, p);
    let (must, must_not) = (find("must_meet", table, p), find("must_not_meet", table, p));
    let unique = table.flag("unique", p).unwrap_or(false);
    let unless = table.strings("unless_meets", p).unwrap_or_default();
    let unless: Vec<usize> = unless.iter().filter_map(|word| named(word, p)).collect();
    let demand = match (must, must_not, unique) {
        (Some(other), None, false) => Some(Meeting::Must(other)),
        (None, Some(other), false) => Some(Meeting::MustNot(other)),
        (None, None, true) => Some(Meeting::Unique),
        _ if p.list.len() > before => None,
        _ => {
            let hint = "give one of `must_meet`, `must_not_meet` and `unique = true`".to_owned();
            p.at(table.at, format!("{name} must say what it demands of each fact"), Some(hint));
            None
        }
    };
    let within = read_within(table, p).unwrap_or(Within::Tree);
    let max_files = table.number("max_files", p).map(|n| n.value);
    let on = table.strings("on", p);
    if p.list.len() > before {
        return None;
    }
    let each = each?;
    for &index in unless.iter().filter(|index| holes[**index].is_empty() && files[**index].is_some()) {
        collections[index].of_file_only = true;
    }
    let with_texts = unless.iter().copied().filter(|index| !collections[*index].of_file_only);
    let others: Vec<usize> = [Some(each), must, must_not].into_iter().flatten().chain(with_texts).collect();
    let shared = |hole: &String| others.iter().all(|index| holes[*index].contains(hole));
    let of_files: Vec<&String> = files.iter().flatten().map(|f| &f.value).filter(|name| *name != OWN).collect();
    let on: Vec<String> = match on {
        None => holes[each].iter().filter(|h| shared(h) && !of_files.contains(h)).cloned().collect(),
        Some(named) => {
            for hole in named.iter().filter(|h| !shared(&h.value)) {
                let hint = "every way of the collections that meet must have it".to_owned();
                p.at(hole.at, format!("the hole `{}` isn't in all of what meets", hole.value), Some(hint));
            }
            named.into_iter().map(|h| h.value).collect()
        }
    };
    if on.is_empty() {
        let hint = "give both sides a hole of the same name".to_owned();
        p.at(table.at, format!("the collections of {name} share no hole to join on"), Some(hint));
    }
    let mut kept = on.clone();
    for (collection, file) in collections.iter_mut().zip(files) {
        collection.file = file.map(|file| {
            if file.value == OWN {
                return FileOf::Own;
            }
            let at = kept.iter().position(|name| *name == file.value).unwrap_or_else(|| {
                kept.push(file.value);
                kept.len() - 1
            });
            FileOf::Kept(at)
        });
    }
    (p.list.len() == before)
        .then_some((clauses, Link { collections, each, demand: demand?, unless, kept, on, within, max_files }))
}

fn read_within(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Within> {
    table.string("within", p).and_then(|word| one_of(&word, "reach of a link", REACHES, p))
}
