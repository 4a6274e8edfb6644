//! Changes that try to talk past the gate, each with a control: the same bad code without the trick fails. The verdict is
//! the same, byte for byte, whatever is checked out where the gate runs.

mod common;
use common::Sandbox;

const RULES: &str = r#"target = "main"
packs = []

[[rule]]
id = "no-eval"
severity = "error"
title = "No evaluation of text"
message = "`{match}` runs text as code."
languages = ["python"]
match = { code = "eval(X)", holes.X = {} }

[[rule]]
id = "no-run"
severity = "error"
title = "Nothing is run"
message = "`{match}` runs."
languages = ["python", "java"]
match = { code = "run(X)", holes.X = {} }

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
id = "no-trace"
severity = "warning"
title = "No traces"
message = "`{match}` traces."
locked = true
languages = ["python"]
match = { code = "trace(X)", holes.X = {} }

[[rule]]
id = "no-drop"
severity = "error"
title = "Nothing is dropped"
message = "`{match}` drops."
skip_generated = true
languages = ["python", "javascript"]
match = { code = "drop(X)", holes.X = {} }

[[rule]]
id = "known-author"
severity = "error"
title = "Authors are of the line"
message = "{match} isn't of the line."
match = { change = "author", must_match = '^[a-z-]+ <[a-z-]+@example\.org>$' }

[gate]
new = { error = 0, warning = 0 }
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

type Edit = fn(&Sandbox);

fn append(s: &Sandbox, path: &str, text: &str) {
    s.write(path, s.read(path) + text);
}

fn utf16(text: &str) -> Vec<u8> {
    std::iter::once(0xfeff).chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
}

/// The name, the change with its trick, the same without it, and how both end.
const ATTACKS: &[(&str, Edit, Edit, &str, &str)] = &[
    (
        "its own target: HEAD",
        |s| {
            s.write("swage.toml", s.read("swage.toml").replace("\"main\"", "\"HEAD\""));
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "its own target: its branch",
        |s| {
            s.write("swage.toml", s.read("swage.toml").replace("\"main\"", "\"topic\""));
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "its own rules",
        |s| {
            s.write("swage.toml", "packs = []\n");
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a rule switched off by a rule file of its own",
        |s| {
            s.write(".swage/rules/x.toml", "[[adjust]]\nrule = \"no-eval\"\noff = true\n");
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "limits of its own",
        |s| {
            s.write("swage.toml", format!("{}[limits]\nfile_size = \"1 B\"\n", s.read("swage.toml")));
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "what programs make, by its own word",
        |s| {
            s.write("swage.toml", format!("generated = [\"**\"]\n{}", s.read("swage.toml")));
            append(s, "b.py", "drop(boat)\n");
        },
        |s| append(s, "b.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "deleted in one file, written in another",
        |s| {
            s.write("a.py", s.read("a.py").replace("eval(tide.now)\n", ""));
            append(s, "b.py", "\n\ndef later(tide):\n    if tide:\n        eval(tide.now)\n");
        },
        |s| append(s, "b.py", "\n\ndef later(tide):\n    if tide:\n        eval(tide.now)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "deleted at the top of a file, written at its end",
        |s| {
            let rest = s.read("a.py").replace("eval(tide.now)\n", "");
            s.write("a.py", rest + "\n\nfor boat in tide.boats:\n    eval(tide.now)\n");
        },
        |s| append(s, "a.py", "\n\nfor boat in tide.boats:\n    eval(tide.now)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "deleted in one function, written in another of the same file",
        |s| {
            let text = s.read("a.py").replace("return eval(quay.low)", "return quay.low");
            s.write("a.py", text.replace("return quay.high", "return eval(quay.low)"));
        },
        |s| s.write("a.py", s.read("a.py").replace("return quay.high", "return eval(quay.low)")),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "between lines that stand in both files",
        |s| {
            s.write("a.py", s.read("a.py").replace("    return eval(quay.low)\n", "    return quay.low\n"));
            s.write("b.py", s.read("b.py").replace("    return quay.free(boat)\n", "    return eval(quay.low)\n"));
        },
        |s| s.write("b.py", s.read("b.py").replace("    return quay.free(boat)\n", "    return eval(quay.low)\n")),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a function moved with one more inside",
        |s| {
            let def = "def low(quay):\n    return eval(quay.low)\n";
            s.write("a.py", s.read("a.py").replace(def, ""));
            append(s, "b.py", "\n\ndef low(quay):\n    eval(quay)\n    return eval(quay.low)\n");
        },
        |s| append(s, "b.py", "\n\ndef low(quay):\n    eval(quay)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a copy of what is there",
        |s| s.write("copy.py", s.read("a.py")),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a renamed file with one more",
        |s| {
            s.git(&["mv", "a.py", "tides.py"]);
            append(s, "tides.py", "eval(boat)\n");
        },
        |s| append(s, "a.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "two that swap their names, one with one more",
        |s| {
            let (a, b) = (s.read("a.py"), s.read("b.py"));
            s.write("a.py", b);
            s.write("b.py", a + "eval(boat)\n");
        },
        |s| append(s, "a.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a rule's own words, taken out of the rule file",
        |s| {
            s.write("swage.toml", s.read("swage.toml").replace("^key=TOKEN_[A-Z]+|^EXPORT_", "x+"));
            append(s, "settings.env", "key=TOKEN_ABC\n");
        },
        |s| append(s, "settings.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "source code called binary by an attribute",
        |s| {
            s.write(".gitattributes", "*.py binary\n");
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a script that is known by its first line, without a diff",
        |s| {
            s.write(".gitattributes", "tools/* -diff\n");
            append(s, "tools/check", "sudo tide\n");
        },
        |s| append(s, "tools/check", "sudo tide\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "settings without a diff, by attributes in a folder",
        |s| {
            s.write("etc/.gitattributes", "*.env -diff\n");
            s.write("etc/more.env", "key=TOKEN_ABC\n");
        },
        |s| s.write("etc/more.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a NUL at the end of a script",
        |s| append(s, "tools/check", "sudo tide\nexit 0\n\0"),
        |s| append(s, "tools/check", "sudo tide\nexit 0\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a NUL far behind in a script that is new",
        |s| s.write("tools/new", format!("#!/bin/sh\nsudo tide\nexit 0\n{}\0", "x".repeat(9000))),
        |s| s.write("tools/new", "#!/bin/sh\nsudo tide\nexit 0\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a NUL at the end of settings",
        |s| append(s, "settings.env", "key=TOKEN_ABC\n\0"),
        |s| append(s, "settings.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "settings in UTF-16",
        |s| s.write("settings.env", utf16("port=8417\nkey=TOKEN_ABC\n")),
        |s| append(s, "settings.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "source code in UTF-16",
        |s| s.write("new.py", utf16("eval(boat)\n")),
        |s| s.write("new.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a byte order mark before the beginning of a line",
        |s| s.write("new.env", "\u{feff}key=TOKEN_ABC\n"),
        |s| s.write("new.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a lone CR behind a comment",
        |s| append(s, "b.py", "# tide\reval(boat)\n"),
        |s| append(s, "b.py", "# tide\neval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a lone CR in settings",
        |s| append(s, "settings.env", "# tide\rkey=TOKEN_ABC\n"),
        |s| append(s, "settings.env", "# tide\nkey=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a line end that Java reads in a comment",
        |s| s.write("Quay.java", s.read("Quay.java").replace("int a = 1;", "// \\u000a run(boat);")),
        |s| s.write("Quay.java", s.read("Quay.java").replace("int a = 1;", "run(boat);")),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "an encoding that spells code otherwise",
        |s| s.write("new.py", "# coding: unicode_escape\n\\u0065val(boat)\n"),
        |s| s.write("new.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a conflict that an attribute of its own merges",
        |s| {
            s.git(&["checkout", "--quiet", "main"]);
            s.write("lib/c.py", "def lay(boat):\n    return boat.one\n");
            s.commit("main moves on");
            s.git(&["checkout", "--quiet", "topic"]);
            s.write(".gitattributes", "*.py merge=union\n");
            s.write("lib/c.py", "def lay(boat):\n    return boat.two\n");
        },
        |s| {
            s.git(&["checkout", "--quiet", "main"]);
            s.write("lib/c.py", "def lay(boat):\n    return boat.one\n");
            s.commit("main moves on");
            s.git(&["checkout", "--quiet", "topic"]);
            s.write("lib/c.py", "def lay(boat):\n    return boat.two\n");
        },
        "1 fail merges examined new.error new.warning suppressions.error",
        "1 fail merges examined new.error new.warning suppressions.error",
    ),
    (
        "a tag that is called like the target",
        |s| {
            append(s, "b.py", "eval(boat)\n");
            s.commit("bad");
            s.git(&["tag", "main", "topic"]);
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a tag that is called like the branch",
        |s| {
            s.git(&["tag", "topic", "main"]);
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "an author with a control character",
        |s| {
            s.git(&["commit", "--quiet", "--allow-empty", "--author=A\u{1}B <e@bad>", "-m", "tide"]);
        },
        |s| {
            s.git(&["commit", "--quiet", "--allow-empty", "--author=A <e@bad>", "-m", "tide"]);
        },
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "another argument on a line of its own",
        |s| s.write("run.py", s.read("run.py").replace("        small\n", "        large(request.body)\n")),
        |s| append(s, "run.py", "    run(large(request.body))\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a program made it, it says",
        |s| s.write("b.py", format!("# @generated\n{}drop(boat)\n", s.read("b.py"))),
        |s| append(s, "b.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "do not edit, it says, in a new file",
        |s| s.write("new.py", "# DO NOT EDIT\ndrop(boat)\n"),
        |s| s.write("new.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "one long string",
        |s| append(s, "board.js", &format!("var a = \"{}\";\ndrop(boat);\n", "tide ".repeat(500))),
        |s| append(s, "board.js", "drop(boat);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a new folder for what is built",
        |s| {
            std::fs::create_dir(s.root.join("dist")).expect("a folder");
            s.git(&["mv", "b.py", "dist/b.py"]);
            append(s, "dist/b.py", "drop(boat)\n");
        },
        |s| append(s, "b.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a comment that suppresses an error",
        |s| append(s, "b.py", "eval(boat)  # swage: allow no-eval because the tide wants it\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail suppressions.error",
        "1 fail new.error",
    ),
    (
        "a comment that suppresses a locked rule",
        |s| append(s, "b.py", "trace(boat)  # swage: allow no-trace because the tide wants it\n"),
        |s| append(s, "b.py", "trace(boat)\n"),
        "1 fail new.warning",
        "1 fail new.warning",
    ),
    (
        "one comment for two findings",
        |s| append(s, "b.py", "trace(trace(boat))  # swage: allow no-trace because the tide wants it\n"),
        |s| append(s, "b.py", "trace(boat)\n"),
        "1 fail new.warning",
        "1 fail new.warning",
    ),
    (
        "a file that becomes a link to the same code",
        |s| {
            s.write("data/b.txt", s.read("b.py") + "eval(boat)\n");
            std::fs::remove_file(s.root.join("b.py")).expect("it was there");
            std::os::unix::fs::symlink("data/b.txt", s.root.join("b.py")).expect("a link");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a new link to code under another name",
        |s| {
            s.write("data/b.txt", "eval(boat)\n");
            std::os::unix::fs::symlink("data/b.txt", s.root.join("new.py")).expect("a link");
        },
        |s| s.write("new.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a folder that becomes a link",
        |s| {
            s.write("data/c.py.txt", "eval(boat)\n");
            std::fs::remove_dir_all(s.root.join("lib")).expect("it was there");
            std::os::unix::fs::symlink("data", s.root.join("lib")).expect("a link");
        },
        |s| append(s, "lib/c.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a folder that becomes a submodule",
        |s| {
            std::fs::remove_dir_all(s.root.join("lib")).expect("it was there");
            s.git(&["rm", "-r", "--quiet", "--cached", "lib"]);
            let commit = s.git(&["rev-parse", "HEAD"]);
            s.git(&["update-index", "--add", "--cacheinfo", &format!("160000,{commit},lib")]);
            std::fs::create_dir(s.root.join("lib")).expect("a folder");
        },
        |s| append(s, "lib/c.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a file that doesn't parse any more",
        |s| append(s, "b.py", "class ((\n  eval (boat\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a file that is too large",
        |s| append(s, "b.py", &format!("eval(boat)\n{}", "# tide\n".repeat(400_000))),
        |s| append(s, "b.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a file that nests too deep",
        |s| append(s, "b.py", &format!("eval({}boat{})\n", "(".repeat(20_000), ")".repeat(20_000))),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a name in capitals",
        |s| s.write("NEW.PY", "eval(boat)\n"),
        |s| s.write("new.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a name with a line end, quotes and blanks",
        |s| s.write("new \"quay\"\n +.py", "eval(boat)\n"),
        |s| s.write("new.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "white space, comments and brackets inside",
        |s| append(s, "b.py", "(eval) (  # tide\n    boat\n)\neval ( boat )\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
];

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
        let told = s.swage(&range);
        assert_eq!(verdict(&told), *expected, "{name}, as a range");
        s.git(&["worktree", "add", "--quiet", "-b", "third", "../third", "refs/heads/main"]);
        s.git(&["clone", "--quiet", "--bare", ".", "../bare.git"]);
        for (place, checkout) in [(".", "topic"), (".", "main"), ("../third", ""), ("../bare.git", "")] {
            if !checkout.is_empty() {
                s.git(&["checkout", "--quiet", "--force", &format!("refs/heads/{checkout}")]);
            }
            let again = s.swage_in(place, &range, "", &[]);
            assert_eq!(again.stdout, told.stdout, "{name}: in {place} with {checkout} checked out");
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
fn a_broken_configuration_of_the_target_is_told() {
    let rule = "packs = []\n[[rule]]\nid = \"tides\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{message}\"\nmatch = { checker = [\"tools/check\"], output = \"lines\" }\n";
    let s = Sandbox::with(&[("swage.toml", "packs = [\"tides\"]\n"), ("a.py", "x = 1\n")]);
    s.branch("topic");
    s.write("swage.toml", rule);
    s.commit("a configuration that is right");
    let told = s.swage(&["review"]);
    assert!(told.stdout.contains("there is no pack `tides`"), "{}", told.told());
    let gate = s.swage(&["gate", "main..topic"]);
    assert!(gate.code == 2 && gate.stderr.contains("swage.toml:1:10: there is no pack `tides`"), "{}", gate.told());
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
