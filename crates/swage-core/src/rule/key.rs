//! Key paths: places in data files, and in what other languages have of the kind.

use super::problem::Problems;
use super::table::Table;
use super::values::read_holes;
use crate::pattern::Hole;

/// A path of keys, such as `services.NAME.image`. Lists are passed through: each of their elements is looked at.
#[derive(Debug)]
pub struct KeyMatch {
    /// The path as it was written.
    pub path: String,
    /// Its steps.
    pub(crate) steps: Vec<Step>,
    /// What takes the value, by index of the hole.
    pub(crate) value: Option<usize>,
    /// The holes.
    pub holes: Vec<Hole>,
}

/// One step of a key path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Step {
    /// This key.
    Key(String),
    /// Any key, which the hole of this index takes.
    Hole(usize),
    /// Any number of keys, none too.
    Any,
}

/// The languages that key paths are read in.
pub const KEYED: [&str; 5] = ["html", "json", "sql", "toml", "yaml"];

/// The keys of a path, and whether each stands between quotes: so may one that has dots in it.
fn parts(path: &str) -> Vec<(&str, bool)> {
    let mut parts = Vec::new();
    let mut rest = path;
    loop {
        let (part, quoted, behind) = match rest.strip_prefix('"').and_then(|inner| inner.split_once('"')) {
            Some((key, behind)) if behind.is_empty() || behind.starts_with('.') => (key, true, behind),
            _ => {
                let end = rest.find('.').unwrap_or(rest.len());
                (&rest[..end], false, &rest[end..])
            }
        };
        parts.push((part, quoted));
        match behind.strip_prefix('.') {
            Some(more) => rest = more,
            None => return parts,
        }
    }
}

/// Reads `key`, `value` and `holes`.
pub(super) fn read_key(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<KeyMatch> {
    let path = table.required_string("key", "a key match", p)?;
    let holes = read_holes(table, p);
    let value = table.string("value", p);
    let index = |name: &str| holes.iter().position(|h| h.name == name);
    let value = match value {
        None => None,
        Some(name) => {
            let found = index(&name.value);
            if found.is_none() {
                let hint = "declare it under `holes`, with `text` to say what the value must be".to_owned();
                p.at(name.at, format!("`value` names no hole: `{}`", name.value), Some(hint));
            }
            found
        }
    };
    let steps: Vec<Step> = parts(&path.value)
        .into_iter()
        .map(|(step, quoted)| match (step, index(step)) {
            _ if quoted => Step::Key(step.to_owned()),
            ("**", _) => Step::Any,
            (_, Some(hole)) => Step::Hole(hole),
            (key, None) => Step::Key(key.to_owned()),
        })
        .collect();
    let several = steps.iter().filter(|s| **s == Step::Any).count() > 1;
    let empty = steps.iter().any(|s| matches!(s, Step::Key(key) if key.is_empty()));
    if empty || several || steps.last() == Some(&Step::Any) {
        let hint =
            "separate keys with dots, such as services.NAME.image, and quote a key that contains dots; `**` matches any keys between, once".to_owned();
        p.at(path.at, format!("`{}` is no path of keys", path.value), Some(hint));
        return None;
    }
    if let Some(idle) = holes.iter().enumerate().find(|(i, _)| value != Some(*i) && !steps.contains(&Step::Hole(*i))) {
        p.at(path.at, format!("the hole `{}` is neither in the path nor the `value`", idle.1.name), None);
    }
    if let Some(hole) = holes.iter().find(|h| h.many || h.node.is_some()) {
        p.at(
            path.at,
            format!("the hole `{}` takes a key or a value, so only `text` can be asked of it", hole.name),
            None,
        );
    }
    Some(KeyMatch { path: path.value, steps, value, holes })
}
