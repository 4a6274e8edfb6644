//! What goes wrong on the way, and how grave it is.

mod common;
use common::{CONFIG, Sandbox};

/// Each mistake with the message and the exit code.
#[test]
fn mistakes_are_reported_with_a_remedy() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "a = 1\n")]);
    let outside = Sandbox::bare_folder();
    let unborn = Sandbox::new();
    unborn.write("a.py", "bad(1)\n");
    let mut rendered = String::new();
    let mut show = |name: &str, ran: common::Ran| rendered += &format!("# {name}\n{}\n\n", ran.rendered());
    show("a bad revision", s.swage(&["review", "main..nowhere"]));
    show("no range", s.swage(&["review", "main"]));
    show("a missing target", s.swage(&["review", "--target", "nowhere"]));
    show("no repository", outside.swage(&["review"]));
    show("no git", s.swage_in(".", &["review", "--uncommitted"], "", &[("PATH", "/nowhere")]));
    show("no commit yet", unborn.swage(&["review", "--format", "lines"]));
    s.git(&["clone", "--quiet", "--bare", ".", "bare.git"]);
    for (name, args) in [("unsaved work", &["review"][..]), ("a scan", &["scan"]), ("to be set up", &["init"])] {
        show(&format!("{name} in a bare repository"), s.swage_in("bare.git", args, "", &[]));
    }
    std::fs::remove_dir_all(s.root.join("bare.git")).expect("removed");
    show("a folder and a revision", s.swage(&["compare", "main", "swage.toml"]));
    show(
        "a tree that is a file",
        s.swage_in(".", &["review", "--patch", "-", "--tree", "a.py", "--allow-empty"], "", &[]),
    );
    show("a missing description", s.swage(&["review", "--description", "nowhere.txt"]));
    show("a missing patch", s.swage(&["review", "--patch", "nowhere.diff"]));
    show("a truncated patch", s.swage_in(".", &["review", "--patch", "-"], "--- a\n+++ b\n@@ -1,3 +1 @@\n-x\n", &[]));
    show(
        "a patch that doesn't fit",
        s.swage_in(
            ".",
            &["review", "--patch", "-", "--tree", "."],
            "--- a/a.py\n+++ b/a.py\n@@ -1 +1 @@\n-z\n+y\n",
            &[],
        ),
    );
    show("the gate on a patch", s.swage(&["gate", "--patch", "-"]));
    show("an unknown rule", s.swage(&["rules", "show", "no-bat"]));
    show("a missing configuration", s.swage(&["review", "--config", "nowhere.toml"]));
    show(
        "posting without a token",
        s.swage(&["post", "--host", "http://127.0.0.1:1/git/ferry.git", "--proposal", "1"]),
    );
    show(
        "a host that is down",
        s.swage_in(
            ".",
            &["post", "--host", "http://127.0.0.1:1/git/ferry.git", "--proposal", "1"],
            "",
            &[("SWAGE_TOKEN", "t")],
        ),
    );
    show(
        "an address that is none",
        s.swage_in(".", &["post", "--host", "nowhere", "--proposal", "1"], "", &[("SWAGE_TOKEN", "t")]),
    );
    show("an output that can't be written", s.swage(&["review", "--output", "/nowhere/out"]));
    s.write("swage.toml", "pakcs = []\n[[rule]]\nid = \"x\"\n");
    show("a wrong configuration", s.swage(&["review"]));
    insta::assert_snapshot!(rendered);
}

#[test]
fn shallow_history_is_reported() {
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
    assert_eq!(ran.code, 2, "{}", ran.rendered());
    assert!(
        ran.stderr.contains("no common ancestor in this shallow clone") && ran.stderr.contains("git fetch --unshallow"),
        "{}",
        ran.rendered()
    );
}

/// What is done to a repository.
type Damage = fn(&Sandbox);

#[test]
fn a_broken_repository_is_no_missing_one() {
    let cases: [(Damage, &str); 4] = [
        (|s| s.write(".git/config", "[core\n"), "the repository can't be read: fatal: bad config line 1"),
        (
            |s| std::fs::remove_file(s.root.join(".git/HEAD")).expect("removed"),
            "and git doesn't take it for a repository",
        ),
        (
            |s| std::fs::remove_dir_all(s.root.join(".git/objects")).expect("removed"),
            "git doesn't take it for a repository",
        ),
        (
            |s| {
                std::fs::remove_dir_all(s.root.join(".git/objects")).expect("removed");
                s.write(".git/objects/info/none", "");
            },
            "HEAD names a commit that isn't there",
        ),
    ];
    for (damage, expected) in cases {
        let s = Sandbox::with(&[("a.py", "a = 1\n")]);
        damage(&s);
        for ran in [s.swage(&["review"]), s.swage(&["review", "--uncommitted"])] {
            assert!(ran.code == 3 && ran.stderr.contains(expected), "{expected}: {}", ran.rendered());
            assert!(ran.stderr.contains("`git fsck`"), "{expected}: {}", ran.rendered());
        }
        let gate = s.swage(&["gate", "--target", "main"]);
        assert!(gate.code == 3 && gate.stdout.is_empty(), "{expected}: {}", gate.rendered());
    }
    let s = Sandbox::with(&[("swage.toml", "[limits]\npatch_size = \"20 B\"\n"), ("a.py", "a = 1\n")]);
    let diff = "--- a/a.py\n+++ b/a.py\n@@ -1 +1 @@\n-a = 1\n+a = 2\n";
    let ran = s.swage_in(".", &["review", "--patch", "-"], diff, &[]);
    assert!(ran.code == 2 && ran.stderr.contains("raise `patch_size` under [limits]"), "{}", ran.rendered());
    s.write("swage.toml", "[limits]\npatch_size = 20\n");
    let ran = s.swage_in(".", &["review", "--patch", "-"], diff, &[]);
    assert!(ran.stderr.contains("`patch_size` must be a size such as \"2 MiB\", not 20"), "{}", ran.rendered());
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
        assert_eq!(ran.code, 2, "{}", ran.rendered());
        assert!(ran.stderr.contains("belongs to another user") && ran.stderr.contains(advice), "{}", ran.rendered());
        assert!(ran.stdout.is_empty(), "{}", ran.rendered());
    }
}

#[test]
fn verbose_says_what_took_the_time() {
    let s = Sandbox::with(&[("swage.toml", "packs = [\"leftovers\"]\n"), ("a.py", "import os\n\nbreakpoint()\n")]);
    let cache_misses = |ran: &common::Ran| {
        for part in ["examined", "slow file file=a.py", "slow rule, alone on those files rule="] {
            assert!(ran.stderr.contains(part), "{part} is missing in {}", ran.rendered());
        }
        assert!(!ran.stderr.contains('\u{1b}'), "colours away from a terminal: {}", ran.rendered());
        let count = ran.stderr.split("cache_misses=").nth(1).and_then(|rest| rest.split_whitespace().next());
        count.and_then(|n| n.parse::<u32>().ok()).unwrap_or_else(|| panic!("no count in {}", ran.rendered()))
    };
    let cold = cache_misses(&s.swage(&["scan", "main", "--verbose"]));
    let warm = cache_misses(&s.swage(&["scan", "main", "--verbose"]));
    assert!(cold > 0 && warm == 0, "cold {cold}, warm {warm}");
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
    assert!(refused.code == 2 && refused.stderr.contains("is empty"), "{}", refused.rendered());
    assert_eq!(empty(&["--allow-empty"]).code, 0);
}

/// What the call or the configuration names and isn't so: the place, the cause and the remedy.
#[test]
fn wrong_names_and_values_are_reported_with_their_place() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "a = 1\n"), ("d/a.txt", "tide\n")]);
    std::fs::write(s.root.join("bad.toml"), b"\xff\n").expect("written");
    let cases: &[(&[&str], &str)] = &[
        (
            &["rules", "show", "guessable-secret"],
            "the rule `guessable-secret` is in the pack `data`, which is off\nName the pack under `packs`",
        ),
        (&["rules", "show", "no-bat"], "no rule `no-bat` is on; did you mean `no-bad`?\n`swage rules list` lists"),
        (&["review", "--rule", "no-bat"], "no rule `no-bat` is on; did you mean `no-bad`?\n`swage rules list` lists"),
        (&["scan", "--rule", "no-bat", "--format", "json"], "did you mean `no-bad`?"),
        (
            &["review", "--proposal", "abc"],
            "invalid value 'abc' for '--proposal <N>': a whole number is wanted, 0 or more",
        ),
        (&["show", "-1"], "unexpected argument '-1'"),
    ];
    for (args, expected) in cases {
        let ran = s.swage(args);
        assert!(ran.code == 2 && ran.stderr.contains(expected), "{args:?}: {}", ran.rendered());
    }
    for (extends, why) in [
        ("d", "swage.toml:2:12: d: Is a directory"),
        ("bad.toml", "swage.toml:2:12: bad.toml isn't UTF-8, as TOML must be"),
        ("git:a.toml@1234567", "swage.toml:2:12: git:a.toml@1234567: there is no such commit here"),
    ] {
        s.write("swage.toml", format!("packs = []\nextends = [\"{extends}\"]\n"));
        let ran = s.swage(&["review"]);
        let remedy = "name a file of rules in TOML that can be read";
        assert!(ran.code == 2 && ran.stderr.contains(why) && ran.stderr.contains(remedy), "{}", ran.rendered());
    }
    s.write("swage.toml", CONFIG.replace("severity = \"error\"", "severty = \"error\""));
    let rendered = s.swage(&["review"]).stderr;
    assert!(
        rendered.contains("a mistake") && rendered.contains("did you mean `severity`?"),
        "one mistake, once: {rendered}"
    );
    s.write("swage.toml", CONFIG);
    let named: [(&[&str], &str); 6] = [
        (&["fix", "--rule", "no-bat"], "no rule `no-bat` is on"),
        (&["handoff", "--rule", "no-bat"], "no rule `no-bat` is on"),
        (&["scan", "--baseline", "nowhere.json"], "nowhere.json can't be read: No such file"),
        (&["scan", "d"], "`d` is a folder, and a scan takes a revision"),
        (&["rules", "try", "bad(1)", "--language", "python", "nowhere.py"], "nowhere.py can't be read: No such file"),
        (&["brief", "--points", "d"], "d can't be read: Is a directory"),
    ];
    for (args, expected) in named {
        let ran = s.swage(args);
        assert!(ran.code == 2 && ran.stderr.contains(expected), "{args:?}: {}", ran.rendered());
    }
    let token = [("SWAGE_TOKEN", "a\nb")];
    let ran = s.swage_in(".", &["inbox", "--host", "http://127.0.0.1:9/git/x.git"], "", &token);
    assert!(ran.code == 2 && ran.stderr.contains("SWAGE_TOKEN holds a line end"), "{}", ran.rendered());
}
