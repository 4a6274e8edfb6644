//! Writing rules: trying patterns, and the schema that editors use.

mod common;
use common::Sandbox;
use swage_core::config::read_rules;

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
    let told: Vec<String> = attempts
        .iter()
        .map(|args| {
            format!("$ swage rules try {}\n{}\n", args.join(" "), s.swage(&[&["rules", "try"], *args].concat()).told())
        })
        .collect();
    insta::assert_snapshot!(told.join("\n"));
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
    let manual = read("../../docs/rules.md") + &read("../../docs/beyond-one-file.md");
    let mut right: Vec<String> =
        manual.split("```toml\n").skip(1).filter_map(|rest| Some(rest.split("```").next()?.to_owned())).collect();
    for pack in [
        "integrity",
        "changes",
        "data",
        "docs",
        "leftovers",
        "links",
        "names",
        "robustness",
        "secrets",
        "sizes",
        "tests",
        "web",
    ] {
        right.push(read(&format!("../swage-core/src/config/packs/{pack}.toml")));
    }
    right.extend(["../../demo/main/swage.toml", "../../demo/main/.swage/rules/timetable.toml"].map(read));
    let rule =
        |rest: &str| format!("[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n{rest}\n");
    right.push(rule("match = { any = [{ text = \"a\" }, { any = [{ text = \"b\" }] }], encloses = { text = \"c\" } }"));
    let wrong = [
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
        assert_eq!(read_rules("rules.toml", &text, true).is_ok(), good, "{text}");
    }
}
