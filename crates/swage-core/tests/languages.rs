//! The same table of abilities for every language: what is asked of one is asked of all.

use std::sync::Arc;

use swage_core::lang::{Class, LANGUAGES, Language};
use swage_core::packs::PACKS;
use swage_core::rule::{Limits, RuleSet, read_rules};
use swage_core::scan::scan;

/// Finds with one rule, whose match table is given; each hit as `line:column scope message`.
fn find(language: &str, path: &str, matcher: &str, message: &str, code: &str) -> Vec<String> {
    let source = format!(
        "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{message}\"\nlanguages = [\"{language}\"]\nmatch = {matcher}\n"
    );
    let rules = match read_rules("rules.toml", &source, false) {
        Ok(file) => file.rules.into_iter().map(|(r, _)| Arc::new(r)).collect(),
        Err(problems) => panic!("{language}: {}", problems.iter().map(|p| format!("{p}\n")).collect::<String>()),
    };
    let set = RuleSet::new(rules);
    let language = Language::of(path.as_bytes(), code.as_bytes());
    let result = scan(code.as_bytes(), language, &set, &set.wanted(path.as_bytes()), &Limits::default());
    result
        .hits
        .iter()
        .map(|h| format!("{}:{} {} {}", h.span.start_line, h.span.start_column, h.scope, h.message))
        .collect()
}

/// One language's answers to the table below.
struct Answers {
    name: &'static str,
    path: &'static str,
    /// A class `Quay` with a method `moor` of three parameters (and the receiver), in which a loop holds a branch that
    /// calls `go(1, "x")`, and a comment and a string that speak of `go(2)`. The call stands on line 5.
    code: &'static str,
    /// A pattern of the call with one hole, and of the call with any arguments.
    call: (&'static str, &'static str),
    /// A pattern of an assignment or declaration, and code that it matches once, on line 2.
    assignment: (&'static str, &'static str),
    /// A function without parameters, with one, and with four, on lines 1 to 3 or where the language puts them.
    functions: (&'static str, [u32; 1]),
}

const ANSWERS: &[Answers] = &[
    Answers {
        name: "python",
        path: "quay.py",
        code: "class Quay:\n    def moor(self, a, b, c):\n        for x in a:\n            if x:\n                go(1, 'x')  # go(2)\n        return 'go(2)'\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("berth = VALUE", "quay = 1\nberth = quay + 1\n"),
        functions: ("def a(): pass\ndef b(x): pass\ndef c(w, x, y, z): pass\n", [3]),
    },
    Answers {
        name: "javascript",
        path: "quay.js",
        code: "class Quay {\n  moor(a, b, c) {\n    for (const x of a) {\n      if (x) {\n        go(1, 'x'); // go(2)\n      }\n    }\n    return 'go(2)';\n  }\n}\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("const berth = VALUE;", "const quay = 1;\nconst berth = quay + 1;\n"),
        functions: ("function a() {}\nconst b = (x) => x;\nconst c = function (w, x, y, z) {};\n", [3]),
    },
    Answers {
        name: "typescript",
        path: "quay.ts",
        code: "class Quay {\n  moor(a: A[], b: B, c?: C): string {\n    for (const x of a) {\n      if (x) {\n        go(1, 'x'); // go(2)\n      }\n    }\n    return 'go(2)';\n  }\n}\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("const berth = VALUE;", "const quay = 1;\nconst berth = quay + 1;\n"),
        functions: (
            "function a(): void {}\nconst b = (x: X) => x;\nconst c = function (w: W, x: X, y: Y, z: Z) {};\n",
            [3],
        ),
    },
    Answers {
        name: "tsx",
        path: "quay.tsx",
        code: "class Quay extends View {\n  moor(a: A[], b: B, c?: C) {\n    for (const x of a) {\n      if (x) {\n        go(1, 'x'); // go(2)\n      }\n    }\n    return <p title='go(2)'>go(2)</p>;\n  }\n}\n",
        call: ("go(A, 'x')", "go(ALL)"),
        assignment: ("const berth = VALUE;", "const quay = <p/>;\nconst berth = <b>{quay}</b>;\n"),
        functions: (
            "function a() { return <p/>; }\nconst b = (x: X) => x;\nconst c = (w: W, x: X, y: Y, z: Z) => 1;\n",
            [3],
        ),
    },
    Answers {
        name: "java",
        path: "Quay.java",
        code: "class Quay {\n  String moor(A[] a, B b, C c) {\n    for (A x : a) {\n      if (x.free()) {\n        go(1, \"x\"); // go(2)\n      }\n    }\n    return \"go(2)\";\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("int berth = VALUE;", "class Q {\n  void f() { int berth = 1; int quay = 2; }\n}\n"),
        functions: ("class Q {\n  void a() {}\n  void c(int w, int x, int y, int z) {}\n}\n", [3]),
    },
    Answers {
        name: "go",
        path: "quay.go",
        code: "package quay\nfunc (q *Quay) moor(a []A, b, c int) string {\n\tfor _, x := range a {\n\t\tif x.Free {\n\t\t\tgo1(1, \"x\") // go(2)\n\t\t}\n\t}\n\treturn \"go(2)\"\n}\n",
        call: ("go1(A, \\\"x\\\")", "go1(ALL)"),
        assignment: ("berth := VALUE", "package quay\nfunc f() { berth := 1; quay := 2 }\n"),
        functions: ("package quay\nfunc a() {}\nfunc c(w, x int, y, z string) {}\n", [3]),
    },
    Answers {
        name: "rust",
        path: "quay.rs",
        code: "impl Quay {\n  fn moor(&self, a: &[A], b: B, c: C) -> &str {\n    for x in a {\n      if x.free() {\n        go(1, \"x\"); // go(2)\n      }\n    }\n    \"go(2)\"\n  }\n}\n",
        call: ("go(A, \\\"x\\\")", "go(ALL)"),
        assignment: ("let berth = VALUE;", "fn f() {\n  let berth = 1; let quay = 2;\n}\n"),
        functions: ("fn a() {}\nfn b(x: X) {}\nfn c(w: W, x: X, y: Y, z: Z) {}\n", [3]),
    },
];

/// A walk leaves out what holds no opener, so none of these may be without one.
#[test]
fn openers_stand_in_all_that_is_looked_for() {
    for a in ANSWERS {
        let language = Language::by_name(a.name).expect("a known language");
        let tables = language.tables();
        let mut parser = tree_sitter::Parser::new();
        parser.set_language(&tables.grammar).expect("the grammar loads");
        let mut met = 0;
        let examples = PACKS.iter().flat_map(|p| p.rules().iter()).flat_map(|r| &r.examples);
        let examples = examples.filter(|e| Language::of(e.path.as_bytes(), b"") == Some(language)).map(|e| &*e.code);
        for code in [a.code, a.assignment.1, a.functions.0].into_iter().chain(examples) {
            let tree = parser.parse(code, None).expect("it parses");
            let mut open = vec![tree.root_node()];
            while let Some(node) = open.pop() {
                if [Class::Function, Class::Loop, Class::Branch, Class::Comment]
                    .iter()
                    .any(|c| tables.is(node.kind_id(), *c))
                {
                    let text = &code[node.byte_range()];
                    met += 1;
                    let found = language.openers.is_empty() || language.openers.iter().any(|o| text.contains(o));
                    assert!(found, "{}: {} without an opener: {text}", a.name, node.kind());
                }
                open.extend((0..node.child_count()).filter_map(|n| node.child(n)));
            }
        }
        assert!(met >= 4, "{}: a function, a loop, a branch and a comment", a.name);
    }
}

#[test]
fn calls_scopes_filters_and_zones() {
    assert_eq!(ANSWERS.len(), LANGUAGES.len(), "every language must answer");
    for a in ANSWERS {
        let find = |matcher: &str, message: &str| find(a.name, a.path, matcher, message, a.code);
        let scope = if a.name == "go" { "moor" } else { "Quay.moor" };
        let column = a.code.lines().nth(4).and_then(|l| l.find("go")).expect("the call") + 1;
        // Comments and strings that look alike aren't found, and the scope is told.
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
        if a.name != "go" {
            assert_eq!(all(", enclosed_by = { definition = \"class\", name = \"Quay\" }"), 1, "{}", a.name);
        }
        // Each zone is told from the others.
        let word = "go(1)?\\\\(";
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

        let (code, lines) = a.functions;
        let found = find(a.name, a.path, "{ measure = \"parameters\", over = 1 }", "{value}", code);
        assert_eq!(found.len(), lines.len(), "{}: {found:?}", a.name);
        assert!(found[0].starts_with(&format!("{}:", lines[0])) && found[0].ends_with(" 4"), "{}: {found:?}", a.name);

        for (measure, value) in [("parameters", 3), ("nesting", 2), ("branches", 2)] {
            let matcher = format!("{{ measure = \"{measure}\", over = 1 }}");
            let found = find(a.name, a.path, &matcher, "{name} {value} {limit}", a.code);
            assert_eq!(found.len(), 1, "{} {measure}: {found:?}", a.name);
            assert!(found[0].ends_with(&format!(" moor {value} 1")), "{} {measure}: {found:?}", a.name);
        }
    }
}

/// A comment in each language, and whether it is code.
#[test]
fn comments_that_are_code() {
    let cases: &[(&str, &[&str], &[&str])] = &[
        (
            "a.py",
            &[
                "# x = load(path)",
                "# for row in rows:\n#     use(row)",
                "# import csv",
                "# return rows[0]",
                "# board.show('text')",
                "# self.show(text)",
                "# if late:\n#     raise Late(boat)",
            ],
            &[
                "# The rows, in order.",
                "# Note: keep this",
                "# see load (below)",
                "# type: ignore",
                "# return early",
                "# a, b and c",
                "# 12:30",
                "#!/usr/bin/env python",
                "# -*- coding: utf-8 -*-",
                "# (optional)",
                "# rows first",
                "# transpose()",
                "# math.atan2(-0, x)",
                "# (sin(x), cos(x))",
                "# coding=utf-8",
                "# name=value (optional)",
                "# The rows, as in\n#     rows = load(path)\n# and so on.",
            ],
        ),
        (
            "a.ts",
            &[
                "// const x = load(path);",
                "// if (late) {\n//   warn();\n// }",
                "/* x = 1; */",
                "// import { a } from \"./a\";",
                "// boats.push(boat);",
            ],
            &[
                "// Loads the path; then returns.",
                "// see load(path)",
                "/** const x = load(path); */",
                "// eslint-disable-next-line",
                "// { }",
                "// e.g. 3 boats; or 4",
                "// TODO later",
                "// a; b",
                "/// <reference path=\"x\" />",
            ],
        ),
        (
            "A.java",
            &["// int x = load(path);", "// private int berths;", "/* warn(boat); */"],
            &["// Loads the path.", "/** int x; */", "// the end;", "// berths; boats"],
        ),
        (
            "a.go",
            &["// x := load(path)", "// if late {\n// \twarn()\n// }"],
            &["// Load loads a path.", "//go:build linux", "// see Load", "// a list (of boats)"],
        ),
        (
            "a.rs",
            &["// let x = load(path)?;", "// use std::fs;", "// fn f() {}"],
            &["// Loads the path.", "/// let x = load(path);", "//! let x = 1;", "// SAFETY: it is never null;"],
        ),
    ];
    for (path, code, prose) in cases {
        let language = Language::of(path.as_bytes(), b"").expect("a language");
        let around = |comment: &str| match language.name {
            "go" => format!("package p\n\n{comment}\nvar a = 1\n"),
            "java" => format!("class A {{\n{comment}\nint a;\n}}\n"),
            "rust" => format!("{comment}\nstatic A: u8 = 1;\n"),
            "python" => format!("{comment}\na = 1\n"),
            _ => format!("{comment}\nlet a = 1;\n"),
        };
        for (comments, expected) in [(code, 1), (prose, 0)] {
            for comment in *comments {
                let found = find(language.name, path, "{ commented_code = true }", "m", &around(comment));
                assert_eq!(found.len(), expected, "{path}: {comment}");
            }
        }
    }
}

/// What a pattern may look like in each language, and code on whose second line it stands and on whose first it doesn't.
#[test]
fn patterns_in_every_position() {
    const MANY: &str = "many = true";
    const ONE: &str = "";
    /// Language, pattern, its holes with what is asked of them, and the code.
    type Case = (&'static str, &'static str, &'static [(&'static str, &'static str)], &'static str);
    let cases: &[Case] = &[
        (
            "python",
            "class NAME(Base):\n    BODY",
            &[("NAME", ONE), ("BODY", MANY)],
            "class A(Other): pass\nclass B(Base): pass\n",
        ),
        ("python", "import MODULE", &[("MODULE", ONE)], "from a import b\nimport c\n"),
        ("python", "lambda X: X", &[("X", ONE)], "lambda x: y\nlambda x: x\n"),
        ("python", "[X for X in LIST]", &[("X", ONE), ("LIST", ONE)], "[f(x) for x in y]\n[x for x in y]\n"),
        ("python", "f(KEY=VALUE)", &[("KEY", ONE), ("VALUE", ONE)], "f(1)\nf(a=1)\n"),
        (
            "python",
            "with open(ARGS) as FILE:\n    BODY",
            &[("ARGS", MANY), ("FILE", ONE), ("BODY", MANY)],
            "with lock: pass\nwith open(a) as f: f.read()\n",
        ),
        ("python", "not X == None", &[("X", ONE)], "x == None\nnot x == None\n"),
        (
            "python",
            "@cached\ndef NAME(GIVEN):\n    BODY",
            &[("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "def f(): pass\n@cached\ndef g(): pass\n",
        ),
        (
            "typescript",
            "async function NAME(GIVEN) { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "function f() {}\nasync function g(a: A) { x(); }\n",
        ),
        ("typescript", "X as any", &[("X", ONE)], "x as A;\ny.z as any;\n"),
        (
            "typescript",
            "type NAME = string | REST;",
            &[("NAME", ONE), ("REST", ONE)],
            "type A = string;\ntype B = string | number;\n",
        ),
        (
            "typescript",
            "new Promise(FUNCTION)",
            &[("FUNCTION", "node = \"function\"")],
            "new Promise(f);\nnew Promise((r) => r());\n",
        ),
        (
            "typescript",
            "import DEFAULT from \"old\"",
            &[("DEFAULT", ONE)],
            "import a from \"new\";\nimport a from \"old\"\n",
        ),
        ("typescript", "`${X}`", &[("X", ONE)], "`a${x}`;\n`${x}`;\n"),
        (
            "typescript",
            "case VALUE: throw ERROR;",
            &[("VALUE", ONE), ("ERROR", ONE)],
            "switch (a) { case 1: f();\ncase 2: throw e; }\n",
        ),
        (
            "tsx",
            "<img src={SOURCE} />",
            &[("SOURCE", ONE)],
            "const a = <img alt=\"\" src={x} />;\nconst b = <img src={x} />;\n",
        ),
        ("javascript", "A || B", &[("A", ONE), ("B", ONE)], "a && b;\na || b;\n"),
        ("javascript", "({ KEY: VALUE })", &[("KEY", ONE), ("VALUE", ONE)], "({});\n({ a: 1 });\n"),
        (
            "java",
            "synchronized (LOCK) { BODY }",
            &[("LOCK", ONE), ("BODY", MANY)],
            "class A { void f() { g();\nsynchronized (this) { g(); } } }\n",
        ),
        ("java", "@Deprecated", &[], "class A { @Override void f() {}\n@Deprecated void g() {} }\n"),
        (
            "java",
            "X instanceof Y",
            &[("X", ONE), ("Y", ONE)],
            "class A { boolean a = b == c;\nboolean d = b instanceof C; }\n",
        ),
        ("go", "defer CALL(ARGS)", &[("CALL", ONE), ("ARGS", MANY)], "package p; func f() { g()\ndefer h(1) }\n"),
        ("go", "for { BODY }", &[("BODY", MANY)], "package p; func f() { for a { b() }\nfor { b() } }\n"),
        (
            "go",
            "X, _ := CALL(ARGS)",
            &[("X", ONE), ("CALL", ONE), ("ARGS", MANY)],
            "package p; func f() { x, err := g()\nx, _ := g() }\n",
        ),
        (
            "rust",
            "match X { A => B, _ => c() }",
            &[("X", ONE), ("A", ONE), ("B", ONE)],
            "fn f() { if a { b() }\nmatch a { 1 => b(), _ => c() } }\n",
        ),
        ("rust", "unsafe { BODY }", &[("BODY", MANY)], "fn f() { { b() }\nunsafe { b() } }\n"),
        ("rust", "X?.Y()", &[("X", ONE), ("Y", ONE)], "fn f() { a.b();\na?.b(); }\n"),
    ];
    for (name, pattern, holes, code) in cases {
        let language = Language::by_name(name).expect("a language");
        let path = format!("a.{}", language.extensions[0]);
        let holes: String = holes.iter().map(|(hole, what)| format!("{hole} = {{ {what} }}, ")).collect();
        let matcher = format!("{{ code = '''{pattern}''', holes = {{ {} }} }}", holes.trim_end_matches(", "));
        let found = find(name, &path, &matcher, "m", code);
        assert_eq!(found.len(), 1, "{name}: {pattern}: {found:?}");
        assert!(found[0].starts_with("2:"), "{name}: {pattern}: {found:?}");
    }
}
