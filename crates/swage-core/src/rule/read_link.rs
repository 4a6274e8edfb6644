//! Reading what a link collects and demands.
//!
//! A link is read in two passes. First the collections, each with its own ways to match, because what facts can be joined
//! on is what every way of every collection that meets captures. Then what is demanded, which refers to collections by
//! name.
//!
//! Faults in one collection don't keep the others from being read, but they end the second pass early: whether a name is
//! missing or misspelt can't be said while half of the names are unknown.

use super::clauses::{clause_keys, matcher_keys, read_clauses};
use super::fix::FIX_KEY;
use super::keys::{Choice, Holds, Key, Keys, words};
use super::link::{Collection, FileOf, IMPORTED_FROM, Link, Meeting, Within};
use super::model::Clause;
use super::problem::{At, Problems, nearest};
use super::table::Table;
use super::values::{PATH_KEYS, one_of, path_set};
use crate::lang::Language;

/// The names that a clause captures texts under and that can decide whether facts meet.
fn hole_names(clause: &Clause) -> Vec<String> {
    clause.matcher.captures().into_iter().map(str::to_owned).collect()
}

/// The word for the file that a fact is in.
const OWN: &str = "own";

/// What is collected from files and compared.
pub(super) static LINK: Keys = Keys {
    choice: Choice::One(|| vec!["must_meet", "must_not_meet", "unique"]),
    ..Keys::new("link", "What to collect from files, and what is demanded of it.", || {
        LINK_KEYS.iter().chain([&WITHIN]).collect()
    })
};
/// The keys of a link, beside `within`.
static LINK_KEYS: [Key; 8] = [
    Key::required("collect", Holds::Named(&COLLECTION, 1), "Named sets of facts."),
    Key::required("each", Holds::String, "The set whose facts are judged."),
    Key::new("must_meet", Holds::String, "The set of which each must meet one."),
    Key::new("must_not_meet", Holds::String, "The set of which each must meet none."),
    Key::new("unique", Holds::True, "No two facts of `each` may meet."),
    Key::new("unless_meets", Holds::Strings, "The sets whose facts excuse those that they meet."),
    Key::new("max_files", Holds::Number, "Facts at fault in more files than this are skipped."),
    Key::new("on", Holds::Strings, "The holes whose texts must be equal; those that all sets have when left out."),
];
/// The reach of a link, and of a set of facts in it.
static WITHIN: Key = Key::new("within", Holds::OneOf(|| words(&REACHES)), "How far apart facts may be.");
/// A set of facts: how they are found, and what they say.
static COLLECTION: Keys = Keys {
    choice: Choice::One(matcher_keys),
    ..Keys::new("collection", "A set of facts.", || {
        clause_keys().chain([&FIX_KEY]).chain(&COLLECTION_KEYS).chain(&PATH_KEYS).chain([&WITHIN]).collect()
    })
};
/// The keys of a set of facts, beside those of a match.
static COLLECTION_KEYS: [Key; 4] = [
    Key::new("says", Holds::String, "What a finding says of a fact that it also names."),
    Key::new("removed", Holds::Flag, "Only facts that the change took away."),
    Key::new(
        "file",
        Holds::String,
        "Which file its facts are about: \"own\", or a hole that takes a path or a dotted name.",
    ),
    Key::new(
        "imported",
        Holds::String,
        "A hole that takes a name that the file may import: its facts are about the file that the import names.",
    ),
];
/// The words for reaches.
const REACHES: [(&str, Within); 3] = [("tree", Within::Tree), ("directory", Within::Directory), ("file", Within::File)];

/// What is under `collect`, with what each collection can be joined on.
#[derive(Default)]
struct Collected {
    clauses: Vec<Clause>,
    collections: Vec<Collection>,
    /// For each collection the holes that every way of finding its facts has.
    holes: Vec<Vec<String>>,
    /// For each collection what says which file its facts are about.
    files: Vec<Option<At<String>>>,
}

/// Reads the collections of a link. Long because what is asked of one needs the holes of all its ways to match.
fn read_collections(
    table: &mut Table<'_, '_>,
    outer: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Collected> {
    let mut found = Collected::default();
    for (word, mut inner) in table.table("collect", p)?.entries(p) {
        // Clauses refer to their collection by this index.
        let index = found.collections.len();
        // Without words of its own a collection is called by its name.
        let says = inner.string("says", p).map_or_else(|| word.replace(['-', '_'], " "), |s| s.value);
        // Declarations and uses often are in different kinds of files.
        let (paths, skip_paths) = (path_set(&mut inner, "paths", p), path_set(&mut inner, "skip_paths", p));
        let removed = inner.flag("removed", p).unwrap_or(false);
        // A collection may reach less far than the link.
        let within = read_within(&mut inner, p);
        let mut file = inner.string("file", p);
        let imported = inner.string("imported", p);
        let mut own = read_clauses(&mut inner, outer, &format!("the collection `{word}` of {name}"), p);
        let mut names: Option<Vec<String>> = None;
        for clause in &mut own {
            clause.collection = Some(index);
            if clause.fix.take().is_some() {
                let hint = "give it to a rule that looks at one file".to_owned();
                p.at(inner.at, "what is collected for a link can't have a fix", Some(hint));
            }
            // Facts of two clauses can be joined only on what both capture.
            let these = hole_names(clause);
            names = Some(match names {
                None => these,
                Some(names) => names.into_iter().filter(|n| these.contains(n)).collect(),
            });
        }
        let names = names.unwrap_or_default();
        // A hole that only some ways have would leave the others' facts without a file.
        if let Some(named) = file.as_ref().filter(|f| f.value != OWN && !names.contains(&f.value)) {
            let hint = format!("write \"{OWN}\" for the file of the fact itself, or name a hole that holds its name");
            p.at(named.at, format!("the hole `{}` isn't in all of `{word}`", named.value), Some(hint));
        }
        if let Some(imported) = &imported {
            if !names.contains(&imported.value) {
                let hint = "name a hole that every way of finding its facts has".to_owned();
                p.at(imported.at, format!("the hole `{}` isn't in all of `{word}`", imported.value), Some(hint));
            }
            if let Some(file) = &file {
                let hint = "leave out `file`: the import names it".to_owned();
                p.at(
                    file.at,
                    format!("`imported` already says which file the facts of `{word}` are about"),
                    Some(hint),
                );
            }
            file = Some(At { value: IMPORTED_FROM.to_owned(), at: imported.at });
        }
        found.holes.push(names);
        found.files.push(file);
        inner.finish(p);
        found.clauses.extend(own);
        found.collections.push(Collection {
            name: word,
            says,
            paths,
            skip_paths,
            within,
            removed,
            imported: imported.map(|hole| hole.value),
            file: None,
            of_file_only: false,
        });
    }
    Some(found)
}

/// Reads a match with `collect`. Long because what is demanded names collections, and what they are joined on follows from both.
pub(super) fn read_link(
    table: &mut Table<'_, '_>,
    outer: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<(Vec<Clause>, Link)> {
    // Reading goes on after a mistake, so that all of them show at once; nothing is returned then.
    let before = p.list.len();
    let Collected { clauses, mut collections, holes, files } = read_collections(table, outer, name, p)?;
    // The demands name collections, which are known only now.
    let names = || collections.iter().map(|c| c.name.as_str());
    // The index of a collection by name, or a mistake with the nearest one.
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
    // Said here and not by the reader of keys, which doesn't know the rule's name.
    if !table.has("each") {
        let hint = "name the collection whose facts are judged".to_owned();
        p.at(table.at, format!("{name} collects facts and needs `each`"), Some(hint));
    }
    let each = find("each", table, p);
    let (must, must_not) = (find("must_meet", table, p), find("must_not_meet", table, p));
    let unique = table.flag("unique", p).unwrap_or(false);
    let unless = table.strings("unless_meets", p).unwrap_or_default();
    // A misspelt excuse is a mistake: left out, it would excuse nothing.
    let unless: Vec<usize> = unless.iter().filter_map(|word| named(word, p)).collect();
    // Exactly one demand; two would contradict or repeat each other.
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
    // From here on everything that is named exists.
    if p.list.len() > before {
        return None;
    }
    let each = each?;
    // An excuse without holes excuses by its file alone.
    for &index in unless.iter().filter(|index| holes[**index].is_empty() && files[**index].is_some()) {
        collections[index].of_file_only = true;
    }
    // Every collection that meets another must have what they are joined on.
    let with_texts = unless.iter().copied().filter(|index| !collections[*index].of_file_only);
    let others: Vec<usize> = [Some(each), must, must_not].into_iter().flatten().chain(with_texts).collect();
    let shared = |hole: &String| others.iter().all(|index| holes[*index].contains(hole));
    // `./berths` and `../quay/berths` are texts that differ and may be one file.
    let of_files: Vec<&String> = files.iter().flatten().map(|f| &f.value).filter(|name| *name != OWN).collect();
    let on: Vec<String> = match on {
        // Left out, everything that all have joins; what names a file is compared as a file.
        None => holes[each].iter().filter(|h| shared(h) && !of_files.contains(h)).cloned().collect(),
        Some(named) => {
            for hole in named.iter().filter(|h| !shared(&h.value)) {
                let hint = "every way of the collections that meet must have it".to_owned();
                p.at(hole.at, format!("the hole `{}` isn't in all of what meets", hole.value), Some(hint));
            }
            named.into_iter().map(|h| h.value).collect()
        }
    };
    // Without anything to join on, every fact would meet every other.
    if on.is_empty() {
        let hint = "give both sides a hole of the same name".to_owned();
        p.at(table.at, format!("the collections of {name} share no hole to join on"), Some(hint));
    }
    // Facts keep the texts that decide first, then those that name files, then those of the message.
    let mut kept = on.clone();
    for (collection, file) in collections.iter_mut().zip(files) {
        // The hole is replaced by its place among the kept texts.
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

/// The reach, when it is given.
fn read_within(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Within> {
    table.string("within", p).and_then(|word| one_of(&word, "reach of a link", REACHES, p))
}
