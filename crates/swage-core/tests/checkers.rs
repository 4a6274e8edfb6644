//! What comes from outside of the files: the change itself, and reports of programs.

mod common;

use common::rule;
use swage_core::checker::{place, read_report};
use swage_core::lang::Language;
use swage_core::review::try_example;
use swage_core::rule::ReportForm;

/// A rule on a change, what the change is like, and how many findings there are.
#[test]
fn changes_are_judged_by_part() {
    let files = "files = [{ path = 'a.py', added = 5, removed = 2 }, { path = 'docs/b.md', kind = 'added', added = 9 }, { path = 'c.bin', kind = 'added', binary = true, size = 2000 }]";
    let commits = "commits = [{ message = \"Winter times\\n\\nA long line that says why.\" }, { message = 'WIP', author = 'Dev <dev@elsewhere.example>' }]";
    let cases = [
        ("change = 'files', over = 2", files, 1),
        ("change = 'files', over = 3", files, 0),
        ("change = 'files', over = 0, kinds = ['deleted']", files, 0),
        ("change = 'files', over = 1, kinds = ['added']", files, 1),
        ("change = 'lines', over = 15", files, 1),
        ("change = 'lines', over = 16", files, 0),
        ("change = 'file-size', over = '1 KiB'", files, 1),
        ("change = 'file-size', over = '2 KiB'", files, 0),
        ("change = 'binary'", files, 1),
        ("change = 'binary', kinds = ['modified']", files, 0),
        ("change = 'paths'", files, 3),
        ("change = 'paths', kinds = ['modified']", files, 1),
        ("change = 'paths', without = ['docs/**']", files, 0),
        ("change = 'paths', without = ['tests/**']", files, 1),
        ("change = 'paths', without = ['tests/**'], added_over = 13", files, 1),
        ("change = 'paths', without = ['tests/**'], added_over = 14", files, 0),
        ("change = 'commits', over = 1", commits, 1),
        ("change = 'commits', over = 2", commits, 0),
        ("change = 'subject', over = 11", commits, 1),
        ("change = 'subject', over = 12", commits, 0),
        ("change = 'subject', under = 4", commits, 1),
        ("change = 'subject', text = '^WIP'", commits, 1),
        ("change = 'subject', must_match = 'times'", commits, 1),
        ("change = 'message', over = 20", commits, 1),
        ("change = 'message', must_match = 'says why'", commits, 1),
        ("change = 'message', text = 'says why'", commits, 1),
        ("change = 'author', must_match = '@example\\.org>$'", commits, 1),
        ("change = 'title', under = 5", "title = 'tide'", 1),
        ("change = 'title', under = 4", "title = 'tide'", 0),
        ("change = 'title', over = 3", "title = 'Flut'", 1),
        ("change = 'title', over = 4", "title = 'höhe'", 0),
        ("change = 'title', must_match = 'QUAY-[0-9]+'", "title = 'QUAY-7: tides'", 0),
        // Where nothing is known of a title there is nothing to say.
        ("change = 'title', must_match = 'QUAY-[0-9]+'", files, 0),
        ("change = 'description', over = 8", "description = \"short\\nand longer\"", 1),
        ("change = 'description', over = 10", "description = \"short\\nand longer\"", 0),
        ("change = 'description', under = 3", "description = ''", 1),
    ];
    for (matcher, change, expected) in cases {
        let keys =
            format!("match = {{ {matcher} }}\n[[rule.examples]]\nfindings = {expected}\nchange = {{ {change} }}");
        let rule = rule(&keys);
        for tried in try_example(&rule, &rule.examples[0]) {
            assert_eq!(tried.found, tried.expected, "{keys}");
        }
    }
    let paths = rule(
        "paths = ['docs/**', 'a.py']\nskip_paths = ['a.py']\nmatch = { change = 'paths' }\n[[rule.examples]]\nfindings = 1\nchange = { files = [{ path = 'a.py' }, { path = 'docs/b.md' }, { path = 'b.py' }] }",
    );
    assert!(try_example(&paths, &paths.examples[0]).iter().all(|t| t.found == t.expected));
}

const CONTENT: &str = "def f():\n    \u{1F6A2}x = 'é'\n";

/// Where the findings of a report are placed in `a.py`, and what they say; or why the report is refused.
fn placed(form: ReportForm, report: &str) -> String {
    let rule = rule("match = { checker = ['x'], output = 'lines' }");
    let reported = match read_report(form, report.as_bytes(), "/tmp/tree") {
        Ok(reported) => reported,
        Err(why) => return why,
    };
    let rendered = reported.iter().map(|r| {
        let hits = place(&[r], &rule, Language::by_name("python"), CONTENT.as_bytes());
        let path = String::from_utf8_lossy(&r.path).into_owned();
        match hits {
            Err(why) => why,
            Ok(hits) => hits
                .iter()
                .map(|h| match h.span {
                    Some(s) => format!(
                        "{path} {}:{}-{}:{} {}",
                        s.start_line, s.start_column, s.end_line, s.end_column, h.scope
                    ),
                    None => format!("{path} whole"),
                })
                .collect(),
        }
    });
    rendered.collect::<Vec<_>>().join("; ")
}

#[test]
fn lines_of_programs() {
    let cases = [
        ("a.py:2:5: error: late", "a.py 2:5-2:5 f"),
        ("./a.py:2: warning: late\n", "a.py 2:5-2:13 f"),
        ("/tmp/tree/a.py:1:1: note: x [id]\n   more of it\n\n", "a.py 1:1-1:1 f"),
        ("file:///tmp/tree/a.py:1:1: Info: x", "a.py 1:1-1:1 f"),
        ("a.py:2:99: fatal error: far", "a.py 2:13-2:13 f"),
        ("a.py:0: error: whole", "a.py whole"),
        ("a.py:9:1: error: x", "it names line 9 of a.py, which has 2"),
        ("a b:c.py:1:1: error: x", "a b:c.py 1:1-1:1 f"),
        ("/etc/passwd:1:1: error: x", "`/etc/passwd` is no file of the tree"),
        ("../a.py:1:1: error: x", "`../a.py` is no file of the tree"),
        ("all is well", "line 1 isn't `file:line:column: severity: message`: all is well"),
        ("a.py:1:1: disaster: x", "line 1 isn't `file:line:column: severity: message`: a.py:1:1: disaster: x"),
        ("", ""),
    ];
    for (report, expected) in cases {
        assert_eq!(placed(ReportForm::Lines, report), expected, "{report}");
    }
}

#[test]
fn sarif_of_programs() {
    let log = |run: &str| format!("{{\"version\": \"2.1.0\", \"runs\": [{{{run}}}]}}");
    let result = |region: &str| {
        format!(
            "\"results\": [{{\"message\": {{\"text\": \"m\"}}, \"locations\": [{{\"physicalLocation\": {{\"artifactLocation\": {{\"uri\": \"a.py\"}}{region}}}}}]}}]"
        )
    };
    let at = |region: &str| result(&format!(", \"region\": {{{region}}}"));
    let characters = |region: &str| format!("\"columnKind\": \"unicodeCodePoints\", {}", at(region));
    let cases = [
        (log(&result("")), "a.py whole"),
        (log(&at("\"startLine\": 2")), "a.py 2:5-2:13 f"),
        // The ship is two UTF-16 code units and one character.
        (log(&at("\"startLine\": 2, \"startColumn\": 7, \"endColumn\": 8")), "a.py 2:6-2:7 f"),
        (log(&characters("\"startLine\": 2, \"startColumn\": 7, \"endColumn\": 8")), "a.py 2:7-2:8 f"),
        (log(&at("\"startLine\": 1, \"startColumn\": 1, \"endLine\": 9")), "a.py 1:1-2:13 f"),
        (log(&at("\"startLine\": 2, \"startColumn\": 9, \"endColumn\": 3")), "a.py 2:8-2:8 f"),
        (log(&result("").replace("a.py", "file:///tmp/tree/a%2Epy")), "a.py whole"),
        (
            log(&result("").replace("a.py", "../../a.py")),
            "result 1 names a place that can't be used: `../../a.py` is no file of the tree",
        ),
        (log(&result("").replace("\"text\"", "\"txt\"")), "result 1 has no message"),
        (log("\"results\": [{\"message\": {\"text\": \"m\"}}]"), "result 1 names no file"),
        (log(&result("").replace("{\"message\"", "{\"baselineState\": \"absent\", \"message\"")), ""),
        (log(&result("").replace("{\"message\"", "{\"kind\": \"pass\", \"message\"")), ""),
        (
            log(&format!("\"invocations\": [{{\"executionSuccessful\": false}}], {}", result(""))),
            "it says itself that it didn't succeed",
        ),
        (
            log(&format!(
                "\"tool\": {{\"driver\": {{\"rules\": [{{\"id\": \"q\", \"messageStrings\": {{\"late\": {{\"text\": \"m\"}}}}}}]}}}}, {}",
                result("")
                    .replace("\"text\": \"m\"", "\"id\": \"late\"")
                    .replace("{\"message\"", "{\"ruleIndex\": 0, \"message\"")
            )),
            "a.py whole",
        ),
        ("{\"version\": \"2.0.0\", \"runs\": []}".to_owned(), "it is no SARIF 2.1.0 log"),
        ("{\"version\": \"2.1.0\", \"runs\": []}".to_owned(), ""),
        ("{".to_owned(), "it isn't JSON: EOF while parsing an object at line 1 column 1"),
    ];
    for (report, expected) in cases {
        assert_eq!(placed(ReportForm::Sarif, &report), expected, "{report}");
    }
}

/// Replacements of a fix in SARIF, and the bytes of `CONTENT` that they are about; none where a region isn't in it.
#[test]
fn fixes_of_programs() {
    // The second line is `    \u{1F6A2}x = 'é'`: its ship is two UTF-16 code units and four bytes, its é two bytes.
    let cases = [
        ("'startLine': 1", "0..8"),
        ("'startLine': 1, 'endLine': 2, 'endColumn': 1", "0..9"),
        ("'startLine': 2, 'endLine': 3, 'endColumn': 1", "9..26"),
        ("'startLine': 2, 'startColumn': 7, 'endColumn': 8", "17..18"),
        ("'startLine': 2, 'startColumn': 6, 'endColumn': 8", ""),
        ("'startLine': 2, 'startColumn': 12, 'endColumn': 13", "22..24"),
        ("'startLine': 2, 'startColumn': 99", ""),
        ("'startLine': 9", ""),
        ("'charOffset': 15, 'charLength': 1", "17..18"),
        ("'charOffset': 13", "13..13"),
        ("'charOffset': 99, 'charLength': 1", ""),
        ("'byteOffset': 9, 'byteLength': 4", "9..13"),
        ("'byteOffset': 9, 'byteLength': 400", ""),
        ("", ""),
    ];
    let rule = rule("match = { checker = ['x'], output = 'sarif' }");
    let proposed = |content: &[u8], replacements: &str| {
        let file = "'artifactLocation': {'uri': 'a.py'}";
        let report = format!(
            "{{'version': '2.1.0', 'runs': [{{'results': [{{'message': {{'text': 'm'}}, 'locations': [{{'physicalLocation': {{{file}}}}}],
            'fixes': [{{'artifactChanges': [{{{file}, 'replacements': [{replacements}]}}]}}]}}]}}]}}"
        );
        let reported = read_report(ReportForm::Sarif, report.replace('\'', "\"").as_bytes(), "").expect("a report");
        let hits = place(&reported.iter().collect::<Vec<_>>(), &rule, None, content).expect("placed");
        let edits = hits[0].fix.iter().flat_map(|fix| fix.edits.iter().map(|e| format!("{:?}", e.range)));
        edits.collect::<Vec<_>>().join(" ")
    };
    for (region, expected) in cases {
        let one = format!("{{'deletedRegion': {{{region}}}, 'insertedContent': {{'text': 'y'}}}}");
        assert_eq!(proposed(CONTENT.as_bytes(), &one), expected, "{region}");
    }
    let bytes =
        |from: u32, length: u32| format!("{{'deletedRegion': {{'byteOffset': {from}, 'byteLength': {length}}}}}");
    let more = [
        (format!("{}, {}", bytes(9, 4), bytes(0, 2)), "0..2 9..13"),
        (format!("{}, {}", bytes(0, 4), bytes(2, 2)), ""),
        (bytes(0, 1).replace("}}", "}, 'insertedContent': {'binary': 'AAAA'}}"), ""),
    ];
    for (replacements, expected) in more {
        assert_eq!(proposed(CONTENT.as_bytes(), &replacements), expected, "{replacements}");
    }
    let utf16: Vec<u8> = [0xFEFF].into_iter().chain("def".encode_utf16()).flat_map(u16::to_le_bytes).collect();
    assert_eq!(proposed(&utf16, &bytes(0, 1)), "");
}

/// What the program calls grave counts only as far as the rule lets it.
#[test]
fn programs_are_no_graver_than_their_rule() {
    let cases = [("error", "warning", "warning"), ("note", "warning", "note"), ("warning", "error", "warning")];
    for (said, rule_says, expected) in cases {
        let keys = "match = { checker = ['x'], output = 'lines' }";
        let mut rule = (*rule(keys)).clone();
        rule.severity =
            swage_core::rule::Severity::ALL.into_iter().find(|s| s.word() == rule_says).expect("a severity");
        let reported = read_report(ReportForm::Lines, format!("a.py:1:1: {said}: m").as_bytes(), "").expect("a report");
        let hits = place(&reported.iter().collect::<Vec<_>>(), &rule, None, CONTENT.as_bytes()).expect("placed");
        assert_eq!(hits[0].severity.word(), expected, "{said} under {rule_says}");
    }
}
