//! Rules: listing, showing, testing and trying them, layers of them, and the schema that editors use.

mod common;
use common::{CONFIG, Sandbox};
use swage_core::config::{FileRole, read_rules};

#[test]
fn patterns_are_tried_on_the_spot() {
    let s = Sandbox::bare_folder();
    s.write("src/berths.ts", "export const free = store.find(berth, { now: true });\nstore.all();\n");
    s.write("src/tide.ts", "const level = (hour: number) => table[hour];\n");
    s.write("src/notes.md", "store.find(berth)\n");
    s.write(".hidden/berths.ts", "store.find(1);\n");
    s.write("src/many.py", "tide(1)\n".repeat(60));
    s.write("src/odd.py", "f('a\\\\b\"c')\n");
    let attempts: [&[&str]; 17] = [
        &["store.CALL(ARGS)", "--language", "typescript", "--many", "ARGS"],
        &["store.CALL(ARGS)", "--language", "ts", "--many", "ARGS", "--text", "CALL=^a", "src/berths.ts"],
        &["store.find(ID, { now: false })", "--language", "typescript"],
        &["store.find(ID)", "--language", "typescript"],
        &["store.find(A, B, C)", "--language", "typescript"],
        &["store.find(ID, REST)", "--language", "typescript", "--node", "ID=string"],
        &["class NAME {}", "--language", "typescript"],
        &["store.find(", "--language", "typescript"],
        &["f(X)", "--language", "tpyescript"],
        &["tide(N)", "--language", "python"],
        &["f('a\\b\"c')", "--language", "python", "src/odd.py"],
        &["store.all(X)", "--language", "typescript"],
        &["store.find(X, Y) + 1", "--language", "typescript"],
        &["store.find(X)", "--language", "typescript", "--text", "X"],
        &["store.find(X)", "--language", "typescript", "--node", "Y=name"],
        &["store.find(X)", "--language", "typescript", "--node", "X=thing"],
        &["x", "--language", "go"],
    ];
    let rendered: Vec<String> = attempts
        .iter()
        .map(|args| {
            format!(
                "$ swage rules try {}\n{}\n",
                args.join(" "),
                s.swage(&[&["rules", "try"], *args].concat()).rendered()
            )
        })
        .collect();
    insta::assert_snapshot!(rendered.join("\n"));
}

/// The packs' pages say what the packs say.
#[test]
fn the_pages_of_packs_are_current() {
    let s = Sandbox::bare_folder();
    assert_eq!(s.swage(&["rules", "pages", "made"]).code, 0);
    let read = |folder: &std::path::Path| {
        let entries = std::fs::read_dir(folder).expect("a folder").map(|e| e.expect("an entry"));
        let page = |e: std::fs::DirEntry| (e.file_name(), std::fs::read_to_string(e.path()).expect("a page"));
        entries.map(page).collect::<std::collections::BTreeMap<_, _>>()
    };
    let (made, kept) = (read(&s.root.join("made")), read(std::path::Path::new("../../docs/packs")));
    assert!(made == kept, "make them again: cargo run -- rules pages docs/packs");
}

/// The schema takes what the reader takes and refuses what it refuses.
#[test]
fn the_schema_says_what_the_reader_says() {
    let s = Sandbox::bare_folder();
    let schema = serde_json::from_str(&s.swage(&["rules", "schema"]).stdout).expect("JSON");
    let schema = jsonschema::validator_for(&schema).expect("a schema");
    let read = |path: &str| std::fs::read_to_string(path).unwrap_or_else(|e| panic!("{path}: {e}"));
    let manual = read("../../docs/rules.md") + &read("../../docs/cross-file-rules.md");
    let mut right: Vec<String> =
        manual.split("```toml\n").skip(1).filter_map(|rest| Some(rest.split("```").next()?.to_owned())).collect();
    for pack in std::fs::read_dir("../swage-core/src/config/packs").expect("packs") {
        let path = pack.expect("an entry").path();
        right.extend(path.extension().is_some_and(|e| e == "toml").then(|| read(path.to_str().expect("UTF-8"))));
    }
    right.extend(["../../demo/main/swage.toml", "../../demo/main/.swage/rules/timetable.toml"].map(read));
    let rule =
        |rest: &str| format!("[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n{rest}\n");
    right.push("generated = \"dist/**\"\nvendored = [\"lib/**\"]\nglobals.python = \"tide\"".to_owned());
    right.push(rule("match = { any = [{ text = \"a\" }, { any = [{ text = \"b\" }] }], encloses = { text = \"c\" } }"));
    right
        .push(rule("match = { text = \"a\", fix = { edits = [{ rewrite = \"{match}b\" }, { remove = \"lines\" }] } }"));
    let wrong = [
        rule("match = { text = \"a\", fix = { rewrite = \"b\", remove = \"text\" } }"),
        rule("match = { text = \"a\", fix = { remove = \"all\" } }"),
        rule("match = { text = \"a\", fix = { title = \"t\" } }"),
        "taget = \"main\"".to_owned(),
        "[gate]\nnew = { eror = 0 }".to_owned(),
        "[gate]\nworse = -1".to_owned(),
        "[limits]\nfile_size = \"2 parsecs\"".to_owned(),
        "[[rule]]\nid = \"r\"".to_owned(),
        rule("match = { text = \"a\" }").replace("id = \"r\"", "id = \"R\""),
        rule("match = { text = \"a\" }").replace("note", "grave"),
        "[[adjust]]\nrule = \"r\"".to_owned(),
        rule("match = {}"),
        rule("match = { text = \"a\", code = \"b\" }"),
        rule("languages = [\"pyhton\"]\nmatch = { text = \"a\" }"),
        rule("match = { text = \"a\", zones = [\"margin\"] }"),
        rule("match = { text = \"a\", encloses = { nod = \"call\" } }"),
        rule("match = { measure = \"length\", over = 1 }"),
        rule("side = \"left\"\nmatch = { text = \"a\" }"),
        rule("match = { text = \"a\" }\n[[rule.examples]]\npath = \"a\"\ncode = \"b\""),
        rule("match = { collect.a.text = \"(?P<X>a)\", each = \"a\" }"),
        rule("match = { change = \"title\" }"),
        rule("match = { change = \"files\", must_match = \"a\" }"),
        rule("match = { checker = [\"a\"] }"),
        rule("match = { checker = [\"a\"], output = \"prose\" }"),
    ];
    let wrong = wrong.into_iter().map(|text| (text, false));
    for (text, good) in right.into_iter().map(|text| (text, true)).chain(wrong) {
        let value: serde_json::Value = toml::from_str(&text).expect("TOML");
        let faults: Vec<String> = schema.iter_errors(&value).map(|e| format!("{}: {e}", e.instance_path())).collect();
        assert_eq!(faults.is_empty(), good, "{text}\n{}", faults.join("\n"));
        assert_eq!(read_rules("rules.toml", &text, FileRole::Configuration).is_ok(), good, "{text}");
    }
}

#[test]
fn rules_are_listed_shown_and_tested() {
    let s = Sandbox::with(&[("swage.toml", CONFIG)]);
    insta::assert_snapshot!("list", s.swage(&["rules", "list"]).rendered());
    insta::assert_snapshot!("show", s.swage(&["rules", "show", "no-bad"]).rendered());
    let wrong = "\n[[rule.examples]]\npath = \"a.py\"\ncode = \"good(1)\\nbad(2)\\n\"\nlines = [1]\n";
    let config = CONFIG.replace("\n[[rule]]\nid = \"parameters\"", &format!("{wrong}\n[[rule]]\nid = \"parameters\""));
    s.write("swage.toml", config);
    insta::assert_snapshot!("test", s.swage(&["rules", "test"]).rendered());
}

/// Rules that look at other things than one file's code.
const OTHERS: &str = r#"packs = []
[[rule]]
id = "opened"
severity = "warning"
title = "What is opened is closed"
message = "`{NAME}` is never closed."
languages = ["python"]
tags = ["doors"]
[rule.match]
each = "opened"
must_meet = "closed"
within = "directory"
[rule.match.collect.opened]
code = "open(NAME)"
holes.NAME = { node = "name" }
[rule.match.collect.closed]
code = "close(NAME)"
holes.NAME = {}
[[rule.examples]]
files = [
    { path = "a.py", code = "open(quay)\nopen(berth)\n", lines = [1] },
    { path = "b.py", code = "close(berth)\n", lines = [] },
]
[[rule]]
id = "big-change"
severity = "note"
title = "Small changes"
message = "{value} lines."
skip_paths = ["made/**"]
match = { change = "lines", over = 10 }
[[rule.examples]]
change = { title = "Tides", files = [{ path = "a.py", kind = "added", added = 9, removed = 2 }], commits = [{ message = "Tides\n\nof today" }] }
findings = 1
[[rule.examples]]
change = { files = [{ path = "p.png", binary = true, size = 70000 }] }
findings = 2
[[rule]]
id = "second-opinion"
severity = "note"
title = "A second opinion"
message = "{message}"
[rule.match]
checker = ["guess", "--all"]
output = "sarif"
output_file = "out.sarif"
timeout = "9 s"
advisory = true
"#;

#[test]
fn rules_on_more_than_one_file_are_shown_and_tested() {
    let s = Sandbox::with(&[("swage.toml", OTHERS)]);
    let asked: [&[&str]; 7] = [
        &["list"],
        &["list", "--languages"],
        &["show", "opened"],
        &["show", "big-change"],
        &["show", "second-opinion"],
        &["show", "opend"],
        &["test"],
    ];
    let rendered = asked.map(|args| {
        format!("$ swage rules {}\n{}\n", args.join(" "), s.swage(&[&["rules"], args].concat()).rendered())
    });
    insta::assert_snapshot!(rendered.join("\n"));
}

/// An organisation's rules under a team's: beside the repository, and in a commit of it.
#[test]
fn layers_change_rules_unless_they_are_locked() {
    let s =
        Sandbox::with(&[("shared/house.toml", &CONFIG[CONFIG.find("[[rule]]").unwrap_or(0)..]), ("a.py", "bad(1)\n")]);
    let pinned = s.git(&["rev-parse", "--short=10", "HEAD"]);
    // What comes later to the same path doesn't count, and neither does a branch of that name.
    s.write("shared/house.toml", "");
    s.git(&["branch", "abcdef0"]);
    let rule = "[[rule]]\nid = \"shout\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nlocked = true\nmatch = { text = \"LOUD\" }\n";
    s.write("../house-rules.toml", rule);
    let extends = format!("packs = []\nextends = [\"git:shared/house.toml@{pinned}\", \"../house-rules.toml\"]\n");
    let adjust = "[[adjust]]\nrule = \"no-bad\"\nseverity = \"note\"\nskip_paths = [\"old/**\"]\n[[adjust]]\nrule = \"parameters\"\noff = true\n[[adjust]]\nrule = \"shout\"\noff = true\n";
    s.write("swage.toml", format!("{extends}{adjust}"));
    s.write("old/b.py", "bad(2)\nLOUD\n");
    let rendered = |args: &[&str]| s.swage(args).rendered().replace(&pinned, "[pinned]");
    let mut all = rendered(&["rules", "list"]) + "\n\n" + &rendered(&["rules", "show", "no-bad"]);
    for args in [&["rules", "show", "parameters"][..], &["scan", "--format", "lines"], &["review", "--uncommitted"]] {
        all += &format!("\n\n{}", rendered(args));
    }
    for wrong in
        ["git:shared/house.toml@main", "git:shared/house.toml@abcdef0", "git:nowhere.toml@PINNED", "../nowhere.toml"]
    {
        s.write(
            "swage.toml",
            format!(
                "extends = [\"{}\"]\n[[adjust]]\nrule = \"debugger-stp\"\noff = true\n",
                wrong.replace("PINNED", &pinned)
            ),
        );
        all += &format!("\n\n{}", rendered(&["rules", "list"]));
    }
    insta::assert_snapshot!(all);
}

#[test]
fn what_a_new_rule_would_say_of_old_code_is_counted() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "worse(1)\nworse(2)\n"), ("b.py", "worse(3)\n")]);
    s.branch("topic");
    s.write("swage.toml", format!("{CONFIG}{}", RULE_ON_WORSE));
    s.write("b.py", "worse(3)\nworse(4)\n");
    let rendered = s.swage(&["review"]).stdout;
    let expected = "The rule `no-worse` is new: 3 findings exist on the target and don't count against this change.";
    assert!(rendered.replace("\n  ", " ").replace('\n', " ").contains(expected), "{rendered}");
    s.commit("the rule");
    s.git(&["checkout", "--quiet", "-B", "main"]);
    s.git(&["checkout", "--quiet", "-b", "later"]);
    s.write("swage.toml", s.read("swage.toml") + "\n# tide\n");
    assert!(!s.swage(&["review"]).stdout.contains("is new"), "the target has it");
}

const RULE_ON_WORSE: &str = r#"
[[rule]]
id = "no-worse"
severity = "error"
title = "Nothing worse"
message = "`{match}` is worse."
languages = ["python"]
match = { code = "worse(X)", holes.X = {} }
"#;
