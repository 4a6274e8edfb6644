//! Whose code a folder or a file holds, by the licences in it.
//!
//! Code that is taken over comes with its licence, which names others than the repository's own does, or grants other things.
//! Names of folders alone don't show it: a library may lie under any.

use std::collections::{BTreeSet, HashSet};
use std::sync::LazyLock;

use regex::Regex;

use crate::change::{Change, Content, Contents};
use crate::diff::Kind;

/// How many licences beside those that the change touches are read.
const MOST: usize = 500;

/// How much of each is read, in bytes.
const LARGEST: usize = 64 << 10;

/// How much of a file's beginning is looked at for a licence.
const HEAD: usize = 2 << 10;

/// What licences say of themselves and no other does, in the words that [`words`] gives: ISC, MIT, the two and three clauses of
/// BSD, zlib, Apache, Mozilla, and those of GNU.
const GRANTS: [&str; 9] = [
    "permission to use copy modify and or distribute this software",
    "permission is hereby granted free of charge to any person obtaining a copy",
    "redistribution and use in source and binary forms with or without modification are permitted",
    "this software is provided as is without any express or implied warranty",
    "apache license",
    "mozilla public license",
    "gnu general public license",
    "gnu lesser general public license",
    "gnu affero general public license",
];

/// Which of the known licences a text grants, a bit for each of [`GRANTS`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) struct Grants(u16);

impl Grants {
    /// Those at the beginning of a file.
    pub fn at_head_of(content: &[u8]) -> Self {
        let head = &content[..content.len().min(HEAD)];
        // Few files have any, and this is cheap.
        let is_mentioned = |word: &[u8]| memchr::memmem::find(head, word).is_some();
        if ![&b"icen"[..], b"ermission", b"edistribution"].into_iter().any(is_mentioned) {
            return Self::default();
        }
        Self::of(&words(&String::from_utf8_lossy(head)))
    }

    fn of(words: &str) -> Self {
        Self(GRANTS.iter().enumerate().filter(|(_, grant)| words.contains(**grant)).map(|(at, _)| 1 << at).sum())
    }

    /// Whether there are some, and none of them is in the others.
    fn are_others_than(self, others: Self) -> bool {
        self.0 != 0 && self.0 & others.0 == 0
    }
}

/// What the licences of a tree say.
#[derive(Debug, Default)]
pub(super) struct Licences {
    /// The folders, each with a slash at its end, whose code is by others.
    of_others: BTreeSet<Vec<u8>>,
    /// What the licences at the top of the tree grant.
    own: Grants,
}

impl Licences {
    /// Whether a folder around a path, below the top of the tree, has a licence of others.
    pub fn are_of_others(&self, path: &[u8]) -> bool {
        memchr::memchr_iter(b'/', path).any(|end| self.of_others.contains(&path[..=end]))
    }

    /// Whether a file's own licence is none of the repository's. Without one there, or with one that isn't known, nothing can
    /// be said.
    pub fn differ_from(&self, grants: Grants) -> bool {
        self.own != Grants::default() && grants.are_others_than(self.own)
    }
}

/// The list that the collection of portable sources for C programs leaves in a folder that it fills.
const COPIED_SOURCES: &[u8] = b"/gnulib.mk";

/// The licences of a tree. A folder's is of others when its holders, or its words where it names none, are in no licence at the
/// top of the tree. Without a licence there, nothing can be said. Folders that a collection of sources fills leave its list
/// there. What a change touches is looked at as it is after the change.
pub(super) fn licences(change: &Change, contents: &dyn Contents) -> Licences {
    let Ok(tree) = contents.tree() else { return Licences::default() };
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
    let grants = Grants::of(&own.join(" "));
    if own.is_empty() {
        return Licences { of_others: filled, own: grants };
    }
    let of_others =
        inner.into_iter().filter(|(_, content)| text(content).is_some_and(|text| is_of_others(&text, &own)));
    Licences { of_others: of_others.map(|(path, _)| folder(path)).chain(filled).collect(), own: grants }
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
    fn a_file_may_have_a_licence_of_its_own() {
        const MIT: &str = "Permission is hereby granted, free of charge,\n# to any person obtaining a copy";
        let own = |text: &str| Licences { own: Grants::of(&words(text)), ..Default::default() };
        let cases = [
            ("Apache License\nVersion 2.0", format!("# (c) Pier Works\n# {MIT}\nberth = 1\n"), true),
            (MIT, format!("# (c) Pier Works\n# {MIT}\nberth = 1\n"), false),
            ("All rights reserved.", format!("# {MIT}\nberth = 1\n"), false),
            ("Apache License\nVersion 2.0", "# Licensed under the Apache License\n".to_owned(), false),
            ("Apache License\nVersion 2.0", "# Asks for a licence of its own.\n".to_owned(), false),
            (
                "Apache License\nVersion 2.0",
                "/* under the terms of\n * the GNU General Public License */\n".to_owned(),
                true,
            ),
            ("Apache License\nVersion 2.0", format!("{}# {MIT}\n", "berth = 1\n".repeat(300)), false),
        ];
        for (top, file, expected) in cases {
            assert_eq!(own(top).differ_from(Grants::at_head_of(file.as_bytes())), expected, "{top}: {file}");
        }
    }

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
