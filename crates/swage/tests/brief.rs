//! The overview of a change: what it says of definitions, of who refers to them, and of where to look; and its pictures.

mod common;
use std::fmt::Write;

use common::Sandbox;
use pulldown_cmark::{Event, Options, Parser};
use serde_json::Value;

const CONFIG: &str = "[[rule]]\nid = \"no-bad\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{match}\"\nlanguages = [\"python\"]\nmatch = { code = \"bad(X)\", holes.X = {} }\n";

type Files<'a> = &'a [(&'a str, &'a str)];

/// What a change from some files to others does to definitions, a line each.
fn definitions(before: Files<'_>, after: Files<'_>) -> String {
    let s = Sandbox::with(before);
    s.branch("topic");
    for (path, _) in before {
        s.git(&["rm", "-q", "--cached", path]);
        std::fs::remove_file(s.root.join(path)).expect("it was there");
    }
    after.iter().for_each(|(path, text)| s.write(path, text));
    s.commit("work");
    let json = s.swage(&["brief", "--format", "json"]).json();
    let text = |v: &Value| v.as_str().unwrap_or("-").to_owned();
    let mut out = String::new();
    for d in json["definitions"].as_array().expect("definitions") {
        _ = write!(
            out,
            "{} {} {} in {}",
            text(&d["what"]),
            text(&d["kind"]),
            text(&d["name"]),
            text(&d["path"]["text"])
        );
        for (key, value) in
            [("was", &d["old_name"]), ("from", &d["old_path"]["text"]), ("signature was", &d["old_signature"])]
        {
            if !value.is_null() {
                _ = write!(out, "; {key} {}", text(value));
            }
        }
        if d["inside"] != 0 {
            _ = write!(out, "; {} inside", d["inside"]);
        }
        out.push('\n');
    }
    out
}

const LOAD: &str = "def load(path):\n    rows = open(path)\n    first = next(rows)\n    return list(rows)\n";

/// Before, after, and what happened.
#[test]
fn definitions_are_paired() {
    let load = |name: &str| LOAD.replace("load", name);
    let (read, board) = (load("read"), format!("import csv\n\n\n{LOAD}"));
    let changed = LOAD.replace("first = next(rows)", "first = next(rows, None)");
    let read_changed = changed.replace("load", "read");
    let commented = LOAD.replace("    first", "    # the heading\n    first");
    let class = format!("class Board:\n    {}", LOAD.replace('\n', "\n    ").trim_end());
    let quay = class.replace("Board", "Quay");
    let twice = format!("{LOAD}\n\n{}", load("save"));
    let overloads = "class A {\n  int f(int a) { return a; }\n  int f(long a) { return 2; }\n}\n";
    let overloads_after = overloads.replace("return 2", "return 3");
    let closure = "const go = (a) => {\n  const f = () => a;\n  return f;\n};\n";
    let closure_after = closure.replace("() => a", "() => a + 1");
    let rust = "impl<'a> Board<'a> {\n    pub fn now(&self) -> u8 {\n        1\n    }\n}\n";
    let rust_after = rust.replace("(&self)", "(&self, day: u8)");
    let cases: &[(&str, Files<'_>, Files<'_>)] = &[
        ("a new function", &[("a.py", "x = 1\n")], &[("a.py", LOAD)]),
        ("a new class with a method", &[("a.py", "x = 1\n")], &[("a.py", &class)]),
        ("one goes", &[("a.py", &twice)], &[("a.py", LOAD)]),
        ("another text", &[("a.py", LOAD)], &[("a.py", &changed)]),
        ("only a comment", &[("a.py", LOAD)], &[("a.py", &commented)]),
        ("only its place in the file", &[("a.py", LOAD)], &[("a.py", &board)]),
        ("another name", &[("a.py", LOAD)], &[("a.py", &read)]),
        ("another name and text", &[("a.py", LOAD)], &[("a.py", &read_changed)]),
        ("another file", &[("a.py", LOAD), ("b.py", "x = 1\n")], &[("a.py", "x = 1\n"), ("b.py", LOAD)]),
        ("another file and text", &[("a.py", LOAD), ("b.py", "x = 1\n")], &[("a.py", "x = 1\n"), ("b.py", &changed)]),
        ("into a class", &[("a.py", LOAD)], &[("a.py", &class)]),
        ("the class gets another name", &[("a.py", &class)], &[("a.py", &quay)]),
        ("the file gets another name", &[("a.py", &twice)], &[("c.py", &twice)]),
        ("a copy stays where it was", &[("a.py", LOAD)], &[("a.py", LOAD), ("b.py", LOAD)]),
        ("one of two of a name", &[("A.java", overloads)], &[("A.java", &overloads_after)]),
        ("a function inside of one", &[("a.js", closure)], &[("a.js", &closure_after)]),
        ("a method of an implementation", &[("a.rs", rust)], &[("a.rs", &rust_after)]),
        ("settings define nothing", &[("a.json", "{\"a\": 1}\n")], &[("a.json", "{\"a\": 2}\n")]),
    ];
    let rendered = cases.iter().map(|(name, before, after)| format!("{name}:\n{}", definitions(before, after)));
    insta::assert_snapshot!("definitions", rendered.collect::<Vec<_>>().join("\n"));
}

/// A change with something of everything.
fn harbour() -> Sandbox {
    let s = Sandbox::with(&[
        ("swage.toml", CONFIG),
        (
            "src/load.py",
            "class Sailing:\n    def late(self, now):\n        return now > self.at\n\n\ndef load(path):\n    return open(path)\n\n\ndef old(path):\n    return load(path)\n",
        ),
        ("src/board.py", "from src.load import load, old\n\n\ndef board(path):\n    return [load(path), old(path)]\n"),
        ("tools/late.py", "from src.load import Sailing, load\n\nprint(load(\"today\"))\n"),
        ("other/load_all.js", "function load() {}\nload();\n"),
    ]);
    s.branch("topic");
    s.write(
        "src/load.py",
        "class Sailing:\n    def late(self, now):\n        return now > self.at\n\n\ndef load(path, day=None):\n    for row in open(path):\n        if day:\n            for part in row:\n                if part == day:\n                    bad(part)\n    return show(path)\n\n\ndef show(path):\n    return load(path)\n",
    );
    s.write("tests/test_load.py", "from src.load import load\n\n\ndef test_one_day():\n    assert load(\"a\", 1)\n");
    s.write("README.md", "# Boards\n\nA board shows one day.\n");
    s.commit("Show the sailings of one day\n\nFERRY-12: the office asks for it. See also #7 and UTF-8.");
    s
}

#[test]
fn a_reader_sees_what_matters() {
    let s = harbour();
    s.write(
        "../points.md",
        "# FERRY-12\n\n- [x] The sailings of one day are\n  shown at the board\n1. Skippers get a mail\n",
    );
    let ran = s.swage(&["brief", "--points", "../points.md"]);
    insta::assert_snapshot!("overview", ran.rendered());
    insta::assert_snapshot!(
        "overview-markdown",
        s.swage(&["brief", "--format", "markdown", "--points", "../points.md"]).rendered()
    );
    let json = s.swage(&["brief", "--format", "json"]).json();
    let uses = json["uses"].as_array().expect("uses").iter().map(|u| {
        let name = &json["definitions"][u["definition"].as_u64().expect("a place") as usize]["name"];
        format!("{} {}:{} in change {}, sure {}", name, u["path"]["text"], u["lines"], u["in_change"], u["sure"])
    });
    insta::assert_snapshot!("uses", uses.collect::<Vec<_>>().join("\n"));
    // The same bytes with any number of threads.
    let one = s.swage(&["brief", "--format", "json", "--threads", "1", "--no-cache"]).stdout;
    assert_eq!(one, s.swage(&["brief", "--format", "json", "--threads", "8"]).stdout);
}

/// A picture as its texts and titles, once it is known to be well-formed and to hold nothing that runs.
fn picture(s: &Sandbox, path: &str) -> Vec<String> {
    let text = s.read(path);
    let document = roxmltree::Document::parse(&text).unwrap_or_else(|e| panic!("{e}\n{text}"));
    let allowed = ["svg", "title", "style", "defs", "marker", "path", "rect", "text", "g", "circle", "line"];
    for node in document.descendants().filter(|node| node.is_element()) {
        assert!(allowed.contains(&node.tag_name().name()), "{:?}", node.tag_name());
        let runs = |a: &roxmltree::Attribute<'_, '_>| a.name().starts_with("on") || a.name().contains("href");
        assert!(!node.attributes().any(|a| runs(&a)), "{node:?}");
    }
    let texts = document.descendants().filter(|node| node.has_tag_name(("http://www.w3.org/2000/svg", "title")));
    texts.filter_map(|node| node.text().map(str::to_owned)).collect()
}

#[test]
fn pictures_tell_who_refers_to_whom_and_what_is_called() {
    let s = harbour();
    let ran = s.swage(&["brief", "--map", "map.svg", "--flow", "load", "load.svg"]);
    assert_eq!(ran.code, 0, "{}", ran.rendered());
    insta::assert_snapshot!("map", picture(&s, "map.svg").join("\n"));
    insta::assert_snapshot!("flow", picture(&s, "load.svg").join("\n"));
    s.swage(&["brief", "--map", "map.dot"]);
    insta::assert_snapshot!("map-dot", s.read("map.dot"));
    // More files than can be read at once are grouped by folder.
    for n in 0..60 {
        s.write(&format!("part{}/f{n}.py", n % 6), format!("def part_{n}():\n    return load({n})\n"));
    }
    s.swage(&["brief", "--map", "many.svg"]);
    let many = picture(&s, "many.svg");
    assert!(many.len() < 20 && many.iter().any(|title| title == "part3"), "{many:?}");
}

/// Names and messages are whatever a change likes.
#[test]
fn nothing_of_a_change_breaks_out() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "x = 1\n")]);
    s.branch("topic");
    let names =
        ["<script>alert(1)</script>.py", "a\"b'c&amp;.py", "x]]>--><!--.py", "e\u{1b}[31m\u{202e}.py", "[l](u) `c`.py"];
    names.iter().for_each(|name| s.write(name, "def go():\n    stop()\n\n\ndef stop():\n    pass\n"));
    s.write("b.js", "const o = { '<b>&\"': function () { go(); } };\n");
    s.commit("<img src=x onerror=alert(1)> \u{1b}[2J **x** #1");
    let ran = s.swage(&["brief", "--map", "map.svg", "--flow", "o", "x.svg"]);
    assert_eq!(ran.code, 2, "{}", ran.rendered());
    let ran = s.swage(&["brief", "--map", "map.svg"]);
    assert_eq!(ran.code, 0, "{}", ran.rendered());
    assert!(!ran.stdout.contains('\u{1b}') && !ran.stdout.contains('\u{202e}'), "{:?}", ran.stdout);
    assert_eq!(picture(&s, "map.svg").len(), 7);
    s.swage(&["brief", "--map", "map.dot"]);
    assert!(s.read("map.dot").lines().all(|line| line.matches('"').count() - line.matches("\\\"").count() <= 2));
    let text = s.swage(&["brief", "--format", "markdown"]).stdout;
    for event in Parser::new_ext(&text, Options::all()) {
        assert!(!matches!(event, Event::Html(_) | Event::InlineHtml(_)), "{event:?}\n{text}");
    }
}

#[test]
fn mistakes_are_named() {
    let s = harbour();
    s.write("twice.py", "def show():\n    pass\n");
    let calls: &[&[&str]] = &[
        &["brief", "--flow", "lod", "x.svg"],
        &["brief", "--flow", "show", "x.svg"],
        &["brief", "--flow", "load", "x.png"],
        &["brief", "--map", "map"],
        &["brief", "--points", "missing.md"],
    ];
    let rendered = calls.iter().map(|args| format!("$ swage {}\n{}", args.join(" "), s.swage(args).rendered()));
    insta::assert_snapshot!("mistakes", rendered.collect::<Vec<_>>().join("\n"));
    // A diff alone has neither definitions nor other files.
    let diff = s.git(&["diff", "main", "topic"]);
    insta::assert_snapshot!("diff-alone", s.swage_in(".", &["brief", "--patch", "-"], &diff, &[]).rendered());
}

/// For each language, a function that calls one that was there, and now another and a method; what the flow shows of it.
#[test]
fn calls_are_followed_in_every_language() {
    let cases = [
        (
            "a.py",
            "def one():\n    pass\n\n\ndef two(x):\n    pass\n\n\ndef go(x):\n    one()\n",
            "    two(1)\n    x.upper()\n",
        ),
        ("a.js", "function one() {}\nfunction two(x) {}\nfunction go(x) {\n  one();\n", "  two(1);\n  x.trim();\n}\n"),
        (
            "a.ts",
            "class A {\n  one(): void {}\n  two(x: number): void {}\n  go(x: string) {\n    this.one();\n",
            "    this.two(1);\n    x.trim();\n  }\n}\n",
        ),
        (
            "a.go",
            "package a\n\nfunc one() {}\nfunc two(x int) {}\nfunc go1(x T) {\n\tone()\n",
            "\ttwo(1)\n\tx.Trim()\n}\n",
        ),
        (
            "A.java",
            "class A {\n  void one() {}\n  void two(int x) {}\n  void go(String x) {\n    one();\n",
            "    this.two(1);\n    x.trim();\n  }\n}\n",
        ),
        ("a.rs", "fn one() {}\nfn two(x: u8) {}\nfn go(x: &str) {\n    one();\n", "    two(1);\n    x.trim();\n}\n"),
        (
            "a.c",
            "void one(void) {}\nvoid two(int x) {}\nvoid go(struct s *x) {\n  one();\n",
            "  two(1);\n  x->trim();\n}\n",
        ),
        ("a.cpp", "void one() {}\nvoid two(int x) {}\nvoid go(S &x) {\n  one();\n", "  two(1);\n  x.trim();\n}\n"),
        (
            "A.cs",
            "class A {\n  void One() {}\n  void Two(int x) {}\n  void Go(string x) {\n    One();\n",
            "    Two(1);\n    x.Trim();\n  }\n}\n",
        ),
        ("a.kt", "fun one() {}\nfun two(x: Int) {}\nfun go(x: String) {\n    one()\n", "    two(1)\n    x.trim()\n}\n"),
        (
            "a.php",
            "<?php\nfunction one() {}\nfunction two($x) {}\nfunction go($x) {\n  one();\n",
            "  two(1);\n  $x->trim();\n}\n",
        ),
        ("a.rb", "def one(x)\nend\n\ndef two(x)\nend\n\ndef go(x)\n  one(2)\n", "  two(1)\n  x.strip()\nend\n"),
        (
            "a.swift",
            "func one() {}\nfunc two(x: Int) {}\nfunc go(x: String) {\n  one()\n",
            "  two(x: 1)\n  x.trim()\n}\n",
        ),
        (
            "a.scala",
            "object A {\n  def one() = {}\n  def two(x: Int) = {}\n  def go(x: String) = {\n    one()\n",
            "    two(1)\n    x.trim()\n  }\n}\n",
        ),
    ];
    let mut rendered = String::new();
    for (path, head, tail) in cases {
        let closing: String = tail.lines().skip(2).map(|line| format!("{line}\n")).collect();
        let s = Sandbox::with(&[(path, &format!("{head}{closing}"))]);
        s.branch("topic");
        s.write(path, format!("{head}{tail}"));
        s.commit("work");
        let name = if path == "a.go" {
            "go1"
        } else if path == "A.cs" {
            "Go"
        } else {
            "go"
        };
        let ran = s.swage(&["brief", "--flow", name, "flow.svg"]);
        assert_eq!(ran.code, 0, "{path}: {}", ran.rendered());
        let calls: Vec<String> = picture(&s, "flow.svg")
            .into_iter()
            .filter(|title| title.contains(" calls ") && title.contains(" in line "))
            .collect();
        let text = s.read("flow.svg");
        let missed = text.split("Not shown: ").nth(1).and_then(|rest| rest.split(' ').next()).unwrap_or("0");
        _ = writeln!(rendered, "{path}: {}; {missed} not shown", calls.join("; "));
    }
    insta::assert_snapshot!("calls", rendered);
}
