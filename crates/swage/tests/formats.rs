//! The formats, held to their schemas and to each other.

mod common;
use std::os::unix::ffi::OsStrExt;

use common::{CONFIG, Sandbox};
use serde_json::Value;

fn ferry() -> Sandbox {
    let s =
        Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "bad(1)\ndef f(a, b, c): pass\n"), ("gone.py", "bad(2)\n")]);
    s.branch("topic");
    s.write("a.py", "ä = 'ö'; bad(3)\nbad(1)\ndef f(a, b, c, d): pass\n");
    s.git(&["rm", "--quiet", "gone.py"]);
    s.write("sub dir/%.py", "bad(4)\n");
    s.write("nul.py", "\0");
    s.write("calm.py", "bad(5)  # swage: allow no-bad because the tide is low\n");
    s.commit("topic");
    s
}

fn schema(path: &str) -> jsonschema::Validator {
    let text = std::fs::read_to_string(path).unwrap_or_else(|e| panic!("{path}: {e}"));
    // The published schema of SARIF holds a regular expression with a bracket that nothing opens.
    let text = text.replace("-[a-zA-Z]{2}]?$", "-[a-zA-Z]{2}?$");
    jsonschema::validator_for(&serde_json::from_str(&text).expect("JSON")).expect("a schema")
}

fn valid(schema: &jsonschema::Validator, value: &Value) {
    let errors: Vec<String> = schema.iter_errors(value).map(|e| format!("{}: {e}", e.instance_path())).collect();
    assert!(errors.is_empty(), "{}", errors.join("\n"));
}

#[test]
fn json_is_what_its_schema_says() {
    let s = ferry();
    let schema = schema("../../docs/review.schema.json");
    for args in
        [&["review", "main..topic"][..], &["gate", "main..topic"], &["scan", "topic"], &["compare", "main", "topic"]]
    {
        let json = s.swage(&[args, &["--format", "json"]].concat()).json();
        valid(&schema, &json);
        let count = |states: &[&str]| {
            states
                .iter()
                .map(|state| {
                    json["counts"][state].as_object().map_or(0, |m| m.values().filter_map(Value::as_u64).sum())
                })
                .sum::<u64>()
        };
        let findings = json["findings"].as_array().expect("findings");
        let counted = findings.iter().filter(|f| f["suppressed"].is_null()).count() as u64;
        assert_eq!(count(&["new", "updated", "unchanged", "absent"]), counted, "{args:?}");
        assert_eq!(findings.len() as u64 - counted, 1, "{args:?}: one is allowed");
    }
    insta::assert_snapshot!(s.swage(&["review", "main..topic", "--format", "json"]).rendered());
}

#[test]
fn sarif_is_valid_and_says_the_same() {
    let s = ferry();
    let schema = schema("tests/data/sarif-schema-2.1.0.json");
    for args in [&["review", "main..topic"][..], &["gate", "main..topic"], &["scan", "topic"]] {
        valid(&schema, &s.swage(&[args, &["--format", "sarif"]].concat()).json());
    }
    let sarif = s.swage(&["review", "main..topic", "--format", "sarif"]).json();
    let json = s.swage(&["review", "main..topic", "--format", "json"]).json();
    let ran =
        sarif["runs"][0]["tool"]["driver"]["rules"].as_array().expect("rules").iter().filter_map(|r| r["id"].as_str());
    let integrity = ["reordered-code", "suppression-without-reason", "syntax-broken", "unused-suppression"];
    let expected = [["no-bad", "parameters"].as_slice(), &integrity].concat();
    assert_eq!(ran.collect::<Vec<_>>(), expected, "also those that found nothing");
    let results = sarif["runs"][0]["results"].as_array().expect("results");
    for (result, finding) in results.iter().zip(json["findings"].as_array().expect("findings")) {
        assert_eq!(result["baselineState"], finding["state"]);
        assert_eq!(result["partialFingerprints"]["swageKey/v1"], finding["key"]);
        assert_eq!(
            result["locations"][0]["physicalLocation"]["region"]["startColumn"],
            finding["anchor"]["start_column"]
        );
        let rule =
            &sarif["runs"][0]["tool"]["driver"]["rules"][result["ruleIndex"].as_u64().expect("an index") as usize];
        assert_eq!(rule["id"], finding["rule"]);
    }
    let first = &results[0]["locations"][0]["physicalLocation"];
    assert_eq!(
        (first["region"]["startColumn"].as_u64(), &first["artifactLocation"]["uri"]),
        (Some(10), &Value::from("a.py"))
    );
    assert!(
        results.iter().any(|r| r["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] == "sub%20dir/%25.py")
    );
    assert_eq!(sarif["runs"][0]["invocations"][0]["executionSuccessful"], false, "nul.py wasn't examined");
}

#[test]
fn people_and_editors_read_the_same_findings() {
    let s = ferry();
    insta::assert_snapshot!("human", s.swage(&["review", "main..topic"]).rendered());
    insta::assert_snapshot!("lines", s.swage(&["review", "main..topic", "--format", "lines"]).rendered());
    insta::assert_snapshot!("compare", s.swage(&["compare", "main", "topic"]).rendered());
    insta::assert_snapshot!(
        "all",
        s.swage(&["review", "main..topic", "--all", "--color", "always"]).rendered().replace('\u{1b}', "ESC")
    );
    let plain = s.swage_in(".", &["review", "main..topic"], "", &[("NO_COLOR", "1"), ("CLICOLOR_FORCE", "1")]);
    assert!(!plain.stdout.contains('\u{1b}'));
}

#[test]
fn result_files_compare_like_revisions() {
    let s = ferry();
    for format in ["json", "sarif"] {
        for revision in ["main", "topic"] {
            let file = format!("{revision}.{format}");
            assert_eq!(s.swage(&["scan", revision, "--format", format, "--output", &file]).code, 0);
        }
        let files =
            s.swage(&["compare", &format!("main.{format}"), &format!("topic.{format}"), "--format", "json"]).json();
        let revisions = s.swage(&["compare", "main", "topic", "--format", "json"]).json();
        assert_eq!(files["counts"], revisions["counts"], "{format}");
    }
    // A fresh scan against a stored one, and two folders against each other, say what the revisions say.
    s.git(&["worktree", "add", "--quiet", "../before", "main"]);
    s.git(&["clone", "--quiet", ".", "../after"]);
    let rendered = |args: &[&str]| {
        let json = s.swage(&[args, &["--format", "json"]].concat()).json();
        let finding = |f: &Value| format!("{} {} {}", f["rule"], f["state"], f["anchor"]["path"]);
        json["findings"].as_array().expect("findings").iter().map(finding).collect::<std::collections::BTreeSet<_>>()
    };
    let revisions = rendered(&["compare", "main", "topic"]);
    assert_eq!(rendered(&["compare", "../before", "../after"]), revisions);
    for format in ["json", "sarif"] {
        assert_eq!(rendered(&["scan", "topic", "--baseline", &format!("main.{format}")]), revisions, "{format}");
    }
    s.write("broken.json", "{\"format\": \"swage-review/1\", \"findings\": [{}]}");
    insta::assert_snapshot!(s.swage(&["compare", "broken.json", "main.json"]).rendered(), @r#"
    --- stderr ---
    swage: broken.json isn't a result file: missing field `key` at line 1 column 44
    Write one with `swage scan --format json` or `--format sarif`.
    --- exit code 2 ---
    "#);
}

/// Each line begins with a place that an editor opens.
#[test]
fn lines_name_what_editors_open() {
    let more = "\n[[rule]]\nid = \"gone\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nside = \"old\"\nlanguages = [\"python\"]\nmatch = { code = \"kept(X)\", holes.X = {} }\n[[rule]]\nid = \"size\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = { change = \"file-size\", over = \"100 B\" }\n[[rule]]\nid = \"many\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = { change = \"lines\", over = 1 }\n";
    let s = Sandbox::with(&[("swage.toml", &format!("{CONFIG}{more}")), ("a.py", "x = 1\nkept(1)\n")]);
    s.branch("topic");
    s.write("a.py", "x = 1\n");
    s.write("b.txt", "tide\n".repeat(40));
    s.write("tab\tand blank: 1.py", "bad(1)\n");
    s.write("line\nend.py", "bad(1)\n");
    std::fs::write(s.root.join(std::ffi::OsStr::from_bytes(b"\xe9.py")), "bad(1)\n").expect("written");
    s.commit("topic");
    let ran = s.swage(&["review", "main..topic", "--format", "lines"]);
    let mut lines: Vec<&str> = ran.stdout.lines().collect();
    lines.sort_unstable();
    let expected = [
        "%E9.py:1:1: error: `bad(1)` is bad. [no-bad] (the name is percent-encoded)",
        "a.py:1:1: note: m [many]",
        "a.py:2:1: note: m [gone] (before the change)",
        "b.txt:1:1: note: m [size]",
        "line␊end.py:1:1: error: `bad(1)` is bad. [no-bad] (the name holds characters that aren't shown)",
        "tab\tand blank: 1.py:1:1: error: `bad(1)` is bad. [no-bad]",
    ];
    assert_eq!(lines, expected, "{}", ran.stderr);
    let full = s.swage(&["review", "main..topic", "--format", "lines", "--absolute", "--path", "b.txt"]).stdout;
    assert_eq!(full, "[root]/b.txt:1:1: note: m [size]\n");
    let ran = s.swage(&["review", "main..topic", "--absolute"]);
    assert!(ran.code == 2 && ran.stderr.contains("Give --absolute with --format lines."), "{}", ran.rendered());
}
