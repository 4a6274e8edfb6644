//! What is said when something can't be done: each has a place, a cause and a way out, and an exit code that says whose fault it is.

mod common;
use common::{CONFIG, Sandbox};

/// Calls in a repository with a few files, each with one mistake. Words are parted by blanks; `~` stands for one in a word.
const CALLS: &[(&str, &[&str])] = &[
    (
        "which change",
        &[
            "review main..nowhere",
            "review nowhere...main",
            "review main",
            "review --target nowhere",
            "review --staged --committed",
            "review main..topic --staged",
            "review --patch none.diff",
            "review --patch broken.diff",
            "review --patch cut.diff",
            "review --patch words.txt",
            "review --patch empty.diff",
            "review --patch folder",
            "review --patch a.py --tree nowhere",
            "review --patch good.diff --tree a.py",
            "review --patch good.diff --strip 9",
            "review --patch other.diff --tree .",
            "review --patch out.diff",
            "review --strip 1",
            "review --strip two --patch good.diff",
            "review --description nowhere.txt",
            "review --description folder",
            "review --proposal zero",
            "review --proposal 1",
            "gate --patch good.diff",
            "gate nowhere..topic",
            "compare main",
            "compare main nowhere",
            "compare main a.py",
            "compare folder main",
            "compare broken.json broken.json",
            "scan nowhere",
            "scan folder",
            "scan --baseline nowhere.json",
            "scan --baseline broken.json",
            "brief main",
            "brief --map /nowhere/map.svg",
        ],
    ),
    (
        "which findings",
        &[
            "review --rule no-bat",
            "review --rule resource-left-open",
            "review --severity grave",
            "review --state old",
            "review --path src/[",
            "review --fail-on grave",
            "review -- nowhere.py",
            "review -- /",
            "review --all=yes",
            "fix --key 0000",
            "fix --rule no-bat",
            "fix --key xyz",
            "explain 0000",
            "explain",
            "settle 0000 --as intended --because x",
            "settle --as intended",
            "settle 0000 --as maybe --because x",
            "settle 0000 --as later --because x --until soon",
            "settle 0000 --as later --because x --until 2001-01-01",
            "handoff --key 0000",
            "step --rule no-bat",
        ],
    ),
    (
        "forms and places",
        &[
            "review --format xml",
            "review --format sarif --summary",
            "review --absolute",
            "review --output /nowhere/out",
            "review --output folder",
            "review --color sometimes",
            "review --threads 0",
            "review --threads 1000",
            "review --threads many",
            "trend --format csv",
            "trend --since nowhere",
            "trend --rule no-bat",
            "trend --prune yesterday",
            "completions klingon",
            "man a.py",
            "demo folder",
            "init --hook merge",
        ],
    ),
    (
        "rules",
        &[
            "rules show no-bat",
            "rules show resource-left-open",
            "rules show",
            "rules try f(",
            "rules try f(X)",
            "rules try f(X) --language klingon a.py",
            "rules try f(X) --language python nowhere.py",
            "rules try f(X) folder",
            "rules replay no-bat",
            "rules replay no-bad --since none",
            "rules report --apply 9",
            "rules report --apply x",
            "rules learn",
            "rules learn a.py nowhere.py",
            "rules learn a.py a.py",
            "rules pages a.py",
            "rules list --config nowhere.toml",
            "rules list --config folder",
            "rules list --config bytes.toml",
            "rules list --config broken.toml",
            "rules list --config unknown.toml",
            "rules list --config extends.toml",
            "rules list --config extends-folder.toml",
            "rules list --config pack.toml",
            "rules list --config adjust.toml",
            "rules list --config limits.toml",
        ],
    ),
    (
        "hosts and mail",
        &[
            "propose",
            "propose --host nowhere",
            "propose --host http://127.0.0.1:1/git/ferry.git",
            "inbox --host http://127.0.0.1:1/git/ferry.git",
            "show 1 --host http://127.0.0.1:1/git/ferry.git",
            "show first",
            "say 1",
            "say 1 x --host ftp://127.0.0.1/git/ferry.git",
            "approve 1 --host http://127.0.0.1:1/",
            "merge 1 --host http://127.0.0.1:1/git/ferry.git",
            "merge",
            "close 1",
            "try 1",
            "host serve --data a.py",
            "host serve --data folder --listen nowhere",
            "host token nobody --data nowhere",
            "host token --data folder",
            "post",
            "post --to pigeon",
            "post --to mail",
            "post --to mail --patch good.diff",
            "post --to mail --patch good.diff --from nobody",
            "post --to mail --patch series.mbox --from swage@example.org --smtp nowhere:1",
            "post --to mail --patch series.mbox --from swage",
            "post --proposal 1 --host http://127.0.0.1:1/git/ferry.git",
            "post --staged",
        ],
    ),
    ("commands", &["", "reviwe", "review --stagde", "rules lsit", "help reviwe", "gate --fail-on error"]),
];

const GOOD: &str = "--- a/a.py\n+++ b/a.py\n@@ -1 +1,2 @@\n a = 1\n+bad(1)\n";

/// A mistake is the caller's (2), or the world's (3); 1 is the gate's alone, and nothing goes on as if it were right.
#[test]
fn every_refusal_says_what_to_do() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "a = 1\n")]);
    s.branch("topic");
    s.write("a.py", "a = 1\nbad(1)\n");
    s.commit("topic");
    for (path, text) in [
        ("good.diff", GOOD),
        ("broken.diff", "--- a/a.py\n+++ b/a.py\n@@ -1 +1 @@\n?\n"),
        ("cut.diff", "--- a/a.py\n+++ b/a.py\n@@ -1,3 +1 @@\n-x\n"),
        ("words.txt", "words\n"),
        ("empty.diff", ""),
        ("other.diff", "--- a/a.py\n+++ b/a.py\n@@ -1 +1 @@\n-z\n+y\n"),
        ("out.diff", "--- a/../a.py\n+++ b/../a.py\n@@ -1 +1 @@\n-z\n+y\n"),
        ("broken.json", "{"),
        ("folder/README", "words\n"),
        ("broken.toml", "packs = [\n"),
        ("unknown.toml", "pakcs = []\n"),
        ("extends.toml", "packs = []\nextends = [\"nowhere.toml\"]\n"),
        ("extends-folder.toml", "packs = []\nextends = [\"folder\"]\n"),
        ("pack.toml", "packs = [\"leftover\"]\n"),
        ("adjust.toml", "packs = []\n[[adjust]]\nrule = \"resource-left-open\"\noff = true\n"),
        ("limits.toml", "packs = []\n[limits]\nfile_size = \"much\"\n"),
        ("series.mbox", &format!("From: a@example.org\nSubject: x\n\n{GOOD}")),
    ] {
        s.write(path, text);
    }
    std::fs::write(s.root.join("bytes.toml"), b"packs = []\n# \xff\n").expect("a file");
    let mut rendered = String::new();
    let mut silent = Vec::new();
    for (what, calls) in CALLS {
        rendered += &format!("# {what}\n\n");
        for call in *calls {
            let args: Vec<String> = call.split_whitespace().map(|word| word.replace('~', " ")).collect();
            let args: Vec<&str> = args.iter().map(String::as_str).collect();
            let ran = s.swage(&args);
            rendered += &format!("$ swage {call}\n{}[{}]\n\n", ran.stderr, ran.code);
            let has_remedy = ran.stderr.trim_end().lines().count() > 1;
            if ran.code < 2 || !ran.stdout.is_empty() || !has_remedy {
                silent.push(format!("{call}: {} {}{}", ran.code, ran.stdout, ran.stderr));
            }
        }
    }
    insta::assert_snapshot!(common::normal(&rendered));
    assert!(silent.is_empty(), "no failure, or none with a way out:\n{}", silent.join("\n"));
}
