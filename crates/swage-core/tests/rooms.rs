//! The rooms of the core stand on each other: each imports from those below it only.
#![expect(clippy::disallowed_methods, reason = "it reads the sources")]

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// The rooms from the ground up. A file of `src` is a room of its own when it isn't a folder.
const ROOMS: [&str; 24] = [
    "position",
    "ids",
    "sides",
    "digest",
    "invisible",
    "diff",
    "change",
    "carry",
    "lang",
    "pattern",
    "scope",
    "rule",
    "scan",
    "config",
    "link",
    "checker",
    "baseline",
    "decision",
    "fix",
    "review",
    "gate",
    "learn",
    "view",
    "brief",
];

fn sources(folder: &Path, found: &mut Vec<PathBuf>) {
    let mut entries: Vec<PathBuf> =
        fs::read_dir(folder).expect("a folder of sources").map(|entry| entry.expect("an entry").path()).collect();
    entries.sort();
    for path in entries {
        if path.is_dir() {
            sources(&path, found);
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            found.push(path);
        }
    }
}

/// The code of a file without its comments and its unit tests, which may look anywhere.
fn code(path: &Path) -> String {
    let text = fs::read_to_string(path).expect("a source file");
    let text = text.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
    let lines = text.lines().map(|line| line.split("//").next().unwrap_or_default());
    lines.collect::<Vec<_>>().join("\n")
}

/// The first names after a path such as `crate::`.
fn named<'c>(code: &'c str, before: &'c str) -> impl Iterator<Item = &'c str> {
    code.split(before).skip(1).map(|rest| {
        let end = rest.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(rest.len());
        &rest[..end]
    })
}

#[test]
fn rooms_import_from_below_only() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut files = Vec::new();
    sources(&root, &mut files);
    let floor = |room: &str| ROOMS.iter().position(|known| *known == room);
    let mut wrong = Vec::new();
    for path in &files {
        let inner = path.strip_prefix(&root).expect("below src").to_string_lossy().into_owned();
        let room = inner.split(['/', '.']).next().unwrap_or_default();
        let is_test =
            inner.ends_with("/tests.rs") || matches!(inner.as_str(), "scan/pattern_laws.rs" | "scan/pruning.rs");
        if is_test || inner == "lib.rs" {
            continue;
        }
        let Some(own) = floor(room) else {
            wrong.push(format!("{inner} is in no room; put `{room}` into its place in the list of rooms"));
            continue;
        };
        for other in named(&code(path), "crate::") {
            match floor(other) {
                Some(at) if at <= own => {}
                Some(_) => wrong.push(format!("{inner} imports from `{other}`, which is above `{room}`")),
                None => wrong.push(format!("{inner} imports `{other}`, which is no room")),
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Within a room, files may need each other through the room's `mod.rs`; named directly, they don't go round in circles.
#[test]
fn files_of_a_room_need_each_other_one_way() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut circles = Vec::new();
    for room in ROOMS {
        let mut files = Vec::new();
        if root.join(room).is_dir() {
            sources(&root.join(room), &mut files);
        }
        let name = |path: &Path| path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        let flat: Vec<&PathBuf> =
            files.iter().filter(|path| path.parent() == Some(&root.join(room)) && !path.ends_with("mod.rs")).collect();
        let known: BTreeSet<String> = flat.iter().map(|path| name(path)).collect();
        let needs: BTreeMap<String, BTreeSet<String>> = flat
            .iter()
            .map(|path| {
                let code = code(path);
                let needed = named(&code, "super::").filter(|other| known.contains(*other)).map(str::to_owned);
                (name(path), needed.collect())
            })
            .collect();
        for start in &known {
            let (mut open, mut seen) = (vec![start], BTreeSet::new());
            while let Some(at) = open.pop() {
                for next in &needs[at] {
                    if next == start {
                        circles.push(format!("{room}: {start} needs itself through {at}"));
                    } else if seen.insert(next) {
                        open.push(next);
                    }
                }
            }
        }
    }
    assert!(circles.is_empty(), "{}", circles.join("\n"));
}

/// Lines over which a function says why it is long.
const LONG: usize = 60;

#[test]
fn long_functions_say_why() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("the folder of crates");
    let mut files = Vec::new();
    for entry in fs::read_dir(crates).expect("the folder of crates") {
        sources(&entry.expect("an entry").path().join("src"), &mut files);
    }
    let mut silent = Vec::new();
    for path in &files {
        let text = fs::read_to_string(path).expect("a source file");
        let lines: Vec<&str> = text.lines().collect();
        for (at, line) in lines.iter().enumerate() {
            let words = line.split_whitespace();
            if !words.take_while(|w| w.starts_with("pub") || ["async", "const", "fn"].contains(w)).any(|w| w == "fn") {
                continue;
            }
            // It ends with its bracket; a method without a body, with the semicolon after what it takes.
            let indent = &line[..line.len() - line.trim_start().len()];
            let ends = |l: &&str| {
                let own = l.strip_prefix(indent).filter(|own| !own.starts_with(' '));
                own.is_some_and(|own| own == "}" || own.ends_with(';'))
            };
            let length = lines[at..].iter().take_while(|l| !ends(l)).count() + 1;
            let mut above =
                lines[..at].iter().rev().take_while(|l| matches!(l.trim_start().get(..2), Some("//" | "#[")));
            let says_long = |l: &&str| l.to_lowercase().split(|c: char| !c.is_alphabetic()).any(|word| word == "long");
            if length > LONG && !above.any(says_long) {
                silent.push(format!("{}:{}: {length} lines", path.display(), at + 1));
            }
        }
    }
    assert!(silent.is_empty(), "say why they are long, or part them:\n{}", silent.join("\n"));
}
