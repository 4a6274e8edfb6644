//! The gate: each condition, the merged tree, the target's rules, and exit codes.

mod common;
use common::{CONFIG, Sandbox};

/// The verdict and its conditions in a line, and the exit code.
fn verdict(s: &Sandbox, args: &[&str]) -> String {
    let ran = s.swage(&[&["gate", "--format", "json"], args].concat());
    let json = ran.json();
    let conditions = json["verdict"]["conditions"].as_array().cloned().unwrap_or_default();
    let conditions: Vec<String> = conditions
        .iter()
        .filter(|c| c["result"] != "pass")
        .map(|c| {
            format!(
                "{} {}: {}",
                c["result"].as_str().unwrap_or_default(),
                c["name"].as_str().unwrap_or_default(),
                c["reason"].as_str().unwrap_or_default()
            )
        })
        .collect();
    format!("{} {} [{}]", ran.code, json["verdict"]["result"].as_str().unwrap_or("?"), conditions.join("; "))
}

/// main with old findings, and a branch to work on.
fn start(gate: &str) -> Sandbox {
    let config = CONFIG.replace("new = { error = 0 }\nworse = 0", gate);
    let s = Sandbox::with(&[
        ("swage.toml", &config),
        ("old.py", "bad(1)\n\ndef f(a, b, c):\n    pass\n"),
        ("free.py", "x = 1\n"),
    ]);
    s.branch("topic");
    s
}

#[test]
fn conditions() {
    type Edit = fn(&Sandbox);
    let cases: &[(&str, &str, Edit, &str)] = &[
        ("nothing changed", "new = { error = 0 }", |_| {}, "0 pass []"),
        (
            "old findings don't count",
            "new = { error = 0 }",
            |s| s.write("old.py", "# more\nbad(1)\n\ndef f(a, b, c):\n    pass\n"),
            "0 pass []",
        ),
        (
            "a new one does",
            "new = { error = 0 }",
            |s| s.write("free.py", "bad(2)\n"),
            "1 fail [fail new.error: 1 new error; 0 allowed]",
        ),
        ("as many as are allowed", "new = { error = 1 }", |s| s.write("free.py", "bad(2)\n"), "0 pass []"),
        (
            "three where one was: two are new",
            "new = { error = 0 }",
            |s| s.write("old.py", "bad(1)\nbad(1)\nbad(1)\n\ndef f(a, b, c):\n    pass\n"),
            "1 fail [fail new.error: 2 new errors; 0 allowed]",
        ),
        (
            "a severity that isn't named isn't limited",
            "new = { note = 0 }",
            |s| s.write("free.py", "bad(2)\n"),
            "0 pass []",
        ),
        (
            "a measure that got worse",
            "worse = 0",
            |s| s.write("old.py", "bad(1)\n\ndef f(a, b, c, d):\n    pass\n"),
            "1 fail [fail worse: 1 measure worse than before; 0 allowed]",
        ),
        (
            "a measure that got better",
            "worse = 0\nabove_baseline = false",
            |s| s.write("old.py", "bad(1)\n\ndef f(a, b):\n    pass\n"),
            "0 pass []",
        ),
        (
            "the total rises",
            "above_baseline = false",
            |s| s.write("free.py", "bad(2)\n"),
            "1 fail [fail above_baseline: the total rises by 1]",
        ),
        (
            "one for another",
            "above_baseline = false",
            |s| s.write("old.py", "worse = bad(9)\n\ndef f(a, b, c):\n    pass\n"),
            "0 pass []",
        ),
        (
            "a comment with a reason lets a new one be, as often as is allowed",
            "new = { error = 0 }\nsuppressions = { error = 1 }",
            |s| s.write("free.py", "bad(2)  # swage: allow no-bad because the tide wants it\n"),
            "0 pass []",
        ),
        (
            "more comments than are allowed, and one without a reason",
            "new = { error = 0, warning = 0 }",
            |s| {
                s.write("free.py", "# swage: allow no-bad because of the tide\nbad(2)\nbad(3)  # swage: allow no-bad\n")
            },
            "1 fail [fail new.error: 1 new error; 0 allowed; fail new.warning: 1 new warning; 0 allowed; \
             fail suppressions.error: 1 error suppressed by comments of the change; 0 allowed]",
        ),
        (
            "too many files",
            "files = 1",
            |s| {
                s.write("n.py", "\n");
                s.write("m.py", "\n");
            },
            "1 fail [fail files: 2 files in the change; 1 allowed]",
        ),
        (
            "too many lines",
            "lines = 2",
            |s| s.write("free.py", "a\nb\nc\n"),
            "1 fail [fail lines: 4 written or dropped lines; 2 allowed]",
        ),
        (
            "a file that can't be examined",
            "new = { error = 0 }",
            |s| s.write("nul.py", "\0"),
            "3 incomplete [incomplete examined: not examined: nul.py]",
        ),
        (
            "failing is graver than incomplete",
            "new = { error = 0 }",
            |s| {
                s.write("nul.py", "\0");
                s.write("free.py", "bad(2)\n");
            },
            "1 fail [incomplete examined: not examined: nul.py; fail new.error: 1 new error; 0 allowed]",
        ),
    ];
    for (name, gate, edit, expected) in cases {
        let s = start(gate);
        edit(&s);
        // Unsaved, staged and committed work are judged alike, and nothing is left behind.
        assert_eq!(verdict(&s, &[]), *expected, "{name}, unsaved");
        s.git(&["add", "--all"]);
        let before = s.git(&["status", "--porcelain"]) + &s.git(&["count-objects"]);
        assert_eq!(verdict(&s, &["--staged"]), *expected, "{name}, staged");
        assert_eq!(s.git(&["status", "--porcelain"]) + &s.git(&["count-objects"]), before, "{name}");
        s.commit("work");
        assert_eq!(verdict(&s, &["--committed"]), *expected, "{name}, committed");
        assert_eq!(verdict(&s, &["main..topic"]), *expected, "{name}, as a range");
    }
}

#[test]
fn what_counts_is_the_target_after_the_merge() {
    // Each side alone is fine; main has moved on meanwhile.
    let s = start("new = { error = 0 }");
    s.write("topic.py", "bad(2)\n");
    s.commit("topic");
    s.git(&["checkout", "--quiet", "main"]);
    s.write("topic.py", "bad(2)\n");
    s.commit("the same on main");
    assert_eq!(verdict(&s, &["main..topic"]), "0 pass []", "main has it already");
    // The author still sees it as theirs.
    let review = s.swage(&["review", "main...topic", "--format", "json"]).json();
    assert_eq!(review["counts"]["new"]["error"], 1);

    s.write("free.py", "x = 2\n");
    s.commit("main changes the line");
    s.git(&["checkout", "--quiet", "topic"]);
    s.write("free.py", "x = 3\n");
    s.commit("topic changes it too");
    let rendered = verdict(&s, &["main..topic"]);
    assert!(
        rendered.starts_with("1 fail [fail merges: merging conflicts in free.py; incomplete examined"),
        "{rendered}"
    );
}

#[test]
fn a_change_cannot_vote_on_its_own_rules() {
    let s = start("new = { error = 0 }");
    s.write("swage.toml", "target = \"main\"\npacks = []\n");
    s.write(".swage/rules/own.toml", "");
    s.write("free.py", "bad(2)\n");
    s.commit("no rules, no findings");
    assert_eq!(verdict(&s, &["main..topic"]), "1 fail [fail new.error: 1 new error; 0 allowed]");
    let ran = s.swage(&["gate", "main..topic"]);
    assert!(
        ran.stdout.contains("This change alters the rules or the policy: .swage/rules/own.toml, swage.toml."),
        "{}",
        ran.rendered()
    );
    insta::assert_snapshot!(ran.rendered());
}

#[test]
fn moved_and_renamed_code_is_not_new() {
    let body = "def f(a, b, c):\n    bad(1)\n    if a.sails_today:\n        bad(2)\n    return b.free_berths\n\n\nclass K:\n    def g(self):\n        bad(3)\n";
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("one.py", body), ("two.py", "x = 1\n")]);
    s.branch("topic");
    // The function to another file and indented into a class, the class renamed in a renamed file.
    s.write("two.py", "x = 1\n\n\nclass M:\n    def f(self, a, b, c):\n        bad(1)\n        if a.sails_today:\n            bad(2)\n        return b.free_berths\n");
    s.git(&["mv", "one.py", "three.py"]);
    s.write("three.py", "class Keeper:\n    def g(self):\n        bad(3)\n");
    s.commit("move");
    assert_eq!(verdict(&s, &["main..topic"]), "0 pass []");
    let json = s.swage(&["review", "main..topic", "--format", "json"]).json();
    assert_eq!(json["counts"]["unchanged"], serde_json::json!({ "error": 3, "warning": 1, "note": 0 }), "{json:#}");
}
