//! Reading what a rule looks for in a file: ways to match, and filters on their places.
//!
//! What is beside `any` holds for all that is in it: languages unless an inner table names its own, filters in
//! addition to the inner ones, and a fix where a way has none. A rule thus says once what is common, and a reader of a
//! single way has to look up, never sideways.

use std::sync::Arc;

use super::filter::{FILTER_KEYS, Filter, read_filters};
use super::fix::{FIX_KEY, check_fix, read_fix};
use super::keys::{Choice, Holds, Key, Keys};
use super::matchers::{READERS, Reader};
use super::model::Clause;
use super::problem::Problems;
use super::table::Table;
use super::values::{LANGUAGES_KEY, languages};
use crate::lang::Language;

/// What is looked for in a file.
pub(super) static CLAUSE: Keys = Keys {
    choice: Choice::One(matcher_keys),
    ..Keys::new("clause", "What to look for in a file.", || clause_keys().chain([&FIX_KEY]).collect())
};

/// The keys that ask for a way to match, and `any`.
pub(super) fn matcher_keys() -> Vec<&'static str> {
    READERS.iter().map(Reader::key).chain(["any"]).collect()
}

/// The keys of what is looked for, not counting fixes.
pub(super) fn clause_keys() -> impl Iterator<Item = &'static Key> {
    let own = READERS.iter().flat_map(|reader| reader.keys);
    own.chain([&ANY_KEY, &LANGUAGES_KEY]).chain(FILTER_KEYS.iter())
}

/// The key for several ways to match.
static ANY_KEY: Key =
    Key::new("any", Holds::Tables(&CLAUSE), "Several ways to match, each with languages and filters of its own.");

/// A table with one way to match, or with several under `any`; filters and languages beside `any` hold for all of them.
pub(super) fn read_clauses(
    table: &mut Table<'_, '_>,
    outer: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> Vec<Clause> {
    // Languages of an inner table replace those of the one around it.
    let own = if outer.is_none() || table.has("languages") { languages(table, p) } else { None };
    let languages = own.or_else(|| outer.map(<[_]>::to_vec));
    if !table.has("any") {
        return read_clause(table, languages, name, p).into_iter().collect();
    }
    let fix = read_fix(table, p);
    let mut clauses = Vec::new();
    // Tables under `any` may have `any` themselves.
    for mut inner in table.tables("any", p) {
        clauses.extend(read_clauses(&mut inner, languages.as_deref(), name, p));
        inner.finish(p);
    }
    let shared: Vec<Arc<Filter>> = read_filters(table, languages.as_deref(), p).into_iter().map(Arc::new).collect();
    // What is asked beside `any` is asked of each way, after its own filters.
    clauses.iter_mut().for_each(|clause| clause.filters.extend(shared.iter().cloned()));
    if let Some(fix) = fix {
        let shared = Arc::new(fix.value.clone());
        // A fix beside `any` must be right for every way that has none.
        for clause in clauses.iter_mut().filter(|clause| clause.fix.is_none()) {
            check_fix(&fix, &clause.matcher.placeholders(), p);
            clause.fix = Some(shared.clone());
        }
    }
    clauses
}

/// Reads one way to match with its filters and its fix; `None` after any mistake.
fn read_clause(
    table: &mut Table<'_, '_>,
    mut languages: Option<Vec<&'static Language>>,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Clause> {
    let before = p.list.len();
    // Each reader has a key of its own, by which it is chosen.
    let given: Vec<&Reader> = READERS.iter().filter(|reader| table.has(reader.key())).collect();
    let matcher = match given.as_slice() {
        [reader] => (reader.read)(table, &mut languages, name, p),
        several => {
            refuse(table, several, name, p);
            None
        }
    };
    let filters = read_filters(table, languages.as_deref(), p).into_iter().map(Arc::new).collect();
    let fix = read_fix(table, p);
    // What a fix may name is known only once the match is.
    if let (Some(fix), Some(matcher)) = (&fix, &matcher) {
        check_fix(fix, &matcher.placeholders(), p);
    }
    // Languages that were left out of this build leave a clause without any, which could never match.
    if p.list.len() > before || languages.as_ref().is_some_and(Vec::is_empty) {
        return None;
    }
    Some(Clause {
        languages: languages.unwrap_or_default(),
        matcher: matcher?,
        collection: None,
        filters,
        fix: fix.map(|fix| Arc::new(fix.value)),
    })
}

/// Notes that a table asks for nothing, or for several things at once.
fn refuse(table: &mut Table<'_, '_>, given: &[&Reader], name: &str, p: &mut Problems<'_>) {
    // So that they aren't called unknown as well.
    READERS.iter().flat_map(|reader| reader.keys).for_each(|key| table.note(key.name));
    // In the order of the manual.
    let quoted = |reader: &Reader| format!("`{}`", reader.key());
    let (what, hint) = if given.is_empty() {
        let all = READERS.iter().map(quoted).collect::<Vec<_>>().join(", ");
        (format!("{name} doesn't say what to look for"), format!("give one of {all}, or `any`"))
    } else {
        let several = given.iter().map(|reader| reader.key()).collect::<Vec<_>>().join(" and ");
        (format!("{name} gives {several} at once"), "put each into a table of its own under `any`".to_owned())
    };
    p.at(table.at, what, Some(hint));
}
