//! Paths of a change that hold nothing to examine: symbolic links and submodules.

use super::examination::{Examination, WhyNot};
use crate::change::{Change, ChangedFile, Content, Nature};
use crate::diff::Kind;
use crate::lang::Language;
use crate::rule::Origin;

/// Why a symbolic link isn't examined. It is of no consequence when it leads to a file of the tree that the same rules
/// look at as the same language: that is examined where it is.
pub(super) fn link(file: &ChangedFile, change: &Change, target: &Content, with: &Examination<'_>) -> WhyNot {
    if file.kind == Kind::Deleted {
        return ("it is a symbolic link".into(), false);
    }
    if replaces_files(file, change) {
        return ("a symbolic link replaces a file; its target is not examined under this name".into(), true);
    }
    let Some(language) = Language::by_path(&file.new_path) else { return ("it is a symbolic link".into(), false) };
    let wanted = with.rules.wanted_as(&file.new_path, Origin::Written);
    if !wanted.contains(&true) {
        return ("it is a symbolic link".into(), false);
    }
    let Content::Whole { bytes, .. } = target else {
        return (format!("it is a symbolic link named like a {} file, and its target is unknown", language.name), true);
    };
    let shown = String::from_utf8_lossy(bytes);
    let same = resolved(&file.new_path, bytes).is_some_and(|path| {
        Language::by_path(&path) == Some(language) && with.rules.wanted_as(&path, Origin::Written) == wanted
    });
    if same {
        return (format!("it is a symbolic link to {shown}, which is examined there"), false);
    }
    (format!("it is a symbolic link to {shown}, which isn't examined as {} under this name", language.name), true)
}

/// Why a submodule isn't examined.
pub(super) fn submodule(file: &ChangedFile, change: &Change) -> WhyNot {
    if file.kind != Kind::Deleted && replaces_files(file, change) {
        return ("a submodule replaces files; its content is not examined".into(), true);
    }
    ("it is a submodule, whose content isn't examined".into(), false)
}

/// Whether the change takes a file away from this path, or files from the folder that was there.
fn replaces_files(file: &ChangedFile, change: &Change) -> bool {
    let below =
        |path: &[u8]| path.strip_prefix(&file.new_path[..]).is_some_and(|rest| rest.is_empty() || rest[0] == b'/');
    let is_file = |mode: u32| mode & 0o170_000 == 0o100_000;
    file.modes.is_some_and(|modes| is_file(modes.old))
        || change.files.iter().any(|other| {
            let leaves = matches!(other.kind, Kind::Deleted | Kind::Renamed);
            leaves && matches!(other.nature, Nature::Text | Nature::Binary) && below(&other.old_path)
        })
}

/// The path that a link leads to, as far as its text says; `None` when that is outside of the tree.
fn resolved(link: &[u8], target: &[u8]) -> Option<Vec<u8>> {
    if target.starts_with(b"/") {
        return None;
    }
    let mut parts: Vec<&[u8]> = link.split(|b| *b == b'/').collect();
    parts.pop();
    for part in target.split(|b| *b == b'/') {
        match part {
            b"" | b"." => {}
            b".." => _ = parts.pop()?,
            part => parts.push(part),
        }
    }
    Some(parts.join(&b'/'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn links_are_resolved_by_their_text() {
        let cases: &[(&str, &str, Option<&str>)] = &[
            ("src/run.py", "load.py", Some("src/load.py")),
            ("src/run.py", "../lib/./load.py", Some("lib/load.py")),
            ("run.py", "../load.py", None),
            ("run.py", "/etc/load.py", None),
        ];
        for (link, target, expected) in cases {
            let found = resolved(link.as_bytes(), target.as_bytes());
            assert_eq!(found.as_deref(), expected.map(str::as_bytes), "{link} -> {target}");
        }
    }
}
