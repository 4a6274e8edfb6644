//! Every way to name a change gives the right findings, from any place.

mod common;
use common::{CONFIG, Sandbox};

/// `path:line state` of every finding that isn't unchanged, and the files with their kinds.
fn rendered(ran: &common::Ran) -> String {
    assert_eq!(ran.code, 0, "{}", ran.rendered());
    let json = ran.json();
    let text = |v: &serde_json::Value| v.as_str().unwrap_or_default().to_owned();
    let findings = json["findings"].as_array().expect("findings").iter().filter(|f| f["state"] != "unchanged");
    let mut out: Vec<String> = findings
        .map(|f| format!("{}:{} {}", text(&f["anchor"]["path"]), f["anchor"]["start_line"], text(&f["state"])))
        .collect();
    out.extend(
        json["files"]
            .as_array()
            .expect("files")
            .iter()
            .map(|f| format!("{}={}", text(&f["new_path"]), text(&f["kind"]))),
    );
    out.join(" ")
}

fn ferry() -> Sandbox {
    let s = Sandbox::with(&[
        ("swage.toml", CONFIG),
        (".gitignore", "*.log\n"),
        ("a.py", "old()\nbad(1)\nold()\n"),
        ("b.py", "x = 1\ny = 2\nz = 3\nbad(2)\nv = 4\nw = 5\n"),
        ("sub/c.py", "c = 1\n"),
        ("icon.png", "\0\0"),
    ]);
    s.branch("topic");
    s.write("a.py", "new()\nold()\nbad(1)\nbad(3)\nold()\n");
    s.git(&["mv", "b.py", "sub/moved.py"]);
    s.commit("topic");
    s
}

#[test]
fn every_source_of_a_change() {
    let s = ferry();
    s.write("sub/staged.py", "bad(4)\n");
    s.git(&["add", "sub/staged.py"]);
    s.write("sub/c.py", "c = 1\nbad(5)\n");
    s.write("sub/untracked.py", "bad(6)\n");
    s.write("ignored.log", "bad(7)\n");
    let committed = "a.py:4 new a.py=modified sub/moved.py=renamed";
    let cases: &[(&[&str], &str)] = &[
        (
            &[],
            "a.py:4 new sub/c.py:2 new sub/staged.py:1 new sub/untracked.py:1 new a.py=modified sub/c.py=modified sub/moved.py=renamed sub/staged.py=added sub/untracked.py=added",
        ),
        (&["--committed"], committed),
        (&["main..topic"], committed),
        (&["main...topic"], committed),
        (&["main..."], committed),
        (&["topic..main"], "a.py:4 absent a.py=modified b.py=renamed"),
        (&["--staged"], "sub/staged.py:1 new sub/staged.py=added"),
        (
            &["--uncommitted"],
            "sub/c.py:2 new sub/staged.py:1 new sub/untracked.py:1 new sub/c.py=modified sub/staged.py=added sub/untracked.py=added",
        ),
    ];
    for (args, expected) in cases {
        let args: Vec<&str> = [&["review", "--format", "json"], *args].concat();
        // From the root, from a folder below, with 1 thread and with 8, with a cold, a warm and no cache.
        let first = s.swage(&args);
        assert_eq!(rendered(&first), *expected, "{args:?}");
        let json = s.swage(&args).stdout;
        for extra in [&["--threads", "1"][..], &["--threads", "8", "--no-cache"], &["--no-cache"]] {
            let again = s.swage_in("sub", &[&args, extra].concat(), "", &[]);
            assert_eq!(again.stdout, json, "{args:?} {extra:?}");
        }
    }
    // Nothing was touched: the index and the working tree are as they were.
    assert_eq!(s.git(&["status", "--porcelain"]), "M sub/c.py\nA  sub/staged.py\n?? sub/untracked.py");
}

#[test]
fn worktrees_and_bare_repositories() {
    let s = ferry();
    s.git(&["worktree", "add", "--quiet", "../linked", "topic", "--force"]);
    s.git(&["clone", "--quiet", "--bare", ".", "../bare.git"]);
    let args = ["review", "--format", "json", "--no-cache", "main..topic"];
    let expected = rendered(&s.swage(&args));
    assert_eq!(rendered(&s.swage_in("../linked/sub", &args, "", &[])), expected);
    s.write("../rules.toml", CONFIG);
    let bare = s.swage_in("../bare.git", &[&args[..], &["--config", "../rules.toml"]].concat(), "", &[]);
    assert_eq!(rendered(&bare), expected);
    // Objects may have longer names.
    std::fs::create_dir(s.root.join("../longer")).expect("made");
    let export = s.git(&["fast-export", "--all"]) + "\n";
    s.write("../export", export);
    s.git(&["init", "--quiet", "--object-format=sha256", "--initial-branch=main", "../longer"]);
    s.git(&["-C", "../longer", "-c", "alias.import=!git fast-import --quiet <../export", "import"]);
    s.git(&["-C", "../longer", "reset", "--quiet", "--hard"]);
    assert_eq!(rendered(&s.swage_in("../longer", &args, "", &[])), expected);
    assert_eq!(s.swage_in("../longer", &["gate", "main..topic"], "", &[]).code, 1);
    insta::assert_snapshot!(s.swage_in("../bare.git", &["review"], "", &[]).rendered(), @r"
    --- stderr ---
    swage: this repository has no working tree, so there is no unsaved work to review
    Give a range of revisions, such as main...topic.
    --- exit code 2 ---
    ");
    // The gate needs no working tree, and reads everything from the target.
    assert_eq!(s.swage_in("../bare.git", &["gate", "main..topic", "--format", "json"], "", &[]).code, 1);
}

#[test]
fn patches_with_and_without_a_tree() {
    let s = ferry();
    let patch = s.git(&["diff", "main", "topic"]) + "\n";
    s.write("../change.diff", &patch);
    let mail = s.git(&["format-patch", "--stdout", "main..topic"]) + "\n";
    let expected = "a.py:4 new a.py=modified sub/moved.py=renamed";
    let review =
        |args: &[&str], input: &str| s.swage_in(".", &[&["review", "--format", "json"], args].concat(), input, &[]);
    // The tree has the new files now, then the old ones.
    let after = review(&["--patch", "../change.diff", "--tree", "."], "");
    assert_eq!(rendered(&after), expected);
    assert!(after.json()["notes"].to_string().contains("after the change"));
    s.git(&["checkout", "--quiet", "main"]);
    let before = review(&["--patch", "-", "--tree", "."], &patch);
    assert_eq!(rendered(&before), expected);
    assert!(before.json()["notes"].to_string().contains("before the change"));
    assert_eq!(rendered(&review(&["--patch", "-", "--tree", "."], &mail)), expected);

    // A log of two commits over one file, newest first, is one change of it.
    s.branch("two");
    s.write("sub/c.py", "c = 1\nbad(1)\n");
    s.commit("one");
    s.write("sub/c.py", "d = 0\nc = 1\nbad(1)\n");
    s.commit("two");
    let log = s.git(&["log", "-p", "main.."]) + "\n";
    assert_eq!(rendered(&review(&["--patch", "-", "--tree", "."], &log)), "sub/c.py:3 new sub/c.py=modified");
    s.git(&["checkout", "--quiet", "main"]);
    assert_eq!(rendered(&review(&["--patch", "-", "--tree", "."], &log)), "sub/c.py:3 new sub/c.py=modified");

    // Without a tree: rules on lines run, the others are named.
    s.write("lines.toml", "packs = []\n[[rule]]\nid = \"shout\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = { text = \"bad\" }\n[[rule]]\nid = \"deep\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = { names = \"undefined\" }\n");
    let alone = review(&["--patch", "-", "--config", "lines.toml"], &patch);
    assert_eq!(rendered(&alone), expected);
    assert_eq!(alone.json()["not_run"][0]["rule"], "deep");

    // Hostile paths read nothing outside the tree.
    std::os::unix::fs::symlink("/etc", s.root.join("link")).expect("a link");
    for path in ["../change.diff", "/etc/hostname", "link/hostname", "sub/../a.py"] {
        let hostile = format!("--- {path}\n+++ {path}\n@@ -1 +1 @@\n-a\n+b\n");
        let ran = review(&["--patch", "-", "--tree", "."], &hostile);
        assert_eq!(ran.code, 2, "{}", ran.rendered());
        let refused =
            ["this path leads out of the tree", "so it isn't read"].iter().any(|why| ran.stderr.contains(why));
        assert!(refused, "{}", ran.rendered());
    }
}

#[test]
fn unusual_files() {
    let s = Sandbox::with(&[
        ("swage.toml", CONFIG),
        ("crlf.py", "a = 1\r\nbad(1)\r\n"),
        ("mode.py", "bad(1)\n"),
        ("gone.py", "bad(2)\n"),
    ]);
    s.git(&["config", "core.autocrlf", "input"]);
    s.branch("topic");
    s.write("crlf.py", "a = 1\r\nb = 2\r\nbad(1)\r\n");
    s.write(".gitattributes", "hidden.py -diff\n");
    s.write("hidden.py", "bad(3)\n");
    s.write("nul.py", "bad(4)\0\n");
    s.write("picture.png", "\0");
    s.write("no-newline.py", "bad(5)");
    s.git(&["update-index", "--chmod=+x", "mode.py"]);
    std::fs::remove_file(s.root.join("gone.py")).expect("removed");
    std::os::unix::fs::symlink("mode.py", s.root.join("link.py")).expect("a link");
    s.write("ha\u{308}fen \u{1b}[31m.py", "bad(6)\n");
    let ran = s.swage(&["review", "--format", "json"]);
    let json = ran.json();
    let files: Vec<String> = json["files"]
        .as_array()
        .expect("files")
        .iter()
        .map(|f| format!("{} {} {} {}", f["new_path"], f["kind"], f["examined"], f["why_not"]))
        .collect();
    insta::assert_snapshot!(files.join("\n"));
    let lines = s.swage(&["review", "--format", "lines"]);
    assert!(!lines.stdout.contains('\u{1b}'), "control characters reach the terminal");
    insta::assert_snapshot!(lines.stdout);
    // What a rule wants and can't examine keeps the gate from passing.
    s.commit("unusual");
    let gate = s.swage(&["gate", "--format", "json"]).json();
    let examined =
        gate["verdict"]["conditions"].as_array().expect("conditions").iter().find(|c| c["name"] == "examined").cloned();
    insta::assert_snapshot!(examined.unwrap_or_default().to_string());
}

#[test]
fn names_like_the_remote_target_hide_nothing() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "good(1)\n")]);
    s.git(&["update-ref", "refs/remotes/origin/main", "main"]);
    s.git(&["symbolic-ref", "refs/remotes/origin/HEAD", "refs/remotes/origin/main"]);
    s.branch("topic");
    s.write("a.py", "good(1)\nbad(2)\n");
    s.commit("bad");
    let findings = || s.swage(&["review", "--committed", "--format", "json"]).json()["findings"].clone();
    let control = findings();
    assert_eq!(control.as_array().map(Vec::len), Some(1), "control: {control}");
    s.git(&["branch", "origin/main", "topic"]);
    assert_eq!(findings(), control, "a branch");
    s.git(&["branch", "--delete", "--force", "origin/main"]);
    s.git(&["tag", "origin/main", "topic"]);
    assert_eq!(findings(), control, "a tag");
}
