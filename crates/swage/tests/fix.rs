//! `swage fix`: previews, applying, committing, branches, and what is refused.

mod common;
use common::Sandbox;

/// Rules whose fixes are good, and rules whose fixes aren't.
const RULES: &str = r#"target = "main"
packs = []

[[rule]]
id = "no-trace"
severity = "warning"
title = "No traces"
message = "`{match}` was left in."
languages = ["python"]
match = { code = "trace(ARGS)", holes.ARGS = { many = true }, fix = { remove = "statement" } }

[[rule]]
id = "old-call"
severity = "warning"
title = "No old calls"
message = "`{match}` is the old form."
languages = ["python"]
match = { code = "old(X, REST)", holes = { X = {}, REST = { many = true } }, fix = { title = "Call `new`", rewrite = "new({X}, {REST})" } }

[[rule]]
id = "no-number"
severity = "warning"
title = "No bare numbers"
message = "`{match}` has no name."
languages = ["python"]
match = { code = "new(N)", holes.N = { node = "number" } }

[[rule]]
id = "stays"
severity = "note"
title = "A fix that changes nothing"
message = "`{match}`"
languages = ["python"]
match = { code = "stay(X)", holes.X = {}, fix = { rewrite = "stay(({X}))" } }

[[rule]]
id = "breaks"
severity = "note"
title = "A fix that doesn't parse"
message = "`{match}`"
languages = ["python"]
match = { code = "halve(X)", holes.X = {}, fix = { rewrite = "halve({X}" } }

[[rule]]
id = "silent"
severity = "note"
title = "No fix"
message = "`{match}` must go."
languages = ["python"]
match = { code = "silent()" }
"#;

const BEFORE: &str = "def f(a):\n    trace(0)\n    return a\n";
const AFTER: &str = "def f(a):\n    trace(0)\n    trace(a)\n    old(a)\n    if a:\n        trace(\n            a,\n        )\n    old(old(a, 1), 2)\n    old(3)\n    stay(a)\n    halve(a)\n    silent()\n    return a\n";

fn start() -> Sandbox {
    let s = Sandbox::with(&[("swage.toml", RULES), ("quay.py", BEFORE)]);
    s.branch("topic");
    s.write("quay.py", AFTER);
    s.commit("work");
    s
}

/// The preview is a diff that git takes, and applying gives the same; a second run has nothing more to apply.
#[test]
fn a_preview_is_what_is_applied() {
    let s = start();
    let preview = s.swage(&["fix"]);
    insta::assert_snapshot!("preview", preview.rendered());
    assert_eq!(s.read("quay.py"), AFTER);
    s.write("../fix.patch", &preview.stdout);
    s.git(&["apply", "--check", "../fix.patch"]);
    s.git(&["apply", "../fix.patch"]);
    let by_git = s.read("quay.py");
    s.git(&["checkout", "--quiet", "quay.py"]);
    let applied = s.swage(&["fix", "--apply"]);
    assert!(applied.stdout.ends_with("Applied to 1 file.\n") && applied.code == 0, "{}", applied.rendered());
    assert_eq!(s.read("quay.py"), by_git);
    let again = s.swage(&["fix"]);
    assert!(again.stdout.is_empty() && !again.stderr.contains("fixed  "), "{}", again.rendered());
}

/// Arguments, and the rules whose findings are fixed.
#[test]
fn findings_are_chosen() {
    let s = start();
    let cases: &[(&[&str], i32, &str)] = &[
        (&["fix", "--rule", "old-call"], 0, "-    old(a)"),
        (&["fix", "--rule", "no-trace", "--all"], 0, "-    trace(0)"),
        (&["fix", "--path", "src/**"], 0, "There is nothing to fix."),
        (&["fix", "--path", "src/["], 2, "`src/[` is no path pattern"),
        (&["fix", "--key", "ffffffffffff"], 2, "no finding of this change has the key"),
        (&["fix", "--apply", "--branch", "x"], 2, "cannot be used with"),
    ];
    for (args, code, part) in cases {
        let ran = s.swage(args);
        assert!(ran.code == *code && ran.rendered().contains(part), "{args:?}: {}", ran.rendered());
    }
    let preview = s.swage(&["fix", "--new"]).stdout;
    assert!(!preview.contains("-    trace(0)"), "what was there before stays: {preview}");
    let key = s.swage(&["review", "--format", "json"]).json()["findings"][0]["key"].as_str().expect("a key").to_owned();
    let one = s.swage(&["fix", "--key", &key[..10]]);
    assert!(one.stderr.contains("1 fixed of 1 finding"), "{}", one.rendered());
    let folder = Sandbox::bare_folder();
    folder.write("swage.toml", RULES);
    folder.write("quay.py", AFTER);
    let diff = s.git(&["diff", "main", "topic"]);
    let args = ["fix", "--patch", "-", "--tree", "."];
    let ran = folder.swage_in(".", &args, &diff, &[]);
    assert!(ran.stdout.starts_with("diff --git a/quay.py") && ran.code == 0, "{}", ran.rendered());
    let ran = folder.swage_in(".", &[&args[..], &["--apply"]].concat(), &diff, &[]);
    assert!(ran.code == 2 && ran.stderr.contains("no git repository"), "{}", ran.rendered());
}

#[test]
fn fixes_are_committed() {
    let s = start();
    let head = s.git(&["rev-parse", "HEAD"]);
    let ran = s.swage(&["fix", "--branch", "tidy"]);
    assert!(ran.code == 0 && ran.stdout.contains("new branch tidy"), "{}", ran.rendered());
    assert_eq!(s.git(&["rev-parse", "tidy^"]), head);
    assert_eq!((s.git(&["status", "--porcelain"]), s.git(&["rev-parse", "HEAD"])), (String::new(), head.clone()));
    insta::assert_snapshot!("branch", s.git(&["log", "-1", "--format=%an: %s", "--stat", "tidy"]));
    for (name, says) in [("tidy", "tidy"), ("a..b", "a..b")] {
        let ran = s.swage(&["fix", "--branch", name]);
        assert!(ran.code != 0 && ran.stderr.contains(says), "{}", ran.rendered());
    }
    let ran = s.swage(&["fix", "--commit", "--message", "Tidy up"]);
    assert!(ran.code == 0, "{}", ran.rendered());
    assert_eq!((s.git(&["log", "-1", "--format=%s"]), s.git(&["rev-parse", "HEAD^"])), ("Tidy up".to_owned(), head));
    assert_eq!(s.git(&["rev-parse", "HEAD^{tree}"]), s.git(&["rev-parse", "tidy^{tree}"]));
    assert_eq!(s.git(&["status", "--porcelain"]), "");
    // Unsaved work in a file isn't committed along.
    s.write("quay.py", s.read("quay.py") + "trace(9)\n");
    for way in [&["fix", "--commit"][..], &["fix", "--branch", "other"]] {
        let ran = s.swage(way);
        assert!(ran.code == 2 && ran.stderr.contains("isn't as the last commit has it"), "{}", ran.rendered());
    }
    // Neither is anything that is staged.
    s.write("quay.py", s.read("quay.py").replace("trace(9)\n", ""));
    s.write("quay.py", s.read("quay.py") + "trace(9)\n");
    s.git(&["commit", "--quiet", "-am", "more"]);
    s.write("other.py", "x = 1\n");
    s.git(&["add", "other.py"]);
    assert_eq!(s.swage(&["fix", "--commit"]).code, 0);
    assert_eq!(s.git(&["show", "--format=", "--name-only", "HEAD"]), "quay.py");
    assert_eq!(s.git(&["status", "--porcelain"]), "A  other.py");
}

/// Files that aren't as they were read, and places that a link leads to, are skipped; then nothing is changed at all.
#[test]
fn only_what_was_read_is_changed() {
    type Edit = fn(&Sandbox);
    let cases: &[(&str, Edit, &str)] = &[
        ("the control", |_| {}, ""),
        (
            "changed since",
            |s| s.write("d/b.py", "trace(1)\n# more\n"),
            "d/b.py isn't changed: it has changed since it was read",
        ),
        (
            "a folder that is a link now",
            |s| {
                let outside = s.root.with_file_name("outside");
                std::fs::rename(s.root.join("d"), &outside).expect("moved");
                std::os::unix::fs::symlink(&outside, s.root.join("d")).expect("linked");
            },
            "d/b.py isn't changed: a symbolic link leads there",
        ),
        (
            "a file that is a link now",
            |s| {
                let outside = s.root.with_file_name("outside.py");
                std::fs::rename(s.root.join("d/b.py"), &outside).expect("moved");
                std::os::unix::fs::symlink(&outside, s.root.join("d/b.py")).expect("linked");
            },
            "d/b.py isn't changed: a symbolic link leads there",
        ),
        ("gone", |s| std::fs::remove_file(s.root.join("d/b.py")).expect("removed"), "d/b.py isn't changed: "),
    ];
    for (name, edit, says) in cases {
        let s = Sandbox::with(&[("swage.toml", RULES)]);
        s.branch("topic");
        s.write("a.py", "trace(0)\n");
        s.write("d/b.py", "trace(1)\n");
        s.commit("work");
        edit(&s);
        let ran = s.swage(&["fix", "--committed", "--apply"]);
        let changed = s.read("a.py") != "trace(0)\n";
        assert_eq!(
            (ran.code, changed),
            if says.is_empty() { (0, true) } else { (3, false) },
            "{name}: {}",
            ran.rendered()
        );
        assert!(ran.stderr.contains(says), "{name}: {}", ran.rendered());
        let outside = std::fs::read_to_string(s.root.with_file_name("outside.py")).unwrap_or("trace(1)\n".to_owned());
        assert_eq!(outside, "trace(1)\n", "{name}");
    }
}

/// What a fix breaks in another file is seen by reviewing the result; then the file is left as it is.
#[test]
fn fixes_that_break_other_files_are_refused() {
    let link = "\n[[rule]]\nid = \"asked-for\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"nothing gives `{N}`\"\n[rule.match]\neach = \"asked\"\nmust_meet = \"given\"\n[rule.match.collect]\nasked = { languages = [\"python\"], code = \"ask(N)\", holes.N = {} }\ngiven = { languages = [\"python\"], code = \"trace(N)\", holes.N = {} }\n";
    let s = Sandbox::with(&[("swage.toml", &(RULES.to_owned() + link)), ("a.py", "x = 1\n"), ("b.py", "x = 1\n")]);
    s.branch("topic");
    s.write("a.py", "x = 1\ntrace(tide)\nold(2, 1)\n");
    s.write("b.py", "ask(tide)\n");
    s.write("c.py", "trace(1)\n");
    s.commit("work");
    insta::assert_snapshot!("other_file", s.swage(&["fix"]).rendered());
}

/// Formats carry proved fixes; what isn't proved is a hint.
#[test]
fn reviews_offer_fixes() {
    let s = start();
    let json = s.swage(&["review", "--format", "json"]).json();
    let fixes: Vec<String> = json["findings"]
        .as_array()
        .expect("findings")
        .iter()
        .map(|f| format!("{} {} {} {}", f["anchor"]["start_line"], f["rule"], f["fix"]["proved"], f["fix"]["why_not"]))
        .collect();
    insta::assert_snapshot!("offered", fixes.join("\n"));
    let sarif = s.swage(&["review", "--format", "sarif"]).json();
    let results = sarif["runs"][0]["results"].as_array().expect("results");
    let proved = json["findings"].as_array().expect("findings").iter().filter(|f| f["fix"]["proved"] == true).count();
    assert_eq!(results.iter().filter(|r| r["fixes"].is_array()).count(), proved);
    let first = results.iter().find(|r| r["ruleId"] == "old-call").expect("a result");
    insta::assert_snapshot!("sarif", serde_json::to_string_pretty(&first["fixes"]).expect("JSON"));
    let human = s.swage(&["review"]).stdout;
    assert!(human.contains("Fix: Call `new` · swage fix --key ") && human.contains("Hint: "), "{human}");
}

/// Killed at any moment, each file is as it was or fixed.
#[test]
fn interrupted_runs_leave_whole_files() {
    let kills = std::env::var("SWAGE_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(12u64);
    let s = Sandbox::with(&[("swage.toml", RULES)]);
    s.branch("topic");
    let name = |n: usize| format!("f{n}.py");
    let before = |n: usize| format!("x = {n}\ntrace(x)\n");
    (0..60).for_each(|n| s.write(&name(n), before(n)));
    s.commit("work");
    let (mut cut, mut whole) = (0, 0);
    for kill in 0..kills {
        let mut child = s.start(&["fix", "--apply", "--no-cache"]);
        std::thread::sleep(std::time::Duration::from_millis(20 + kill * 37 % 400));
        _ = child.kill();
        child.wait().expect("it ends");
        let fixed = (0..60).filter(|n| {
            let now = s.read(&name(*n));
            assert!(now == before(*n) || now == format!("x = {n}\n"), "{now}");
            now != before(*n)
        });
        match fixed.count() {
            0 | 60 => whole += 1,
            _ => cut += 1,
        }
        s.git(&["checkout", "--quiet", "."]);
        s.git(&["clean", "--quiet", "-fd"]);
    }
    assert_eq!(cut + whole, kills);
}
