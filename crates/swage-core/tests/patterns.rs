//! What patterns match in each language.

mod common;

use common::{found, rule, rule_saying};
use swage_core::lang::Language;

/// What a pattern may look like in each language, and code on whose second line it is and on whose first it doesn't.
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
        // Where the language wants more than a name, the compiler supplies it.
        (
            "java",
            "void NAME(GIVEN) { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "class A { int f(int a) { g(); }\nvoid h(int a, B b) { g(); } }\n",
        ),
        (
            "java",
            "class NAME extends Test { MEMBERS }",
            &[("NAME", ONE), ("MEMBERS", MANY)],
            "class A extends B {}\nclass C extends Test { int a; void f() {} }\n",
        ),
        (
            "java",
            "LIST<TYPE> NAME = VALUE;",
            &[("LIST", ONE), ("TYPE", ONE), ("NAME", ONE), ("VALUE", ONE)],
            "class A { void f() { int a = 1;\nList<B> b = c(); } }\n",
        ),
        (
            "java",
            "switch (X) { CASES }",
            &[("X", ONE), ("CASES", MANY)],
            "class A { void f() { if (a) {}\nswitch (a) { case 1: g(); default: } } }\n",
        ),
        (
            "rust",
            "match X { ARMS }",
            &[("X", ONE), ("ARMS", MANY)],
            "fn f() { if a {}\nmatch a { 1 => b(), _ => c() } }\n",
        ),
        (
            "rust",
            "fn NAME(GIVEN) -> TYPE { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("TYPE", ONE), ("BODY", MANY)],
            "fn f() {}\nfn g(a: u8, b: B) -> C { b; c() }\n",
        ),
        ("rust", "#[test]", &[], "#[cfg(unix)] fn f() {}\n#[test] fn g() {}\n"),
        (
            "go",
            "func NAME(GIVEN) error { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "package p; func f() {}\nfunc g(a, b int, c C) error { return nil }\n",
        ),
        (
            "c",
            "TYPE NAME(GIVEN) { BODY }",
            &[("TYPE", ONE), ("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "int a = 1;\nint f(int a, char *b) { g(); return 1; }\n",
        ),
        ("c", "#include <quay.h>", &[], "#include <stdio.h>\n#include <quay.h>\n"),
        (
            "c",
            "TYPE *NAME = malloc(SIZE);",
            &[("TYPE", ONE), ("NAME", ONE), ("SIZE", ONE)],
            "int f(void) { char *a = b();\nchar *c = malloc(d * 2); }\n",
        ),
        (
            "cpp",
            "try { BODY } catch (...) { }",
            &[("BODY", MANY)],
            "int f() { try { a(); } catch (E& e) {}\ntry { a(); b(); } catch (...) {} }\n",
        ),
        ("cpp", "std::vector<TYPE> NAME;", &[("TYPE", ONE), ("NAME", ONE)], "std::list<int> a;\nstd::vector<int> b;\n"),
        (
            "csharp",
            "async void NAME(GIVEN) { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "class A { async Task F() {}\nasync void G(int a, B b) { C(); } }\n",
        ),
        (
            "csharp",
            "catch (EXCEPTION NAME) { }",
            &[("EXCEPTION", ONE), ("NAME", ONE)],
            "class A { void F() { try {} catch (B b) { C(); }\ntry {} catch (B b) { } } }\n",
        ),
        (
            "kotlin",
            "fun NAME(GIVEN): TYPE { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("TYPE", ONE), ("BODY", MANY)],
            "fun f() {}\nfun g(a: Int, b: B): C { return c() }\n",
        ),
        ("kotlin", "X!!", &[("X", ONE)], "val a = b?.c\nval d = b!!\n"),
        (
            "kotlin",
            "when (X) { CASES }",
            &[("X", ONE), ("CASES", MANY)],
            "fun f() { if (a) {}\nwhen (a) { 1 -> b(); else -> c() } }\n",
        ),
        (
            "swift",
            "func NAME(GIVEN) -> TYPE { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("TYPE", ONE), ("BODY", MANY)],
            "func f() {}\nfunc g(a: Int, b: B) -> C { h(); return c() }\n",
        ),
        ("swift", "try! X", &[("X", ONE)], "let a = try? b()\nlet c = try! d()\n"),
        (
            "scala",
            "def NAME(GIVEN): TYPE = BODY",
            &[("NAME", ONE), ("GIVEN", MANY), ("TYPE", ONE), ("BODY", ONE)],
            "object A { val b = 1\ndef f(a: Int, b: B): C = c() }\n",
        ),
        (
            "ruby",
            "def NAME(GIVEN)\n  BODY\nend",
            &[("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "a = 1\ndef f(a, *b) c; d end\n",
        ),
        (
            "ruby",
            "rescue NAME => ERROR\n  nil",
            &[("NAME", ONE), ("ERROR", ONE)],
            "begin; a; rescue B => c; d; end\nbegin; a; rescue B => c\n nil\nend\n",
        ),
        (
            "php",
            "function NAME(GIVEN) { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "<?php $a = 1;\nfunction f(int $a, $b = 1) { g(); }\n",
        ),
        ("php", "X->query(SQL)", &[("X", ONE), ("SQL", ONE)], "<?php $a->find(1);\n$this->db->query($sql);\n"),
        ("bash", "rm -rf TARGET", &[("TARGET", ONE)], "rm -r a\nrm -rf \"$a\"\n"),
        ("bash", "curl ARGS | sh", &[("ARGS", MANY)], "curl a | jq\ncurl -s a | sh\n"),
        // Keys, attributes and the contents of strings.
        (
            "json",
            "{ \"scripts\": SCRIPTS, REST }",
            &[("SCRIPTS", ONE), ("REST", MANY)],
            "[{\"a\": 1},\n{\"scripts\": {}, \"b\": 2}]\n",
        ),
        ("yaml", "image: \"NAME\"", &[("NAME", "text = \":latest$\"")], "image: \"a:1\"\nimage: \"a:latest\"\n"),
        ("toml", "[dependencies]\nREST", &[("REST", MANY)], "a = 1\n[dependencies]\nb = 2\nc = 3\n"),
        ("html", "<img ATTRIBUTES>", &[("ATTRIBUTES", MANY)], "<p>a</p>\n<img src=\"a\" alt=\"b\">\n"),
        (
            "css",
            "SELECTOR { RULES }",
            &[("SELECTOR", ONE), ("RULES", MANY)],
            "@import \"a\";\np { color: red; width: 1px }\n",
        ),
        (
            "sql",
            "SELECT * FROM TABLE_NAME WHERE CONDITION",
            &[("TABLE_NAME", ONE), ("CONDITION", ONE)],
            "select a from b where c = 1;\nselect * from b where c = 1;\n",
        ),
        ("python", "open(\"PATH\")", &[("PATH", "text = \"^/tmp/\"")], "open(\"/srv/a\")\nopen('/tmp/a')\n"),
        (
            "python",
            "@DECORATOR\ndef NAME(GIVEN):\n    BODY",
            &[("DECORATOR", ONE), ("NAME", ONE), ("GIVEN", MANY), ("BODY", MANY)],
            "def f(): pass\n@cached(1)\ndef g(a: A, *b): pass\n",
        ),
        (
            "typescript",
            "class NAME { MEMBERS }",
            &[("NAME", ONE), ("MEMBERS", MANY)],
            "type A = B;\nclass C { a = 1; f() {} }\n",
        ),
        (
            "typescript",
            "function NAME(GIVEN): TYPE { BODY }",
            &[("NAME", ONE), ("GIVEN", MANY), ("TYPE", ONE), ("BODY", MANY)],
            "function f() {}\nfunction g(a: A, b?: B): C { h(); }\n",
        ),
        (
            "typescript",
            "fetch(\"URL\")",
            &[("URL", "text = \"^http:\"")],
            "fetch(\"https://a\");\nfetch('http://a');\n",
        ),
        (
            "tsx",
            "<label htmlFor=\"NAME\">CHILDREN</label>",
            &[("NAME", ONE), ("CHILDREN", MANY)],
            "const a = <label>b</label>;\nconst c = <label htmlFor=\"d\">e {f}</label>;\n",
        ),
    ];
    for (name, pattern, holes, code) in cases {
        let language = Language::by_name(name).expect("a language");
        let path = format!("a.{}", language.extensions[0]);
        let holes: String = holes.iter().map(|(hole, what)| format!("{hole} = {{ {what} }}, ")).collect();
        let holes = holes.trim_end_matches(", ");
        let keys = format!("languages = ['{name}']\nmatch = {{ code = '''{pattern}''', holes = {{ {holes} }} }}");
        let found = found(&rule_saying("m", &keys), &path, code);
        assert!(found.starts_with("2:") && !found.contains(','), "{name}: {pattern}: {found}");
    }
}

/// What the language lets a person leave out doesn't matter unless the pattern writes it.
#[test]
fn types_modifiers_and_decorators_need_not_be_written() {
    let body = "holes = { F = {}, ARGS = { many = true }, BODY = { many = true } }";
    type Case = (&'static str, &'static str, &'static str, &'static [&'static str], &'static [&'static str]);
    // A language, the file, a pattern, code that it matches, and code that it doesn't.
    let cases: &[Case] = &[
        (
            "python",
            "a.py",
            "def F(ARGS):\n    BODY",
            &[
                "def f(a):\n    b()\n",
                "def f(a: int) -> str:\n    b()\n",
                "async def f(a):\n    b()\n",
                "@d\ndef f(a):\n    b()\n",
            ],
            &["f = lambda a: b()\n"],
        ),
        (
            "python",
            "a.py",
            "def F(ARGS) -> int:\n    BODY",
            &["def f(a) -> int:\n    b()\n"],
            &["def f(a):\n    b()\n", "def f(a) -> str:\n    b()\n"],
        ),
        (
            "python",
            "a.py",
            "def F(a, ARGS):\n    BODY",
            &["def f(a: int, b):\n    c()\n", "def f(a):\n    c()\n"],
            &["def f(b: int):\n    c()\n"],
        ),
        (
            "typescript",
            "a.ts",
            "function F(ARGS) { BODY }",
            &[
                "function f(a: T): U { b(); }",
                "async function f(a) { b(); }",
                "export function f<T>(a): asserts a { b(); }",
            ],
            &["const f = (a) => { b(); };"],
        ),
        (
            "typescript",
            "a.ts",
            "class w { F(ARGS) { BODY } }",
            &["class w { private async f(a): Promise<T> { b(); } }", "class w { @d() static f(a) { b(); } }"],
            &["class w { f = 1; }"],
        ),
        (
            "typescript",
            "a.ts",
            "async function F(ARGS) { BODY }",
            &["async function f(a): Promise<T> { b(); }"],
            &["function f(a) { b(); }"],
        ),
        (
            "typescript",
            "a.ts",
            "const F = (ARGS) => { BODY };",
            &["const f: T = async (a): Promise<U> => { b(); };"],
            &["let f = 1;"],
        ),
        (
            "go",
            "a.go",
            "func F(ARGS) { BODY }",
            &["func f(a int) { b() }", "func f(a int) (int, error) { b() }"],
            &["func (t T) f(a int) { b() }"],
        ),
        (
            "rust",
            "a.rs",
            "fn F(ARGS) { BODY }",
            &["fn f(a: T) { b(); }", "pub(crate) async fn f(a: T) -> U { b(); }", "#[d]\nconst fn f() -> U { b(); }"],
            &["struct F;"],
        ),
        (
            "rust",
            "a.rs",
            "let F = BODY;",
            &["fn g() { let a: T = b; }", "fn g() { let a = b; }"],
            &["fn g() { a = b; }"],
        ),
        (
            "java",
            "A.java",
            "void F(ARGS) { BODY }",
            &["class A { void f(int a) { b(); } }", "class A { @D public static void f() throws E { b(); } }"],
            &["class A { int f(int a) { b(); } }"],
        ),
        (
            "php",
            "a.php",
            "function F(ARGS) { BODY }",
            &["<?php function f($a) { b(); }", "<?php function f($a): int { b(); }"],
            &["<?php $f = 1;"],
        ),
        (
            "kotlin",
            "a.kt",
            "fun F(ARGS) { BODY }",
            &["fun f(a: Int) { b() }", "private suspend fun f(a: Int): T? { b() }"],
            &["val f = 1"],
        ),
        (
            "swift",
            "a.swift",
            "func F(ARGS) { BODY }",
            &["func f(a: Int) { b() }", "public func f(a: Int) -> T { b() }"],
            &["let f = 1"],
        ),
        (
            "scala",
            "a.scala",
            "def F(a: Int) = { BODY }",
            &["def f(a: Int) = { b() }", "private def f(a: Int): T = { b() }"],
            &["val f = 1"],
        ),
    ];
    let mut faults = Vec::new();
    for (language, path, pattern, right, wrong) in cases {
        let holes = if pattern.contains("ARGS") { body.to_owned() } else { "holes = { F = {}, BODY = {} }".to_owned() };
        let rule = rule(&format!("languages = [\"{language}\"]\n[rule.match]\ncode = {pattern:?}\n{holes}"));
        let matches = |code: &&str| !found(&rule, path, code).is_empty();
        faults.extend(
            right.iter().filter(|code| !matches(code)).map(|code| format!("lacks {language} {pattern}: {code}")),
        );
        faults
            .extend(wrong.iter().filter(|code| matches(code)).map(|code| format!("has {language} {pattern}: {code}")));
    }
    assert!(faults.is_empty(), "{faults:#?}");
}

#[test]
fn only_the_nearest_definition_may_be_asked_for() {
    let code = "function slow() {\n  const quick = () => { wait(); };\n  wait();\n}\n";
    let find = |place: &str| {
        let rule =
            rule(&format!("languages = [\"javascript\"]\nmatch = {{ code = \"wait()\", enclosed_by = {place} }}"));
        found(&rule, "a.js", code).split(", ").filter_map(|f| f.split(':').next()).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(find("{ definition = \"function\", name = \"slow\" }"), "2 3");
    assert_eq!(find("{ definition = \"function\", name = \"slow\", nearest = true }"), "3");
    assert_eq!(find("{ definition = \"function\", name = \"quick\", nearest = true }"), "2");
}
