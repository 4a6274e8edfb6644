//! Laws of the diff reader, on random files and git's own diffs.
#![expect(clippy::disallowed_methods, reason = "the core's rule against files and processes isn't for its tests")]

use std::process::Command;

use proptest::prelude::*;
use swage_core::diff::{Direction, LineMap, ReadOptions, apply, read};

/// Files of few different lines, so that diffs are rich: CRs, markers, header look-alikes, bytes that aren't UTF-8.
fn content() -> impl Strategy<Value = Vec<u8>> {
    let line = prop::sample::select(vec![
        &b"a"[..],
        b"b",
        b"",
        b" ",
        b"-- x",
        b"++ y",
        b"@@ -1 +1 @@",
        b"c\r",
        b"\xff\xfe",
        b"\\ No newline",
        b"diff --git a/f b/f",
    ]);
    (prop_oneof![prop::collection::vec(line.clone(), 0..14), prop::collection::vec(line, 40..160)], any::<bool>())
        .prop_map(|(lines, last)| {
            let mut bytes = lines.join(&b'\n');
            if last && !bytes.is_empty() {
                bytes.push(b'\n');
            }
            bytes
        })
}

/// git's diff of two files, or nothing when they are the same.
fn git_diff(old: &[u8], new: &[u8], context: u8) -> Vec<u8> {
    let dir = tempfile::tempdir().unwrap();
    std::fs::write(dir.path().join("old"), old).unwrap();
    std::fs::write(dir.path().join("new"), new).unwrap();
    Command::new("git")
        .current_dir(dir.path())
        .env("GIT_CONFIG_GLOBAL", "/dev/null")
        .args(["diff", "--no-index", "--text", &format!("-U{context}"), "old", "new"])
        .output()
        .unwrap()
        .stdout
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..Default::default() })]

    #[test]
    fn what_git_says_applies_both_ways(old in content(), new in content(), context in 0u8..4) {
        let text = git_diff(&old, &new, context);
        let diff = read(&text, &ReadOptions::default()).unwrap();
        let Some(file) = diff.files().next() else {
            prop_assert_eq!(old, new);
            return Ok(());
        };
        prop_assert_eq!(apply(&old, file, Direction::Forward).unwrap(), new.clone());
        prop_assert_eq!(apply(&new, file, Direction::Reverse).unwrap(), old.clone());

        let printed = diff.to_bytes();
        let again = read(&printed, &ReadOptions::default()).unwrap();
        prop_assert_eq!(&again, &diff);

        // The line map holds exactly the lines that stay, each with the same text, and maps back.
        let lines = |bytes: &[u8]| bytes.split_inclusive(|&b| b == b'\n').map(<[u8]>::to_vec).collect::<Vec<_>>();
        let (old, new) = (lines(&old), lines(&new));
        let map = LineMap::from_hunks(file.hunks());
        let kept = (0..old.len() as u32).filter(|&l| map.to_new(l).is_some()).count();
        prop_assert_eq!(kept, old.len() - file.line_counts().1);
        for l in 0..old.len() as u32 {
            if let Some(n) = map.to_new(l) {
                prop_assert_eq!(&old[l as usize], &new[n as usize]);
                prop_assert_eq!(map.to_old(n), Some(l));
            }
        }
    }

    #[test]
    fn any_bytes_are_read_or_refused(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        let _ = read(&bytes, &ReadOptions::default());
    }

    #[test]
    fn broken_diffs_are_read_or_refused(old in content(), new in content(), at in any::<prop::sample::Index>(), byte in any::<u8>(), cut in any::<bool>()) {
        let mut text = git_diff(&old, &new, 3);
        prop_assume!(!text.is_empty());
        let at = at.index(text.len());
        if cut { text.truncate(at) } else { text[at] = byte }
        if let Ok(diff) = read(&text, &ReadOptions::default()) {
            let printed = diff.to_bytes();
            let again = read(&printed, &ReadOptions::default());
            prop_assert!(again.is_ok(), "printed form is refused: {:?}", again);
            for file in diff.files() {
                let _ = apply(&old, file, Direction::Forward);
                let _ = LineMap::from_hunks(file.hunks());
            }
        }
    }

    #[test]
    fn maps_compose(a in segments(), b in segments()) {
        let both = a.then(&b);
        for line in 0..60 {
            prop_assert_eq!(both.to_new(line), a.to_new(line).and_then(|l| b.to_new(l)));
        }
    }
}

/// A line map from hunks of random shape.
fn segments() -> impl Strategy<Value = LineMap> {
    prop::collection::vec((0u32..6, 0u32..4, 0u32..4), 0..5).prop_map(|parts| {
        let mut text = String::from("--- a/f\n+++ b/f\n");
        let (mut old, mut new, mut any) = (1, 1, false);
        for (gap, removed, added) in parts {
            if removed + added == 0 {
                continue;
            }
            old += gap + 1;
            new += gap + 1;
            let (o, n) = (if removed == 0 { old - 1 } else { old }, if added == 0 { new - 1 } else { new });
            text += &format!(
                "@@ -{o},{removed} +{n},{added} @@\n{}{}",
                "-x\n".repeat(removed as usize),
                "+y\n".repeat(added as usize)
            );
            old += removed;
            new += added;
            any = true;
        }
        if any {
            LineMap::from_hunks(read(text.as_bytes(), &ReadOptions::default()).unwrap().files().next().unwrap().hunks())
        } else {
            LineMap::identity()
        }
    })
}
