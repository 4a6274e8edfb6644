//! Rules on facts of many files: what is collected, and what must or must not meet.

use super::model::{Matcher, Way};
use super::paths::{PathSet, is_wanted};
use super::problem::{Problems, nearest};
use super::table::{At, Table};
use super::values::{one_of, path_set};
use super::ways::read_ways;
use crate::lang::Language;

/// What must hold between facts.
#[derive(Debug)]
pub struct Link {
    /// What is collected.
    pub collections: Vec<Collection>,
    /// The collection whose facts are judged, by index.
    pub each: usize,
    /// What is demanded of them.
    pub demand: Meeting,
    /// Collections whose facts excuse those that they meet.
    pub unless: Vec<usize>,
    /// The holes whose texts must be equal for two facts to meet.
    pub on: Vec<String>,
    /// What is kept of each fact: the texts of `on`, then others that the message names; `match` for the whole text.
    pub kept: Vec<String>,
    /// How far apart two facts may be.
    pub within: Within,
    /// Facts whose texts stand in more files than so many aren't judged.
    pub max_files: Option<u64>,
}

/// What is demanded of a fact.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meeting {
    /// There is one of that collection with the same texts.
    Must(usize),
    /// There is none.
    MustNot(usize),
    /// There is no other of its own collection.
    Unique,
}

/// Where two facts must both stand to meet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Within {
    /// Anywhere.
    Tree,
    /// In the same folder.
    Directory,
    /// In the same file.
    File,
}

/// A named set of facts; the rule's ways with its index collect them.
#[derive(Debug)]
pub struct Collection {
    /// Its name in the rule.
    pub name: String,
    /// What is said of a fact that a finding names besides.
    pub says: String,
    /// Only these paths; all when `None`.
    pub paths: Option<PathSet>,
    /// Never these paths.
    pub skip_paths: Option<PathSet>,
    /// How far apart its facts may be from those that they meet; as the link says when `None`.
    pub within: Option<Within>,
    /// Only facts that were there before the change and whose texts no fact has any more.
    pub gone: bool,
    /// Which file its facts are about: those of two collections that both say so meet only when both mean one of the
    /// same name.
    pub file: Option<FileOf>,
    /// Its facts have no texts to compare: they excuse all that is about their file.
    pub of_file_only: bool,
}

/// What tells which file a fact is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileOf {
    /// It is the one that the fact stands in.
    Own,
    /// A text names it: the one of this index among what is kept of each fact.
    Kept(usize),
}

/// The name by which code speaks of a file with this path: the last part without its extension. Files that stand for
/// their folder have the folder's name.
pub(crate) fn own_name(path: &[u8]) -> &[u8] {
    parts_of_path(path).pop().unwrap_or(path)
}

/// The name of the file that a text means: a path, or a name of parts with dots or colons between.
pub(crate) fn meant_name(text: &[u8]) -> &[u8] {
    parts_of_text(text).pop().unwrap_or(text)
}

/// Whether a text may mean the file with this path, which has the name that the text speaks of. The parts of the text
/// must be the last ones of the path. A name that isn't relative begins at the root or in a folder of sources there, so
/// that `dates` doesn't mean `quay/shared/dates.py`.
pub(crate) fn may_mean(text: &[u8], path: &[u8]) -> bool {
    let (meant, own) = (parts_of_text(text), parts_of_path(path));
    let relative = text.starts_with(b".");
    own.ends_with(&meant) && (relative || text.contains(&b'/') || own.len() <= meant.len() + 1)
}

fn parts_of_path(path: &[u8]) -> Vec<&[u8]> {
    let mut parts: Vec<&[u8]> =
        path.split(|b| *b == b'/').filter(|p| !p.is_empty() && *p != b"." && *p != b"..").collect();
    if let Some(last) = parts.pop() {
        let stem = last.split(|b| *b == b'.').next().unwrap_or(last);
        if parts.is_empty() || ![&b"__init__"[..], b"index", b"mod"].contains(&stem) {
            parts.push(stem);
        }
    }
    parts
}

fn parts_of_text(text: &[u8]) -> Vec<&[u8]> {
    if text.contains(&b'/') {
        return parts_of_path(text);
    }
    text.split(|b| matches!(b, b'.' | b':')).filter(|part| !part.is_empty()).collect()
}

impl Link {
    /// Whether any collection takes facts from files with this path.
    pub fn wants_path(&self, path: &[u8]) -> bool {
        self.collections.iter().any(|c| c.wants_path(path))
    }
}

impl Collection {
    /// Whether it takes facts from files with this path.
    pub fn wants_path(&self, path: &[u8]) -> bool {
        is_wanted(path, self.paths.as_ref(), self.skip_paths.as_ref())
    }
}

/// The texts that a way gives names to and that can tell whether facts meet; runs of any length can't.
pub(super) fn hole_names(way: &Way) -> Vec<String> {
    match &way.matcher {
        Matcher::Code(code) => code.holes.iter().filter(|h| !h.many).map(|h| h.name.clone()).collect(),
        Matcher::Key(key) => key.holes.iter().map(|h| h.name.clone()).collect(),
        Matcher::Text(text) => text.regex.capture_names().flatten().map(str::to_owned).collect(),
        Matcher::Tree(tree) => tree.captures().map(str::to_owned).collect(),
        Matcher::Names(_) => vec!["name".to_owned()],
        Matcher::Measure(_) | Matcher::CommentedCode | Matcher::Suppression(_) | Matcher::Syntax => Vec::new(),
    }
}

/// The word for the file that a fact stands in.
const OWN: &str = "own";

/// Reads a match with `collect`.
pub(super) fn read_link(
    table: &mut Table<'_, '_>,
    outer: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<(Vec<Way>, Link)> {
    let before = p.list.len();
    let (mut ways, mut collections) = (Vec::new(), Vec::new());
    let mut holes: Vec<Vec<String>> = Vec::new();
    let mut files: Vec<Option<At<String>>> = Vec::new();
    for (word, mut inner) in table.table("collect", p)?.entries(p) {
        let index = collections.len();
        let says = inner.string("says", p).map_or_else(|| word.replace(['-', '_'], " "), |s| s.value);
        let (paths, skip_paths) = (path_set(&mut inner, "paths", p), path_set(&mut inner, "skip_paths", p));
        let gone = inner.flag("removed", p).unwrap_or(false);
        let within = read_within(&mut inner, p);
        let file = inner.string("file", p);
        let mut own = read_ways(&mut inner, outer, &format!("the collection `{word}` of {name}"), p);
        let mut names: Option<Vec<String>> = None;
        for way in &mut own {
            way.collection = Some(index);
            let these = hole_names(way);
            names = Some(match names {
                None => these,
                Some(names) => names.into_iter().filter(|n| these.contains(n)).collect(),
            });
        }
        let names = names.unwrap_or_default();
        if let Some(named) = file.as_ref().filter(|f| f.value != OWN && !names.contains(&f.value)) {
            let hint = format!("write \"{OWN}\" for the file that it stands in, or name a hole that takes its name");
            p.at(named.at, format!("the hole `{}` isn't in all of `{word}`", named.value), Some(hint));
        }
        holes.push(names);
        files.push(file);
        inner.finish(p);
        ways.extend(own);
        collections.push(Collection {
            name: word,
            says,
            paths,
            skip_paths,
            within,
            gone,
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
        p.at(table.at, format!("nothing tells when two facts of {name} meet"), Some(hint));
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
        .then_some((ways, Link { collections, each, demand: demand?, unless, kept, on, within, max_files }))
}

fn read_within(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Within> {
    let reaches = [("tree", Within::Tree), ("directory", Within::Directory), ("file", Within::File)];
    table.string("within", p).and_then(|word| one_of(&word, "reach of a link", reaches, p))
}
