//! Items with the same key, in each language that has such lists: each is found once, where it is again.

mod common;

use common::{found, rule};
use swage_core::config::{FileRole, read_rules};

/// What is repeated, a file, and what is found: `line:column text`.
type Row = (&'static str, &'static str, &'static str, &'static str);

const ROWS: &[Row] = &[
    ("keys", "a.json", "{\"a\": 1, \"b\": {\"a\": 2, \"a\": 3}, \"a\": 4}", "1:24 \"a\", 1:33 \"a\""),
    ("keys", "a.json", "[{\"a\": 1}, {\"a\": 2}]", ""),
    // What doesn't parse may part two lists.
    ("keys", "a.json", "{\"a\": 1, \"b\": [ , \"a\": 2}", ""),
    ("keys", "a.yaml", "a: 1\nb:\n  a: 2\na: 3\n\"a\": 4\n", "4:1 a"),
    ("keys", "a.yaml", "<<: *b\n<<: *c\na: {x: 1, x: 2}\n", "3:11 x"),
    ("keys", "a.yaml", "a: 1\n---\na: 2\n", ""),
    ("keys", "a.toml", "a = 1\na = 2\n[b]\na = 3\na = 4\n[c]\na = {x = 1, x = 2}\n", "2:1 a, 5:1 a, 7:13 x"),
    ("keys", "a.py", "x = {'a': 1, \"a\": 2, b'a': 3, a: 4, a: 5, 1: 6, '1': 7}\n", "1:14 \"a\", 1:37 a"),
    ("keys", "a.py", "x = {f(): 1, f(): 2, 'a' + b: 3, 'a' + c: 4, **d, **d}\n", ""),
    (
        "keys",
        "a.js",
        "x = {a: 1, b: 2, a: 3, [a]: 4, [a]: 5, get c() {}, set c(v) {}, ...d, ...d};\n",
        "1:18 a, 1:32 [a]",
    ),
    ("keys", "a.ts", "const x: X = {a: 1, 'b': 2, \"b\": 3};\n", "1:29 \"b\""),
    ("keys", "a.php", "<?php $x = ['a' => 1, \"a\" => 2, 'b', 'b', $c => 3, $c => 4];\n", "1:23 \"a\""),
    ("keys", "a.rb", "x = { a: 1, 'a' => 2, a: 3, \"a\" => 4 }\n", "1:23 a, 1:29 \"a\""),
    (
        "attributes",
        "a.html",
        "<p class=\"a\" id=\"b\" class=\"c\"><b class=\"d\"></b></p>\n<img src=\"a\" src='b'>\n",
        "1:21 class, 2:14 src",
    ),
    ("attributes", "a.html", "<p {% if a %}class=\"a\"{% else %}class=\"b\"{% endif %}></p>\n", ""),
    ("attributes", "a.jsx", "const x = <A b=\"1\" c b={2} {...d} {...d}><A b=\"3\" /></A>;\n", "1:22 b"),
    ("cases", "a.js", "switch (x) { case 1: f(); break; case 2: case 1: g(); default: }\n", "1:47 1"),
    ("cases", "a.ts", "switch (x) { case A.b: f(); break; case A.b: g(); break; case f(): case f(): }\n", "1:41 A.b"),
    ("cases", "a.php", "<?php switch ($x) { case 'a': f(); break; case \"a\": g(); }\n", "1:48 \"a\""),
];

#[test]
fn each_key_that_stands_again_is_found() {
    let mut wrong = Vec::new();
    for (items, path, code, expected) in ROWS {
        let found = found(&rule(&format!("match = {{ repeated = \"{items}\" }}")), path, code);
        if found != *expected {
            wrong.push(format!("{path}: {code}\n  found {found}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Pairs of a hundred thousand items would be five thousand million; each is looked at once.
#[test]
fn long_lists_are_gone_through_once() {
    let items: String = (0..100_000).map(|n| format!("\"k{n}\": 0, ")).collect();
    let code = format!("{{{items}\"k7\": 1}}");
    let rule = rule("match = { repeated = \"keys\" }");
    assert_eq!(found(&rule, "a.json", &code), format!("1:{} \"k7\"", items.len() + 2));
}

#[test]
fn languages_without_such_lists_are_refused() {
    let cases = [
        ("languages = [\"go\"]\nmatch = { repeated = \"keys\" }", "no keys are known in go"),
        ("languages = [\"json\", \"html\"]\nmatch = { repeated = \"cases\" }", "no cases are known in json"),
        ("match = { repeated = \"names\" }", "`names` is no kind of items"),
    ];
    for (keys, expected) in cases {
        let source = format!("[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n{keys}\n");
        let problems = read_rules("r.toml", &source, FileRole::Rules).expect_err(keys);
        let problems: String = problems.iter().map(ToString::to_string).collect();
        assert!(problems.contains(expected), "{keys}: {problems}");
    }
}
