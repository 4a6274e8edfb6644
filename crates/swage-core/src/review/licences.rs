//! Whose code a folder holds, by the licences in it.
//!
//! Code that is taken over comes with its licence, which names others than the repository's own does. Names of folders alone
//! don't show it: a library may lie under any.

use std::collections::{BTreeSet, HashSet};
use std::sync::LazyLock;

use regex::Regex;

use crate::change::{Change, Content, Contents};
use crate::diff::Kind;

/// How many licences beside those that the change touches are read.
const MOST: usize = 500;

/// How much of each is read, in bytes.
const LARGEST: usize = 64 << 10;

/// The list that the collection of portable sources for C programs leaves in a folder that it fills.
const COPIED_SOURCES: &[u8] = b"/gnulib.mk";

/// The folders, each with a slash at its end, with a licence of others: one whose holders, or whose words where it names
/// none, are in no licence at the top of the tree. Without a licence there, nothing can be said. Folders that a collection of
/// sources fills leave its list there. What a change touches is looked at as it is after the change.
pub(super) fn folders_of_others(change: &Change, contents: &dyn Contents) -> BTreeSet<Vec<u8>> {
    let Ok(tree) = contents.tree() else { return BTreeSet::new() };
    let folder = |path: &[u8]| path[..=memchr::memrchr(b'/', path).unwrap_or(0)].to_vec();
    let filled = tree.files().iter().filter(|file| file.path.ends_with(COPIED_SOURCES)).map(|file| folder(&file.path));
    let filled: BTreeSet<Vec<u8>> = filled.collect();
    let touched: HashSet<&[u8]> = change.files.iter().flat_map(|f| [&f.old_path[..], &f.new_path]).collect();
    let own_files = change.files.iter().enumerate().filter(|(_, f)| f.kind != Kind::Deleted && is_licence(&f.new_path));
    let others = tree.files().iter().enumerate().filter(|(_, f)| is_licence(&f.path) && !touched.contains(&f.path[..]));
    let mut licences: Vec<(&[u8], Content)> =
        own_files.map(|(index, file)| (&file.new_path[..], contents.sides(index).new)).collect();
    licences.extend(others.take(MOST).map(|(index, file)| (&file.path[..], tree.content(index))));
    let text = |content: &Content| match content {
        Content::Whole { bytes, .. } => Some(String::from_utf8_lossy(&bytes[..bytes.len().min(LARGEST)]).into_owned()),
        Content::Absent | Content::Partial { .. } | Content::Unavailable(_) => None,
    };
    let (inner, own): (Vec<_>, Vec<_>) = licences.iter().partition(|(path, _)| path.contains(&b'/'));
    let own: Vec<String> = own.into_iter().filter_map(|(_, content)| Some(words(&text(content)?))).collect();
    if own.is_empty() {
        return filled;
    }
    let of_others =
        inner.into_iter().filter(|(_, content)| text(content).is_some_and(|text| is_of_others(&text, &own)));
    of_others.map(|(path, _)| folder(path)).chain(filled).collect()
}

/// Whether a path is that of a licence, by the names that the trade gives them.
fn is_licence(path: &[u8]) -> bool {
    let name = path.rsplit(|b| *b == b'/').next().unwrap_or_default().to_ascii_lowercase();
    let stem = name.split(|b| matches!(b, b'.' | b'-' | b'_')).next().unwrap_or_default();
    let ending = name.rsplit(|b| *b == b'.').next().unwrap_or_default();
    // Code about licences is none.
    let is_text =
        !name.contains(&b'.') || matches!(ending, b"txt" | b"md" | b"rst") || ending.iter().any(u8::is_ascii_digit);
    let is_named = matches!(stem, b"licence" | b"license" | b"licences" | b"licenses" | b"copying" | b"unlicense");
    is_named && (is_text || stem == b"copying")
}

/// Whether a licence is by others than those whose words these are.
fn is_of_others(text: &str, own: &[String]) -> bool {
    let is_known = |text: &String| own.iter().any(|own| own.contains(text.as_str()));
    let mut holders = holders(text).peekable();
    if holders.peek().is_some() { holders.any(|holder| !is_known(&holder)) } else { !is_known(&words(text)) }
}

/// Those whom a licence names as holders, each by the first words of the name.
fn holders(text: &str) -> impl Iterator<Item = String> {
    static HOLDER: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(r"(?im)^\W*copyright\s+(?:(?:\(c\)|©|[0-9]{4}[0-9, \t–-]*(?:present)?)[,\s]*)+(?:by\s+)?([^\n]+)")
            .ok()
    });
    let found = HOLDER.iter().flat_map(|regex| regex.captures_iter(text));
    let named = found.filter_map(|found| Some(words(found.get(1)?.as_str())));
    named.map(|name| name.split(' ').take(2).collect::<Vec<_>>().join(" ")).filter(|name| !name.is_empty())
}

/// A text's words in lower case with a blank between, and nothing else.
fn words(text: &str) -> String {
    let words = text.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    words.map(str::to_lowercase).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn licences_of_others_name_others() {
        let own = [words("MIT License\n\nCopyright (c) 2029-2031 The Ferry Line\n\nPermission is granted to all.\n")];
        let cases = [
            ("Copyright (c) 2031 The Ferry Line\n\nOther words.", false),
            ("Copyright 2027, 2030 the ferry line, and others\n", false),
            (" * COPYRIGHT © 2030 by The Ferry Line\n", false),
            ("Copyright (c) 2020 Pier Works\n", true),
            ("Copyright (c) 2020 The Ferry Line\nCopyright (c) 2019 Pier Works\n", true),
            // The notice itself names nobody.
            ("The above copyright notice shall be kept.\nPermission is granted to all.", true),
            ("Permission is granted to all.", false),
        ];
        for (text, expected) in cases {
            assert_eq!(is_of_others(text, &own), expected, "{text}");
        }
        let names =
            ["a/LICENSE", "a/LICENCE.md", "a/COPYING", "a/COPYING.LESSER", "LICENSE-2.0.txt", "a/b/license_pier.rst"];
        for path in names {
            assert!(is_licence(path.as_bytes()), "{path}");
        }
        for path in ["a/license.py", "a/licenses.go", "a/copy", "licence/a.txt", "a/relicense.md", "a/LICENSE.rs"] {
            assert!(!is_licence(path.as_bytes()), "{path}");
        }
    }
}
