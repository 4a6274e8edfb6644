//! Rules from what was done to code, and what rules would have said of past changes.

mod common;
use std::fmt::Write;

use common::Sandbox;

/// Pairs of files before and after, with the ending of their names.
type Case<'a> = (&'a str, &'a str, &'a [(&'a str, &'a str)]);

const CASES: &[Case<'_>] = &[
    (
        "one place: what was kept and passed becomes a hole",
        "py",
        &[("import time\ntime.sleep(5)\n", "import time\npause(seconds=5)\n")],
    ),
    (
        "two places: what differs becomes a hole",
        "py",
        &[("a.wait(1)\n", "a.pause(1)\n"), ("b.c.wait(1)\n", "b.c.pause(1)\n")],
    ),
    (
        "lists of several lengths become runs",
        "py",
        &[("r = get(url)\ns = get(url, 1)\n", "r = get(url, timeout=3)\ns = get(url, 1, timeout=3)\n")],
    ),
    (
        "code after that holds the code before",
        "py",
        &[("f = open(\"a\")\nx = open(name, \"w\")\n", "f = closing(open(\"a\"))\nx = closing(open(name, \"w\"))\n")],
    ),
    ("statements that went", "py", &[("def f():\n    print(1)\n    go()\n    print(a, 2)\n", "def f():\n    go()\n")]),
    (
        "operators",
        "js",
        &[(
            "if (x == null) { go(x); }\nif (a.b == null) { stop(); }\n",
            "if (x === null) { go(x); }\nif (a.b === null) { stop(); }\n",
        )],
    ),
    (
        "the same part twice is one hole",
        "ts",
        &[("const a = x.y ? x.y : 0;\nconst b = z ? z : 0;\n", "const a = x.y || 0;\nconst b = z || 0;\n")],
    ),
    (
        "names that look like holes are no holes",
        "java",
        &[(
            "class A { int f() { return old(ARG, 1); } int g() { return old(ARG, b); } }\n",
            "class A { int f() { return fresh(ARG, 1); } int g() { return fresh(ARG, b); } }\n",
        )],
    ),
    (
        "macros and methods",
        "rs",
        &[("fn f() { let a = x.unwrap(); let b = y().unwrap(); }\n", "fn f() { let a = x?; let b = y()?; }\n")],
    ),
    (
        "a rule learned from it isn't found by it",
        "go",
        &[("package a\nfunc f() { go1(1); go1(2) }\n", "package a\nfunc f() { go2(one); go2(two) }\n")],
    ),
    ("only part of the places", "py", &[("bad(1)\nbad(2)\n", "good(1)\nbad(2)\n")]),
    ("nothing but blanks and comments", "py", &[("bad(1)\n", "bad( 1 )  # why\n")]),
    ("code that was added", "py", &[("go()\n", "go()\nstop()\n")]),
    ("code that doesn't parse", "py", &[("go(\n", "go()\n")]),
];

#[test]
fn rules_are_learned_from_pairs() {
    let s = Sandbox::bare_folder();
    let mut rendered = String::new();
    for (name, ending, pairs) in CASES {
        let mut args = vec!["rules".to_owned(), "learn".to_owned()];
        for (index, (before, after)) in pairs.iter().enumerate() {
            for (side, text) in [("before", before), ("after", after)] {
                let path = format!("{side}{index}.{ending}");
                s.write(&path, text);
                args.push(path);
            }
        }
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        let ran = s.swage(&args);
        _ = writeln!(rendered, "# {name} ({ending})");
        let rule = ran.stdout.lines().skip_while(|line| !line.starts_with("[rule.match]")).skip(1);
        rule.take_while(|line| !line.is_empty()).for_each(|line| _ = writeln!(rendered, "{line}"));
        let remarks = ran.stderr.lines().filter(|line| !line.starts_with("swage: learned"));
        remarks.for_each(|line| _ = writeln!(rendered, "{line}"));
        rendered.push('\n');
        if ran.code == 0 {
            // What it writes is a rule whose examples hold.
            s.write("swage.toml", &ran.stdout);
            let tested = s.swage(&["rules", "test"]);
            assert_eq!(tested.code, 0, "{name}: {}\n{}", ran.stdout, tested.rendered());
        }
    }
    insta::assert_snapshot!("pairs", rendered);
}

#[test]
fn rules_are_learned_from_commits() {
    let s = Sandbox::with(&[("a.py", "def f():\n    old(1)\n"), ("b.js", "old(2);\n"), ("notes.txt", "old\n")]);
    s.write("a.py", "def f():\n    new(1)\n");
    s.write("b.js", "fresh(2);\n");
    s.write("notes.txt", "new\n");
    s.commit("One");
    let ran = s.swage(&[
        "rules",
        "learn",
        "--commit",
        "HEAD",
        "--language",
        "python",
        "--id",
        "old-call",
        "--output",
        "rule.toml",
    ]);
    insta::assert_snapshot!("commit", format!("{}{}", ran.rendered(), s.read("rule.toml")));
    let calls: &[&[&str]] = &[
        &["rules", "learn"],
        &["rules", "learn", "a.py"],
        &["rules", "learn", "a.py", "missing.py"],
        &["rules", "learn", "notes.txt", "a.py"],
        &["rules", "learn", "--commit", "HEAD"],
        &["rules", "learn", "--commit", "HEAD~1"],
        &["rules", "learn", "--commit", "HEAD", "--language", "go"],
    ];
    let rendered = calls.iter().map(|args| format!("$ swage {}\n{}", args.join(" "), s.swage(args).rendered()));
    insta::assert_snapshot!("learn-mistakes", rendered.collect::<Vec<_>>().join("\n"));
}

#[test]
fn rules_are_replayed_on_past_changes() {
    let s = Sandbox::with(&[("a.py", "x = 1\n")]);
    s.write("a.py", "x = 1\nbreakpoint()\n");
    s.commit("Stops");
    s.write("a.py", "y = 2\nx = 1\nbreakpoint()\n");
    s.commit("Moves it down");
    s.write("b.py", "breakpoint()\n");
    s.commit("Stops elsewhere");
    s.git(&["mv", "a.py", "c.py"]);
    s.commit("Another name");
    s.write("c.py", "y = 2\nx = 1\nboard.wait()\n");
    s.commit("No longer");
    let time = |text: String| -> String {
        let at = text.find(", taking").unwrap_or(text.len());
        let end = text[at..].find(" at most").map_or(at, |end| at + end);
        format!("{}{}", &text[..at], &text[end..])
    };
    insta::assert_snapshot!("replay", time(s.swage(&["rules", "replay", "debugger-stop"]).rendered()));
    let json = s.swage(&["rules", "replay", "debugger-stop", "--format", "json"]).json();
    let days: Vec<String> =
        json["findings"].as_array().expect("findings").iter().map(|f| f["changed_after_days"].to_string()).collect();
    assert_eq!((json["changes"].as_u64(), days), (Some(5), vec!["0".into(), "null".into()]), "{json}");
    let since = s.swage(&["rules", "replay", "debugger-stop", "--since", "HEAD~2"]).rendered();
    assert!(since.contains("0 findings in 0 changes"), "{since}");
    insta::assert_snapshot!("replay-mistakes", s.swage(&["rules", "replay", "debugger-stops"]).rendered());
}
