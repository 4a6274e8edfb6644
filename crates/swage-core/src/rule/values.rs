//! Reading values that are in many places of a rule: languages, path patterns, expressions, words of a list.
//!
//! Words, sizes, times and expressions are read here and nowhere else, so that the same mistake has the same message
//! under every key.

use regex::bytes::{Regex, RegexBuilder};

use super::areas::Area;
use super::keys::{Holds, Key, Keys, words};
use super::paths::PathSet;
use super::problem::{At, Problems, nearest};
use super::table::Table;
use crate::lang::{Class, Language};
use crate::pattern::{Expression, Hole, Varies, in_name, with_any_line_end};

/// The definitions that rules name.
pub(super) const DEFINITIONS: [(&str, Class); 2] = [("function", Class::Function), ("class", Class::Class)];

/// The key of the languages of a rule, or of a part of it.
pub(super) const LANGUAGES_KEY: Key =
    Key::new("languages", Holds::SomeOf(|| crate::lang::NAMES.to_vec()), "The languages in which it looks.");

/// The keys of the files at which a rule, or a part of it, looks.
pub(crate) static PATH_KEYS: [Key; 2] = [
    Key::new("paths", Holds::Strings, "Only these files."),
    Key::new("skip_paths", Holds::Strings, "Never these files."),
];

/// The key of the areas of the repository that a rule skips.
pub(crate) static AREAS_KEY: Key = Key::new(
    "skip_areas",
    Holds::SomeOf(|| words(&Area::ALL)),
    "Never files in these areas, as they are usually named.",
);

/// The key of a pattern's holes.
pub(super) const HOLES_KEY: Key = Key::new("holes", Holds::Named(&HOLE, 0), "The gaps of the pattern.");

/// What may be said of a hole.
static HOLE: Keys = Keys::new("hole", "A gap of a pattern.", || HOLE_KEYS.iter().collect());
/// The keys of a hole.
static HOLE_KEYS: [Key; 6] = [
    Key::new("many", Holds::Flag, "Takes any run of neighbours, none included."),
    Key::new("text", Holds::String, "A regular expression that what it takes must match."),
    Key::new(
        "stands_for",
        Holds::String,
        "A regular expression that what it takes must match once its first name is replaced by what the file's imports say it \
         stands for.",
    ),
    Key::new("node", Holds::OneOf(|| words(&Class::ALL)), "The class of what it takes."),
    Key::new(
        "varies",
        Holds::Flag,
        "Takes only what may differ from run to run: nothing that consists of literals and of names that the file gives nothing else.",
    ),
    Key::new(
        "escaped_by",
        Holds::String,
        "A regular expression: with `varies`, calls of functions whose names match don't differ from run to run either.",
    ),
];

/// The languages that a table names; `None` when it names none.
pub(crate) fn languages(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Vec<&'static Language>> {
    let at = table.at;
    let names = table.strings("languages", p)?;
    // It would switch the rule off, which nobody writes down on purpose.
    if names.is_empty() {
        p.at(at, "`languages` is empty", Some("leave it out for all languages".into()));
    }
    let known = || crate::lang::NAMES.iter().map(|name| (*name, *name));
    let names = names.iter().filter_map(|name| one_of(name, "language", known(), p));
    // One that was left out of this build is a language in which nothing is found.
    Some(names.filter_map(Language::by_name).collect())
}

/// The areas that a table says are skipped, in the order of [`Area::ALL`]; `None` when it doesn't mention them.
pub(crate) fn skipped_areas(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Vec<Area>> {
    let words = table.strings("skip_areas", p)?;
    let mut areas: Vec<Area> = words.iter().filter_map(|word| one_of(word, "area", Area::ALL, p)).collect();
    // The order in which they are written must not change the digest of a rule.
    areas.sort_unstable();
    areas.dedup();
    Some(areas)
}

/// The path patterns under a key; each faulty one is noted.
pub(crate) fn path_set(table: &mut Table<'_, '_>, key: &'static str, p: &mut Problems<'_>) -> Option<PathSet> {
    let list = table.strings(key, p)?;
    match PathSet::new(list.iter().map(|pattern| pattern.value.clone()).collect()) {
        Ok(set) => Some(set),
        // Each pattern has its own place, so each mistake does.
        Err(wrong) => {
            for (pattern, why) in wrong.into_iter().filter_map(|(index, why)| Some((list.get(index)?, why))) {
                let hint = "`*` matches anything but `/`, `**` any folders, `{a,b}` either".to_owned();
                p.at(pattern.at, format!("`{}` is no path pattern: {why}", pattern.value), Some(hint));
            }
            None
        }
    }
}

/// An expression on bytes, since files may hold any. Its size is bounded: `a{1000}{1000}` would take gigabytes.
pub(crate) fn regex(text: &At<String>, p: &mut Problems<'_>) -> Option<Regex> {
    RegexBuilder::new(&with_any_line_end(&text.value))
        .size_limit(4 << 20)
        .build()
        .map_err(|error| bad_regex(text, &error, p))
        .ok()
}

/// Notes what is wrong with an expression: the last line of the library's message, without its drawing.
pub(crate) fn bad_regex(text: &At<String>, error: &regex::Error, p: &mut Problems<'_>) {
    let why = error.to_string();
    // The lines before it draw the expression with a mark under it, which needs a terminal's width.
    let why = why.lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
    p.at(text.at, format!("`{}` is no regular expression: {why}", text.value), None);
}

/// The value of a word from a list; another word is a mistake with the nearest one as a hint.
pub(crate) fn one_of<T>(
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
pub(crate) fn read_holes(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Vec<Hole> {
    let mut holes = Vec::new();
    if let Some(named) = table.table("holes", p) {
        for (name, mut hole) in named.entries(p) {
            // A hole is parsed as a name of the language.
            if !name.chars().all(in_name) {
                let hint = "use a name that the language would take as an identifier, such as CALL".to_owned();
                p.at(hole.at, format!("`{name}` can't be a hole's name"), Some(hint));
            }
            let text = hole.string("text", p).and_then(|t| regex(&t, p)).map(Expression::from);
            let stands_for = hole.string("stands_for", p).and_then(|t| regex(&t, p)).map(Expression::from);
            let node = hole.string("node", p).and_then(|n| one_of(&n, "node class", Class::ALL, p));
            let many = hole.flag("many", p).unwrap_or(false);
            let varies = varies(&mut hole, p);
            hole.finish(p);
            holes.push(Hole { name, many, text, stands_for, node, varies });
        }
    }
    holes
}

/// Whether a hole takes only what may differ from run to run.
fn varies(hole: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Varies> {
    let varies = hole.flag("varies", p).unwrap_or(false);
    let escaped_by = hole.string("escaped_by", p);
    if let Some(text) = escaped_by.as_ref().filter(|_| !varies) {
        let hint = "add `varies = true`".to_owned();
        p.at(text.at, "`escaped_by` says what doesn't vary, and this hole takes anything", Some(hint));
    }
    varies.then(|| Varies { escaped_by: escaped_by.and_then(|text| regex(&text, p)).map(Expression::from) })
}

/// Reads a size in bytes, which is written with its unit.
pub(crate) fn size(table: &mut Table<'_, '_>, key: &'static str, p: &mut Problems<'_>) -> Option<u64> {
    let text = table.string_as(key, "a size such as \"2 MiB\"", p)?;
    let size = parse_size(&text.value);
    if size.is_none() {
        let hint = "write it like \"2 MiB\", \"500 KiB\" or \"4096 B\"".to_owned();
        p.at(text.at, format!("`{}` is no size", text.value), Some(hint));
    }
    size
}

/// Reads a size such as `2 MiB`; units are B, KiB, MiB and GiB (powers of 1024).
fn parse_size(text: &str) -> Option<u64> {
    let text = text.trim();
    // A fraction of a byte means nothing, so there is no decimal point.
    let digits = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let number: u64 = text[..digits].parse().ok()?;
    let unit = match text[digits..].trim() {
        "" | "B" => 1,
        "KiB" => 1 << 10,
        "MiB" => 1 << 20,
        "GiB" => 1 << 30,
        _ => return None,
    };
    // More than 64 bits is a mistake like any other, not a small number.
    number.checked_mul(unit)
}
