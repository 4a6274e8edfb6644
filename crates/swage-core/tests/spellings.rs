//! The same code, written otherwise: what a language takes for the same is the same to a rule, and nothing else is.

#[path = "common/corpus.rs"]
mod corpus;

use std::sync::Arc;

use corpus::rules_to_copy;
use swage_core::config::packs::PACKS;
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::{Class, Language};
use swage_core::rule::RuleSet;
use swage_core::scan::{Limits, Markers, scan};
use tree_sitter::{Node, Parser};

struct Row {
    language: &'static str,
    /// The rule's table `match`, without its languages.
    finds: &'static str,
    /// A file with `#` where the forms are.
    file: &'static str,
    /// Each is found once.
    forms: &'static [&'static str],
    /// None is found.
    others: &'static [&'static str],
}

const CALL: &str = "code = 'bad(X)', holes.X = {}";
const KEY: &str = "key = '**.bad'";

const ROWS: &[Row] = &[
    Row {
        language: "javascript",
        finds: CALL,
        file: "#;\n",
        forms: &[
            "bad(1)",
            r"\u0062ad(1)",
            r"b\u{61}d(1)",
            "(bad)(1)",
            "((bad))(1)",
            "bad?.(1)",
            "bad\u{a0}(1)",
            "bad\u{2028}(1)",
            "// a\u{2028}bad(1)",
            "// a\rbad(1)",
            "bad /* a */ (1)",
            "(0, bad)(1)",
            "(a, b, (bad))(1)",
            "`${bad(1)}`",
        ],
        others: &[r"\u0063ad(1)", r"'\u0062ad(1)'", "(bad, 1)", "(a, good)(1)", "// a bad(1)", r"`b\u0061d(1)`"],
    },
    Row {
        language: "javascript",
        finds: "code = 'a.bad(X)', holes.X = {}",
        file: "#;\n",
        forms: &["a.bad(1)", "a?.bad(1)", "(a).bad(1)", "(a.bad)(1)", r"a.\u0062ad(1)", "a?.bad?.(1)"],
        others: &["a.b.bad(1)", "a[bad](1)", "(a, b).bad(1)"],
    },
    // Calls through something else.
    Row {
        language: "javascript",
        finds: CALL,
        file: "#;\n",
        forms: &[
            "bad.call(null, 1)",
            "bad['call'](null, 1)",
            "(bad).call(this, 1)",
            "bad.apply(null, [1])",
            "bad.apply(null, list)",
            "bad.bind(null)(1)",
            "bad.bind(null, 1)()",
            "Reflect.apply(bad, null, [1])",
            "bad`1`",
        ],
        others: &[
            "bad.call(1)",
            "bad.call(null, 1, 2)",
            "good.call(bad, 1)",
            "bad.apply(null, [1, 2])",
            "bad.bind(null, 1)(2)",
            "bad.bind(1)",
            "a.bad.call(null, 1)",
            "Reflect.apply(good, bad, [1])",
            "bad.other(null, 1)",
            "good`bad`",
        ],
    },
    Row {
        language: "typescript",
        finds: "code = 'CALL(X)', holes = { CALL = { text = '^bad$' }, X = { many = true } }",
        file: "#;\n",
        forms: &["bad.call(null)", "bad.call(null, 1, 2)", "(bad as any).apply(null, [1, 2])"],
        others: &["a.bad.call(null)", "call(bad)"],
    },
    Row {
        language: "javascript",
        finds: "code = 'a.bad(X)', holes.X = {}",
        file: "#;\n",
        forms: &["a.bad.call(a, 1)", "a['bad'].apply(a, [1])"],
        others: &["bad.call(a, 1)", "b.bad.call(a, 1)"],
    },
    Row {
        language: "ruby",
        finds: CALL,
        file: "#\n",
        forms: &["send(:bad, 1)", "__send__('bad', 1)", "method(:bad).call(1)", "method(:bad).(1)"],
        others: &["send(:good, 1)", "send(:bad)", "a.send(:bad, 1)", "method(:good).call(1)", "bad.call(1, 2)"],
    },
    Row {
        language: "ruby",
        finds: "code = 'a.bad(X)', holes.X = {}",
        file: "#\n",
        forms: &["a.bad(1)", "a.send(:bad, 1)", "a.public_send(\"bad\", 1)"],
        others: &["b.send(:bad, 1)", "send(:bad, 1)", "a.send(bad, 1)"],
    },
    Row {
        language: "php",
        finds: "code = 'bad($X)', holes.X = {}",
        file: "<?php\n#;\n",
        forms: &[
            "bad($a)",
            "'bad'($a)",
            "(\"bad\")($a)",
            "('BAD')($a)",
            "call_user_func('bad', $a)",
            "call_user_func_array('bad', $a)",
        ],
        others: &["'good'($a)", "call_user_func('good', $a)", "$bad($a)", "call_user_func($a, 'bad')"],
    },
    Row {
        language: "python",
        finds: "code = 'a.bad(X)', holes.X = {}",
        file: "#\n",
        forms: &["a.bad(1)", "getattr(a, 'bad')(1)"],
        others: &["getattr(b, 'bad')(1)", "getattr(a, bad)(1)", "setattr(a, 'bad')(1)", "getattr(a, 'bad', None)"],
    },
    Row {
        language: "python",
        finds: "code = 'CALL(X)', holes = { CALL = { text = 'bad$', stands_for = '^os\\.bad$' }, X = {} }",
        file: "import os as o\n#\n",
        forms: &["o.bad(1)", "getattr(o, 'bad')(1)"],
        others: &["getattr(o, 'good')(1)"],
    },
    Row {
        language: "c",
        finds: CALL,
        file: "void f(void) { #; }\n",
        forms: &["(*bad)(1)", "(**bad)(1)", "(&bad)(1)"],
        others: &["*bad", "(*good)(1)", "(*bad)(1, 2)"],
    },
    Row {
        language: "kotlin",
        finds: CALL,
        file: "fun f() { # }\n",
        forms: &["(::bad)(1)", "::bad.invoke(1)", "bad.invoke(1)"],
        others: &["(::good)(1)", "good.invoke(1)", "bad.other(1)"],
    },
    Row {
        language: "javascript",
        finds: "code = 'a?.bad(X)', holes.X = {}",
        file: "#;\n",
        forms: &["a?.bad(1)"],
        others: &["a.bad(1)"],
    },
    Row {
        language: "typescript",
        finds: CALL,
        file: "#;\n",
        forms: &[
            r"\u0062ad(1)",
            "bad!(1)",
            "(bad as any)(1)",
            "(<any>bad)(1)",
            "(bad satisfies A)(1)",
            "bad<string>(1)",
            "bad?.<A>(1)",
        ],
        others: &["(good as bad)(1)", "(<bad>good)(1)", "good<bad>(1)"],
    },
    Row {
        language: "typescript",
        finds: "code = 'CALL(X)', holes = { CALL = { text = '^bad$' }, X = {} }",
        file: "#;\n",
        forms: &["bad(1)", "(bad)(1)", "bad!(1)", "(bad as any)(1)"],
        others: &["(good as bad)(1)", "badder(1)"],
    },
    Row {
        language: "python",
        finds: CALL,
        file: "#\n",
        forms: &["bad(1)", "\u{ff42}ad(1)", "\u{1d41b}\u{1d41a}\u{1d41d}(1)", "(bad)(1)", "bad\\\n(1)", "f'{bad(1)}'"],
        others: &["'\u{ff42}ad(1)'", "(bad, 1)", "# a\u{2028}bad(1)"],
    },
    Row {
        language: "javascript",
        finds: "code = 'a.bad(X)', holes.X = {}",
        file: "#;\n",
        forms: &["a[\"bad\"](1)", "a['bad'](1)", "a?.[`bad`](1)", "(a)[\"bad\"](1)"],
        others: &["a[\"badder\"](1)", "a[`${bad}`](1)", "a[\"bad\" + b](1)", "b[\"bad\"](1)"],
    },
    Row {
        language: "javascript",
        finds: "code = 'CALL(X)', holes = { CALL = { stands_for = '^fs\\.rm$' }, X = {} }",
        file: "import * as a from \"fs\";\nconst b = require(\"node:fs\"), c = a.rm;\n#;\n",
        forms: &[
            "a.rm(1)",
            "a\n  .rm(1)",
            "a /* b */ .rm(1)",
            "a?.rm(1)",
            "(a).rm(1)",
            "(a.rm)(1)",
            "b[\"rm\"](1)",
            "c(1)",
            "require(\"fs\").rm(1)",
            "(await import('fs')).rm(1)",
            r"a.\u0072m(1)",
        ],
        others: &["d.rm(1)", "a.rmdir(1)", "a.b.rm(1)", "require(\"os\").rm(1)", "a.rm.call(1)"],
    },
    Row {
        language: "python",
        finds: "code = 'CALL(X)', holes = { CALL = { stands_for = '^os\\.system$' }, X = {} }",
        file: "import os\nimport os as o\nrun = os.system\n#\n",
        forms: &[
            "os.system(1)",
            "os . system(1)",
            "os.\\\n  system(1)",
            "(os).system(1)",
            "(os\n .system)(1)",
            "o.system(1)",
            "run(1)",
            "__import__('os').system(1)",
        ],
        others: &["a.system(1)", "os.systems(1)", "os.a.system(1)"],
    },
    Row {
        language: "csharp",
        finds: "code = 'CALL(X)', holes = { CALL = { text = '^a\\.Bad$' }, X = {} }",
        file: "class A { void F() { #; } }\n",
        forms: &["a.Bad(1)", "a?.Bad(1)", "a\n  .Bad(1)", "a!.Bad(1)", "(a).@Bad(1)", "a.Bad<int>(1)"],
        others: &["b?.Bad(1)", "a.Badder(1)"],
    },
    Row {
        language: "java",
        finds: CALL,
        file: "class A { void f() { # } }\n",
        forms: &[
            "bad(1);",
            r"\u0062ad(1);",
            r"\uuu0062\u0061d(1);",
            r"/* \u002a/ bad(1); /* */",
            r"// \u000a bad(1);",
            r"a(\u0022\u0022 + bad(1));",
            "b\u{200d}ad(1);",
        ],
        others: &[r"a('\\u0062ad(1)');", "// bad(1)\n", "this.bad(1);"],
    },
    Row {
        language: "java",
        finds: "code = 'new Bad(X)', holes.X = {}",
        file: "class A { Object f() { return #; } }\n",
        forms: &["new Bad(1)", "new Bad<A>(1)", "new Bad<>(1)", "new <A>Bad(1)"],
        others: &["new Good<Bad>(1)"],
    },
    Row {
        language: "csharp",
        finds: "code = 'Bad(X)', holes.X = {}",
        file: "class A { void F() { # } }\n",
        forms: &[
            "Bad(1);",
            r"\u0042ad(1);",
            r"B\U00000061d(1);",
            "@Bad(1);",
            "B\u{200d}ad(1);",
            "Bad<int>(1);",
            "(Bad)(1);",
            "Bad!(1);",
            "// a\u{2028} Bad(1);\n",
            "// a\u{85} Bad(1);\n",
            "a = $\"{Bad(1)}\";",
        ],
        others: &["@Badder(1);", "Good<Bad>(1);", "// a Bad(1);\n"],
    },
    Row {
        language: "csharp",
        finds: "code = 'a.Bad(X)', holes.X = {}",
        file: "class A { void F() { #; } }\n",
        forms: &["a.Bad(1)", "a?.Bad(1)", "a!.Bad(1)", "(a).Bad(1)", "a.Bad<int>(1)"],
        others: &["b?.Bad(1)", "a?[Bad(1)]"],
    },
    Row {
        language: "c",
        finds: CALL,
        file: "void f(void) {\n#\n}\n",
        forms: &[
            "bad(1);",
            "ba\\\nd(1);",
            "b\\\n\\\nad(1);",
            "/* a *\\\n/ bad(1); /* */",
            "/\\\n/ a\nbad(1);",
            "(bad)(1);",
            "\n#define A(x) bad(x)",
            "\n#define A bad(1) // why",
            "\n#define A(x) \\\n  do { bad(x); } while (0)",
            "\n#define A(x) if (x) bad(1)",
            "\n#define A (bad(1) + 1)",
        ],
        others: &["// a \\\nbad(1);", "\n#define A bad", "\n#define A(x) x ## bad", "\n#define A \"bad(1)\""],
    },
    Row {
        language: "cpp",
        finds: CALL,
        file: "void f() {\n#\n}\n",
        forms: &["bad(1);", "bad<int>(1);", "(bad)(1);", "::bad(1);", "\n#define A(x) bad(x)\n"],
        others: &["good<bad>(1);", "a::bad(1);"],
    },
    Row {
        language: "rust",
        finds: CALL,
        file: "fn f() {\n#\n}\n",
        forms: &[
            "bad(1);",
            "r#bad(1);",
            "(bad)(1);",
            "bad::<u8>(1);",
            "println!(\"{}\", bad(1));",
            "let a = vec![1, bad(1)];",
            "assert! { bad(1) }",
            "outer!(inner!(deep!(bad(1))));",
            "select! { a = go() => bad(1), else => stop() }",
            "macro_rules! a { ($x:expr) => { bad($x) }; }",
            "macro_rules! a { () => (bad(1)); }",
            "macro_rules! a { () => { b!(1, c![bad(1)]); } }",
            "a!(a!(a!(a!(a!(a!(a!(a!(bad(1)))))))));",
        ],
        others: &["a::bad(1);", "bad!(1);", "println!(\"bad(1)\");", "println!(bad); go(1);", "a!(bad [1]);"],
    },
    Row {
        language: "rust",
        finds: "code = 'X == X', holes.X = {}",
        file: "fn f() {\n#\n}\n",
        forms: &[
            "assert!(a == a);",
            "go!('\"', a == a);",
            "go!(\"\\\\\", a == a);",
            "go!(r#\"a\"b\"#, a == a);",
            "go!(/* \" */ a == a);",
            "go!(/* \" */ a == a, \"b\");",
            "go!(// \"\n a == a, \"b\");",
        ],
        others: &["assert_eq!(a, a);", "go!(\"a == a\");"],
    },
    Row {
        language: "rust",
        finds: "code = 'bad(X)', holes.X = {}, not_enclosed_by = { definition = \"function\", name = '^f$' }",
        file: "fn f() {\n    assert!(bad(1));\n}\nfn g() {\n    #\n}\n",
        forms: &["assert!(bad(1));"],
        others: &["assert!(good(1));"],
    },
    Row {
        language: "kotlin",
        finds: CALL,
        file: "fun f() { # }\n",
        forms: &["bad(1)", "`bad`(1)", "(bad)(1)", "\"${bad(1)}\"", "bad!!(1)"],
        others: &["`bad one`(1)", "a.bad(1)"],
    },
    Row {
        language: "kotlin",
        finds: "code = 'a.bad(X)', holes.X = {}",
        file: "fun f() { # }\n",
        forms: &["a.bad(1)", "a?.bad(1)", "a!!.bad(1)", "(a).`bad`(1)"],
        others: &["b?.bad(1)"],
    },
    Row {
        language: "scala",
        finds: CALL,
        file: "object A { # }\n",
        forms: &["bad(1)", "`bad`(1)", "bad[Int](1)", "(bad)(1)", "s\"${bad(1)}\""],
        others: &["good[bad](1)"],
    },
    Row {
        language: "swift",
        finds: CALL,
        file: "func f() { # }\n",
        forms: &["bad(1)", "`bad`(1)", "(bad)(1)", "\"\\(bad(1))\""],
        others: &["(bad, a)(1)", "\"(bad(1))\""],
    },
    Row {
        language: "swift",
        finds: "code = 'a.bad(X)', holes.X = {}",
        file: "func f() { # }\n",
        forms: &["a.bad(1)", "a?.bad(1)", "a!.bad(1)"],
        others: &["b?.bad(1)"],
    },
    Row {
        language: "php",
        finds: "code = 'bad($X)', holes.X = {}",
        file: "<?php #;\n",
        forms: &["bad($a)", "BAD($a)", "Bad($a)", "\\bad($a)", "\\BAD($a)", "(bad)($a)", "// a ?><?php bad($a)"],
        others: &["A\\bad($a)", "$bad($a)", "good($bad)", "// a bad($a)\n"],
    },
    Row {
        language: "php",
        finds: "code = 'CALL($X)', holes = { CALL = { text = '^bad$' }, X = {} }",
        file: "<?php #;\n",
        forms: &["bad($a)", "BAD($a)", "\\Bad($a)"],
        others: &["badder($a)", "A\\bad($a)"],
    },
    Row {
        language: "php",
        finds: "code = '$a->bad(X)', holes.X = {}",
        file: "<?php #;\n",
        forms: &["$a->bad(1)", "$a?->bad(1)", "$a->Bad(1)"],
        others: &["$A->bad(1)", "$b?->bad(1)"],
    },
    Row {
        language: "bash",
        finds: "code = 'bad X', holes.X = {}",
        file: "#\n",
        forms: &[
            "bad x",
            "\\bad x",
            "b\\ad x",
            "'bad' x",
            "\"bad\" x",
            "b''ad x",
            "b\"a\"d x",
            "$'b\\x61d' x",
            "ba\\\nd x",
            "A=1 B=2 bad x",
            "sudo bad x",
            "sudo -u a=b env -i A=1 bad x",
            "sudo -u root bad x",
            "command bad x",
            "time -p bad x",
            "timeout 5s nohup bad x",
            "find . | xargs -0 -n1 bad x",
            "! sudo \\bad x",
            ">y bad x",
            "echo \"$(bad x)\"",
            "echo \"`bad x`\"",
            "cat <<E\n$(bad x)\nE",
            "go x\n\\bad x",
            "A=y B=z # go\nif bad x; then go; fi",
            "f() {\nA=y B=z\n\nif go; then bad x; fi\n}",
            "A=y >z\nif go; then bad x; fi",
        ],
        others: &["echo 'bad x'", "\"$bad\" x", "cat <<'E'\n$(bad x)\nE", "A=bad x", "b\\\\ad x"],
    },
    Row {
        language: "bash",
        finds: "code = 'CALL X', holes = { CALL = { text = '^bad$' }, X = {} }",
        file: "#\n",
        forms: &["bad x", "sudo bad x"],
        others: &["sudo good bad", "echo bad x", "sudo -u bad"],
    },
    Row {
        language: "bash",
        finds: "code = 'sudo bad X', holes.X = {}",
        file: "#\n",
        forms: &["sudo bad x"],
        others: &["bad x", "env bad x"],
    },
    Row {
        language: "bash",
        finds: "code = 'rm -rf X', holes.X = {}",
        file: "#\n",
        forms: &["rm -rf x", "rm '-rf' x", "rm -r\\f x", "rm -r\"f\" x", "\"rm\" \"-rf\" \"$x\""],
        others: &["rm \"$a-rf\" x"],
    },
    Row {
        language: "ruby",
        finds: CALL,
        file: "#\n",
        forms: &["bad(1)", "bad 1", "bad (1)", "bad((1))", "\"#{bad(1)}\"", "`#{bad 1}`"],
        others: &["bad 1, 2", "bad", "'#{bad(1)}'"],
    },
    Row {
        language: "ruby",
        finds: "code = 'a.bad X', holes.X = {}",
        file: "#\n",
        forms: &["a.bad 1", "a.bad(1)", "a&.bad(1)", "a::bad(1)", "(a).bad(1)"],
        others: &["b&.bad(1)"],
    },
    Row {
        language: "sql",
        finds: "code = 'DROP TABLE X', holes.X = {}",
        file: "#;\n",
        forms: &[
            "DROP TABLE x",
            "drop table x",
            "DROP TABLE IF EXISTS x",
            "DROP/**/TABLE x",
            "/*! DROP TABLE x */",
            "/*!50100 DROP TABLE x */",
        ],
        others: &["/* DROP TABLE x */"],
    },
    Row {
        language: "sql",
        finds: "code = 'SELECT X FROM berths', holes.X = {}",
        file: "#;\n",
        forms: &["SELECT a FROM berths", "select a from Berths", "SELECT a FROM \"berths\""],
        others: &["SELECT a FROM births"],
    },
    Row {
        language: "go",
        finds: CALL,
        file: "package a\nfunc f() {\n\t#\n}\n",
        forms: &[
            "bad(1)",
            "(bad)(1)",
            "bad[int](1)",
            "bad[[]int](1)",
            "bad[int,](1)",
            "x := bad[m.T](y)",
            "x.y(bad[int](1))",
        ],
        others: &["good[bad](1)", "m.bad[int](1)", "bad[int](1, 2)", "[]bad(1)", "bad[1]"],
    },
    Row {
        language: "go",
        finds: "code = 'CALL(ARGS)', holes = { CALL = { text = '^m.bad$' }, ARGS = { many = true } }",
        file: "package a\nfunc f() {\n\t#\n}\n",
        forms: &["m.bad(1)", "m.bad[int](1)", "m.bad[int](1, 2)", "m.bad[int, string](1)", "m.bad[int, string](1, 2)"],
        others: &["bad[int](1)", "m.good[int](1)"],
    },
    Row {
        language: "go",
        finds: "code = 'm.bad(X)', holes.X = {}",
        file: "package a\nfunc f() {\n\t#\n}\n",
        forms: &["m.bad(1)", "m.bad[int](1)"],
        others: &["n.bad[int](1)", "m.good[int](1)", "m[int](1)"],
    },
    Row {
        language: "c",
        finds: "code = 'CALL(X)', holes = { CALL = { stands_for = '^bad$' }, X = {} }",
        file: "#\n",
        forms: &[
            "int a = bad(1);",
            "#define B bad\nint a = B(1);",
            "#ifdef X\n#define B C\n#endif\n#define C bad\nint a = B(1);",
            "int (*b)(int) = bad;\nint a = b(1);",
            "int f(void) { int (*b)(int); b = &bad; return b(1); }",
        ],
        others: &[
            "#define B good\nint a = B(1);",
            "#define B bad\nint a = C(1);",
            "void f(void) { int (*b)(int) = good; b(1); }\nvoid g(void) { int (*b)(int) = bad; }",
        ],
    },
    Row {
        language: "json",
        finds: KEY,
        file: "{#}\n",
        forms: &["\"bad\": 1", r#""b\u0061d": 1"#],
        others: &[r#""a": "b\u0061d""#],
    },
    Row {
        language: "yaml",
        finds: KEY,
        file: "#\n",
        forms: &[
            "bad: 1",
            r#""b\x61d": 1"#,
            "'bad': 1",
            "!!str bad: 1",
            "&x bad: 1",
            "? bad\n: 1",
            "a: &x bad\n*x : 1",
            "a: &x worse\nb: &x 'bad'\nc: {*x : 1}",
            "a: &x good\nb: {? *x : 1}\nc: &x bad\nd: [{*x : 1}]",
        ],
        others: &[r"'b\x61d': 1", "a: bad", "a: &x bad\nb: *x", "a: &x bad\nb: &x good\n*x : 1", "*x : 1\na: &x bad"],
    },
    // What an alias stands for is where the alias is, and what is merged where it is merged.
    Row {
        language: "yaml",
        finds: "key = 'a.bad', value = 'X', holes.X = { text = '^yes$' }",
        file: "#\n",
        forms: &[
            "a: {bad: yes}",
            "x: &x yes\na:\n  bad: *x",
            "x: &x [no, yes]\na: {bad: *x}",
            "x: &x yes\na: {bad: [no, *x]}",
            "x: &x {bad: yes}\na: *x",
            "x: &x\n  bad: yes\na:\n  <<: *x\n  b: 1",
            "x: &x {bad: yes}\ny: &y {<<: *x}\na: {<<: [*y, {c: 1}]}",
            "a:\n  <<: {bad: yes}",
        ],
        others: &[
            "x: &x no\na: {bad: *x}",
            "x: &x {bad: yes}\nb: *x",
            "a: &a {bad: *a}",
            "x: &x {bad: yes}\na: {b: {<<: *x}}",
        ],
    },
    Row {
        language: "css",
        finds: CALL,
        file: "a { width: # }\n",
        forms: &["bad(1)", "b\\61 d(1)", "\\62\\000061\\64(1)", "ba\\000064\n(1)"],
        others: &["b\\62 d(1)", "\"b\\61 d(1)\"", "bad (1)"],
    },
    Row {
        language: "toml",
        finds: KEY,
        file: "#\n",
        forms: &["bad = 1", r#""b\u0061d" = 1"#, "a . \"bad\" = 1", "[a.\"b\\u0061d\"]\nb.c = 1"],
        others: &[r"'b\u0061d' = 1"],
    },
    Row {
        language: "html",
        finds: "key = 'a.onclick'",
        file: "#\n",
        forms: &["<a onclick=\"x()\">y</a>", "<A ONCLICK=\"x()\">y</A>"],
        others: &["<b onclick=\"x()\">y</b>"],
    },
    // Scripts in pages.
    Row {
        language: "html",
        finds: "code = 'bad(X)', holes.X = {}",
        file: "#\n",
        forms: &[
            "<script>bad(1)</script>",
            "<a onclick=\"bad(1)\">y</a>",
            "<a OnClick='return bad(1)'>y</a>",
            "<a onclick=bad(1)>y</a>",
            "<script onload=\"bad(1)\" src=\"a.js\"></script>",
            "<a onclick=\"go(&quot;a&quot;); bad(1)\">y</a>",
            "<a href=\" javascript:bad(1)\">y</a>",
            "<a HREF='JavaScript:bad(1)'>y</a>",
        ],
        others: &["<a title=\"bad(1)\">y</a>", "<a href=\"bad(1)\">y</a>", "<a on=\"bad(1)\">y</a>", "<p>bad(1)</p>"],
    },
];

#[test]
fn what_a_language_takes_for_the_same_is_the_same_to_a_rule() {
    let mut wrong = String::new();
    for row in ROWS {
        let language = Language::by_name(row.language).expect("a known language");
        let source = format!(
            "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = {{ {}, languages = [\"{}\"] }}\n",
            row.finds,
            // Patterns are code of the scripts in a page.
            if row.language == "html" && row.finds.contains("code") { "javascript" } else { row.language }
        );
        let file = read_rules("r.toml", &source, FileRole::Rules).unwrap_or_else(|p| panic!("{p:?}\n{source}"));
        let set = RuleSet::new(file.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect());
        let count = |code: &str| {
            let file = row.file.replacen('#', code, 1);
            scan(file.as_bytes(), Some(language), &set, &[true], &Limits::default(), Markers::Heeded).hits.len()
        };
        let forms = row.forms.iter().map(|form| (form, 1)).chain(row.others.iter().map(|other| (other, 0)));
        for (form, expected) in forms {
            let found = count(form);
            if found != expected {
                wrong += &format!("{}: {form:?} is found {found} times, not {expected}\n", row.language);
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// Other forms of what is called, in a language.
fn forms_of(callee: &str, language: &str) -> Vec<String> {
    let is_script = matches!(language, "javascript" | "typescript" | "tsx");
    let mut forms = Vec::new();
    if is_script || matches!(language, "python" | "c" | "cpp" | "csharp" | "kotlin" | "scala") {
        forms.push(format!("({callee})"));
        if callee.contains('.') {
            forms.push(callee.replacen('.', if language == "python" { " . " } else { "\n." }, 1));
        }
    }
    let takes_comments = !matches!(language, "bash" | "python" | "ruby") && callee.contains(['.', ':', '>']);
    if takes_comments && let Some(end) = callee.find(|c: char| !c.is_ascii_alphanumeric() && c != '_') {
        let sign = callee[end..].find(|c: char| c.is_ascii_alphanumeric() || c == '$').unwrap_or(1);
        let (object, sign, member) = (&callee[..end], &callee[end..end + sign], &callee[end + sign..]);
        forms.push(format!("{object}/**/{sign}/**/{member}"));
    }
    if let Some((object, member)) = callee.rsplit_once('.').filter(|_| is_script) {
        forms.push(format!("{object}?.{member}"));
        forms.push(format!("{object}[\"{member}\"]"));
    }
    match language {
        "bash" => forms.extend([format!("'{callee}'"), format!("\\{callee}"), format!("A=1 {callee}")]),
        "php" if callee.bytes().all(|b| b.is_ascii_lowercase() || b == b'_') => forms.push(callee.to_uppercase()),
        _ => {}
    }
    forms
}

/// The calls in a range of bytes.
fn calls_in<'t>(root: Node<'t>, range: &std::ops::Range<usize>, language: &Language) -> Vec<Node<'t>> {
    let (mut found, mut open) = (Vec::new(), vec![root]);
    while let Some(node) = open.pop() {
        if node.start_byte() >= range.start && node.end_byte() <= range.end {
            found.extend(language.tables().is(node.kind_id(), Class::Call).then_some(node));
        }
        open.extend((0..node.child_count()).filter_map(|index| node.child(index)));
    }
    found
}

/// What the shipped rules on security find in their examples they find in other forms as well.
#[test]
fn rules_on_security_find_their_examples_in_other_forms() {
    let (mut tried, mut missed) = (0, String::new());
    let to_copy = rules_to_copy();
    let rules = PACKS.iter().flat_map(|pack| pack.rules()).chain(&to_copy);
    for rule in rules.filter(|rule| rule.tags.iter().any(|tag| tag == "security")) {
        let set = RuleSet::new(vec![rule.clone()]);
        for file in rule.examples.iter().flat_map(|example| example.files()) {
            let (path, code) = (file.path.as_bytes(), &file.code);
            let Some(language) = Language::of(path, code.as_bytes()) else { continue };
            let hits = |code: &str| {
                let wanted = set.wanted(path);
                scan(code.as_bytes(), Some(language), &set, &wanted, &Limits::default(), Markers::Heeded).hits
            };
            let before = hits(code);
            let mut parser = Parser::new();
            parser.set_language(&language.tables().grammar).expect("it is built in");
            let tree = parser.parse(code, None).expect("it is small");
            let starts: Vec<usize> = [0].into_iter().chain(code.match_indices('\n').map(|(at, _)| at + 1)).collect();
            for span in before.iter().filter_map(|hit| hit.span) {
                let start = starts[span.start_line.index() as usize] + span.start_column.index() as usize;
                let end = starts[span.end_line.index() as usize] + span.end_column.index() as usize + 1;
                for call in calls_in(tree.root_node(), &(start..end.min(code.len())), language) {
                    let function = call.child_by_field_name("function").or(call.child_by_field_name("name"));
                    // What has a receiver of its own begins with that.
                    let Some(callee) = function.filter(|callee| callee.start_byte() == call.start_byte()) else {
                        continue;
                    };
                    for form in forms_of(&code[callee.byte_range()], language.name) {
                        let otherwise = [&code[..callee.start_byte()], &form, &code[callee.end_byte()..]].concat();
                        tried += 1;
                        if hits(&otherwise).len() < before.len() {
                            missed += &format!("{} misses {form:?} in {}\n", rule.id, file.path);
                        }
                    }
                }
            }
        }
    }
    assert!(missed.is_empty() && tried > 80, "of {tried}\n{missed}");
}
