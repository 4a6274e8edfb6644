//! Places that are carried from one revision to the next: a place on a line that is still there never points elsewhere.
#![expect(clippy::disallowed_methods, reason = "the core's rule against files and processes isn't for its tests")]

use std::collections::HashMap;
use std::process::Command;

use swage_core::carry::{Carried, LinePlace, carry};
use swage_core::change::{Change, ChangedFile};
use swage_core::diff::{ReadOptions, read};

/// How many files are edited at random.
const EDITS: usize = 10_000;

/// Numbers that are the same in every run.
struct Random(u64);

impl Random {
    fn below(&mut self, limit: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % limit.max(1)
    }
}

/// A file and what became of it: lines were taken out, put in, rewritten, moved, and the whole was re-indented.
fn edited(random: &mut Random, number: usize) -> (Vec<String>, Vec<String>) {
    let old: Vec<String> = (0..5 + random.below(40)).map(|line| format!("line {line} of file {number}")).collect();
    let mut new = old.clone();
    for edit in 0..1 + random.below(6) {
        let at = random.below(new.len());
        match random.below(5) {
            0 if new.len() > 1 => _ = new.remove(at),
            1 => new.insert(at, format!("edit {edit} puts this in")),
            2 => new[at] += " and more",
            3 => {
                let line = new.remove(at);
                let to = random.below(new.len() + 1);
                new.insert(to, line);
            }
            _ => {
                let end = (at + random.below(5)).min(new.len());
                new[at..end].iter_mut().for_each(|line| line.insert_str(0, "    "));
            }
        }
    }
    (old, new)
}

fn change_of(diff: &[u8]) -> Change {
    let diff = read(diff, &ReadOptions::default()).expect("git's own diff");
    Change { files: diff.files().map(ChangedFile::of).collect(), ..Change::default() }
}

#[test]
fn places_never_point_elsewhere() {
    let folder = tempfile::tempdir().expect("a folder");
    let mut random = Random(20_310_301);
    let mut files = HashMap::new();
    for side in ["a", "b"] {
        std::fs::create_dir(folder.path().join(side)).expect("a folder");
    }
    for number in 0..EDITS {
        let (old, new) = edited(&mut random, number);
        for (side, lines) in [("a", &old), ("b", &new)] {
            let path = folder.path().join(side).join(number.to_string());
            std::fs::write(path, lines.join("\n") + "\n").expect("written");
        }
        files.insert(number.to_string(), (old, new));
    }
    let mut git = Command::new("git");
    git.current_dir(folder.path()).args(["diff", "--no-index", "--no-renames", "--no-prefix", "a", "b"]);
    let change = change_of(&git.output().expect("git runs").stdout);
    // One by one, or each place would be looked for among all of them.
    let changes: HashMap<Vec<u8>, Change> = change
        .files
        .into_iter()
        .map(|file| (file.old_path.clone(), Change { files: vec![file], ..Change::default() }))
        .collect();
    let unchanged = Change::default();
    let (mut there, mut carried_on) = (0, 0);
    for (name, (old, new)) in &files {
        for (index, line) in old.iter().enumerate() {
            let last = (index + random.below(3)).min(old.len() - 1);
            let number = |index: usize| index as u32 + 1;
            let place = LinePlace { path: name.clone().into_bytes(), lines: Some((number(index), number(last))) };
            let change = changes.get(name.as_bytes()).unwrap_or(&unchanged);
            let found = match carry(change, &place) {
                Carried::Outdated => None,
                Carried::Same => Some(place.clone()),
                Carried::Moved(place) => Some(place),
            };
            there += usize::from(new.contains(line) && new.contains(&old[last]));
            if let Some(LinePlace { path, lines: Some((first, end)) }) = found {
                carried_on += 1;
                assert_eq!(path, place.path);
                assert_eq!((&new[first as usize - 1], &new[end as usize - 1]), (line, &old[last]), "file {name}");
            }
        }
    }
    // What moved within its file counts as outdated; all else must be found.
    assert!(carried_on <= there && carried_on * 100 >= there * 93, "{carried_on} of {there}");
}

#[test]
fn files_are_followed() {
    let file = |old: &str, new: &str, more: &str, body: &str| format!("diff --git a/{old} b/{new}\n{more}{body}");
    let hunk = "@@ -1,3 +1,4 @@\n+zero\n one\n-two\n+TWO\n three\n";
    let text = |old: &str, new: &str| format!("--- a/{old}\n+++ b/{new}\n{hunk}");
    let cases = [
        ("another file", file("b", "b", "", &text("b", "b")), Some((1, 3)), "same"),
        ("its own lines", file("a", "a", "", &text("a", "a")), Some((1, 3)), "a 2-4"),
        ("a line that went", file("a", "a", "", &text("a", "a")), Some((2, 3)), "outdated"),
        ("the whole file", file("a", "a", "", &text("a", "a")), None, "same"),
        ("a line number that isn't there", file("a", "a", "", &text("a", "a")), Some((0, 1)), "outdated"),
        (
            "another name",
            file("a", "c", "similarity index 60%\nrename from a\nrename to c\n", &text("a", "c")),
            Some((3, 3)),
            "c 4-4",
        ),
        (
            "another name only",
            file("a", "c", "similarity index 100%\nrename from a\nrename to c\n", ""),
            Some((3, 3)),
            "c 3-3",
        ),
        ("a copy", file("a", "c", "similarity index 100%\ncopy from a\ncopy to c\n", ""), Some((3, 3)), "same"),
        (
            "a file that went",
            file("a", "a", "deleted file mode 100644\n", "--- a/a\n+++ /dev/null\n@@ -1 +0,0 @@\n-one\n"),
            None,
            "outdated",
        ),
        ("a mode", file("a", "a", "old mode 100644\nnew mode 100755\n", ""), Some((2, 2)), "same"),
    ];
    for (what, diff, lines, expected) in cases {
        let rendered = match carry(&change_of(diff.as_bytes()), &LinePlace { path: b"a".to_vec(), lines }) {
            Carried::Same => "same".to_owned(),
            Carried::Outdated => "outdated".to_owned(),
            Carried::Moved(LinePlace { path, lines: Some((first, last)) }) => {
                format!("{} {first}-{last}", String::from_utf8_lossy(&path))
            }
            Carried::Moved(LinePlace { path, lines: None }) => String::from_utf8_lossy(&path).into_owned(),
        };
        assert_eq!(rendered, expected, "{what}\n{diff}");
    }
}
