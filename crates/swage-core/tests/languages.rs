//! The same table of abilities for every language: what is asked of one is asked of all.

use std::sync::Arc;

use rayon::prelude::*;
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::{LANGUAGES, Language};
use swage_core::rule::RuleSet;
use swage_core::scan::Limits;
use swage_core::scan::{Markers, scan, syntax_errors};

/// Finds with one rule, whose match table is given; each hit as `line:column scope message`.
fn find(language: &str, path: &str, matcher: &str, message: &str, code: &str) -> Vec<String> {
    let source = format!(
        "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{message}\"\nlanguages = [\"{language}\"]\nmatch = {matcher}\n"
    );
    let rules = match read_rules("rules.toml", &source, FileRole::Rules) {
        Ok(file) => file.rules.into_iter().map(|(r, _)| Arc::new(r)).collect(),
        Err(problems) => panic!("{language}: {}", problems.iter().map(|p| format!("{p}\n")).collect::<String>()),
    };
    let set = RuleSet::new(rules);
    let language = Language::of(path.as_bytes(), code.as_bytes());
    let result =
        scan(code.as_bytes(), language, &set, &set.wanted(path.as_bytes()), &Limits::default(), Markers::Heeded);
    result.hits.iter().map(|h| format!("{} {} {}", h.span.expect("lines"), h.scope, h.message)).collect()
}

/// One language's answers to the table below.
struct Answers {
    name: &'static str,
    path: &'static str,
    /// A class `Quay` with a method `moor` of three parameters (and the receiver), in which a loop holds a branch that
    /// calls `go(1, "x")`, and a comment and a string that mention `go(2)`. The call is on line 5.
    code: &'static str,
    /// A pattern of the call with one hole, and of the call with any arguments.
    call: (&'static str, &'static str),
    /// A pattern of an assignment or declaration, and code that it matches once, on line 2.
    assignment: (&'static str, &'static str),
    /// A function without parameters, one with one, and one with four, and the line of that.
    functions: Option<(&'static str, u32)>,
}

const ANSWERS: &[Answers] = &[
    Answers {
        name: "python",
        path: "quay.py",
        code: "class Quay:\n    def moor(self, a, b, c):\n        for x in a:\n            if x:\n                go(1, 'x')  # go(2)\n        return 'go(2)'\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("berth = VALUE", "quay = 1\nberth = quay + 1\n"),
        functions: Some(("def a(): pass\ndef b(x): pass\ndef c(w, x, y, z): pass\n", 3)),
    },
    Answers {
        name: "javascript",
        path: "quay.js",
        code: "class Quay {\n  moor(a, b, c) {\n    for (const x of a) {\n      if (x) {\n        go(1, 'x'); // go(2)\n      }\n    }\n    return 'go(2)';\n  }\n}\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("const berth = VALUE;", "const quay = 1;\nconst berth = quay + 1;\n"),
        functions: Some(("function a() {}\nconst b = (x) => x;\nconst c = function (w, x, y, z) {};\n", 3)),
    },
    Answers {
        name: "typescript",
        path: "quay.ts",
        code: "class Quay {\n  moor(a: A[], b: B, c?: C): string {\n    for (const x of a) {\n      if (x) {\n        go(1, 'x'); // go(2)\n      }\n    }\n    return 'go(2)';\n  }\n}\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("const berth = VALUE;", "const quay = 1;\nconst berth = quay + 1;\n"),
        functions: Some((
            "function a(): void {}\nconst b = (x: X) => x;\nconst c = function (w: W, x: X, y: Y, z: Z) {};\n",
            3,
        )),
    },
    Answers {
        name: "tsx",
        path: "quay.tsx",
        code: "class Quay extends View {\n  moor(a: A[], b: B, c?: C) {\n    for (const x of a) {\n      if (x) {\n        go(1, 'x'); // go(2)\n      }\n    }\n    return <p title='go(2)'>go(2)</p>;\n  }\n}\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("const berth = VALUE;", "const quay = <p/>;\nconst berth = <b>{quay}</b>;\n"),
        functions: Some((
            "function a() { return <p/>; }\nconst b = (x: X) => x;\nconst c = (w: W, x: X, y: Y, z: Z) => 1;\n",
            3,
        )),
    },
    Answers {
        name: "java",
        path: "Quay.java",
        code: "class Quay {\n  String moor(A[] a, B b, C c) {\n    for (A x : a) {\n      if (x.free()) {\n        go(1, \"x\"); // go(2)\n      }\n    }\n    return \"go(2)\";\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("int berth = VALUE;", "class Q {\n  void f() { int berth = 1; int quay = 2; }\n}\n"),
        functions: Some(("class Q {\n  void a() {}\n  void c(int w, int x, int y, int z) {}\n}\n", 3)),
    },
    Answers {
        name: "go",
        path: "quay.go",
        code: "package quay\nfunc (q *Quay) moor(a []A, b, c int) string {\n\tfor _, x := range a {\n\t\tif x.Free {\n\t\t\tgo1(1, \"x\") // go(2)\n\t\t}\n\t}\n\treturn \"go(2)\"\n}\n",
        call: ("go1(A, \\\"x\\\")", "go1(ALL)"),
        assignment: ("berth := VALUE", "package quay\nfunc f() { berth := 1; quay := 2 }\n"),
        functions: Some(("package quay\nfunc a() {}\nfunc c(w, x int, y, z string) {}\n", 3)),
    },
    Answers {
        name: "rust",
        path: "quay.rs",
        code: "impl Quay {\n  fn moor(&self, a: &[A], b: B, c: C) -> &str {\n    for x in a {\n      if x.free() {\n        go(1, \"x\"); // go(2)\n      }\n    }\n    \"go(2)\"\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("let berth = VALUE;", "fn f() {\n  let berth = 1; let quay = 2;\n}\n"),
        functions: Some(("fn a() {}\nfn b(x: X) {}\nfn c(w: W, x: X, y: Y, z: Z) {}\n", 3)),
    },
    Answers {
        name: "bash",
        path: "quay.sh",
        code: "#!/bin/bash\nmoor() {\n  for x in $1; do\n    if [ -n \"$x\" ]; then\n      go 1 \"x\" # go 2\n    fi\n  done\n  echo \"go 2\"\n}\n",
        call: ("go A \\\"x\\\"", "go ALL"),
        assignment: ("berth=VALUE", "quay=1\nberth=2\n"),
        functions: None,
    },
    Answers {
        name: "c",
        path: "quay.c",
        code: "struct quay { int b; };\nint moor(struct a *a, int b, char *c) {\n  for (int i = 0; i < b; i++) {\n    if (a) {\n      go(1, \"x\"); // go(2)\n    }\n  }\n  return say(\"go(2)\");\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("int berth = VALUE;", "int f(void) {\n  int berth = 1; int quay = 2; }\n"),
        functions: Some(("int a(void) {}\nint b(int x) {}\nint c(int w, char *x, int y, int z) {}\n", 3)),
    },
    Answers {
        name: "cpp",
        path: "quay.cpp",
        code: "class Quay {\n  std::string moor(A a, B& b, int c = 0) {\n    for (auto x : a) {\n      if (x) {\n        go(1, \"x\"); // go(2)\n      }\n    }\n    return \"go(2)\";\n  }\n};\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("auto berth = VALUE;", "int f() {\n  auto berth = 1; auto quay = 2; }\n"),
        functions: Some(("int a() {}\nauto b = [](int x) { return x; };\nint Q::c(int w, X x, Y& y, Z z) {}\n", 3)),
    },
    Answers {
        name: "csharp",
        path: "Quay.cs",
        code: "class Quay {\n  string moor(A[] a, B b, C c) {\n    foreach (var x in a) {\n      if (x.Free) {\n        go(1, \"x\"); // go(2)\n      }\n    }\n    return \"go(2)\";\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("int berth = VALUE;", "class Q {\n  void f() { int berth = 1; int quay = 2; }\n}\n"),
        functions: Some(("class Q {\n  void a() {}\n  void c(int w, int x, int y, int z) {}\n}\n", 3)),
    },
    Answers {
        name: "kotlin",
        path: "Quay.kt",
        code: "class Quay {\n  fun moor(a: List<A>, b: B, c: C): String {\n    for (x in a) {\n      if (x.free()) {\n        go(1, \"x\") // go(2)\n      }\n    }\n    return \"go(2)\"\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("val berth = VALUE", "val quay = 1\nval berth = quay + 1\n"),
        functions: Some(("fun a() {}\nval b = { x: Int -> x }\nfun c(w: W, x: X, y: Y, z: Z) {}\n", 3)),
    },
    Answers {
        name: "php",
        path: "quay.php",
        code: "<?php class Quay {\n  function moor($a, B $b, $c = 1) {\n    foreach ($a as $x) {\n      if ($x) {\n        go(1, \"x\"); // go(2)\n      }\n    }\n    return \"go(2)\";\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("$berth = VALUE;", "<?php $quay = 1;\n$berth = $quay + 1;\n"),
        functions: Some(("<?php function a() {}\n$b = fn($x) => $x;\nfunction c($w, $x, $y, $z) {}\n", 3)),
    },
    Answers {
        name: "ruby",
        path: "quay.rb",
        code: "class Quay\n  def moor(a, b, c = 1)\n    for x in a do\n      if x\n        go(1, \"x\") # go(2)\n      end\n    end\n    \"go(2)\"\n  end\nend\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("berth = VALUE", "quay = 1\nberth = quay + 1\n"),
        functions: Some(("def a() end\nb = ->(x) { x }\ndef c(w, x, y, *z) end\n", 3)),
    },
    Answers {
        name: "scala",
        path: "Quay.scala",
        code: "class Quay {\n  def moor(a: Seq[A], b: B, c: C): String = {\n    for (x <- a) {\n      if (x.free) {\n        go(1, \"x\") // go(2)\n      }\n    }\n    \"go(2)\"\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("val berth = VALUE", "object Q {\nval berth = 1 }\n"),
        functions: Some(("object Q { def a() = 1\ndef b(x: X) = x\ndef c(w: W, x: X, y: Y, z: Z) = 1 }\n", 3)),
    },
    Answers {
        name: "swift",
        path: "Quay.swift",
        code: "class Quay {\n  func moor(a: [A], b: B, c: C) -> String {\n    for x in a {\n      if x.free {\n        go(1, \"x\") // go(2)\n      }\n    }\n    return \"go(2)\"\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("let berth = VALUE", "let quay = 1\nlet berth = quay + 1\n"),
        functions: Some(("func a() {}\nfunc b(x: X) {}\nfunc c(w: W, x: X, y: Y, z: Z) {}\n", 3)),
    },
];

/// A language of data or markup.
struct Data {
    name: &'static str,
    path: &'static str,
    /// A pattern with the hole `VALUE`.
    pattern: &'static str,
    /// Code that it matches once, on line 2; a comment on line 1 mentions `go(2)` where the language has comments, and
    /// a string on line 3 where it has strings.
    code: &'static str,
    /// What the hole takes.
    value: &'static str,
    zones: [&'static str; 2],
}

const DATA: &[Data] = &[
    Data {
        name: "css",
        path: "quay.css",
        pattern: "color: VALUE",
        code: "/* go(2) */\n.quay { width: 2px; color: red }\n.pier::after { content: 'go(2)' }\n",
        value: "red",
        zones: ["1", "3"],
    },
    Data {
        name: "html",
        path: "quay.html",
        pattern: "<label for=\"VALUE\">",
        code: "<!-- go(2) -->\n<label for=\"berth\">Berth</label>\n<input id='go(2)'>\n",
        value: "berth",
        zones: ["1", "3"],
    },
    Data {
        name: "json",
        path: "quay.json",
        pattern: "\"berths\": VALUE",
        code: "// go(2)\n{\"piers\": 1, \"berths\": [2, 3],\n\"quay\": \"go(2)\"}\n",
        value: "[2, 3]",
        zones: ["1", "3"],
    },
    Data {
        name: "markdown",
        path: "quay.md",
        pattern: "# VALUE",
        code: "<!-- go(2) -->\n# Quays\n```\ngo(2)\n```\n",
        value: "Quays",
        zones: ["1", "4"],
    },
    Data {
        name: "sql",
        path: "quay.sql",
        pattern: "delete from VALUE",
        code: "-- go(2)\nDELETE FROM berths;\nSELECT 'go(2)';\n",
        value: "berths",
        zones: ["1", "3"],
    },
    Data {
        name: "toml",
        path: "quay.toml",
        pattern: "berths = VALUE",
        code: "# go(2)\nberths = [2, 3]\nquay = \"go(2)\"\n",
        value: "[2, 3]",
        zones: ["1", "3"],
    },
    Data {
        name: "yaml",
        path: "quay.yaml",
        pattern: "berths: VALUE",
        code: "# go(2)\nberths: [2, 3]\nquay: \"go(2)\"\n",
        value: "[2, 3]",
        zones: ["1", "3"],
    },
];

#[test]
fn data_is_matched_and_parted_into_zones() {
    for d in DATA {
        let find = |matcher: &str, message: &str| find(d.name, d.path, matcher, message, d.code);
        let found = find(&format!("{{ code = '{}', holes.VALUE = {{}} }}", d.pattern), "{VALUE}");
        assert_eq!(found.len(), 1, "{}: {found:?}", d.name);
        assert!(found[0].starts_with("2:") && found[0].ends_with(&format!(" {}", d.value)), "{}: {found:?}", d.name);
        for (zone, line) in ["comment", "string"].iter().zip(d.zones) {
            let found = find(&format!("{{ text = 'go\\(', zones = ['{zone}'] }}"), "m");
            assert_eq!(found.len(), 1, "{} {zone}: {found:?}", d.name);
            assert!(found[0].starts_with(&format!("{line}:")), "{} {zone}: {found:?}", d.name);
        }
    }
}

#[test]
fn calls_scopes_filters_and_zones() {
    assert_eq!(ANSWERS.len() + DATA.len(), LANGUAGES.len(), "every language must answer");
    for a in ANSWERS {
        let find = |matcher: &str, message: &str| find(a.name, a.path, matcher, message, a.code);
        let classless = ["bash", "c", "go"].contains(&a.name);
        let scope = if classless { "moor" } else { "Quay.moor" };
        let column = a.code.lines().nth(4).and_then(|l| l.find("go")).expect("the call") + 1;
        // Comments and strings that look alike aren't found, and the scope is reported.
        let one = find(&format!("{{ code = \"{}\", holes.A = {{ node = \"number\" }} }}", a.call.0), "{A}");
        assert_eq!(one, [format!("5:{column} {scope} 1")], "{}", a.name);
        let all = |extra: &str| {
            find(&format!("{{ code = \"{}\", holes.ALL = {{ many = true }}{extra} }}", a.call.1), "m").len()
        };
        let filters = [
            (", enclosed_by = { definition = \"function\", name = \"^moor$\" }", 1),
            (", enclosed_by = { definition = \"function\", name = \"^other$\" }", 0),
            (", enclosed_by = { node = \"loop\" }", 1),
            (", not_enclosed_by = { node = \"branch\" }", 0),
            (", encloses = { node = \"string\" }", 1),
            (", not_encloses = { text = \"x\" }", 0),
        ];
        for (filter, expected) in filters {
            assert_eq!(all(filter), expected, "{} {filter}", a.name);
        }
        if !classless {
            assert_eq!(all(", enclosed_by = { definition = \"class\", name = \"Quay\" }"), 1, "{}", a.name);
        }
        // Each zone is distinguished from the others.
        let word = "go1?[( ]";
        let lines = |zones: &str| {
            let hits = find_lines(a, &format!("{{ text = \"{word}\", zones = [{zones}] }}"));
            hits.iter().map(u32::to_string).collect::<Vec<_>>().join(" ")
        };
        assert_eq!(lines("\"comment\""), "5", "{}", a.name);
        assert_eq!(lines("\"string\""), "8".replace('8', if a.name == "python" { "6" } else { "8" }), "{}", a.name);
        assert!(lines("\"code\"").starts_with('5'), "{}", a.name);
    }
}

fn find_lines(a: &Answers, matcher: &str) -> Vec<u32> {
    let hits = find(a.name, a.path, matcher, "m", a.code);
    hits.iter().filter_map(|h| h.split(':').next()?.parse().ok()).collect()
}

#[test]
fn assignments_and_figures() {
    for a in ANSWERS {
        let (pattern, code) = a.assignment;
        let found = find(a.name, a.path, &format!("{{ code = \"{pattern}\", holes.VALUE = {{}} }}"), "m", code);
        assert_eq!(found.len(), 1, "{}: {found:?}", a.name);
        assert!(found[0].starts_with("2:"), "{}: {found:?}", a.name);

        if let Some((code, line)) = a.functions {
            let found = find(a.name, a.path, "{ measure = \"parameters\", over = 1 }", "{value}", code);
            assert_eq!(found.len(), 1, "{}: {found:?}", a.name);
            assert!(found[0].starts_with(&format!("{line}:")) && found[0].ends_with(" 4"), "{}: {found:?}", a.name);
        }
        for (measure, value) in [("parameters", 3), ("nesting", 2), ("branches", 2)] {
            if measure == "parameters" && a.functions.is_none() {
                continue;
            }
            let matcher = format!("{{ measure = \"{measure}\", over = 1 }}");
            let found = find(a.name, a.path, &matcher, "{name} {value} {limit}", a.code);
            assert_eq!(found.len(), 1, "{} {measure}: {found:?}", a.name);
            assert!(found[0].ends_with(&format!(" moor {value} 1")), "{} {measure}: {found:?}", a.name);
        }
    }
}

#[test]
fn names_in_their_roles() {
    let mut rendered = String::new();
    for a in ANSWERS {
        for role in ["defined", "used"] {
            let names = |code: &str| {
                let found = find(a.name, a.path, &format!("{{ names = \"{role}\" }}"), "{name}", code);
                found.iter().filter_map(|f| f.split(' ').next_back().map(str::to_owned)).collect::<Vec<_>>().join(" ")
            };
            let functions = a.functions.map_or_else(String::new, |(code, _)| names(code));
            rendered += &format!("{} {role}: {} | {} | {functions}\n", a.name, names(a.code), names(a.assignment.1));
        }
    }
    insta::assert_snapshot!("roles", rendered);
}

#[test]
fn code_in_other_text_is_scanned_as_its_own() {
    let markdown = "# Quays\n\n`go(0)`\n\n```python\ndef f():\n    go(1)  # go(2)\n```\n\n- how:\n  ```js\n  go(3)\n  ```\n\n> ```py\n> if x:\n>     go(4)\n> ```\n\n```\ngo(5)\n```\n";
    let html = "<p>go(0)</p><script>go(1);\n  go(2); // go(3)\n</script><style>p { color: go(4) }</style>\n";
    let php = "<p>\n<?php $a = \"<script>go(1)</script>\"; ?>\n<script>var a = <?= go(2) ?>;\n  go(3);</script><?php if ($a) { ?><b onclick=\"go(4)\"><?php } ?>\n";
    let shell = "cat <<A\n`go 1` \\`go 2\\`\nA\ncat <<'A'\n`go 3`\nA\nx=`go 4`\n";
    let cases = [
        ("a.md", markdown, "python", "7:5 17:7"),
        ("a.md", markdown, "javascript", "12:3"),
        ("a.md", markdown, "go", ""),
        ("a.html", html, "javascript", "1:21 2:3"),
        ("a.html", html, "css", "3:28"),
        ("a.php", php, "javascript", "4:3 4:48"),
        ("a.php", php, "php", "3:21"),
        ("a.sh", shell, "bash", "2:2 7:4"),
    ];
    for (path, code, language, expected) in cases {
        let call = if language == "bash" { "go A" } else { "go(A)" };
        let matcher = &format!("{{ code = \"{call}\", holes.A = {{}} }}");
        let found = find(language, path, matcher, "m", code);
        let places: Vec<_> = found.iter().filter_map(|f| f.split(' ').next()).collect();
        assert_eq!(places.join(" "), expected, "{path} {language}");
    }
}

/// By its name, by its first line, and for headers by what is in them.
#[test]
fn files_are_of_the_language_that_they_hold() {
    let cases = [
        ("src/tide.py", "", "python"),
        ("SRC/TIDE.PY", "", "python"),
        ("tide.C", "", "cpp"),
        ("tide.h", "int level(void);\n", "c"),
        ("tide.h", "#pragma once\nnamespace quay {\n", "cpp"),
        ("tide.h", "struct tide {\n  public:\n", "cpp"),
        ("tide.h", "/* a class apart */\nint class_of(void);\n", "c"),
        ("tide.hpp", "", "cpp"),
        ("Gemfile", "", "ruby"),
        ("bin/tide", "#!/usr/bin/env python3\n", "python"),
        ("bin/tide", "#!/bin/bash -e\n", "bash"),
        ("bin/tide", "#!/usr/bin/env -S node --no-warnings\n", "javascript"),
        ("bin/tide", "#!/opt/odd\n", "-"),
        ("bin/tide", "plain\n", "-"),
        ("notes.txt", "#!/bin/sh\n", "-"),
        (".bashrc", "", "bash"),
        ("tide.", "", "-"),
        ("", "", "-"),
    ];
    for (path, content, expected) in cases {
        let rendered = Language::of(path.as_bytes(), content.as_bytes()).map_or("-", |language| language.name);
        assert_eq!(rendered, expected, "{path} with {content:?}");
    }
}

/// What opens something in some language, and stays open.
const OPENERS: [&str; 40] = [
    "[",
    "{",
    "(",
    "<",
    "\"",
    "'",
    "`",
    "\"#{",
    "f\"{",
    "f'''{",
    "$\"{",
    "$@\"{",
    "$\"\"\"{",
    "s\"${",
    "`${",
    "#\"\\#(",
    "<<A\n",
    "<<~'A'\n",
    "<<<A\n",
    "/*",
    "--[[",
    "r#\"",
    "R\"x(",
    "@\"",
    "\"\"\"",
    "'''",
    "$$",
    "$a$",
    "%w[",
    "%q(",
    "- ",
    "? ",
    "a: ",
    "> ",
    "* ",
    "# ",
    "<a>",
    "<!--",
    "{{",
    "if a then ",
];

/// A grammar's scanner is C code, which remembers what is open: nothing of that may end the program, however much it is.
#[test]
fn nothing_that_stays_open_ends_the_program() {
    LANGUAGES.par_iter().for_each(|language| {
        // More than a byte counts, and more numbers of two bytes than there is room for.
        for count in [257, 520] {
            for opener in OPENERS {
                let long = opener.replace(['A', 'a'], &"a".repeat(count));
                let indented: String =
                    (0..count.min(600)).map(|n| format!("\n{}{opener}", " ".repeat(n % 80))).collect();
                for text in [opener.repeat(count), long.clone(), format!("{long}\n{long}\n"), indented] {
                    // Whether it parses is all the same.
                    _ = syntax_errors(text.as_bytes(), language);
                }
            }
        }
    });
}

#[test]
fn every_language_has_the_same_abilities() {
    for language in LANGUAGES {
        let grammar = &language.tables().grammar;
        let known = |kind: &str| {
            (0..grammar.node_kind_count() as u16)
                .any(|id| grammar.node_kind_is_named(id) && grammar.node_kind_for_id(id) == Some(kind))
        };
        let unknown: Vec<_> = language.kinds().filter(|k| !known(k)).collect();
        assert!(unknown.is_empty(), "{}: {unknown:?}", language.name);
        assert_eq!(Language::of(format!("x.{}", language.extensions[0]).as_bytes(), b""), Some(*language));
    }
    let abilities = LANGUAGES.iter().map(|l| format!("{}: {}\n", l.name, l.abilities().collect::<Vec<_>>().join(" ")));
    insta::assert_snapshot!("abilities", abilities.collect::<String>());
    let by_first_line = [
        ("run", "#!/usr/bin/env python3.12\n", Some("python")),
        ("run", "#!/usr/bin/node\n", Some("javascript")),
        ("run", "#!/bin/sh\n", Some("bash")),
        ("run", "#!/bin/awk -f\n", None),
        ("page", "<?php echo 1;", Some("php")),
        ("page", "<!DOCTYPE html>", Some("html")),
        ("run.txt", "#!/usr/bin/python\n", None),
    ];
    for (path, first, name) in by_first_line {
        assert_eq!(Language::of(path.as_bytes(), first.as_bytes()).map(|l| l.name), name, "{first}");
    }
}
