//! From a change in memory to a review and a verdict.

mod common;

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use common::Memory;
use proptest::prelude::*;
use swage_core::baseline::State;
use swage_core::change::{Change, ChangedFile, Content, Nature};
use swage_core::checker::{place, read_report};
use swage_core::config::packs::PACKS;
use swage_core::config::{FileRole, Policy, read_rules};
use swage_core::diff::{Kind, LineMap, ReadOptions, read};
use swage_core::gate::{Outcome, decide};
use swage_core::lang::{LANGUAGES, Language};
use swage_core::review::{Examination, Finding, Fixes, Marker, Review, examine};
use swage_core::rule::{ReportForm, RuleSet, Severity};
use swage_core::scan::Limits;
use swage_core::scan::{Cache, NoCache};
use swage_core::scan::{FileScan, Lines, Markers, scan};
use swage_core::sides::Sides;

const RULES: &str = r#"
[[rule]]
id = "no-bad"
severity = "error"
title = "Nothing bad"
message = "`{match}` is bad."
languages = ["python"]
match = { code = "bad(ARGS)", holes.ARGS = { many = true } }
[[rule]]
id = "shout"
severity = "note"
title = "No shouting"
message = "{match}"
match = { text = "LOUD[A-Z]*" }
[[rule]]
id = "check-gone"
severity = "error"
title = "Checks stay"
message = "`{match}` was taken away."
side = "old"
languages = ["python"]
match = { code = "check(ARGS)", holes.ARGS = { many = true } }
[[rule]]
id = "parameters"
severity = "warning"
title = "Few parameters"
message = "`{name}` takes {value}; {limit} allowed."
match = { measure = "parameters", over = 1 }
"#;

fn rules() -> RuleSet {
    let file = read_rules("rules.toml", RULES, FileRole::Rules).expect("the rules are right");
    RuleSet::new(file.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect())
}

/// A file of a change: both paths, both contents, and the hunks between them.
struct File {
    old: (&'static str, Option<&'static str>),
    new: (&'static str, Option<&'static str>),
    hunks: &'static str,
}

fn change(files: &[File]) -> (Change, Memory) {
    let whole = |text: Option<&str>| text.map_or(Content::Absent, common::whole);
    let listed = |f: &File| {
        let kind = match (f.old.1, f.new.1) {
            (None, _) => Kind::Added,
            (_, None) => Kind::Deleted,
            _ if f.old.0 != f.new.0 => Kind::Renamed,
            _ => Kind::Modified,
        };
        let text = format!("--- a/f\n+++ b/f\n{}", f.hunks);
        let map = match kind {
            Kind::Added | Kind::Deleted => LineMap::nothing(),
            _ if f.hunks.is_empty() => LineMap::identity(),
            _ => {
                let diff = read(text.as_bytes(), &ReadOptions::default()).expect("a diff");
                LineMap::from_hunks(diff.files().next().expect("a file").hunks())
            }
        };
        ChangedFile {
            old_path: f.old.0.into(),
            new_path: f.new.0.into(),
            kind,
            nature: Nature::Text,
            mode_only: false,
            modes: None,
            executable: Sides::default(),
            map,
            added: 0,
            removed: 0,
        }
    };
    let sides = files.iter().map(|f| Sides { old: whole(f.old.1), new: whole(f.new.1) }).collect();
    (Change { files: files.iter().map(listed).collect(), ..Default::default() }, Memory(sides))
}

fn reviewed(files: &[File], cache: &dyn Cache) -> Review {
    let (change, contents) = change(files);
    let limits = Limits { file_size: 1000, ..Default::default() };
    examine(
        &change,
        &contents,
        &Examination { rules: &rules(), limits: &limits, cache, reports: &[], fixes: Fixes::Tried, progress: &|_| {} },
    )
}

/// `state rule path:line` of each finding.
fn rendered(review: &Review) -> String {
    let line =
        |f: &Finding| format!("{} {} {}:{}", f.state.word(), f.rule, f.path().unwrap(), f.span().unwrap().start_line);
    review.findings.iter().map(line).collect::<Vec<_>>().join(", ")
}

#[test]
fn states_of_findings() {
    let cases: &[(&str, &[File], &str)] = &[
        (
            "pushed down by new lines",
            &[File {
                old: ("a.py", Some("bad(1)\n")),
                new: ("a.py", Some("x = 1\nbad(1)\n")),
                hunks: "@@ -0,0 +1 @@\n+x = 1\n",
            }],
            "unchanged no-bad a.py:2",
        ),
        (
            "one of three was there",
            &[File {
                old: ("a.py", Some("bad(1)\n")),
                new: ("a.py", Some("bad(1)\nbad(1)\nbad(1)\n")),
                hunks: "@@ -1,0 +2,2 @@\n+bad(1)\n+bad(1)\n",
            }],
            "unchanged no-bad a.py:1, new no-bad a.py:2, new no-bad a.py:3",
        ),
        (
            "re-indented in the same function",
            &[File {
                old: ("a.py", Some("def f():\n    bad(1)\n")),
                new: ("a.py", Some("def f():\n    if x:\n        bad( 1 )\n")),
                hunks: "@@ -2 +2,2 @@\n-    bad(1)\n+    if x:\n+        bad( 1 )\n",
            }],
            "updated no-bad a.py:3",
        ),
        (
            "moved to another file with the code around it, re-indented",
            &[
                File {
                    old: ("a.py", Some("boat = find(name)\nbad(1)\nberth = free(boat, quay)\n")),
                    new: ("a.py", Some("")),
                    hunks: "@@ -1,3 +0,0 @@\n-boat = find(name)\n-bad(1)\n-berth = free(boat, quay)\n",
                },
                File {
                    old: ("b.py", None),
                    new: (
                        "b.py",
                        Some("def g():\n    boat = find(name)\n    bad(1)\n\n    berth = free(boat, quay)\n"),
                    ),
                    hunks: "",
                },
            ],
            "unchanged no-bad b.py:3",
        ),
        (
            "moved with the definition around it, however short",
            &[
                File { old: ("a.py", Some("def g():\n    bad(1)\n")), new: ("a.py", None), hunks: "" },
                File { old: ("b.py", None), new: ("b.py", Some("x = 1\ndef g():\n    bad(1)\n")), hunks: "" },
            ],
            "unchanged no-bad b.py:3",
        ),
        (
            "deleted in one place and written in another, between other lines",
            &[
                File { old: ("a.py", Some("bad(1)\n")), new: ("a.py", Some("")), hunks: "@@ -1 +0,0 @@\n-bad(1)\n" },
                File { old: ("b.py", None), new: ("b.py", Some("def g():\n    bad(1)\n")), hunks: "" },
            ],
            "new no-bad b.py:2, absent no-bad a.py:1",
        ),
        (
            "the lines around it was in both places before",
            &[
                File {
                    old: ("a.py", Some("boat = find(name)\nbad(1)\nberth = free(boat, quay)\n")),
                    new: ("a.py", Some("boat = find(name)\nberth = free(boat, quay)\n")),
                    hunks: "@@ -2 +1,0 @@\n-bad(1)\n",
                },
                File {
                    old: ("b.py", Some("boat = find(name)\nberth = free(boat, quay)\n")),
                    new: ("b.py", Some("boat = find(name)\nbad(1)\nberth = free(boat, quay)\n")),
                    hunks: "@@ -1,0 +2 @@\n+bad(1)\n",
                },
            ],
            "new no-bad b.py:2, absent no-bad a.py:2",
        ),
        (
            "renamed and otherwise the same",
            &[File { old: ("a.py", Some("bad(1)\n")), new: ("z/b.py", Some("bad(1)\n")), hunks: "" }],
            "unchanged no-bad z/b.py:1",
        ),
        (
            "copied: the old one stays, so this one is new",
            &[File { old: ("b.py", None), new: ("b.py", Some("bad(1)\n")), hunks: "" }],
            "new no-bad b.py:1",
        ),
        (
            "a check taken away; those that stay or move say nothing",
            &[
                File {
                    old: ("a.py", Some("check(1)\ncheck(2)\ndef tide(quay):\n    check(3)\n")),
                    new: ("a.py", Some("check(1)\n")),
                    hunks: "@@ -2,3 +1,0 @@\n-check(2)\n-def tide(quay):\n-    check(3)\n",
                },
                File {
                    old: ("b.py", None),
                    new: ("b.py", Some("def tide(quay):\n    check(3)\ncheck(4)\n")),
                    hunks: "",
                },
            ],
            "new check-gone a.py:2",
        ),
        (
            "a measure that grew, in a function that moved",
            &[File {
                old: ("a.py", Some("def f(a, b): pass\nx = 1\n")),
                new: ("a.py", Some("x = 1\ndef f(a, b, c): pass\n")),
                hunks: "@@ -1 +0,0 @@\n-def f(a, b): pass\n@@ -2,0 +2 @@\n+def f(a, b, c): pass\n",
            }],
            "updated parameters a.py:2",
        ),
        (
            "text inside a long match changed, its first line stayed",
            &[File {
                old: ("a.py", Some("bad(\n 1)\n")),
                new: ("a.py", Some("bad(\n 2)\n")),
                hunks: "@@ -2 +2 @@\n- 1)\n+ 2)\n",
            }],
            "updated no-bad a.py:1",
        ),
        (
            "deleted",
            &[File { old: ("a.py", Some("bad(1)\n")), new: ("a.py", None), hunks: "" }],
            "absent no-bad a.py:1",
        ),
    ];
    for (name, files, expected) in cases {
        assert_eq!(rendered(&reviewed(files, &NoCache)), *expected, "{name}");
    }
}

#[test]
fn excerpts_show_the_change_around_a_finding() {
    let review = reviewed(
        &[File {
            old: ("a.py", Some("one\ntwo\nthree\nfour\nfive\n")),
            new: ("a.py", Some("one\nbad(2)\nthree\nfour\nfive\n")),
            hunks: "@@ -2 +2 @@\n-two\n+bad(2)\n",
        }],
        &NoCache,
    );
    let line = |l: &swage_core::review::ExcerptLine| {
        let marker = match l.marker {
            Marker::Same => ' ',
            Marker::Added => '+',
            Marker::Removed => '-',
        };
        format!("{marker} {:?} {:?} {}", l.old, l.new, l.text)
    };
    let shown: Vec<String> = review.findings[0].excerpt.iter().map(line).collect();
    insta::assert_snapshot!(shown.join("\n"), @r"
      Some(1) Some(1) one
    - Some(2) None two
    + None Some(2) bad(2)
      Some(3) Some(3) three
      Some(4) Some(4) four
    ");
    assert!(review.findings[0].on_changed_line);
}

/// Counts what is asked and kept.
#[derive(Default)]
struct Counting {
    kept: Mutex<HashMap<[u8; 32], FileScan>>,
    hits: Mutex<u32>,
}

impl Cache for Counting {
    fn get(&self, name: &[u8; 32]) -> Option<FileScan> {
        let found = self.kept.lock().expect("unharmed").get(name).cloned();
        *self.hits.lock().expect("unharmed") += u32::from(found.is_some());
        found
    }
    fn put(&self, name: [u8; 32], scan: &FileScan) {
        self.kept.lock().expect("unharmed").insert(name, scan.clone());
    }
}

#[test]
fn the_cache_saves_work_and_changes_nothing() {
    let files = || {
        [
            File {
                old: ("a.py", Some("bad(1)\n")),
                new: ("a.py", Some("bad(1)\nbad(2)\n")),
                hunks: "@@ -1,0 +2 @@\n+bad(2)\n",
            },
            // The same content under a name of another language must not be taken for the same.
            File { old: ("a.js", None), new: ("a.js", Some("bad(1)\n")), hunks: "" },
        ]
    };
    let cache = Counting::default();
    let plain = reviewed(&files(), &NoCache);
    assert_eq!(reviewed(&files(), &cache), plain);
    assert_eq!((*cache.hits.lock().expect("unharmed"), cache.kept.lock().expect("unharmed").len()), (0, 3));
    assert_eq!(reviewed(&files(), &cache), plain);
    assert_eq!(*cache.hits.lock().expect("unharmed"), 3);
}

#[test]
fn the_gate_judges_by_the_policy() {
    let files = [
        File { old: ("a.py", None), new: ("a.py", Some("bad(1)\nbad(2)\n# LOUD\n")), hunks: "" },
        File {
            old: ("b.py", Some("def f(a, b): pass\n")),
            new: ("b.py", Some("def f(a, b, c): pass\n")),
            hunks: "@@ -1 +1 @@\n-def f(a, b): pass\n+def f(a, b, c): pass\n",
        },
    ];
    let review = reviewed(&files, &NoCache);
    let limit = |severity: Severity, most: u64| {
        let mut policy = Policy::open();
        policy.new[severity as usize] = Some(most);
        policy
    };
    let conflict = ["a.py".to_owned()];
    let table: Vec<(&str, Policy, &[String], Outcome)> = vec![
        ("nothing is asked", Policy::open(), &[], Outcome::Pass),
        ("two errors, two allowed", limit(Severity::Error, 2), &[], Outcome::Pass),
        ("two errors, one allowed", limit(Severity::Error, 1), &[], Outcome::Fail),
        ("one note, none allowed", limit(Severity::Note, 0), &[], Outcome::Fail),
        ("no new warning: the measure was there", limit(Severity::Warning, 0), &[], Outcome::Pass),
        ("one measure worse", Policy { worse: Some(0), ..Policy::open() }, &[], Outcome::Fail),
        ("one measure worse, one allowed", Policy { worse: Some(1), ..Policy::open() }, &[], Outcome::Pass),
        ("the total rises", Policy { above_baseline: false, ..Policy::open() }, &[], Outcome::Fail),
        ("two files, one allowed", Policy { files: Some(1), ..Policy::open() }, &[], Outcome::Fail),
        ("a conflict", Policy::open(), &conflict, Outcome::Fail),
    ];
    for (name, policy, conflicts, expected) in table {
        assert_eq!(decide(&review, &policy, conflicts).result, expected, "{name}");
    }
    // What wasn't examined can't pass, whatever the policy.
    let large: &'static str = "x = 1\n".repeat(500).leak();
    let review = reviewed(&[File { old: ("a.py", None), new: ("a.py", Some(large)), hunks: "" }], &NoCache);
    assert_eq!(decide(&review, &Policy::open(), &[]).result, Outcome::Incomplete);
    assert_eq!(review.files[0].why_not.as_deref(), Some("it has 3000 bytes, and the limit file_size is 1000"));
}

#[test]
fn lines_and_columns_count_as_people_do() {
    let text = "ä😀b\r\nÿ";
    let lines = Lines::new(text.as_bytes());
    let at = |needle: &str| {
        let (line, column) = lines.position(text.find(needle).expect("it is there"));
        (line.get(), column.get())
    };
    assert_eq!((at("ä"), at("😀"), at("b"), at("ÿ")), ((1, 1), (1, 2), (1, 3), (2, 1)));
    assert_eq!(
        (lines.get(0), lines.get(1), lines.get(9), lines.count()),
        ("ä😀b".as_bytes(), "ÿ".as_bytes(), &b""[..], 2)
    );
    assert_eq!((Lines::new(b"").count(), Lines::new(b"a\n").count(), Lines::new(b"\n\n").count()), (0, 1, 2));
}

#[test]
fn paths_that_are_not_utf8_are_encoded() {
    let (mut change, contents) = change(&[File { old: ("x", None), new: ("x", Some("LOUD\n")), hunks: "" }]);
    change.files[0].new_path = b"h\xe4fen %.txt".to_vec();
    let limits = Limits::default();
    let review = examine(
        &change,
        &contents,
        &Examination {
            rules: &rules(),
            limits: &limits,
            cache: &NoCache,
            reports: &[],
            fixes: Fixes::Tried,
            progress: &|_| {},
        },
    );
    assert_eq!(review.findings[0].anchor.as_ref().unwrap().path.text, "h%E4fen%20%25.txt");
    assert!(review.findings[0].anchor.as_ref().unwrap().path.encoded && review.findings[0].state == State::New);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..Default::default() })]

    /// Bytes that are nearly code, under the name of every language.
    #[test]
    fn no_content_makes_the_scanner_fail(
        pieces in prop::collection::vec(prop::sample::select(vec![
            "def f(a, b):", "class A {", "}", "(", ")", "\n", "    ", "bad(1)", "# x = 1", "// x = 1;", "/*", "*/", "'", "\"", "`${", "LOUD",
            "except: pass", "catch (e) {}", "if err != nil {", "\u{0}", "\u{feff}", "ä", "\r\n", "=> {", "fn f() {", "package p", "@Disabled",
        ]), 0..60),
        tail in prop::collection::vec(any::<u8>(), 0..40),
    ) {
        let mut code = pieces.concat().into_bytes();
        code.extend(tail);
        let all: Vec<_> = PACKS.iter().flat_map(|p| p.rules().iter().cloned()).chain(rules().rules().iter().cloned()).collect();
        let set = RuleSet::new(all);
        for language in LANGUAGES {
            let path = format!("a.{}", language.extensions[0]);
            let known = Language::of(path.as_bytes(), &code);
            let found = scan(&code, known, &set, &set.wanted(path.as_bytes()), &Limits::default(), Markers::Heeded);
            let lines = Lines::new(&code).count() as u32 + 1;
            prop_assert!(found.hits.iter().all(|h| h.span.is_some_and(|s| s.start_line.get() >= 1 && s.end_line.get() <= lines)));
            prop_assert_eq!(&found, &scan(&code, known, &set, &set.wanted(path.as_bytes()), &Limits::default(), Markers::Heeded));
        }
    }
}

proptest! {
    /// No report of a program makes reading or placing it panic, and whatever is placed lies in the file.
    #[test]
    fn reports_of_programs_are_read_or_refused(
        lines in prop::collection::vec(("[a-c:]{0,3}(a.py|/tmp/t/a.py)?", 0u32..9, 0u32..40, "(error|warning|note|nonsense)", ".{0,20}"), 0..6),
        noise in prop::collection::vec(any::<u8>(), 0..80),
        numbers in prop::collection::vec(prop::option::of(0u32..9), 4),
        utf16 in any::<bool>(),
    ) {
        let text: String = lines.iter().map(|(path, line, column, level, message)| format!("{path}:{line}:{column}: {level}: {message}\n")).collect();
        let region = ["startLine", "startColumn", "endLine", "endColumn"].iter().zip(&numbers);
        let region: Vec<String> = region.filter_map(|(key, n)| n.map(|n| format!("\"{key}\": {n}"))).collect();
        let kind = if utf16 { "utf16CodeUnits" } else { "unicodeCodePoints" };
        let sarif = format!(
            r#"{{"version":"2.1.0","runs":[{{"columnKind":"{kind}","results":[{{"message":{{"text":"m"}},"locations":[{{"physicalLocation":{{"artifactLocation":{{"uri":"./a.py"}},"region":{{{}}}}}}}]}}]}}]}}"#,
            region.join(",")
        );
        let content = "def f():\n    \u{1F6A2} = 'é'\n\n".as_bytes();
        let rules = read_rules("r", "[[rule]]\nid = \"c\"\nseverity = \"warning\"\ntitle = \"t\"\nmessage = \"{message}\"\nmatch = { checker = [\"x\"], output = \"lines\" }", FileRole::Rules);
        let rule = &rules.expect("the rule is right").rules[0].0;
        for (form, bytes) in [(ReportForm::Lines, text.as_bytes()), (ReportForm::Lines, &noise), (ReportForm::Sarif, &noise), (ReportForm::Sarif, sarif.as_bytes())] {
            let Ok(reported) = read_report(form, bytes, "/tmp/t") else { continue };
            let Ok(hits) = place(&reported.iter().collect::<Vec<_>>(), rule, Language::by_name("python"), content) else { continue };
            for span in hits.iter().filter_map(|h| h.span) {
                prop_assert!(span.start_line <= span.end_line && span.end_line.get() <= 3, "{span:?}");
                prop_assert!(span.start_column.get() >= 1 && (span.start_line < span.end_line || span.start_column <= span.end_column), "{span:?}");
            }
        }
    }
}
