//! The program as a citizen of the shell: help, completions, pipes, files, configuration in layers.

mod common;
use common::{CONFIG, Sandbox};

#[test]
fn help_tells_what_to_do() {
    let s = Sandbox::bare_folder();
    let mut rendered = String::new();
    for args in [&["--help"][..], &["review", "--help"], &["gate", "--help"], &["rules", "--help"], &["post", "--help"]]
    {
        let ran = s.swage(args);
        assert_eq!(ran.code, 0);
        rendered += &format!("$ swage {}\n{}\n", args.join(" "), ran.stdout);
    }
    insta::assert_snapshot!(rendered);
    for command in ["review", "gate", "compare", "scan", "post", "init", "demo"] {
        assert!(s.swage(&[command, "--help"]).stdout.contains("Example"), "{command} --help shows no example");
    }
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let script = s.swage(&["completions", shell]);
        assert!(script.code == 0 && script.stdout.contains("SWAGE_COMPLETE"), "{shell}");
    }
    for wrong in [&["reveiw"][..], &["review", "--staged", "--committed"], &["review", "--format", "xml"], &["post"]] {
        assert_eq!(s.swage(wrong).code, 2, "{wrong:?}");
    }
}

#[test]
fn output_goes_to_files_whole_and_to_pipes_quietly() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", &"bad(1)\n".repeat(20_000))]);
    let ran = s.swage(&["scan", "--output", "found.txt", "--color", "always"]);
    assert_eq!((ran.code, ran.stdout.as_str()), (0, ""), "{}", ran.rendered());
    let written = s.read("found.txt");
    assert!(written.contains("20000 errors") && !written.contains('\u{1b}'));
    // A reader that goes away early is no failure.
    let program = env!("CARGO_BIN_EXE_swage");
    let script = format!("'{program}' scan --format lines --no-cache; echo \"exit $?\" >&2");
    let output =
        std::process::Command::new("sh").current_dir(&s.root).args(["-c", &format!("({script}) | head -n 1")]).output();
    let output = output.expect("a shell");
    assert_eq!(String::from_utf8_lossy(&output.stderr), "exit 0\n");
    // A file that can't be replaced stays as it was.
    s.write("kept/found.txt", "mine");
    assert_eq!(s.swage(&["scan", "--output", "kept"]).code, 3);
    assert_eq!(s.read("kept/found.txt"), "mine");
}

fn rule(id: &str, word: &str, severity: &str) -> String {
    format!(
        "[[rule]]\nid = \"{id}\"\nseverity = \"{severity}\"\ntitle = \"t\"\nmessage = \"{{match}}\"\nskip_paths = [\".swage/**\"]\nmatch = {{ text = \"{word}\" }}\n"
    )
}

#[test]
fn configuration_in_layers() {
    let s = Sandbox::with(&[("a.txt", "alpha\nbeta\ngamma\ndelta\n")]);
    s.write("swage.toml", format!("packs = []\nextends = [\"../house.toml\"]\n{}", rule("near", "alpha", "note")));
    s.write(
        "../house.toml",
        format!("extends = [\"house/more.toml\"]\n{}{}", rule("near", "beta", "error"), rule("house", "beta", "error")),
    );
    s.write("../house/more.toml", rule("more", "gamma", "warning"));
    s.write(".swage/rules/own.toml", rule("own", "delta", "note"));
    let lines = |s: &Sandbox| {
        s.swage(&["scan", "--format", "lines"])
            .rendered()
            .lines()
            .filter(|l| l.starts_with("a.txt"))
            .collect::<Vec<_>>()
            .join("\n")
    };
    // The nearer rule replaces the farther one of the same id.
    insta::assert_snapshot!(lines(&s), @r"
    a.txt:1:1: note: alpha [near]
    a.txt:2:1: error: beta [house]
    a.txt:3:1: warning: gamma [more]
    a.txt:4:1: note: delta [own]
    ");
    // The gate reads them from the target, and the house's rules from beside the repository.
    s.commit("rules");
    s.branch("topic");
    s.write("a.txt", "alpha\nbeta\ngamma\ndelta\nbeta\n");
    let gate = s.swage(&["gate", "--format", "json"]);
    assert_eq!((gate.code, gate.json()["counts"]["new"]["error"].as_u64()), (1, Some(1)), "{}", gate.rendered());

    let mut rendered = String::new();
    let mut broken =
        |name: &str, s: &Sandbox| rendered += &format!("# {name}\n{}\n\n", s.swage(&["rules", "list"]).rendered());
    s.write(".swage/rules/twin.toml", rule("own", "x", "note"));
    broken("one id in two files of one's own", &s);
    std::fs::remove_file(s.root.join(".swage/rules/twin.toml")).expect("removed");
    s.write("../house/more.toml", "extends = [\"../house.toml\"]\n");
    broken("a circle", &s);
    s.write("../house/more.toml", "extends = [\"nowhere.toml\"]\n");
    broken("a missing file", &s);
    s.write("../house/more.toml", "packs = []\n");
    broken("settings where only rules may stand", &s);
    s.write("../house/more.toml", b"\xff\xfe");
    broken("not UTF-8", &s);
    s.write("swage.toml", "packs = [\"leftover\"]\n");
    broken("an unknown pack", &s);
    insta::assert_snapshot!(rendered);
}

#[test]
fn scans_of_folders_revisions_and_trees() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "bad(1)\n"), (".gitignore", "out/\n")]);
    s.write("b.py", "bad(2)\n");
    s.write("out/c.py", "bad(3)\n");
    let lines = |args: &[&str]| {
        let ran = s.swage(&[&["scan", "--format", "lines"], args].concat());
        assert_eq!(ran.code, 0, "{}", ran.rendered());
        ran.stdout.lines().map(|l| l.split(':').next().unwrap_or_default().to_owned()).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(lines(&[]), "a.py b.py");
    assert_eq!(lines(&["main"]), "a.py");
    assert_eq!(lines(&["--tree", ".", "--config", "swage.toml"]), "a.py b.py out/c.py");
    let outside = Sandbox::bare_folder();
    outside.write("swage.toml", CONFIG);
    outside.write("deep/er/d.py", "bad(4)\n");
    assert_eq!(
        outside.swage(&["scan", "--format", "lines"]).stdout,
        "deep/er/d.py:1:1: error: `bad(4)` is bad. [no-bad]\n"
    );
    // Modes, submodules and links are listed with a review.
    s.git(&["init", "--quiet", "../lib"]);
    s.git(&["-C", "../lib", "commit", "--quiet", "--allow-empty", "-m", "lib"]);
    s.git(&["-c", "protocol.file.allow=always", "submodule", "--quiet", "add", "../lib", "lib"]);
    s.git(&["update-index", "--chmod=+x", "a.py"]);
    let json = s.swage(&["review", "--staged", "--format", "json"]).json();
    let files: Vec<String> = json["files"]
        .as_array()
        .expect("files")
        .iter()
        .map(|f| format!("{} {} {}", f["new_path"], f["kind"], f["why_not"]))
        .collect();
    insta::assert_snapshot!(files.join("\n"), @r#"
    ".gitmodules" "added" "no rule applies to it"
    "a.py" "mode" null
    "lib" "added" "it is a submodule, whose content isn't examined"
    "#);
}

/// Neither the number of threads nor the order in which rule files are read shows in the result.
#[test]
fn the_same_inputs_give_the_same_bytes() {
    let rule = |id: &str, word: &str| {
        format!(
            "[[rule]]\nid = \"{id}\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{{match}}\"\nskip_paths = [\".swage/**\"]\nmatch = {{ text = \"{word}\" }}\n"
        )
    };
    let link = "[[rule]]\nid = \"once\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{X}\"\nskip_paths = [\".swage/**\"]\n[rule.match]\neach = \"a\"\nunique = true\ncollect.a.text = \"(?P<X>low|high)\"\n";
    let mut results: Vec<String> = Vec::new();
    for order in [["1", "2", "3"], ["3", "1", "2"], ["2", "3", "1"]] {
        let s = Sandbox::with(&[("swage.toml", "packs = [\"leftovers\", \"names\"]\n"), ("a.txt", "low\n")]);
        let parts = [rule("low", "low"), rule("low-again", "lo[w]"), link.to_owned()];
        for (name, part) in order.iter().zip(&parts) {
            s.write(&format!(".swage/rules/{name}.toml"), part);
        }
        s.commit("rules");
        s.branch("topic");
        for n in 0..40 {
            s.write(&format!("tide/{n}.txt"), "low high low\n");
            s.write(&format!("tide/{n}.py"), "import os\n# x = low(1)\nprint(high)\n");
        }
        for args in [&["--threads", "1"][..], &["--threads", "8"], &["--no-cache"], &[]] {
            let ran = s.swage(&[&["review", "--format", "json"], args].concat());
            // The files of the rules are named in the order in which they were read.
            let mut json = ran.json();
            json["rules_from"] = serde_json::Value::Null;
            json["change"] = serde_json::Value::Null;
            results.push(json.to_string());
        }
    }
    assert!(results[0].contains("tide/39.py") && results[0].contains("unused-import"));
    for other in &results {
        let same = results[0].chars().zip(other.chars()).take_while(|(a, b)| a == b).count();
        let from = |text: &str| text.chars().skip(same.saturating_sub(200)).take(400).collect::<String>();
        assert!(*other == results[0], "{}\nand\n{}", from(&results[0]), from(other));
    }
}

#[test]
fn manual_pages_and_completions_are_written_for_packagers() {
    let s = Sandbox::bare_folder();
    for _ in 0..2 {
        let ran = s.swage(&["man", "share"]);
        assert_eq!(ran.code, 0, "{}", ran.rendered());
    }
    let help = s.swage(&["--help"]).stdout;
    let commands = help.split("Commands:").nth(1).and_then(|rest| rest.split("\n\n").next()).expect("the commands");
    let named = commands.lines().filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    let words = named.filter_map(|line| line.split_whitespace().next());
    let commands: Vec<&str> = words.filter(|command| *command != "help").collect();
    assert!(commands.len() > 8, "{help}");
    for command in commands {
        let page = s.read(&format!("share/man/man1/swage-{command}.1"));
        assert!(page.contains(".SH NAME") && page.contains(".SH DESCRIPTION"), "{command}: {page}");
    }
    for script in ["swage.bash", "_swage", "swage.fish", "_swage.ps1", "swage.elv"] {
        assert!(s.read(&format!("share/completions/{script}")).contains("SWAGE_COMPLETE"), "{script} asks");
    }
    s.write("file", "");
    let ran = s.swage(&["man", "file/below"]);
    assert_eq!(ran.code, 3, "{}", ran.rendered());
}

/// What the scripts of shells ask for.
#[test]
fn shells_complete_what_there_is() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "x = 1\n")]);
    s.branch("winter-times");
    let cases: [(&[&str], &str); 6] = [
        (&["rul"], "rules"),
        (&["rules", "show", "no-b"], "no-bad"),
        (&["review", "--rule", "no-b"], "no-bad"),
        (&["gate", "--target", "win"], "winter-times"),
        (&["rules", "try", "X", "--language", "pyt"], "python"),
        (&["review", "--format", "sar"], "sarif"),
    ];
    for (words, expected) in cases {
        let index = words.len().to_string();
        let env = [("SWAGE_COMPLETE", "bash"), ("_CLAP_COMPLETE_INDEX", index.as_str()), ("_CLAP_IFS", "\n")];
        let ran = s.swage_in(".", &[&["--", "swage"], words].concat(), "", &env);
        assert_eq!(ran.stdout.trim(), expected, "{words:?}: {}", ran.rendered());
    }
}

/// Files and folders behind `--` are named from the current folder on, and choose what is shown in every form.
#[test]
fn paths_choose_what_is_shown() {
    let s = Sandbox::with(&[
        ("swage.toml", CONFIG),
        ("a.py", "a = 1\n"),
        ("sub/b.py", "b = 1\n"),
        ("sub/deep/c.py", "c = 1\n"),
    ]);
    for path in ["a.py", "sub/b.py", "sub/deep/c.py"] {
        s.write(path, "bad(1)\n");
    }
    for (folder, paths, shown) in [
        (".", &[][..], "a.py sub/b.py sub/deep/c.py"),
        (".", &["sub"], "sub/b.py sub/deep/c.py"),
        (".", &["a.py", "sub/deep/"], "a.py sub/deep/c.py"),
        (".", &["sub/b"], ""),
        ("sub", &["."], "sub/b.py sub/deep/c.py"),
        ("sub", &["../a.py", "deep"], "a.py sub/deep/c.py"),
        ("sub", &[".."], "a.py sub/b.py sub/deep/c.py"),
    ] {
        let args = [&["review", "--format", "lines", "--"], paths].concat();
        let ran = s.swage_in(folder, &args, "", &[]);
        let files: Vec<&str> = ran.stdout.lines().filter_map(|line| Some(line.split_once(':')?.0)).collect();
        assert_eq!(files.join(" "), shown, "{folder} {paths:?}: {}", ran.rendered());
    }
}

/// What can't be shown is a failure; a reader that has seen enough is none.
#[test]
fn output_that_goes_nowhere_is_reported() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "a = 1\n")]);
    s.write("a.py", "bad(1)\n");
    for (form, to, code) in [
        ("review", ">&-", 3),
        ("review --format json", ">&-", 3),
        ("rules list", ">&-", 3),
        ("review", "> /dev/full", 3),
        ("review --format json", "> /dev/full", 3),
        ("review --format sarif --output a.sarif", ">&-", 0),
        ("review", "> /dev/null", 0),
        ("review --format json", "<&- > /dev/null", 0),
        ("rules list --languages", "| head -n 1", 0),
    ] {
        let script = format!("set -o pipefail; '{}' {form} {to}", env!("CARGO_BIN_EXE_swage"));
        let mut shell = std::process::Command::new("bash");
        shell.args(["-c", &script]).current_dir(&s.root).env_clear().envs(s.environment());
        let output = shell.output().expect("bash runs");
        let rendered = String::from_utf8_lossy(&output.stderr);
        assert_eq!(output.status.code(), Some(code), "{form} {to}: {rendered}");
        assert_eq!(rendered.contains("standard output"), code == 3, "{form} {to}: {rendered}");
    }
}

/// Many findings begin with what they come to, a rule that fires again and again shows a few, and what a change takes away is marked
/// where it was.
#[test]
fn many_findings_are_summarised_first() {
    let gone = "[[rule]]\nid = \"kept-gone\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"gone\"\nside = \"old\"\nlanguages = [\"python\"]\nmatch = { code = \"kept(X)\", holes.X = {} }\n";
    let s = Sandbox::with(&[("swage.toml", &format!("{CONFIG}{gone}")), ("a.py", "kept(1)\n")]);
    s.branch("topic");
    s.write("a.py", (0..25).map(|n| format!("bad({n})\n")).collect::<String>());
    s.commit("topic");
    let ran = s.swage(&["gate", "main..topic"]);
    let place = |text: &str| ran.stdout.find(text).unwrap_or_else(|| panic!("no {text:?}: {}", ran.rendered()));
    let order = ["New: ", "25 errors", "Verdict: fail", "rule ", "no-bad", "`bad(0)`", "`bad(9)`", "15 more of no-bad"];
    assert!(order.windows(2).all(|pair| place(pair[0]) < place(pair[1])), "{}", ran.rendered());
    assert!(!ran.stdout.contains("`bad(10)`") && ran.stdout.contains("  ▸    1 - kept(1)"), "{}", ran.rendered());
    let all = s.swage(&["review", "main..topic", "--all"]).stdout;
    assert!(all.contains("`bad(24)`") && !all.contains(" more of "), "{all}");
    let few = s.swage(&["review", "main..topic", "--rule", "kept-gone"]).stdout;
    assert!(few.contains("25 findings left out") && !few.contains("rule "), "{few}");
}
