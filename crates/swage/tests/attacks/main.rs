//! Changes that try to talk past the gate, each with a control: the same bad code without the trick fails. The verdict is
//! the same, byte for byte, whatever is checked out where the gate runs.

#[path = "../common/mod.rs"]
mod common;
mod tricks;

use common::Sandbox;
use tricks::{ATTACKS, append};

const RULES: &str = r#"target = "main"
packs = []

[[rule]]
id = "no-eval"
severity = "error"
title = "No evaluation of text"
message = "`{match}` runs text as code."
languages = ["javascript", "python"]
match = { code = "eval(X)", holes.X = {} }

[[rule]]
id = "no-run"
severity = "error"
title = "Nothing is run"
message = "`{match}` runs."
tags = ["security"]
languages = ["python", "java", "c", "ruby", "scala", "csharp"]
match = { code = "run(X)", holes.X = {} }

[[rule]]
id = "no-door"
severity = "error"
title = "No doors"
message = "A door."
languages = ["yaml"]
match = { key = "**.door" }

[[rule]]
id = "no-token"
severity = "error"
title = "No tokens"
message = "A token stands here."
match = { text = "^key=TOKEN_[A-Z]+|^EXPORT_" }

[[rule]]
id = "no-sudo"
severity = "error"
title = "Scripts stay users"
message = "`{match}` asks for more."
languages = ["bash"]
match = { text = "sudo" }

[[rule]]
id = "no-sinking"
severity = "error"
title = "Nothing is sunk"
message = "`{match}` sinks."
languages = ["bash"]
match = { code = "sink X", holes.X = {} }

[[rule]]
id = "no-trace"
severity = "warning"
title = "No traces"
message = "`{match}` traces."
locked = true
languages = ["python"]
match = { code = "trace(X)", holes.X = {} }

[[rule]]
id = "no-lending"
severity = "error"
title = "Not all boats are lent"
message = "`{match}` lends them."
languages = ["python"]
[rule.match]
any = [
  { code = "lend(BOATS)", holes.BOATS = { text = '^boats\(\s*\)$' }, not_encloses = { text = "until=" } },
  { tree = '(module (import_statement) . (expression_statement (call function: (identifier) @f) @here) (#eq? @f "moor"))' },
]

[[rule]]
id = "no-default-code"
severity = "error"
title = "Doors have codes of their own"
message = "`{match}` opens it."
languages = ["toml"]
match = { key = "door.code", value = "CODE", holes.CODE = { text = "^0000$" } }

[[rule]]
id = "no-drop"
severity = "error"
title = "Nothing is dropped"
message = "`{match}` drops."
skip_generated = true
languages = ["python", "javascript"]
match = { code = "drop(X)", holes.X = {} }

[[rule]]
id = "no-shout"
severity = "warning"
title = "Nobody shouts"
message = "`{match}` shouts."
skip_generated = true
languages = ["python"]
match = { code = "shout(X)", holes.X = {} }

[[rule]]
id = "no-whisper"
severity = "note"
title = "Nobody whispers"
message = "`{match}` whispers."
skip_generated = true
languages = ["python"]
match = { code = "whisper(X)", holes.X = {} }

[[rule]]
id = "known-author"
severity = "error"
title = "Authors are of the line"
message = "{match} isn't of the line."
match = { change = "author", must_match = '^[a-z-]+ <[a-z-]+@example\.org>$' }

[gate]
new = { error = 0, warning = 0, note = 0 }
"#;

/// What both branches begin with.
fn start() -> Sandbox {
    let s = Sandbox::with(&[
        ("swage.toml", RULES),
        (
            "a.py",
            "import tide\n\neval(tide.now)\n\n\ndef low(quay):\n    return eval(quay.low)\n\n\ndef high(quay):\n    return quay.high\n",
        ),
        ("b.py", "import quay\n\n\ndef berth(boat):\n    return quay.free(boat)\n"),
        ("run.py", "def start(small):\n    run(\n        small\n    )\n"),
        ("lib/c.py", "def lay(boat):\n    return boat\n"),
        ("settings.env", "port=8417\n"),
        ("tools/check", "#!/bin/sh\necho tide\n"),
        ("Quay.java", "class Quay {\n  void lay() {\n    int a = 1;\n  }\n}\n"),
        ("board.js", "show(boats);\n"),
        ("quay.c", "int lay(int boat) {\n  return boat;\n}\n"),
    ]);
    s.branch("topic");
    s
}

/// How a change ends, and the conditions that say so.
fn verdict(ran: &common::Ran) -> String {
    let json = ran.json();
    let conditions = json["verdict"]["conditions"].as_array().cloned().unwrap_or_default();
    let grave = conditions.iter().filter(|c| c["result"] != "pass");
    let grave: Vec<String> = grave.map(|c| c["name"].as_str().unwrap_or_default().to_owned()).collect();
    format!("{} {} {}", ran.code, json["verdict"]["result"].as_str().unwrap_or("?"), grave.join(" "))
}

#[test]
fn no_trick_talks_past_the_gate() {
    for (name, trick, control, expected, without) in ATTACKS {
        let s = start();
        control(&s);
        s.commit("without the trick");
        assert_eq!(verdict(&s.swage(&["gate", "--committed", "--format", "json"])), *without, "control: {name}");

        let s = start();
        trick(&s);
        if s.git(&["status", "--porcelain"]).is_empty() || name.contains("submodule") {
            s.git(&["commit", "--quiet", "--allow-empty", "-m", "trick"]);
        } else {
            s.commit("trick");
        }
        // However it is asked for, from wherever.
        assert_eq!(verdict(&s.swage(&["gate", "--committed", "--format", "json"])), *expected, "{name}");
        let range = ["gate", "main..topic", "--format", "json"];
        let rendered = s.swage(&range);
        assert_eq!(verdict(&rendered), *expected, "{name}, as a range");
        s.git(&["worktree", "add", "--quiet", "-b", "third", "../third", "refs/heads/main"]);
        s.git(&["clone", "--quiet", "--bare", ".", "../bare.git"]);
        for (place, checkout) in [(".", "topic"), (".", "main"), ("../third", ""), ("../bare.git", "")] {
            if !checkout.is_empty() {
                s.git(&["checkout", "--quiet", "--force", &format!("refs/heads/{checkout}")]);
            }
            let again = s.swage_in(place, &range, "", &[]);
            assert_eq!(again.stdout, rendered.stdout, "{name}: in {place} with {checkout} checked out");
        }
    }
}

#[test]
fn unsaved_work_is_judged_by_the_targets_attributes_too() {
    let s = start();
    s.write(".gitattributes", "*.py working-tree-encoding=UTF-16\n*.env filter=missing\n");
    append(&s, "b.py", "eval(boat)\n");
    assert_eq!(verdict(&s.swage(&["gate", "--format", "json"])), "1 fail new.error");
    s.write(".gitattributes", "");
    assert_eq!(verdict(&s.swage(&["gate", "--format", "json"])), "1 fail new.error", "control");
}

#[test]
fn a_submodule_that_moves_is_named_and_the_policy_decides() {
    for (policy, expected) in [("", "0 pass "), ("submodules = \"refuse\"\n", "1 fail submodules")] {
        let s = start();
        s.git(&["checkout", "--quiet", "main"]);
        append(&s, "swage.toml", policy);
        let commit = s.git(&["rev-parse", "HEAD"]);
        s.git(&["add", "--all"]);
        s.git(&["update-index", "--add", "--cacheinfo", &format!("160000,{commit},deps")]);
        s.git(&["commit", "--quiet", "-m", "a submodule"]);
        s.git(&["checkout", "--quiet", "-b", "moves"]);
        let commit = s.git(&["rev-parse", "HEAD"]);
        s.git(&["update-index", "--cacheinfo", &format!("160000,{commit},deps")]);
        s.git(&["commit", "--quiet", "-m", "another commit"]);
        let ran = s.swage(&["gate", "main..moves", "--format", "json"]);
        assert_eq!(verdict(&ran), expected, "{policy}");
        let conditions = ran.json()["verdict"]["conditions"].clone();
        let named = conditions.as_array().into_iter().flatten().find(|c| c["name"] == "submodules");
        assert!(named.is_some_and(|c| c["reason"].as_str().unwrap_or_default().starts_with("deps: ")), "{conditions}");
    }
}

#[test]
fn what_everybody_used_before_is_let_be_when_users_go() {
    let rule = "packs = []\n[[rule]]\nid = \"given\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{N}\"\nlanguages = [\"python\"]\n[rule.match]\neach = \"used\"\nmust_meet = \"given\"\nmax_files = 1\n[rule.match.collect]\nused = { code = \"use(N)\", holes.N = {} }\ngiven = { code = \"give(N)\", holes.N = {} }\n";
    let s = Sandbox::with(&[("swage.toml", rule), ("a.py", "use(x)\n"), ("b.py", "use(x)\n"), ("c.py", "use(y)\n")]);
    s.branch("topic");
    s.write("b.py", "x = 1\n");
    s.commit("one user less");
    assert_eq!(verdict(&s.swage(&["gate", "main..topic", "--format", "json"])), "0 pass ");
    s.write("b.py", "use(z)\n");
    s.commit("control");
    assert_eq!(verdict(&s.swage(&["gate", "main..topic", "--format", "json"])), "1 fail new.error");
}

#[test]
fn a_broken_configuration_of_the_target_is_reported() {
    let rule = "packs = []\n[[rule]]\nid = \"tides\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{message}\"\nmatch = { checker = [\"tools/check\"], output = \"lines\" }\n";
    let s = Sandbox::with(&[("swage.toml", "packs = [\"tides\"]\n"), ("a.py", "x = 1\n")]);
    s.branch("topic");
    s.write("swage.toml", rule);
    s.commit("a configuration that is right");
    let rendered = s.swage(&["review"]);
    assert!(rendered.stdout.contains("there is no pack `tides`"), "{}", rendered.rendered());
    let gate = s.swage(&["gate", "main..topic"]);
    assert!(gate.code == 2 && gate.stderr.contains("swage.toml:1:10: there is no pack `tides`"), "{}", gate.rendered());
}

#[test]
fn a_new_file_that_does_not_parse_is_listed() {
    let s = start();
    s.write("new.py", "def (:\n    pass\n");
    s.write("a.py", s.read("a.py") + "\nx = 1\n");
    let json = s.swage(&["gate", "--format", "json"]).json();
    let errors = |path: &str| {
        let file = json["files"].as_array().into_iter().flatten().find(|f| f["new_path"] == path).cloned();
        file.unwrap_or_default()["syntax_errors"].as_u64()
    };
    assert_eq!((errors("a.py"), errors("new.py").is_some_and(|n| n > 0)), (Some(0), true));
    assert_eq!(json["verdict"]["result"], "pass");
    assert!(s.swage(&["gate"]).stdout.contains("Syntax errors in 1 file"));
}

/// A macro that keeps C from parsing is listed; nothing that a grave rule looks for hides behind it.
#[test]
fn code_that_only_a_preprocessor_reads_is_listed() {
    let s = start();
    s.write("quay.c", "#define END )\nint lay(int boat) {\n  show(boat END;\n  return boat;\n}\n");
    let ran = s.swage(&["gate", "--format", "json"]);
    assert_eq!(verdict(&ran), "0 pass ");
    assert!(s.swage(&["gate"]).stdout.contains("Syntax errors in 1 file\n  quay.c: 1 place"));
}

/// What is added to a folder of other people's code is such code where the target has the folder.
#[test]
fn a_vendored_folder_of_the_target_takes_more_files() {
    let cases = [
        ("vendor/tide.js", "vendor/quay.js", "0 pass "),
        ("board/tide.js", "vendor/quay.js", "1 fail new.error"),
        // A name that says so by itself proves nothing, and takes nothing from the folder.
        ("vendor/tide.js", "vendor/quay.min.js", "0 pass "),
        ("board/tide.js", "board/quay.min.js", "1 fail new.error"),
    ];
    for (older, newer, expected) in cases {
        let s = start();
        s.git(&["checkout", "--quiet", "main"]);
        s.write(older, "show(tide);\n");
        s.commit("older");
        s.git(&["checkout", "--quiet", "-b", "more"]);
        s.write(newer, "drop(boat);\n");
        s.commit("more of it");
        let ran = s.swage(&["gate", "main..more", "--format", "json"]);
        assert_eq!(verdict(&ran), expected, "{newer} beside {older}");
        let files = ran.json()["files"].clone();
        assert_eq!(files[0]["generated"], older.starts_with("vendor"), "{files}");
    }
}

/// How many findings of a file aren't listed.
fn unlisted_in(file: &serde_json::Value) -> u64 {
    file["unlisted"].as_object().map_or(0, |by| by.values().filter_map(|n| n.as_u64()).sum())
}

/// How many new findings are listed.
fn new_findings(json: &serde_json::Value) -> usize {
    json["findings"].as_array().map_or(0, |all| all.iter().filter(|f| f["state"] == "new").count())
}

/// Licences with their words, a file beside them, and how many of its findings are listed and aren't.
type Licensed = (&'static [(&'static str, &'static str)], &'static str, u64, u64);

/// What is new in a folder with a licence of others is counted, and listed only where the licence is the repository's.
#[test]
fn code_under_a_licence_of_others_is_counted() {
    const OWN: &str = "Copyright (c) 2031 The Ferry Line\n\nYou may use it.\n";
    const OTHERS: &str = "Copyright (c) 2030 Pier Works\n\nYou may use it.\n";
    let cases: &[Licensed] = &[
        (&[("LICENSE", OWN), ("lib/knots/LICENSE", OTHERS)], "lib/knots/src/tie.py", 0, 2),
        (&[("LICENSE", OWN), ("lib/knots/COPYING.txt", OTHERS)], "lib/knots/tie.py", 0, 2),
        (&[("LICENSE", OWN), ("lib/knots/LICENSE", OTHERS)], "lib/tie.py", 2, 0),
        (&[("LICENSE", OWN), ("lib/knots/LICENSE", OWN)], "lib/knots/tie.py", 2, 0),
        (&[("LICENSE", OWN), ("lib/knots/licence.py", OTHERS)], "lib/knots/tie.py", 2, 0),
        (&[("lib/knots/LICENSE", OTHERS)], "lib/knots/tie.py", 2, 0),
    ];
    // The file may be there already, and so may the licence.
    let cases = cases.iter().flat_map(|case| [(false, case), (true, case)]);
    for (is_there, (licences, path, listed, unlisted)) in cases {
        let s = start();
        if is_there {
            s.git(&["checkout", "--quiet", "main"]);
            s.write(path, "tide()\n");
            licences.iter().for_each(|(licence, text)| s.write(licence, *text));
            s.commit("older");
            s.git(&["checkout", "--quiet", "-b", "more"]);
        }
        licences.iter().for_each(|(licence, text)| s.write(licence, *text));
        s.write(path, "shout(boat)\nwhisper(tide)\n");
        let ran = s.swage(&["gate", "--format", "json"]);
        assert_eq!(verdict(&ran), "1 fail new.warning new.note", "{path} {licences:?}");
        let json = ran.json();
        let files = json["files"].as_array().expect("files");
        let file = files.iter().find(|file| file["new_path"] == *path).expect("the file");
        let left = unlisted_in(file);
        let findings = new_findings(&json);
        assert_eq!((findings as u64, left), (*listed, *unlisted), "{path} {licences:?}");
        let said = s.swage(&["gate"]).stdout.split_whitespace().collect::<Vec<_>>().join(" ");
        assert_eq!(said.contains("which looks generated, vendored or copied"), *unlisted > 0, "{said}");
    }
}

/// What is new in a new file that grants another licence than the repository is counted, and not listed.
#[test]
fn code_with_a_licence_of_its_own_is_counted() {
    const GRANT: &str = "# Permission is hereby granted, free of charge, to any person obtaining a copy\n";
    for (own, head, is_there, listed, unlisted) in [
        ("Apache License\n", GRANT, false, 0, 2),
        ("Apache License\n", GRANT, true, 2, 0),
        ("Apache License\n", "# Under the Apache License\n", false, 2, 0),
        ("Ask us first.\n", GRANT, false, 2, 0),
    ] {
        let s = start();
        s.git(&["checkout", "--quiet", "main"]);
        s.write("LICENSE", own);
        if is_there {
            s.write("new.py", "tide()\n");
        }
        s.commit("older");
        s.git(&["checkout", "--quiet", "-b", "more"]);
        s.write("new.py", format!("{head}shout(boat)\nwhisper(tide)\n"));
        let ran = s.swage(&["gate", "--format", "json"]);
        assert_eq!(verdict(&ran), "1 fail new.warning new.note", "{own} {head} {is_there}");
        let json = ran.json();
        let left = unlisted_in(&json["files"][0]);
        let findings = new_findings(&json);
        assert_eq!((findings, left), (listed, unlisted), "{own} {head} {is_there}");
    }
}

/// What is new in a copy of another file is counted, and listed in the other one only: in the one that was there, else in the one
/// with the shorter path. Files that the change doesn't touch are looked at only where many are copied.
#[test]
fn copies_of_files_are_counted() {
    let bad = |n: usize| format!("shout(boat)\nwhisper(tide{n})\n");
    // For each case the file that is changed or new, with or without a copy, how many copies of files there are, and the findings.
    for (own, own_copied, copied, listed) in
        [("", false, 1, 2), ("", false, 9, 0), ("a", true, 0, 2), ("a", false, 0, 4)]
    {
        let s = start();
        s.git(&["checkout", "--quiet", "main"]);
        s.write("tide.txt", "low\n");
        (0..copied).for_each(|n| s.write(&format!("low{n}.py"), bad(n)));
        s.commit("older");
        s.git(&["checkout", "--quiet", "-b", "more"]);
        (0..copied).for_each(|n| s.write(&format!("lib/low{n}.py"), bad(n)));
        if !own.is_empty() {
            s.write("a.py", bad(50));
            s.write("quay/a.py", bad(if own_copied { 50 } else { 51 }));
        }
        for committed in [false, true] {
            if committed {
                s.commit("newer");
            }
            let ran = s.swage(&["gate", "--format", "json"]);
            assert_eq!(verdict(&ran), "1 fail new.warning new.note", "{own} {copied}");
            let json = ran.json();
            assert_eq!(new_findings(&json), listed, "{own} {own_copied} {copied} {committed}");
            let all: u64 = json["files"].as_array().expect("files").iter().map(unlisted_in).sum();
            let there = if own.is_empty() { 2 * copied } else { 4 };
            assert_eq!(all as usize, there - listed, "{own} {own_copied} {copied} {committed}");
        }
    }
}

/// What a rule finds with the help of other files is no different in a file that looks generated: counted, and not listed.
#[test]
fn links_into_what_looks_generated_are_counted() {
    const MADE: &str = "// Generated by the timetable\n";
    for (head, listed, unlisted) in [("", 1, 0), (MADE, 0, 1)] {
        let s = Sandbox::with(&[
            ("swage.toml", "packs = [\"names\"]\n\n[gate.new]\nerror = 0\nwarning = 0\n"),
            ("quay.js", "export const quay = 1;\n"),
        ]);
        s.branch("topic");
        s.write(
            "board.js",
            format!("{head}import {{ quay }} from './quay.js';\nexport const show = () => draw(quay);\n"),
        );
        let ran = s.swage(&["gate", "--format", "json"]);
        assert_eq!(verdict(&ran), "1 fail new.warning", "{head}");
        let json = ran.json();
        let file = &json["files"][0];
        let left = unlisted_in(file);
        let findings = new_findings(&json);
        assert_eq!((findings, left), (listed, unlisted), "{head}");
    }
}
