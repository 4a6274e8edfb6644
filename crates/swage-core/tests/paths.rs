//! Paths through functions: whether one leads out on which something is missing.
#![expect(clippy::disallowed_methods, reason = "the functions are read from files")]

mod common;

use common::{found, rule};
use swage_core::config::read_rules;

/// The language, the file with functions, what is opened there, and what closes it. In the files a comment `open` stands on each
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
        let code = std::fs::read_to_string(format!("{}/tests/data/paths/{file}", env!("CARGO_MANIFEST_DIR"))).unwrap();
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
        let problems = read_rules("r.toml", &format!("{head}{}\n", keys(languages)), false).unwrap_err();
        let told: String = problems.iter().map(|p| format!("{p}\n")).collect();
        assert!(told.contains("`path_without` is for languages whose paths are known"), "{told}");
    }
}
