//! Decisions: recording them, what they accept, what brings a finding back, and whose decisions the gate heeds.

mod common;
use common::{CONFIG, Sandbox, without_dates};

const CODE: &str =
    "def load(path):\n    rows = read(path)\n    bad(path)\n    return rows\n\n\ndef save(path):\n    bad(path, 2)\n";

fn start() -> Sandbox {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "x = 1\n")]);
    s.branch("topic");
    s.write("a.py", CODE);
    s.commit("work");
    s
}

/// The rules of the findings that are open, each with its line, and those that are settled, each with the answer.
fn standing(s: &Sandbox, args: &[&str]) -> String {
    let json = s.swage(&[args, &["--format", "json"]].concat()).json();
    let all = json["findings"].as_array().cloned().unwrap_or_default();
    let rendered = all.iter().filter(|f| f["state"] != "absent").map(|f| {
        let answer = f["decision"]["as"].as_str().unwrap_or("open");
        format!("{}:{} {answer}", f["anchor"]["path"].as_str().unwrap_or_default(), f["anchor"]["start_line"])
    });
    rendered.collect::<Vec<_>>().join(", ")
}

fn key(s: &Sandbox, line: u64) -> String {
    key_of(s, &["review"], line)
}

fn key_of(s: &Sandbox, args: &[&str], line: u64) -> String {
    let json = s.swage(&[args, &["--format", "json"]].concat()).json();
    let all = json["findings"].as_array().expect("findings");
    let found = all.iter().find(|f| f["anchor"]["start_line"] == line).expect("a finding in that line");
    found["key"].as_str().expect("a key").to_owned()
}

#[test]
fn decisions_are_recorded_and_listed() {
    let s = start();
    let key = key(&s, 3);
    let ran = s.swage(&["settle", &key[..8], "--as", "intended", "--because", "the board \"needs\" it"]);
    insta::assert_snapshot!("settled", ran.rendered());
    let file = s.read(".swage/decisions.toml").replace(&key, "[key]");
    insta::assert_snapshot!("file", without_dates(&file));
    insta::assert_snapshot!("list", without_dates(&s.swage(&["settle", "--list"]).rendered()));
    assert_eq!(standing(&s, &["review"]), "a.py:3 intended, a.py:8 open");
    let human = s.swage(&["review"]).stdout;
    assert!(human.contains("Also: 1 settled.") && !human.contains("bad(path)` is bad"), "{human}");
    let sarif = s.swage(&["review", "--format", "sarif"]).json();
    assert_eq!(sarif["runs"][0]["results"][0]["suppressions"][0]["kind"], "external");
    assert_eq!(s.swage(&["settle", "--check"]).code, 0);
    // Settling again replaces, dropping takes it back.
    assert_eq!(s.swage(&["settle", &key, "--as", "wrong", "--because", "no"]).code, 0);
    assert_eq!(standing(&s, &["scan"]), "a.py:3 wrong, a.py:8 open");
    assert_eq!(s.swage(&["settle", &key, "--drop"]).stdout, "Dropped 1 decision.\n");
    assert_eq!(standing(&s, &["review"]), "a.py:3 open, a.py:8 open");
}

#[test]
fn calls_that_settle_nothing() {
    let s = start();
    let key = key(&s, 3);
    let cases: &[(&[&str], &str)] = &[
        (&["settle"], "say which finding is settled"),
        (&["settle", &key], "needs an answer and a reason"),
        (&["settle", &key, "--as", "intended"], "needs an answer and a reason"),
        (&["settle", &key, "--as", "intended", "--because", " "], "the reason is empty"),
        (&["settle", &key, "--as", "later", "--because", "x"], "`later` needs a date"),
        (&["settle", &key, "--as", "later", "--because", "x", "--until", "2031-02-30"], "is no date"),
        (&["settle", &key, "--as", "later", "--because", "x", "--until", "2001-02-03"], "has passed"),
        (&["settle", &key, "--as", "wrong", "--because", "x", "--until", "2031-02-03"], "only `later` has a date"),
        (&["settle", "0000", "--as", "wrong", "--because", "x"], "no finding has the key"),
        (&["settle", "", "--as", "wrong", "--because", "x"], "several findings"),
        (&["settle", "0000", "--drop"], "no decision is about"),
    ];
    for (args, says) in cases {
        let ran = s.swage(args);
        assert!(ran.code == 2 && ran.stderr.contains(says), "{args:?}: {}", ran.rendered());
    }
    s.write(".swage/decisions.toml", "[[decision]]\nrule = 'no-bad'\nas = 'fine'\nbecause = ''\non = 'today'\n");
    insta::assert_snapshot!("broken", s.swage(&["review"]).rendered());
}

/// A decision, a change to the code behind it, and how the findings are then. The control is the first row.
#[test]
fn decisions_follow_code_and_not_its_meaning() {
    type Edit = fn(&Sandbox);
    let cases: &[(&str, &str, Edit, &str)] = &[
        ("as it was", "finding", |_| {}, "a.py:3 intended, a.py:8 open"),
        (
            "lines before it",
            "finding",
            |s| s.write("a.py", format!("x = 1\ny = 2\n{CODE}")),
            "a.py:5 intended, a.py:10 open",
        ),
        ("renamed", "finding", |s| _ = s.git(&["mv", "a.py", "b.py"]), "b.py:3 intended, b.py:8 open"),
        (
            "moved to another file",
            "finding",
            |s| {
                let (load, save) = CODE.split_once("\n\n\n").expect("two functions");
                s.write("a.py", save);
                s.write("c.py", format!("{load}\n"));
            },
            "a.py:2 open, c.py:3 intended",
        ),
        (
            "another argument",
            "finding",
            |s| s.write("a.py", CODE.replace("bad(path)", "bad(path.all)")),
            "a.py:3 open, a.py:8 open",
        ),
        (
            "a second one of the same",
            "finding",
            |s| s.write("a.py", CODE.replace("    bad(path)\n", "    bad(path)\n    bad(path)\n")),
            "a.py:3 intended, a.py:4 open, a.py:9 open",
        ),
        ("all of the file", "file", |s| s.write("d.py", "bad(1)\n"), "a.py:3 intended, a.py:8 intended, d.py:1 open"),
        (
            "the same elsewhere",
            "pattern",
            |s| s.write("d.py", "bad(path)\n"),
            "a.py:3 intended, a.py:8 open, d.py:1 intended",
        ),
    ];
    for (name, scope, edit, expected) in cases {
        let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", CODE)]);
        s.branch("topic");
        s.write("x.py", "x = 1\n");
        s.commit("work");
        let ran =
            s.swage(&["settle", &key_of(&s, &["scan"], 3), "--as", "intended", "--because", "so", "--scope", scope]);
        assert_eq!(ran.code, 0, "{}", ran.rendered());
        edit(&s);
        assert_eq!(standing(&s, &["scan"]), *expected, "{name}");
    }
}

/// New code with the text of a settled finding isn't that finding, even when the old code is taken away. The control moves the
/// whole definition.
#[test]
fn decisions_are_not_taken_over_by_new_code() {
    for (moved, expected) in [
        ("def load(path):\n    rows = read(path)\n    bad(path)\n    return rows\n", "b.py:3 intended"),
        ("def load(path):\n    bad(path)\n", "b.py:2 open"),
    ] {
        let load = CODE.split("\n\n\n").next().expect("a function").to_owned() + "\n";
        let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", &load)]);
        s.branch("decide");
        s.swage(&["settle", &key_of(&s, &["scan"], 3), "--as", "intended", "--because", "so"]);
        s.commit("decide");
        s.git(&["checkout", "--quiet", "main"]);
        s.git(&["merge", "--quiet", "decide"]);
        s.branch("topic");
        s.write("a.py", "x = 1\n");
        s.write("b.py", moved);
        s.commit("work");
        assert_eq!(standing(&s, &["gate"]), expected);
    }
}

/// Decisions whose day has passed, or whose code has another meaning, come back and say so.
#[test]
fn what_has_run_out_comes_back() {
    let s = start();
    s.swage(&["settle", &key(&s, 3), "--as", "later", "--because", "soon", "--until", "2999-01-01"]);
    assert_eq!(standing(&s, &["review"]), "a.py:3 later, a.py:8 open");
    s.write(".swage/decisions.toml", s.read(".swage/decisions.toml").replace("2999-01-01", "2020-01-01"));
    let ran = s.swage(&["review"]);
    assert!(
        ran.stdout
            .replace('\n', " ")
            .contains("`no-bad` at a.py:3:5 was deferred until 2020-01-01, so it counts again."),
        "{}",
        ran.stdout
    );
    let ran = s.swage(&["settle", "--check"]);
    assert!(ran.code == 1 && ran.stdout.contains("1 without effect"), "{}", ran.rendered());
}

/// Settling a measure that has grown covers the value that it has then, and no larger one.
#[test]
fn a_grown_measure_is_settled_at_its_value() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "def load(a, b, c):\n    return a\n")]);
    s.branch("topic");
    s.write("a.py", "def load(a, b, c, d):\n    return a\n");
    s.commit("work");
    let ran = s.swage(&["settle", &key(&s, 1), "--as", "later", "--because", "soon", "--until", "2999-01-01"]);
    assert_eq!(ran.code, 0, "{}", ran.rendered());
    assert_eq!(standing(&s, &["review"]), "a.py:1 later");
    s.write("a.py", "def load(a, b, c, d, e):\n    return a\n");
    assert_eq!(standing(&s, &["review"]), "a.py:1 open");
}

/// A change can't settle its own findings.
#[test]
fn the_gate_heeds_the_targets_decisions_only() {
    let s = start();
    let key = key(&s, 3);
    s.swage(&["settle", &key, "--as", "wrong", "--because", "I say so"]);
    s.commit("decide");
    let ran = s.swage(&["gate", "--format", "json"]);
    assert_eq!(ran.code, 1, "{}", ran.rendered());
    let notes = ran.json()["notes"].to_string();
    assert!(notes.contains("They would settle: no-bad at a.py:3:5 as wrong."), "{notes}");
    // The control: the same decisions on the target.
    s.swage(&["settle", &self::key(&s, 8), "--as", "wrong", "--because", "so"]);
    let decisions = s.read(".swage/decisions.toml");
    s.git(&["checkout", "--quiet", "--force", "main"]);
    s.write(".swage/decisions.toml", decisions);
    s.commit("decide");
    s.git(&["checkout", "--quiet", "topic"]);
    s.git(&["reset", "--quiet", "--hard", "HEAD^"]);
    let ran = s.swage(&["gate", "main..topic"]);
    assert_eq!(ran.code, 0, "{}", ran.rendered());
}
