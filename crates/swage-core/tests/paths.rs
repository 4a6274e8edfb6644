//! Paths through functions: whether one leads out on which something is missing.
#![expect(clippy::disallowed_methods, reason = "the functions are read from files")]

mod common;

use common::{found, rule};
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::rule::RuleSet;
use swage_core::scan::{Limits, scan_fragment};

/// The language, the file with functions, what is opened there, and what closes it. In the files a comment `open` is on each
/// line where a path leads out on which it stays open.
const FILES: [(&str, &str, &str, &str); 8] = [
    ("python", "berths.py", "LOCK.acquire()", "LOCK.release()"),
    ("go", "berths.go", "LOCK.Lock()", "LOCK.Unlock()"),
    ("java", "Berths.java", "LOCK.lock();", "LOCK.unlock()"),
    ("javascript", "berths.js", "LOCK.lock();", "LOCK.unlock()"),
    ("typescript", "berths.ts", "LOCK.lock();", "LOCK.unlock()"),
    ("c", "berths.c", "lock(LOCK);", "unlock(LOCK)"),
    ("cpp", "berths.cpp", "lock(LOCK);", "unlock(LOCK)"),
    ("csharp", "Berths.cs", "LOCK.Enter();", "LOCK.Exit()"),
];

fn lines(rule_keys: &str, path: &str, code: &str) -> Vec<usize> {
    let places = found(&rule(rule_keys), path, code);
    places.split(", ").filter_map(|place| place.split_once(':')?.0.parse().ok()).collect()
}

#[test]
fn a_path_without_is_found_where_there_is_one() {
    for (language, file, open, close) in FILES {
        // TypeScript goes through the functions of JavaScript.
        let path = format!("{}/tests/data/paths/{}", env!("CARGO_MANIFEST_DIR"), file.replace(".ts", ".js"));
        let code = std::fs::read_to_string(path).unwrap();
        let opened = format!("languages = [\"{language}\"]\nmatch = {{ code = \"{open}\", holes.LOCK = {{}}");
        let numbered = || code.lines().zip(1..);
        let expected: Vec<usize> =
            numbered().filter(|(line, _)| line.contains("open")).map(|(_, number)| number).collect();
        assert!(expected.len() >= 2, "{file}");
        let with_path = format!("{opened}, path_without = {{ code = \"{close}\", holes.LOCK = {{}} }} }}");
        assert_eq!(lines(&with_path, file, &code), expected, "{file}");
        // All places without the filter, and all in functions when nothing ever closes them and none asks about them.
        let all = lines(&format!("{opened} }}"), file, &code);
        assert!(all.len() > expected.len(), "{file}");
        let never = format!("{opened}, path_without = {{ code = \"LOCK.never()\", holes.LOCK = {{}} }} }}");
        let never = lines(&never, file, &code);
        assert!(expected.iter().all(|line| never.contains(line)) && never.len() > expected.len(), "{file}: {never:?}");
    }
}

#[test]
fn deep_code_ends_and_other_languages_are_refused() {
    let keys = |languages: &str| {
        format!("{languages}\nmatch = {{ code = \"open(X)\", holes.X = {{}}, path_without = {{ text = \"shut\" }} }}")
    };
    for depth in [10, 150, 400, 20_000] {
        let code = format!("function f() {{ open(a); {}go();{} }}", "if (b) { ".repeat(depth), " }".repeat(depth));
        let places = found(&rule(&keys("languages = [\"javascript\"]")), "a.js", &code);
        assert_eq!(places.is_empty(), depth > 200, "{depth}: {places}");
    }
    for languages in ["languages = [\"bash\"]", "languages = [\"python\", \"ruby\"]"] {
        let head = "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n";
        let problems = read_rules("r.toml", &format!("{head}{}\n", keys(languages)), FileRole::Rules).unwrap_err();
        let rendered: String = problems.iter().map(|p| format!("{p}\n")).collect();
        assert!(rendered.contains("`path_without` is for languages whose paths are known"), "{rendered}");
    }
}

/// Filter, code of a function, and whether the filter lets the call of `go` through: in the whole function, and in its body alone,
/// where what is before and after isn't known.
#[test]
fn what_stands_before_and_behind() {
    let begun = "earlier = { code = 'begin(X)', holes.X = {} }";
    let not_begun = "not_earlier = { code = 'begin(X)', holes.X = {} }";
    let ended = "path_with = { code = 'end(X)', holes.X = {} }";
    let not_ended = "path_without = { code = 'end(X)', holes.X = {} }";
    let cases = [
        (begun, "begin(1)\n    go()", true, true),
        (begun, "go()\n    begin(1)", false, false),
        (not_begun, "begin(1)\n    go()", false, false),
        (not_begun, "wait()\n    go()", true, false),
        (begun, "def inner():\n        begin(1)\n    go()", true, true),
        (begun, "begin(1)\n    def inner():\n        go()", false, false),
        (ended, "go()\n    end(1)", true, false),
        (ended, "go()\n    wait()", false, false),
        (not_ended, "go()\n    end(1)", false, false),
        (not_ended, "go()\n    wait()", true, false),
    ];
    for (filter, body, whole, alone) in cases {
        let rule = rule(&format!("languages = ['python']\nmatch = {{ code = 'go()', {filter} }}"));
        assert_eq!(!found(&rule, "a.py", &format!("def f():\n    {body}\n")).is_empty(), whole, "{filter} in {body}");
        let set = RuleSet::new(vec![rule]);
        let python = Language::by_name("python").unwrap();
        let fragment = format!("    {body}\n");
        let part = scan_fragment(fragment.as_bytes(), python, &set, &[true], &Limits::default());
        assert_eq!(!part.hits.is_empty(), alone, "{filter} in {body} alone");
    }
}
