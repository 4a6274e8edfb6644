//! What lies around a run: files that are no files, limits, hosts that go away, names and characters that mislead.

mod common;
use std::os::unix::fs::{FileTypeExt, PermissionsExt, symlink};
use std::process::Command;

use common::{CONFIG, Sandbox};

fn reviewed() -> Sandbox {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "x = 1\n")]);
    s.write("a.py", "bad(1)\n");
    s
}

#[test]
fn output_replaces_regular_files_only() {
    let s = reviewed();
    let review = |output: &str| s.swage(&["review", "--format", "lines", "--output", output]);
    let expected = "a.py:1:1: error: `bad(1)` is bad. [no-bad]\n";

    s.write("plain", "before");
    std::fs::set_permissions(s.root.join("plain"), std::fs::Permissions::from_mode(0o640)).expect("a file");
    symlink("plain", s.root.join("link")).expect("a link");
    assert_eq!(review("link").code, 0);
    assert_eq!(s.read("plain"), expected);
    let mode = s.root.join("plain").metadata().expect("a file").permissions().mode() & 0o777;
    assert_eq!(mode, 0o640, "the mode stays");
    assert!(s.root.join("link").symlink_metadata().expect("a link").is_symlink(), "the link stays");

    symlink("later", s.root.join("dangling")).expect("a link");
    assert_eq!(review("dangling").code, 0);
    assert_eq!(s.read("later"), expected, "where a link leads, a file is made");
    symlink("round", s.root.join("round")).expect("a link");
    assert_eq!(review("round").code, 3, "a link to itself leads nowhere");

    // A pipe that somebody reads gets the result and stays a pipe.
    let made = Command::new("mkfifo").arg(s.root.join("pipe")).status().expect("mkfifo runs");
    assert!(made.success());
    let path = s.root.join("pipe");
    let reader = std::thread::spawn(move || std::fs::read_to_string(path).expect("a pipe"));
    assert_eq!(review("pipe").code, 0);
    assert_eq!(reader.join().expect("it was read"), expected);
    assert!(s.root.join("pipe").metadata().expect("a pipe").file_type().is_fifo());

    let ran = s.swage(&["review", "--format", "lines", "--output", "/dev/stdout"]);
    assert_eq!((ran.stdout.as_str(), ran.code), (expected, 0));
    assert_eq!(review("/dev/null").code, 0);
    assert!(std::path::Path::new("/dev/null").metadata().expect("a device").file_type().is_char_device());
}

#[test]
fn only_regular_files_are_read() {
    let s = Sandbox::bare_folder();
    s.write("rules.toml", CONFIG);
    s.write("tree/b.py", "x = 1\n");
    assert!(Command::new("mkfifo").arg(s.root.join("tree/a.py")).status().expect("mkfifo runs").success());
    s.write("p.diff", "--- a/a.py\n+++ b/a.py\n@@ -1 +1 @@\n-x\n+y\n");
    let ran = s.swage(&["review", "--config", "rules.toml", "--patch", "p.diff", "--tree", "tree"]);
    assert_eq!(ran.code, 2, "{}", ran.rendered());
    assert!(ran.stderr.contains("a.py: it is no regular file, so it isn't read"), "{}", ran.rendered());
    let json = s.swage(&["scan", "--config", "rules.toml", "--tree", "tree", "--format", "json"]).json();
    assert_eq!(json["files"][0]["why_not"], "it can't be read: it is no regular file");
    assert_eq!(json["files"][0]["incomplete"], true);
}

#[test]
fn limits_are_reported() {
    let s = reviewed();
    let ran = s.swage(&["review", "--threads", "100000"]);
    assert_eq!(ran.code, 2, "{}", ran.rendered());
    assert!(ran.stderr.contains("256"), "{}", ran.rendered());

    // A limit on file sizes is an error of the write.
    let program = env!("CARGO_BIN_EXE_swage");
    let line = format!("ulimit -f 0; exec {program} review --output out.txt");
    let output = Command::new("sh").arg("-c").arg(line).current_dir(&s.root).output().expect("sh runs");
    let rendered = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(3), "{rendered}");
    assert!(rendered.contains("out.txt can't be written"), "{rendered}");

    // Several runs of any length over many arguments.
    let many = CONFIG.replace(
        "code = \"bad(ARGS)\", holes.ARGS = { many = true }",
        "code = \"bad(A, x, B, x, C, x, D, y)\", holes = { A = { many = true }, B = { many = true }, C = { many = true }, D = { many = true } }",
    );
    s.write("swage.toml", many);
    s.write("a.py", format!("bad({})\n", "x, ".repeat(12_000)));
    let json = s.swage(&["review", "--format", "json"]).json();
    let file = json["files"].as_array().expect("files").iter().find(|f| f["new_path"] == "a.py").expect("a.py");
    assert_eq!(file["incomplete"], true, "{file}");
    let why = file["why_not"].as_str().unwrap_or_default();
    assert!(why.starts_with("matching takes more than the allowed") && why.ends_with("in rule `no-bad`"), "{why}");

    // A filter that goes through the whole file for each of many matches.
    let whole = CONFIG.replace(
        "match = { code = \"bad(ARGS)\", holes.ARGS = { many = true } }",
        "match = { tree = '((module (expression_statement (call (identifier) @NAME))) @whole (#eq? @NAME \"bad\"))', not_encloses = { code = \"good(NAME)\", holes.NAME = {} } }",
    );
    s.write("swage.toml", whole);
    s.write("a.py", "bad(x)\n".repeat(12_000));
    let json = s.swage(&["review", "--format", "json"]).json();
    let file = json["files"].as_array().expect("files").iter().find(|f| f["new_path"] == "a.py").expect("a.py");
    assert!(file["why_not"].as_str().unwrap_or_default().ends_with("in rule `no-bad`"), "{file}");
}

#[test]
fn characters_that_mislead_are_shown() {
    let s = reviewed();
    let name = "quay\u{202e}\u{9b}31m\u{61c}\u{200b}.py";
    s.write(name, "bad('\u{9b}31m\u{200f}')\n");
    for format in ["json", "sarif", "lines", "human"] {
        let out = s.swage(&["review", "--format", format]).stdout;
        let raw = out.chars().find(|c| *c >= '\x7f' && swage_core::invisible::is_invisible(*c));
        assert_eq!(raw, None, "{format}: {out}");
    }
    let json = s.swage(&["review", "--format", "json"]).json();
    assert!(json["files"].as_array().expect("files").iter().any(|f| f["new_path"] == name), "it is the same name");
}

#[test]
fn names_that_lead_out_are_refused_without_a_tree_too() {
    let s = Sandbox::bare_folder();
    for names in [
        "--- a/../x\n+++ b/../x\n",
        "diff --git a/x b/../y\nsimilarity index 90%\nrename from x\nrename to ../y\n--- a/x\n+++ b/../y\n",
    ] {
        let diff = format!("{names}@@ -1 +1 @@\n-x\n+y\n");
        let ran = s.swage_in(".", &["review", "--patch", "-"], &diff, &[]);
        assert_eq!(ran.code, 2, "{}", ran.rendered());
        assert!(ran.stderr.contains("this path leads out of the tree"), "{}", ran.rendered());
    }
}

/// main with a program that counts its runs and leaves something running that has left its group.
fn with_program(script: &str) -> Sandbox {
    let config = "target = \"main\"\npacks = []\n[[rule]]\nid = \"tides\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{message}\"\nmatch = { checker = [\"tools/check\"], output = \"lines\", timeout = \"1 s\" }\n";
    let s = Sandbox::with(&[("swage.toml", config), ("tools/check", script), ("a.py", "x = 1\n")]);
    s.make_executable("tools/check");
    s.commit("executable");
    s.branch("topic");
    s.write("a.py", "x = 2\n");
    s.commit("topic");
    s
}

#[test]
#[cfg(target_os = "linux")]
fn all_that_a_program_starts_ends_with_it() {
    for rest in ["exit 0", "sleep 60"] {
        let s = with_program(
            &format!("#!/bin/sh\nsetsid sh -c 'echo $$ >> ../pids; sleep 61' >/dev/null 2>&1 &\nsleep 0.2\n{rest}\n")
                .replace("../pids", "PIDS"),
        );
        let pids = s.root.join("../pids");
        s.git(&["checkout", "--quiet", "main"]);
        s.write("tools/check", s.read("tools/check").replace("PIDS", &pids.to_string_lossy()));
        s.commit("where to");
        let ran = s.swage(&["gate", "main..topic"]);
        assert!(ran.code == 0 || ran.code == 3, "{}", ran.rendered());
        let rendered = std::fs::read_to_string(&pids).expect("it ran");
        assert!(rendered.lines().count() >= 2, "before and after: {rendered}");
        for pid in rendered.lines() {
            let state = std::fs::read_to_string(format!("/proc/{pid}/stat")).unwrap_or_default();
            assert!(state.is_empty() || state.contains(") Z "), "{pid} is still there: {state}");
        }
    }
}
