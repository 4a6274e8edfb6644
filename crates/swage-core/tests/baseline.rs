//! Comparing with the baseline and combining conditions: laws over random and enumerated cases.

use proptest::prelude::*;
use swage_core::baseline::{FileHits, State, compare, keys};
use swage_core::diff::{LineMap, ReadOptions, read};
use swage_core::gate::{Condition, Outcome, Verdict};
use swage_core::rule::Severity;
use swage_core::scan::{Figure, Hit, Span};
use swage_core::sides::Sides;

/// A hit of few different rules, scopes and texts, so that many look alike.
fn hit() -> impl Strategy<Value = Hit> {
    (1u32..12, 0usize..2, 0usize..2, 0u64..3, prop::option::of(3u64..6)).prop_map(|(line, rule, scope, text, value)| {
        Hit {
            rule: ["one", "two"][rule].into(),
            severity: Severity::Warning,
            message: format!("text {text}"),
            span: Span::from_numbers([line, 1, line, 5]),
            scope: ["", "f"][scope].to_owned(),
            exact: text,
            folded: text,
            identity: text,
            definition: None,
            figure: value.map(|value| Figure { value, limit: 2 }),
            fix: None,
            suppressed: None,
            related: Vec::new(),
            secret: false,
        }
    })
}

fn map() -> impl Strategy<Value = LineMap> {
    (1u32..5, 0u32..4, 0u32..4).prop_map(|(at, removed, added)| {
        if removed + added == 0 {
            return LineMap::identity();
        }
        let start = |count: u32| if count == 0 { at - 1 } else { at };
        let text = format!(
            "--- a/f\n+++ b/f\n@@ -{},{removed} +{},{added} @@\n{}{}",
            start(removed),
            start(added),
            "-x\n".repeat(removed as usize),
            "+y\n".repeat(added as usize)
        );
        LineMap::from_hunks(
            read(text.as_bytes(), &ReadOptions::default()).expect("a diff").files().next().expect("a file").hunks(),
        )
    })
}

fn files() -> impl Strategy<Value = Vec<FileHits>> {
    let file = (prop::collection::vec(hit(), 0..8), prop::collection::vec(hit(), 0..8), map());
    prop::collection::vec(file, 1..4).prop_map(|list| {
        let sorted = |mut hits: Vec<Hit>| {
            hits.sort_by(|a, b| (a.span, &a.rule).cmp(&(b.span, &b.rule)));
            hits
        };
        let file = |(n, (base, head, map))| FileHits {
            old_path: vec![b'a' + n as u8],
            new_path: vec![b'a' + n as u8],
            map,
            hits: Sides { old: sorted(base), new: sorted(head) },
        };
        list.into_iter().enumerate().map(file).collect()
    })
}

proptest! {
    #[test]
    fn every_finding_is_in_exactly_one_state(files in files()) {
        let compared = compare(&files, &|_| None);
        let count = |state: State| compared.iter().filter(|c| c.state == state).count();
        let kept = count(State::Unchanged) + count(State::Updated);
        prop_assert_eq!(kept + count(State::New), files.iter().map(|f| f.hits.new.len()).sum::<usize>());
        prop_assert_eq!(kept + count(State::Absent), files.iter().map(|f| f.hits.old.len()).sum::<usize>());
        let mut seen: Vec<_> = compared.iter().filter_map(|c| c.place.old).collect();
        seen.sort_unstable();
        seen.dedup();
        prop_assert_eq!(seen.len(), kept + count(State::Absent), "a base finding was paired twice");
        for c in &compared {
            if let (Some((bf, bi)), Some((hf, hi))) = (c.place.old, c.place.new) {
                prop_assert_eq!(&files[bf].hits.old[bi].rule, &files[hf].hits.new[hi].rule);
            }
        }
        // Keys tell findings apart, and those that stay keep theirs.
        let names = keys(&files, &compared);
        let mut unique = names.clone();
        unique.sort();
        unique.dedup();
        prop_assert_eq!(unique.len(), names.len());
        let alone: Vec<FileHits> = files.iter().map(|f| FileHits { hits: Sides { old: Vec::new(), new: f.hits.old.clone() }, map: LineMap::identity(), ..f.clone() }).collect();
        let before = compare(&alone, &|_| None);
        let base_names = keys(&alone, &before);
        for (c, name) in compared.iter().zip(&names) {
            if let Some(place) = c.place.old {
                let at = before.iter().position(|b| b.place.new == Some(place)).expect("it is there");
                prop_assert_eq!(name, &base_names[at]);
            }
        }
    }

    #[test]
    fn nothing_changes_when_nothing_changes(files in files()) {
        let same: Vec<FileHits> = files.iter().map(|f| FileHits { hits: Sides { old: f.hits.new.clone(), new: f.hits.new.clone() }, map: LineMap::identity(), ..f.clone() }).collect();
        let compared = compare(&same, &|_| None);
        prop_assert!(compared.iter().all(|c| c.state == State::Unchanged));
    }
}

#[test]
fn a_verdict_is_its_gravest_condition() {
    const ALL: [Outcome; 3] = [Outcome::Pass, Outcome::Incomplete, Outcome::Fail];
    let of = |results: &[Outcome]| {
        Verdict::of(results.iter().map(|&result| Condition { name: "c".into(), result, reason: "r".into() }).collect())
            .result
    };
    assert_eq!(of(&[]), Outcome::Pass);
    for a in ALL {
        for b in ALL {
            for c in ALL {
                let expected = if [a, b, c].contains(&Outcome::Fail) {
                    Outcome::Fail
                } else if [a, b, c].contains(&Outcome::Incomplete) {
                    Outcome::Incomplete
                } else {
                    Outcome::Pass
                };
                assert_eq!(of(&[a, b, c]), expected);
            }
        }
    }
}
