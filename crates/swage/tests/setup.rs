//! Setting up, hooks, rules, the demo, and what goes wrong on the way.

mod common;
use common::{CONFIG, Sandbox};

#[test]
fn init_writes_a_configuration_that_works_and_overwrites_nothing() {
    let s = Sandbox::with(&[("src/a.ts", "export const a = 1;\n"), ("b.py", "b = 1\n"), ("README.md", "text\n")]);
    insta::assert_snapshot!(s.swage(&["init"]).told());
    let written = s.read("swage.toml");
    let listed = s.swage(&["rules", "list"]);
    assert_eq!((listed.code, listed.stdout.contains("too-many-parameters")), (0, true), "{}", listed.told());
    assert_eq!(s.swage(&["rules", "test"]).code, 0);
    // The rule that is given as a suggestion works too.
    let example: String = written
        .lines()
        .skip_while(|l| *l != "# [[rule]]")
        .take_while(|l| l.starts_with('#'))
        .map(|l| format!("{}\n", l.trim_start_matches("# ")))
        .collect();
    s.write("swage.toml", written.clone() + &example);
    assert!(s.swage(&["rules", "list"]).stdout.contains("no-direct-store"));
    s.write("swage.toml", "# mine\n");
    let again = s.swage(&["init"]);
    assert!(again.stdout.contains("it stays as it is") && s.read("swage.toml") == "# mine\n", "{}", again.told());
}

#[test]
fn hooks_stand_beside_others() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "a = 1\n")]);
    let program = std::path::Path::new(env!("CARGO_BIN_EXE_swage")).parent().expect("a folder").display().to_string();
    let path = format!("{program}:{}", std::env::var("PATH").unwrap_or_default());
    s.write(".git/hooks/pre-commit", "#!/bin/sh\necho ran > .git/earlier\n");
    std::process::Command::new("chmod").arg("+x").arg(s.root.join(".git/hooks/pre-commit")).status().expect("chmod");
    for _ in 0..2 {
        assert_eq!(s.swage_in(".", &["init", "--hook", "commit"], "", &[("PATH", &path)]).code, 0);
    }
    let commit = |text: &str| {
        s.write("a.py", text);
        s.git(&["add", "a.py"]);
        let mut command = std::process::Command::new("git");
        command.current_dir(&s.root).env("PATH", &path).env("GIT_CONFIG_GLOBAL", "/dev/null").args([
            "-c",
            "user.name=x",
            "-c",
            "user.email=x@example.org",
            "commit",
            "-m",
            "m",
        ]);
        let output = command.output().expect("git runs");
        (output.status.success(), String::from_utf8_lossy(&output.stderr).into_owned())
    };
    let (done, said) = commit("a = 1\nbad(2)\n");
    assert!(!done && said.contains("a.py:2:1: error: `bad(2)` is bad. [no-bad]"), "{said}");
    assert_eq!(s.read(".git/earlier"), "ran\n");
    let (done, said) = commit("a = 2\n");
    assert!(done, "{said}");
}

#[test]
fn rules_are_listed_shown_and_tested() {
    let s = Sandbox::with(&[("swage.toml", CONFIG)]);
    insta::assert_snapshot!("list", s.swage(&["rules", "list"]).told());
    insta::assert_snapshot!("show", s.swage(&["rules", "show", "no-bad"]).told());
    let wrong = "\n[[rule.examples]]\npath = \"a.py\"\ncode = \"good(1)\\nbad(2)\\n\"\nlines = [1]\n";
    let config = CONFIG.replace("\n[[rule]]\nid = \"parameters\"", &format!("{wrong}\n[[rule]]\nid = \"parameters\""));
    s.write("swage.toml", config);
    insta::assert_snapshot!("test", s.swage(&["rules", "test"]).told());
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
    let told = asked
        .map(|args| format!("$ swage rules {}\n{}\n", args.join(" "), s.swage(&[&["rules"], args].concat()).told()));
    insta::assert_snapshot!(told.join("\n"));
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
    let told = |args: &[&str]| s.swage(args).told().replace(&pinned, "[pinned]");
    let mut all = told(&["rules", "list"]) + "\n\n" + &told(&["rules", "show", "no-bad"]);
    for args in [&["rules", "show", "parameters"][..], &["scan", "--format", "lines"], &["review", "--uncommitted"]] {
        all += &format!("\n\n{}", told(args));
    }
    for wrong in
        ["git:shared/house.toml@main", "git:shared/house.toml@abcdef0", "git:nowhere.toml@PINNED", "../nowhere.toml"]
    {
        s.write(
            "swage.toml",
            format!(
                "extends = [\"{}\"]\n[[adjust]]\nrule = \"debug-prnt\"\noff = true\n",
                wrong.replace("PINNED", &pinned)
            ),
        );
        all += &format!("\n\n{}", told(&["rules", "list"]));
    }
    insta::assert_snapshot!(all);
}

/// Each mistake with what is told and the exit code.
#[test]
fn mistakes_are_told_with_a_way_out() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "a = 1\n")]);
    let outside = Sandbox::bare_folder();
    let unborn = Sandbox::new();
    unborn.write("a.py", "bad(1)\n");
    let mut told = String::new();
    let mut tell = |name: &str, ran: common::Ran| told += &format!("# {name}\n{}\n\n", ran.told());
    tell("a bad revision", s.swage(&["review", "main..nowhere"]));
    tell("no range", s.swage(&["review", "main"]));
    tell("a missing target", s.swage(&["review", "--target", "nowhere"]));
    tell("no repository", outside.swage(&["review"]));
    tell("no git", s.swage_in(".", &["review", "--uncommitted"], "", &[("PATH", "/nowhere")]));
    tell("no commit yet", unborn.swage(&["review", "--format", "lines"]));
    s.git(&["clone", "--quiet", "--bare", ".", "bare.git"]);
    for (name, args) in [("unsaved work", &["review"][..]), ("a scan", &["scan"]), ("to be set up", &["init"])] {
        tell(&format!("{name} in a bare repository"), s.swage_in("bare.git", args, "", &[]));
    }
    std::fs::remove_dir_all(s.root.join("bare.git")).expect("removed");
    tell("a folder and a revision", s.swage(&["compare", "main", "swage.toml"]));
    tell(
        "a tree that is a file",
        s.swage_in(".", &["review", "--patch", "-", "--tree", "a.py", "--allow-empty"], "", &[]),
    );
    tell("a missing description", s.swage(&["review", "--description", "nowhere.txt"]));
    tell("a missing patch", s.swage(&["review", "--patch", "nowhere.diff"]));
    tell("a truncated patch", s.swage_in(".", &["review", "--patch", "-"], "--- a\n+++ b\n@@ -1,3 +1 @@\n-x\n", &[]));
    tell(
        "a patch that doesn't fit",
        s.swage_in(
            ".",
            &["review", "--patch", "-", "--tree", "."],
            "--- a/a.py\n+++ b/a.py\n@@ -1 +1 @@\n-z\n+y\n",
            &[],
        ),
    );
    tell("the gate on a patch", s.swage(&["gate", "--patch", "-"]));
    tell("an unknown rule", s.swage(&["rules", "show", "no-bat"]));
    tell("a missing configuration", s.swage(&["review", "--config", "nowhere.toml"]));
    tell("posting without a token", s.swage(&["post", "--to", "http://127.0.0.1:1", "--proposal", "1"]));
    tell(
        "a host that is down",
        s.swage_in(".", &["post", "--to", "http://127.0.0.1:1", "--proposal", "1"], "", &[("SWAGE_TOKEN", "t")]),
    );
    tell(
        "an address that is none",
        s.swage_in(".", &["post", "--to", "nowhere", "--proposal", "1"], "", &[("SWAGE_TOKEN", "t")]),
    );
    tell("an output that can't be written", s.swage(&["review", "--output", "/nowhere/out"]));
    s.write("swage.toml", "pakcs = []\n[[rule]]\nid = \"x\"\n");
    tell("a wrong configuration", s.swage(&["review"]));
    insta::assert_snapshot!(told);
}

#[test]
fn shallow_history_is_told() {
    let s = Sandbox::with(&[("a.py", "a = 1\n")]);
    s.commit("second");
    s.branch("topic");
    s.write("a.py", "a = 2\n");
    s.commit("topic");
    s.git(&["checkout", "--quiet", "main"]);
    s.commit("main moves on");
    let url = format!("file://{}", s.root.display());
    s.git(&["clone", "--quiet", "--depth", "1", "--no-single-branch", "--branch", "topic", &url, "../shallow"]);
    s.git(&["-C", "../shallow", "fetch", "--quiet", "--depth", "1", "origin", "main"]);
    let ran = s.swage_in("../shallow", &["review", "--target", "origin/main"], "", &[]);
    assert_eq!(ran.code, 2, "{}", ran.told());
    assert!(
        ran.stderr.contains("no common ancestor in this shallow clone") && ran.stderr.contains("git fetch --unshallow"),
        "{}",
        ran.told()
    );
}

#[test]
fn a_broken_repository_is_no_missing_one() {
    let s = Sandbox::with(&[("a.py", "a = 1\n")]);
    s.write(".git/config", "[core\n");
    let ran = s.swage(&["scan"]);
    assert_eq!(ran.code, 3, "{}", ran.told());
    assert!(ran.stderr.contains("the repository can't be read") && ran.stderr.contains("config"), "{}", ran.told());
}

#[test]
fn a_repository_of_another_owner_is_refused_with_the_way_out() {
    let s = Sandbox::with(&[("a.py", "a = 1\n")]);
    let changed = std::os::unix::fs::chown(s.root.join(".git"), Some(12345), None)
        .and_then(|()| std::os::unix::fs::chown(&s.root, Some(12345), None));
    if changed.is_err() {
        eprintln!("skipped: giving a folder to another owner needs the rights of root");
        return;
    }
    for command in [&["review"][..], &["gate"], &["scan"]] {
        let ran = s.swage(command);
        let advice = "git config --global --add safe.directory [root]";
        assert_eq!(ran.code, 2, "{}", ran.told());
        assert!(ran.stderr.contains("belongs to another user") && ran.stderr.contains(advice), "{}", ran.told());
        assert!(ran.stdout.is_empty(), "{}", ran.told());
    }
}

#[test]
fn verbose_says_what_took_the_time() {
    let s = Sandbox::with(&[("swage.toml", "packs = [\"leftovers\"]\n"), ("a.py", "import os\n\nbreakpoint()\n")]);
    let cache_misses = |ran: &common::Ran| {
        for part in ["examined", "slow file file=a.py", "slow rule, alone on those files rule="] {
            assert!(ran.stderr.contains(part), "{part} is missing in {}", ran.told());
        }
        assert!(!ran.stderr.contains('\u{1b}'), "colours away from a terminal: {}", ran.told());
        let count = ran.stderr.split("cache_misses=").nth(1).and_then(|rest| rest.split_whitespace().next());
        count.and_then(|n| n.parse::<u32>().ok()).unwrap_or_else(|| panic!("no count in {}", ran.told()))
    };
    let cold = cache_misses(&s.swage(&["scan", "main", "--verbose"]));
    let warm = cache_misses(&s.swage(&["scan", "main", "--verbose"]));
    assert!(cold > 0 && warm == 0, "cold {cold}, warm {warm}");
}

#[test]
fn the_demo_tells_its_story_and_leaves_its_folder() {
    let s = Sandbox::bare_folder();
    let folder = s.root.join("ferry");
    let ran = s.swage(&["demo", "ferry"]);
    assert_eq!(ran.code, 0, "{}", ran.told());
    // The port of its host and the place of the program differ from run to run.
    let story: Vec<&str> = ran.stdout.lines().filter(|l| !l.contains("127.0.0.1") && !l.contains("alias")).collect();
    insta::assert_snapshot!(story.join("\n").replace(&*folder.to_string_lossy(), "[folder]"));
    assert!(folder.join("swage.toml").is_file());
    // Its own folder may be made anew, any other stays.
    assert_eq!(s.swage(&["demo", "ferry", "--again"]).code, 0);
    s.write("other/file", "mine");
    assert_eq!((s.swage(&["demo", "other"]).code, s.read("other/file")), (2, "mine".to_owned()));
}

#[test]
fn a_branch_of_any_name_is_set_up() {
    let s = Sandbox::bare_folder();
    s.git(&["init", "--quiet", "--initial-branch=trunk"]);
    s.write("a.py", "x = 1\n");
    s.commit("base");
    let alone = s.swage(&["review"]);
    assert!(alone.code == 2 && alone.stderr.contains("git config swage.target"), "{}", alone.told());
    assert_eq!(s.swage(&["init"]).code, 0);
    assert_eq!(s.git(&["config", "swage.target"]), "trunk");
    assert!(s.read("swage.toml").contains("target = \"trunk\""));
    s.commit("set up");
    s.branch("topic");
    s.write("a.py", "x = 1\nbreakpoint()\n");
    for args in [&["review"][..], &["gate"]] {
        let ran = s.swage(args);
        assert!(ran.stdout.contains("trunk") && ran.code < 2, "{}", ran.told());
    }
    // Another clone has nothing but its branches to tell by.
    s.commit("work");
    s.git(&["clone", "--quiet", "--no-local", ".", "../clone"]);
    let elsewhere = s.swage_in("../clone", &["gate", "--committed"], "", &[]);
    assert!(elsewhere.code == 2 || elsewhere.stdout.contains("trunk"), "{}", elsewhere.told());
}

#[test]
fn exit_codes_say_how_grave_it_is() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "bad(0)\ndef f(a, b):\n    pass\n")]);
    let review = |args: &[&str]| s.swage(&[&["review"], args].concat()).code;
    assert_eq!(review(&["--fail-on", "note"]), 0, "what was there before doesn't count");
    s.write("a.py", "bad(0)\ndef f(a, b, c):\n    pass\n");
    assert_eq!([review(&[]), review(&["--fail-on", "error"]), review(&["--fail-on", "warning"])], [0, 0, 1]);
    s.write("a.py", "bad(0)\nbad(1)\n");
    assert_eq!([review(&["--fail-on", "error"]), review(&["--fail-on", "note"])], [1, 1]);
    // An empty diff may be what a program left that failed.
    let empty = |args: &[&str]| s.swage_in(".", &[&["review", "--patch", "-", "--tree", "."], args].concat(), "", &[]);
    let refused = empty(&[]);
    assert!(refused.code == 2 && refused.stderr.contains("is empty"), "{}", refused.told());
    assert_eq!(empty(&["--allow-empty"]).code, 0);
}
