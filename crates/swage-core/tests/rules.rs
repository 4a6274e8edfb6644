//! The rule language: what its keys match, and the mistakes that it reports.

mod common;

use std::sync::Arc;

use common::rules;
use swage_core::config::packs::{INTEGRITY, PACKS};
use swage_core::lang::Language;
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::Limits;
use swage_core::scan::{FileScan, Hit, Markers, Status, scan};

fn scan_with(rules: Vec<Arc<Rule>>, path: &str, code: &str) -> FileScan {
    let set = RuleSet::new(rules);
    let language = Language::of(path.as_bytes(), code.as_bytes());
    scan(code.as_bytes(), language, &set, &set.wanted(path.as_bytes()), &Limits::default(), Markers::Heeded)
}

/// Rule (the match table), path, code, and the lines and messages that must come.
#[test]
fn matches_and_filters() {
    let ts = r#"languages = ["typescript"]"#;
    let py = r#"languages = ["python"]"#;
    let cases: &[(&str, &str, &str, &str, &str)] = &[
        // Holes.
        (
            ts,
            r#"{ code = "STORE.CALL(ARGS)", holes = { STORE = { text = "^(db|store)$" }, CALL = {}, ARGS = { many = true } } }"#,
            "a.ts",
            "store.find(1, 2);\nshop.find(1);\n// store.find(1)\nstore . find(\n  1, /* one */\n);\nstore?.x;\n",
            "1:1 4:1",
        ),
        (ts, r#"{ code = "A === A", holes.A = {} }"#, "a.ts", "if (x.y === x.y) {}\nif (x === y) {}\n", "1:5"),
        (
            ts,
            r#"{ code = "f(FIRST, REST)", holes = { FIRST = { node = "string" }, REST = { many = true } } }"#,
            "a.ts",
            "f('a');\nf('a', 1, 2);\nf(1, 'a');\nf();\n",
            "1:1 2:1",
        ),
        (
            ts,
            r#"{ code = "f(BEFORE, null, BEHIND)", holes = { BEFORE = { many = true }, BEHIND = { many = true } } }"#,
            "a.ts",
            "f(null);\nf(1, null);\nf(1, null, 2);\nf(1);\n",
            "1:1 2:1 3:1",
        ),
        (
            ts,
            r#"{ code = "if (C) { BODY }", holes = { C = {}, BODY = { many = true } } }"#,
            "a.ts",
            "if (a) { b(); c(); }\nif (a) b();\nif (a) {} else {}\n",
            "1:1",
        ),
        (
            ts,
            r#"{ code = "open(X);\nclose(X);", holes.X = {} }"#,
            "a.ts",
            "open(a);\nclose(a);\nopen(a);\nclose(b);\n",
            "1:1",
        ),
        (
            py,
            r#"{ code = "def NAME(GIVEN):\n    return None", holes = { NAME = {}, GIVEN = { many = true } } }"#,
            "a.py",
            "def f(a, b):\n    return None\ndef g():\n    # why\n    return None\ndef h():\n    return 1\n",
            "1:1 3:1",
        ),
        // What a name stands for, and what is after a match on its line; a suppression explains nothing.
        (
            py,
            r#"{ code = "F(X)", holes = { F = { stands_for = '^time\.sleep$' }, X = {} }, not_preceded_by = { node = "comment" }, not_followed_by = { node = "comment" } }"#,
            "a.py",
            "from time import sleep as wait\nwait(1)\nwait(2)  # it must\nother.wait(3)\n# it must\nwait(4)\nwait(5)\n# next\n",
            "2:1 7:1",
        ),
        // What may differ from run to run.
        (
            py,
            r#"{ code = "run(X)", holes.X = { varies = true, escaped_by = "^quote$" } }"#,
            "a.py",
            "A = 'a'\nrun(A + 'b')\nrun(A + b)\nrun(quote(b))\nrun(load(A))\n",
            "3:1 5:1",
        ),
        (py, r#"{ code = "x = [A, B]", holes = { A = {}, B = {} } }"#, "a.py", "x = [1, 2,]\nx = [1]\n", "1:1"),
        (
            r#"languages = ["java"]"#,
            r#"{ code = "LIST.size() == 0", holes.LIST = {} }"#,
            "A.java",
            "class A { boolean f() { return a.b.size() == 0; } }\n",
            "1:32",
        ),
        (
            r#"languages = ["go"]"#,
            r#"{ code = "if ERR != nil { return ERR }", holes.ERR = {} }"#,
            "a.go",
            "package a\n\nfunc f() error {\n\tif err != nil {\n\t\treturn err\n\t}\n\treturn nil\n}\n",
            "4:2",
        ),
        (
            r#"languages = ["rust"]"#,
            r#"{ code = "X.unwrap()", holes.X = {} }"#,
            "a.rs",
            "fn f() { a.b().unwrap(); a.unwrap_or(1); }\n",
            "1:10",
        ),
        // Several runs side by side, and far too many ways to part the nodes among them to try each.
        (
            ts,
            r#"{ code = "f(A, x, B, x, C, x, D, x, E, y)", holes = { A = { many = true }, B = { many = true }, C = { many = true }, D = { many = true }, E = { many = true } } }"#,
            "a.ts",
            &format!("f({});\nf(x, z, x, z, z, x, x, y);\n", "x, ".repeat(800) + "z"),
            "2:1",
        ),
        (
            ts,
            r#"{ code = "f(A, SAME, B, SAME, C)", holes = { A = { many = true }, B = { many = true }, C = { many = true }, SAME = {} } }"#,
            "a.ts",
            "f(1, 2, 3, 2, 4);\nf(1, 2, 3);\nf(a, b, a);\n",
            "1:1 3:1",
        ),
        // Filters.
        (
            ts,
            r#"{ code = "go()", enclosed_by = { definition = "class", name = "Routes$" } }"#,
            "a.ts",
            "class BerthRoutes { list() { go(); } }\nclass Berths { list() { go(); } }\ngo();\n",
            "1:30",
        ),
        (
            ts,
            r#"{ code = "go()", not_enclosed_by = { code = "try { BODY } catch (E) { REST }", holes = { BODY = { many = true }, E = {}, REST = { many = true } } } }"#,
            "a.ts",
            "try { go(); } catch (e) { no(); }\ngo();\n",
            "2:1",
        ),
        (
            ts,
            r#"{ code = "function NAME(GIVEN) { BODY }", holes = { NAME = {}, GIVEN = { many = true }, BODY = { many = true } }, encloses = { code = "eval(X)", holes.X = {} } }"#,
            "a.ts",
            "function f() { if (a) { eval(a); } }\nfunction g() {}\n",
            "1:1",
        ),
        // Filters in filters, at any depth, and holes that all of them share.
        (
            ts,
            r#"{ code = "go()", enclosed_by = { node = "loop", not_enclosed_by = { definition = "class", name = "^Test", encloses = { text = "slow" } } } }"#,
            "a.ts",
            "for (;;) go();\ngo();\nclass TestA { f() { for (;;) go(); } slow() {} }\nclass TestB { f() { for (;;) go(); } }\n",
            "1:10 4:30",
        ),
        (
            py,
            r#"{ any = [{ code = "a()" }, { any = [{ code = "b()" }, { languages = ["typescript"], code = "c()" }], enclosed_by = { definition = "class" } }], not_enclosed_by = { definition = "function", name = "^test" } }"#,
            "a.py",
            "a(); b(); c()\nclass A:\n    x = b(); y = c()\n    def f(): b()\n    def test(): a(); b()\n",
            "1:1 3:9 4:14",
        ),
        (
            py,
            r#"{ code = "FILE = open(PATH)", holes = { FILE = {}, PATH = {} }, enclosed_by = { definition = "function", not_encloses = { code = "FILE.close()", holes.FILE = {} } } }"#,
            "a.py",
            "def f():\n    a = open(b); a.close()\ndef g():\n    c = open(b); a.close()\n",
            "4:5",
        ),
        (
            py,
            r#"{ code = "def NAME(GIVEN):\n    BODY", holes = { NAME = { text = "^[a-z]" }, GIVEN = { many = true }, BODY = { many = true } }, unless = { code = "def NAME(GIVEN):\n    \"WHY\"\n    REST", holes = { NAME = {}, GIVEN = { many = true }, WHY = {}, REST = { many = true } } }, not_preceded_by = { node = "comment" } }"#,
            "a.py",
            "def f(a):\n    'Why.'\n    g()\nx = 1\ndef h():\n    g()\n# said\ndef i():\n    g()\n",
            "5:1",
        ),
        // Queries.
        (
            py,
            r#"{ tree = "(call function: (identifier) @name arguments: (argument_list . (string) @here) (#eq? @name \"open\"))", not_enclosed_by = { node = "branch" } }"#,
            "a.py",
            "open('a')\nopen(a)\nshut('a')\nif a: open('a')\n",
            "1:6",
        ),
        // Text in zones.
        ("", r#"{ text = "FIXME", zones = ["comment"] }"#, "a.py", "# FIXME\nFIXME = 'FIXME'\n", "1:3"),
        ("", r#"{ text = "FIXME", zones = ["string"] }"#, "a.py", "# FIXME\nFIXME = 'FIXME'\n", "2:10"),
        ("", r#"{ text = "FIXME", zones = ["code"] }"#, "a.py", "# FIXME\nFIXME = 'FIXME'\n", "2:1"),
        ("", r#"{ text = "FIXME$" }"#, "a.txt", "ä FIXME\r\nFIXME not\n", "1:3"),
        // Measures.
        (
            "",
            r#"{ measure = "parameters", over = 2 }"#,
            "a.py",
            "class A:\n    def f(self, a, b): pass\n    def g(self, a, *, b, **c): pass\nh = lambda a, b, c: 1\n",
            "3:9 4:5",
        ),
        (
            "",
            r#"{ measure = "parameters", over = 2 }"#,
            "a.go",
            "package a\n\nfunc f(a, b, c int) {}\nfunc (q Quay) g(a, b int) {}\n",
            "3:6",
        ),
        (
            "",
            r#"{ measure = "parameters", over = 2 }"#,
            "a.ts",
            "const f = (a: A, b: B, c?: C) => 1;\nfunction g(this: X, a, b) {}\n",
            "1:11",
        ),
        // What comments explain, and tests.
        (
            "languages = ['python']\nskip_explained = true",
            "{ code = 'go(X)', holes.X = {} }",
            "a.py",
            "go(1)\n# The gate opens late.\ngo(2)\ngo(3)  # since the gate opens late\ngo(4)  # late\n",
            "1:1 5:1",
        ),
        (
            "languages = ['html']\nskip_templated = true",
            "{ tree = '((start_tag (tag_name) @name) @here (#eq? @name \"img\"))' }",
            "a.html",
            "<img>\n<img {{ berth }}>\n{# <img> #}\n<!-- {# --><img>\n",
            "1:1 4:12",
        ),
        ("skip_explained = true", "{ text = 'go' }", "a.py", "go = 1\n# The gate opens late.\ngo = 2\n", "1:1"),
        (
            "languages = ['rust']\nskip_areas = ['tests']",
            "{ code = 'go(X)', holes.X = {} }",
            "a.rs",
            "fn a() { go(1); }\n#[cfg(test)]\nmod tests {\n    fn b() { go(2); }\n}\n#[tokio::test]\n// late\n#[ignore]\nfn c() { go(3); }\n#[cfg(not(test))]\nfn d() { go(4); }\n",
            "1:10 11:10",
        ),
        (
            "languages = ['rust']\nskip_areas = ['tests']",
            "{ code = 'go(X)', holes.X = {} }",
            "tests/a.rs",
            "fn a() { go(1); }\n",
            "",
        ),
        // A path that is broken into lines is the same path, and ends of lines are what they are.
        (
            "languages = ['go']",
            r#"{ tree = '((selector_expression) @here (#eq? @here "io.ReadAll"))' }"#,
            "a.go",
            "package a\n\nvar x = io.\n\tReadAll(f)\nvar y = io.\n\tReadFull(f)\n",
            "3:9",
        ),
        (
            "languages = ['go']",
            r#"{ code = "x(CALL)", holes.CALL = {}, encloses = { text = '^io\.ReadAll\(' } }"#,
            "a.go",
            "package a\n\nfunc f() {\n\tx(io.\n\t\tReadAll(f))\n\tx(io.\n\t\tReadFull(f))\n}\n",
            "4:2",
        ),
        ("", r#"{ text = 'tide:\n  low' }"#, "a.yaml", "tide:\r\n  low\r\ntide:\n  low\ntide:\n high\n", "1:1 3:1"),
        (
            "languages = ['python']",
            r#"{ tree = '((call arguments: (argument_list (_)* @given)) @here (#match? @here "^x\\(\\{\\n"))' }"#,
            "a.py",
            "x({\r\n  1: 2})\r\nx({1: 2})\r\n",
            "1:1",
        ),
        (
            "languages = ['python']",
            r#"{ code = "x(BODY)", holes.BODY = { text = '^\{\n' } }"#,
            "a.py",
            "x({\r\n  1: 2})\r\nx({1: 2})\r\n",
            "1:1",
        ),
        (
            "",
            r#"{ measure = "nesting", over = 2 }"#,
            "a.js",
            "function f() { if (a) { for (;;) { if (b) {} } } }\nfunction g() { if (a) {} else if (b) {} else if (c) {} else if (d) {} }\n",
            "1:10",
        ),
        (
            "",
            r#"{ measure = "nesting", over = 1 }"#,
            "A.java",
            "class A { void f() { if (a) {} else // late\n if (b) {} }\n void g() { if (a) { if (b) {} } } }\n",
            "3:7",
        ),
        (
            "",
            r#"{ measure = "branches", over = 0 }"#,
            "a.py",
            // Comments after a function aren't its own, however long they are.
            &format!("class A:\n    def f(self):\n        if a:\n            b()\n        # {}\n", "x".repeat(2000)),
            "2:9",
        ),
        (
            "",
            r#"{ measure = "lines", of = "class", over = 2 }"#,
            "A.java",
            "class A {\n  int a;\n}\nclass B {}\n",
            "1:7",
        ),
    ];
    for (head, matcher, path, code, expected) in cases {
        let source = format!(
            "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n{head}\nmatch = {matcher}\n"
        );
        let rules = rules(&source).unwrap_or_else(|e| panic!("{e}"));
        let found = scan_with(rules, path, code);
        let places: Vec<_> = found.hits.iter().map(|h| h.span.expect("lines").to_string()).collect();
        assert_eq!(places.join(" "), *expected, "{matcher} on\n{code}");
    }
}

/// Path, code, and what is found: rule and line, with a plus when a comment allows it.
#[test]
fn comments_let_findings_be() {
    let rule = |id: &str, matcher: &str| {
        format!(
            "[[rule]]\nid = \"{id}\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{{match}}\"\nmatch = {matcher}\n"
        )
    };
    let source = rule("go", "{ text = '\\bgo\\(' }")
        + &rule("stop", "{ text = '\\bstop\\(' }")
        + &rule(
            "wait",
            "{ languages = ['python'], code = 'wait(X)', holes.X = {}, not_preceded_by = { node = 'comment' }, not_followed_by = { node = 'comment' } }",
        );
    let cases = [
        ("a.py", "go()  # swage: allow go because the tide is low\ngo()\n", "go 1+, go 2"),
        ("a.py", "# swage: allow go because the tide is low\n\n# as it is at noon\ngo()\ngo()\n", "go 4+, go 5"),
        ("a.py", "# swage: allow go because a\n# swage: allow stop because b\ngo(); stop()\n", "go 3+, stop 3+"),
        ("a.py", "# swage: allow go, stop because both are calm\ngo(); stop()\n", "go 2+, stop 2+"),
        ("a.py", "go(); go()  # swage: allow go because once\n", "go 1+, go 1"),
        ("a.py", "go()  # swage: allow go\n", "go 1, suppression-without-reason 1"),
        ("a.py", "go()  # swage: allow go because\n", "go 1, suppression-without-reason 1"),
        ("a.py", "x = 1  # swage: allow go because of the tide\ngo()\n", "unused-suppression 1, go 2"),
        ("a.py", "x = 'swage: allow go because'\ngo()\n", "go 2"),
        ("a.ts", "/* swage: allow go because low */\ngo();\n", "go 2+"),
        ("a.html", "<!-- swage: allow go because low -->\n<p>go()</p>\n", "go 2+"),
        ("a.md", "```js\ngo(); // swage: allow go because low\n```\n", "go 2+"),
        // A suppression explains nothing to rules that comments keep quiet.
        ("a.py", "wait(1)  # swage: allow wait because low\nwait(2)  # low\n", "wait 1+"),
        ("a.py", "# swage: allow wait because low\nwait(1)\n\n# low\nwait(2)\n", "wait 2+"),
        ("notes.txt", "# swage: allow go because low\ngo()\n", "go 2+"),
    ];
    for (path, code, expected) in cases {
        let all = rules(&source).expect("right rules").into_iter().chain(INTEGRITY.rules().iter().cloned());
        let found = scan_with(all.collect(), path, code);
        let rendered = |h: &Hit| {
            format!("{} {}{}", h.rule, h.start_line().expect("lines"), if h.suppressed.is_some() { "+" } else { "" })
        };
        assert_eq!(found.hits.iter().map(rendered).collect::<Vec<_>>().join(", "), expected, "{path}\n{code}");
    }
}

#[test]
fn messages_are_filled_in() {
    let source = r#"
[[rule]]
id = "reach"
severity = "error"
title = "t"
message = "`{STORE}.{CALL}` with ({ARGS}) {left} in {match}"
languages = ["typescript"]
match = { code = "STORE.CALL(ARGS)", holes = { STORE = {}, CALL = {}, ARGS = { many = true } } }
"#;
    assert_eq!(
        rules(source).unwrap_err().lines().next(),
        Some("rules.toml:6:11: nothing fills in `{left}` in the message")
    );
    let found = scan_with(
        rules(&source.replace("{left} ", "{ } ")).unwrap(),
        "a.ts",
        "class A { f() { db.find(1,\n   2); } }\n",
    );
    assert_eq!(found.hits[0].message, "`db.find` with (1, 2) { } in db.find(1, 2)");
    assert_eq!(found.hits[0].scope, "A.f");
    let query = source.replace("`{STORE}.{CALL}` with ({ARGS}) {left} in {match}", "{callee} {other} {match}").replace(
        r#"code = "STORE.CALL(ARGS)", holes = { STORE = {}, CALL = {}, ARGS = { many = true } }"#,
        r#"tree = "(call_expression function: (_) @callee) (new_expression)? @other""#,
    );
    let found = scan_with(rules(&query).unwrap(), "a.ts", "db.find(1);\n");
    assert_eq!(found.hits[0].message, "db.find  db.find");
}

#[test]
fn mistakes_name_the_place_and_the_way_out() {
    let source = r#"
taget = "main"
packs = ["leftovers"]
[limits]
file_size = "2 parsecs"
[gate]
new = { eror = 0 }
worse = -1
[[rule]]
id = "Bad Id"
severity = "eror"
title = ""
message = "m"
match = { text = "(" }
[[rule]]
id = "no-languages"
severity = "note"
title = "t"
message = "m"
match = { code = "f(X)", hole = {} }
[[rule]]
id = "no-code"
severity = "note"
title = "t"
message = "m"
languages = ["pyhton", "go"]
match = { measure = "lenght", over = "3" }
[[rule]]
id = "bad-pattern"
severity = "note"
title = "t"
message = "m"
languages = ["python"]
match = { code = "def f(:", zones = [] }
[[rule]]
id = "only-a-hole"
severity = "note"
title = "t"
message = "m"
languages = ["python"]
paths = ["src/{a"]
match = { code = "X", holes.X = {} }
[[rule]]
id = "both"
severity = "note"
title = "t"
message = "m"
match = { text = "a", code = "b" }
[[rule]]
id = "no-query"
severity = "note"
title = "t"
message = "m"
side = "left"
languages = ["python"]
match = { tree = "(call funtion: (_) @f)" }
[[rule]]
id = "no-captures"
severity = "note"
title = "t"
message = "m"
languages = []
match = { tree = "(call)", enclosed_by = { node = "loop", encloses = { nod = "call" } } }
[[rule]]
id = "no-imports"
severity = "note"
title = "t"
message = "m"
languages = ["json"]
match = { key = "a.X", holes.X = { stands_for = "x" } }
[[rule]]
id = "varying-key"
severity = "error"
title = "t"
message = "m"
languages = ["json"]
match = { key = "a.X", holes.X = { varies = true } }
[[rule]]
id = "escaped"
severity = "error"
title = "t"
message = "m"
languages = ["python"]
match = { code = "f(X)", holes.X = { escaped_by = "x" } }
"#;
    insta::assert_snapshot!(rules(source).unwrap_err());
    insta::assert_snapshot!(rules("a = \nb = 'x").unwrap_err(), @r"
    rules.toml:1:5: not TOML: string values must be quoted, expected literal string
        a =
    rules.toml:2:7: not TOML: invalid literal string, expected `'`
        b = 'x
    ");
}

#[test]
fn what_cannot_be_examined_says_so() {
    let all = || PACKS.iter().flat_map(|p| p.rules().iter().cloned()).collect::<Vec<_>>();
    let big = format!("# {}\n", "x".repeat(3 << 20));
    let deep = format!("x = {}{}\n", "(\n".repeat(100_000), ")".repeat(100_000));
    let cases: &[(&str, &str, &str)] = &[
        ("a.py", &big, "it has 3145731 bytes, and the limit file_size is 2097152"),
        ("a.py", "a = 1\0", "it is named like python and holds NUL bytes"),
        ("a.png", "PNG\0", "examined"),
        ("a.txt", "plain", "examined"),
        ("a.py", &deep, "it nests more than 2000 deep"),
        ("a.py", &deep.replace("(\n)", "(print('here'))"), "it nests more than 2000 deep"),
        (
            "a.ts",
            &format!("{}debugger;{}", "if (a) {\n".repeat(3000), "}\n".repeat(3000)),
            "it nests more than 2000 deep",
        ),
        ("a.html", &"<b>\n".repeat(100_000), "it nests more than 2000 deep"),
        (
            "a.html",
            &format!(
                "{}<script>{}</script><!--{}-->",
                "<p>one<br><b>i<i/></b>\n<li>two\n".repeat(300),
                "a<b;\n".repeat(300),
                "<b>\n".repeat(300)
            ),
            "examined",
        ),
        (
            "a.html",
            &"<p>one<li>two\n".repeat(3000),
            "it has more open at one place than the grammar of html can remember",
        ),
        (
            "a.rb",
            &format!("a(<<{0})\n{0}\n", "A".repeat(256)),
            "it has more open at one place than the grammar of ruby can remember",
        ),
        (
            "a.yml",
            &format!("a:{}1\n", " ".repeat(16_383)),
            "it has 16383 blanks in a row or more, which the grammar of yaml misreads",
        ),
        // A program has made this, so the packs have nothing to say of it.
        ("a.js", &format!("var a=1;{}", "if(a==a)debugger;".repeat(400)), "examined"),
        ("a.py", "def ((((\n  %%% ]]] \u{1}", "examined"),
        // Comments that would take minutes to be tried as code, and to be asked for their neighbours.
        ("a.c", &format!("/* {}*/\nint a;\n", "it's (a = b);\n ".repeat(100_000)), "examined"),
        ("a.ts", &"/* a = b; */\n".repeat(40_000), "examined"),
        // As many children of one node, to each of which none may be counted from the first.
        ("a.py", &format!("from tides import (\n{})\n", "    tide,\n".repeat(10_000)), "examined"),
        // Each function asks the whole file what is in it.
        ("a.js", &format!("exports.a = 1;\n{}", "function a() {}\n".repeat(20_000)), "examined"),
        // A filter can't look all the way down.
        ("a.rs", &") ]\n} a = ".repeat(4_000), "it nests more than 2000 deep"),
        ("a.c", &format!("int f(\n{}int b);\n", "    int a,\n".repeat(10_000)), "examined"),
    ];
    for (path, code, expected) in cases {
        let rendered = match scan_with(all(), path, code).status {
            Status::Examined => "examined".to_owned(),
            Status::NotWanted => "not wanted".to_owned(),
            Status::NotExamined(why) => why,
        };
        assert_eq!(rendered, *expected, "{path}");
    }
}
