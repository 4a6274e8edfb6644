//! Which code refers to what a change touches: every name of the tree that refers to something, held against the names of the
//! definitions that the change touches.
//!
//! Names are all that is compared, since most languages can't be resolved without building them. So a reference is *sure* only
//! when no other file that was looked at defines the name, and the file that refers is in the same folder or names the
//! definition's type, file or folder. A file that defines a name itself means its own.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use aho_corasick::AhoCorasick;
use rayon::prelude::*;
use serde::Serialize;

use super::definitions::{DefinitionChange, DefinitionStatus};
use super::words::is_near;
use crate::lang::{Language, Role, parse};
use crate::review::Path;
use crate::scope::in_role;

/// Names shorter than this are everywhere, and are left out.
const MIN_NAME: usize = 3;

/// References from one file to one definition that the change touches.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Use {
    /// The definition, by its place in the list.
    pub definition: usize,
    /// The file that refers to it.
    pub path: Path,
    /// The lines on which it does, 1-based; those after the change where the change touches the file.
    pub lines: Vec<u32>,
    /// Whether the change touches the file.
    pub in_change: bool,
    /// Whether nothing else is likely to be meant.
    pub sure: bool,
}

/// Languages whose code refers to each other's names.
fn family(language: &Language) -> &'static str {
    match language.name {
        "c" | "cpp" => "c",
        "javascript" | "typescript" | "tsx" => "javascript",
        "java" | "kotlin" | "scala" => "java",
        name => name,
    }
}

/// A file as it is after the change.
pub(super) struct ReadFile {
    pub path: Vec<u8>,
    pub content: Vec<u8>,
    /// Whether the change touches it.
    pub in_change: bool,
}

/// The names of interest in one file.
struct Mentions {
    path: Path,
    family: &'static str,
    in_change: bool,
    /// Names that it defines.
    defines: BTreeSet<String>,
    /// Names that it refers to, with the lines.
    refers: BTreeMap<String, Vec<u32>>,
    /// The definitions to which it is near enough to mean them.
    near: BTreeSet<usize>,
}

/// The names by which definitions may be referred to, with the definitions.
fn names(changes: &[DefinitionChange]) -> BTreeMap<&str, Vec<usize>> {
    let mut names: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for (index, change) in changes.iter().enumerate() {
        for name in [Some(change.own_name()), change.old_own_name()].into_iter().flatten() {
            if name.len() >= MIN_NAME {
                names.entry(name).or_default().push(index);
            }
        }
    }
    names
}

/// The references to changed definitions. `count` is how many files there are, and `file` gives each one that is to be looked
/// at.
/// Long because finding names, reading files and joining both share one table.
pub(super) fn find(
    changes: &[DefinitionChange],
    count: usize,
    file: &(dyn Fn(usize) -> Option<ReadFile> + Sync),
) -> Vec<Use> {
    let names = names(changes);
    let Ok(finder) = AhoCorasick::new(names.keys()) else { return Vec::new() };
    if names.is_empty() {
        return Vec::new();
    }
    let mut mentions: Vec<Mentions> = (0..count)
        .into_par_iter()
        .filter_map(|index| {
            let ReadFile { path, content, in_change } = file(index)?;
            let found = mentions(&path, &content, &names, &finder)?;
            let meant = found.refers.keys().flat_map(|name| &names[name.as_str()]).copied();
            let near = meant.filter(|&index| {
                let change = &changes[index];
                is_near(&found.path.text, &content, &change.path.text, &change.name)
            });
            let near = near.collect();
            Some(Mentions { in_change, near, ..found })
        })
        .collect();
    mentions.sort_by(|a, b| a.path.cmp(&b.path));
    let mut definers: HashMap<(&str, &str), Vec<&Path>> = HashMap::new();
    for file in &mentions {
        file.defines.iter().for_each(|name| definers.entry((file.family, name)).or_default().push(&file.path));
    }
    let mut found = Vec::new();
    for file in &mentions {
        for (name, lines) in &file.refers {
            for &definition in &names[name.as_str()] {
                let change = &changes[definition];
                let is_home = file.path == change.path;
                let own = Language::by_path(change.path.text.as_bytes()).map(family);
                if own.is_some_and(|own| own != file.family) || !is_home && file.defines.contains(name) {
                    continue;
                }
                // A name that is still defined where it was is found there, whatever has gone as well.
                let other =
                    definers.get(&(file.family, name.as_str())).into_iter().flatten().any(|path| **path != change.path);
                if change.what == DefinitionStatus::Removed && (is_home || other) && file.defines.contains(name) {
                    continue;
                }
                // What refers to itself isn't used by that.
                let itself = |line: u32| is_home && (change.lines.0..=change.lines.1).contains(&line);
                let lines: Vec<u32> = lines.iter().copied().filter(|line| !itself(*line)).collect();
                if !lines.is_empty() {
                    let (path, in_change) = (file.path.clone(), file.in_change);
                    found.push(Use {
                        definition,
                        path,
                        lines,
                        in_change,
                        sure: !other && file.near.contains(&definition),
                    });
                }
            }
        }
    }
    found.sort_by(|a, b| (a.definition, &a.path).cmp(&(b.definition, &b.path)));
    found.dedup_by(|a, b| (a.definition, &a.path) == (b.definition, &b.path));
    found
}

/// What a file has of the names; `None` when it has none.
fn mentions(path: &[u8], content: &[u8], names: &BTreeMap<&str, Vec<usize>>, finder: &AhoCorasick) -> Option<Mentions> {
    finder.find(content)?;
    let language = Language::of(path, content).filter(|language| language.knows_roles())?;
    let tree = parse(content, language).ok()?;
    let text = |node: tree_sitter::Node<'_>| {
        let name = std::str::from_utf8(&content[node.byte_range()]).ok()?;
        names.contains_key(name).then(|| name.to_owned())
    };
    let defines = in_role(&tree, language, Role::Defines).into_iter().filter_map(text).collect();
    let mut refers: BTreeMap<String, Vec<u32>> = BTreeMap::new();
    for node in in_role(&tree, language, Role::Refers) {
        if let Some(name) = text(node) {
            refers.entry(name).or_default().push(node.start_position().row as u32 + 1);
        }
    }
    refers.values_mut().for_each(Vec::dedup);
    let (path, family) = (Path::new(path), family(language));
    Some(Mentions { path, family, in_change: false, defines, refers, near: BTreeSet::new() })
}
