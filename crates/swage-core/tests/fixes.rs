//! Fix templates: what they make of code, and that nothing breaks.

use std::sync::Arc;

use swage_core::config::packs::PACKS;
use swage_core::config::{FileRole, read_rules};
use swage_core::diff::{Direction, ReadOptions, apply, read, write_file};
use swage_core::fix::{Fixable, FixedFile, Outcome, fix_file};
use swage_core::lang::Language;
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::{Limits, syntax_errors};

fn fixed(rules: Vec<Arc<Rule>>, path: &str, code: &[u8]) -> FixedFile {
    let (set, limits) = (RuleSet::new(rules), Limits::default());
    let wanted = set.wanted(path.as_bytes());
    let language = Language::of(path.as_bytes(), code);
    let file =
        Fixable { path: path.as_bytes(), language, rules: &set, wanted: &wanted, limits: &limits, reported: &[] };
    fix_file(&file, code, &|_| true)
}

fn rule(language: &str, definition: &str) -> Vec<Arc<Rule>> {
    let text = format!(
        "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nlanguages = ['{language}']\nmatch = {{ {definition} }}\n"
    );
    let rules = read_rules("rules.toml", &text, FileRole::Rules).unwrap_or_else(|e| panic!("{e:?}\n{text}")).rules;
    rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect()
}

/// A match with a fix, a file, and what becomes of it.
const CASES: &[(&str, &str, &str, &str)] = &[
    // Statements go with their lines; comments, other code on the line and one of two empty lines stay.
    (
        "python",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "a()\n\nlog(1)\n\nb()\n",
        "a()\n\nb()\n",
    ),
    ("python", "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }", "a(); log(1); b()\n", "a(); b()\n"),
    ("python", "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }", "log(1)  # why\nb()\n", "# why\nb()\n"),
    ("python", "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }", "x = log(1)\n", "x = log(1)\n"),
    ("python", "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }", "f(log(1))\n", "f(log(1))\n"),
    (
        "python",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "def f():\n    # first\n    log(1)\n",
        "def f():\n    # first\n    pass\n",
    ),
    (
        "go",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "func f() {\n\tlog(1)\n\tg()\n}\n",
        "func f() {\n\tg()\n}\n",
    ),
    (
        "rust",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "fn f() {\n    log(1);\n    g();\n}\n",
        "fn f() {\n    g();\n}\n",
    ),
    (
        "ruby",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "def f\n  log(1)\n  g\nend\n",
        "def f\n  g\nend\n",
    ),
    (
        "kotlin",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "fun f() {\n    log(1)\n    g()\n}\n",
        "fun f() {\n    g()\n}\n",
    ),
    (
        "swift",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "func f() {\n    log(1)\n    g()\n}\n",
        "func f() {\n    g()\n}\n",
    ),
    (
        "php",
        "code = 'log($X)', holes.X = {}, plain = [], fix = { remove = 'statement' }",
        "<?php\nlog($a);\ng();\n",
        "<?php\ng();\n",
    ),
    (
        "csharp",
        "code = 'Log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "class A {\n  void F() {\n    Log(1);\n    G();\n  }\n}\n",
        "class A {\n  void F() {\n    G();\n  }\n}\n",
    ),
    (
        "scala",
        "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }",
        "object A {\n  log(1)\n  g()\n}\n",
        "object A {\n  g()\n}\n",
    ),
    ("bash", "code = 'log X', holes.X = {}, fix = { remove = 'statement' }", "log 1\ng\n", "g\n"),
    (
        "c",
        "code = 'log(X);', holes.X = {}, fix = { remove = 'statement' }",
        "void f() {\n  log(1);\n  g();\n}\n",
        "void f() {\n  g();\n}\n",
    ),
    // Elements go with one separator.
    (
        "python",
        "code = 'f(A, old, B)', holes = { A = { many = true }, B = { many = true } }, fix = { rewrite = 'f({A}, {B})' }",
        "f(old)\nf(1, old)\nf(old, 2)\nf(1, old, 2)\n",
        "f()\nf(1)\nf(2)\nf(1, 2)\n",
    ),
    (
        "python",
        "tree = '((argument_list (identifier) @here) (#eq? @here \"old\"))', fix = { remove = 'element' }",
        "f(a,\n  old,\n  b)\ng(old)\nh(a, old)\n",
        "f(a,\n  b)\ng()\nh(a)\n",
    ),
    (
        "html",
        "tree = '((attribute (attribute_name) @n) @here (#eq? @n \"hidden\"))', fix = { remove = 'attribute' }",
        "<p id=\"a\" hidden class=\"b\">x</p>\n",
        "<p id=\"a\" class=\"b\">x</p>\n",
    ),
    (
        "java",
        "code = '@Old', plain = [], fix = { remove = 'attribute' }",
        "class A {\n  @Old\n  void f() {}\n}\n",
        "class A {\n  void f() {}\n}\n",
    ),
    // Insertions, and several edits.
    (
        "python",
        "code = 'read(X)', holes.X = {}, not_preceded_by = { text = 'lock' }, fix = { insert_before = 'lock()' }",
        "if a:\n    read(1)\n",
        "if a:\n    lock()\n    read(1)\n",
    ),
    (
        "go",
        "code = 'open(X)', holes.X = {}, fix = { edits = [{ rewrite = 'openAt({X})' }, { insert_after = 'defer shut({X})' }] }",
        "func f() {\n\topen(a)\n}\n",
        "func f() {\n\topenAt(a)\n\tdefer shut(a)\n}\n",
    ),
    (
        "python",
        "code = 'swap(A, B)', holes = { A = {}, B = {} }, fix = { edits = [{ at = 'A', rewrite = '{B}' }, { at = 'B', rewrite = '({A})' }] }",
        "swap(x, y)\n",
        "swap(x, y)\n",
    ),
    // What a hole took keeps its shape in another place; text inside of strings isn't indented.
    (
        "python",
        "code = \"if always:\\n    BODY\", holes.BODY = { many = true }, fix = { rewrite = '{BODY}' }",
        "def f():\n    if always:\n        a()\n        b('''x\n        y''')\n        if c:\n            d()\n",
        "def f():\n    a()\n    b('''x\n        y''')\n    if c:\n        d()\n",
    ),
    (
        "javascript",
        "code = 'later(() => { BODY })', holes.BODY = { many = true }, fix = { rewrite = \"now(() => {\\n  {BODY}\\n})\" }",
        "  later(() => { a();\n    b(); });\n",
        "  now(() => {\n    a();\n      b();\n  });\n",
    ),
    // Line ends and byte order marks stay.
    (
        "python",
        "code = 'old(X)', holes.X = {}, fix = { rewrite = \"a()\\nnew({X})\" }",
        "\u{feff}if x:\r\n    old(1)\r\n",
        "\u{feff}if x:\r\n    a()\r\n    new(1)\r\n",
    ),
    ("python", "code = 'log(X)', holes.X = {}, fix = { remove = 'statement' }", "a()\nlog(1)", "a()\n"),
    // The grammar takes the operator before a call for a part of what is called.
    (
        "swift",
        "code = 'old(X)', holes.X = {}, fix = { rewrite = 'new({X})' }",
        "let a = 1 + old(!old(2))\n",
        "let a = 1 + new(!new(2))\n",
    ),
    (
        "kotlin",
        "code = 'A.old(X)', holes = { A = {}, X = {} }, fix = { rewrite = 'new({A}, {X})' }",
        "val a = !b.old(1)\n",
        "val a = !new(b, 1)\n",
    ),
    ("python", "text = 'colour', fix = { rewrite = 'color' }", "x = 1  # colour, colour\n", "x = 1  # color, color\n"),
];

#[test]
fn templates_make_edits() {
    let mut wrong = String::new();
    for (language, definition, code, expected) in CASES {
        let ending = Language::by_name(language).expect("a known language").extensions[0];
        let file = fixed(rule(language, definition), &format!("a.{ending}"), code.as_bytes());
        let text = String::from_utf8_lossy(&file.content);
        if text != *expected {
            wrong += &format!(
                "{language}: {definition}\n{code:?}\n{text:?} instead of\n{expected:?}\n{:?}\n\n",
                file.attempts
            );
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// Hundreds of fixes that aren't good don't hold a review up.
#[test]
fn trying_has_an_end() {
    let code = "halve(1)\n".repeat(400);
    let rules = rule("python", "code = 'halve(X)', holes.X = {}, fix = { rewrite = 'halve({X}' }");
    let result = fixed(rules, "a.py", code.as_bytes());
    assert_eq!(result.content, code.as_bytes());
    let rendered = |part: &str| {
        result.attempts.iter().filter(|a| matches!(&a.outcome, Outcome::Refused(why) if why.contains(part))).count()
    };
    assert_eq!(rendered("wouldn't parse") + rendered("too many fixes"), 400);
    assert!(rendered("wouldn't parse") < 100);
}

/// In files of all languages, with the rules of all packs at once: what is fixed parses no worse, the diff leads from one to
/// the other, and a second run has nothing to apply.
#[test]
fn nothing_breaks() {
    let rules: Vec<Arc<Rule>> = PACKS.iter().flat_map(|pack| pack.rules().iter().cloned()).collect();
    let files = rules.iter().flat_map(|rule| &rule.examples).flat_map(|example| example.files());
    let mut applied = 0;
    for file in files {
        let code = file.code.as_bytes();
        let result = fixed(rules.clone(), &file.path, code);
        applied += result.attempts.iter().filter(|a| matches!(a.outcome, Outcome::Applied(_))).count();
        if let Some(language) = Language::of(file.path.as_bytes(), code) {
            let errors = |text: &[u8]| syntax_errors(text, language).map(|syntax| syntax.errors).unwrap_or(0);
            assert!(errors(&result.content) <= errors(code), "{}\n{}", file.path, file.code);
        }
        let diff = write_file(file.path.as_bytes(), code, &result.content, &result.map);
        let read = read(&diff, &ReadOptions::default()).expect("a diff");
        match read.files().next() {
            Some(own) => assert_eq!(apply(code, own, Direction::Forward).expect("it applies"), result.content),
            None => assert_eq!(code, result.content),
        }
        let again = fixed(rules.clone(), &file.path, &result.content);
        assert_eq!(again.content, result.content, "{}\n{}", file.path, file.code);
    }
    assert!(applied > 60, "{applied}");
}
