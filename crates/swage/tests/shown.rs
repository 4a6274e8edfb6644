//! Choosing which findings a result shows: in every form, and without touching counts, verdicts and exit codes.

mod common;
use common::{CONFIG, Sandbox};

fn harbour() -> Sandbox {
    let s = Sandbox::with(&[
        ("swage.toml", CONFIG),
        ("a.py", "bad(0)\n\n\ndef old(a, b, c):\n    return a\n"),
        ("b.py", "bad(1)\n"),
    ]);
    s.branch("topic");
    s.write("a.py", "bad(0)\n\n\ndef old(a, b, c, d):\n    return a\n");
    s.write("b.py", "x = 1\n");
    s.write("quay/c.py", format!("def f(a, b, c):\n    return a\n\n\n{}", "bad(a)\n".repeat(30)));
    s.commit("work");
    s
}

/// What is asked for, and how many findings each form shows.
#[test]
fn every_form_shows_what_is_chosen() {
    let s = harbour();
    let cases: &[(&[&str], usize, usize)] = &[
        // What people see, and what machines get.
        (&[], 32, 34),
        (&["--rule", "no-bad"], 30, 32),
        (&["--rule", "no-bad", "--rule", "parameters"], 32, 34),
        (&["--path", "quay/**"], 31, 31),
        (&["--severity", "error"], 30, 32),
        (&["--severity", "note"], 32, 34),
        (&["--state", "fixed"], 1, 1),
        (&["--state", "unchanged"], 1, 1),
        (&["--state", "worse", "--state", "fixed"], 2, 2),
        (&["--rule", "parameters", "--state", "worse"], 1, 1),
        (&["--rule", "unused-suppression"], 0, 0),
    ];
    for (chosen, people, machines) in cases {
        let run = |form: &str| s.swage(&[&["review"], *chosen, &["--format", form]].concat());
        assert_eq!(run("lines").stdout.lines().count(), *people, "{chosen:?}");
        let json = run("json").json();
        assert_eq!(json["findings"].as_array().map(Vec::len), Some(*machines), "{chosen:?}");
        let left = (34 - machines) as u64;
        assert_eq!(json["left_out"].as_u64().unwrap_or(0), left, "{chosen:?}");
        assert_eq!(json["counts"]["new"]["error"], 30, "{chosen:?}");
        let sarif = run("sarif").json();
        assert_eq!(sarif["runs"][0]["results"].as_array().map(Vec::len), Some(*machines), "{chosen:?}");
        assert_eq!(sarif["runs"][0]["properties"]["findingsLeftOut"].as_u64().unwrap_or(0), left, "{chosen:?}");
        let gate = s.swage(&[&["gate"], *chosen].concat());
        assert!(gate.code == 1 && gate.stdout.contains("30 new errors"), "{chosen:?}: {}", gate.rendered());
    }
    assert_eq!(s.swage(&["review", "--path", "["]).code, 2);
    assert_eq!(s.swage(&["review", "--rule", "parameters", "--fail-on", "error"]).code, 1);
}

/// A rule that fires again and again is shown by its first findings, after a table; whoever asks gets all.
#[test]
fn many_findings_of_a_rule_are_cut() {
    let s = harbour();
    let ran = s.swage(&["review"]);
    let shown = |text: &str| text.matches("`bad(a)` is bad.").count();
    assert_eq!(shown(&ran.stdout), 10);
    assert!(ran.stdout.contains("20 more of no-bad: `--rule no-bad` shows them.\n"), "{}", ran.rendered());
    let table = ran.stdout.find("rule            new").expect("a table");
    assert!(table < ran.stdout.find("`bad(a)` is bad.").expect("findings"), "{}", ran.rendered());
    for all in [&["review", "--rule", "no-bad"][..], &["review", "--all"]] {
        assert_eq!(shown(&s.swage(all).stdout), 30, "{all:?}");
    }
    insta::assert_snapshot!("summary", s.swage(&["review", "--summary"]).rendered());
    let summary = s.swage(&["gate", "--summary", "--rule", "no-bad", "--format", "json"]).json();
    insta::assert_snapshot!("summary_json", common::normal(&serde_json::to_string_pretty(&summary).expect("JSON")));
    let ran = s.swage(&["review", "--summary", "--format", "sarif"]);
    assert!(ran.code == 2 && ran.stderr.contains("this form has no summary"), "{}", ran.rendered());
}

/// What was left out must not look as if it were gone.
#[test]
fn results_with_findings_left_out_are_no_baseline() {
    let s = harbour();
    for form in ["json", "sarif"] {
        let file = format!("../part.{form}");
        assert_eq!(s.swage(&["scan", "--rule", "parameters", "--format", form, "--output", &file]).code, 0);
        for args in [&["scan", "--baseline", &file][..], &["compare", &file, &file]] {
            let ran = s.swage(args);
            assert!(
                ran.code == 2 && ran.stderr.contains("findings were left out of it"),
                "{args:?}: {}",
                ran.rendered()
            );
        }
    }
}
