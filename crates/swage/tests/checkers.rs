//! Outside programs: what they see, what is given in their place, and how they are ended.

mod common;

use std::os::unix::fs::symlink;
use std::time::{Duration, Instant};

use common::Sandbox;

/// A repository with a rule `times` that runs `tools/check`, on a branch.
fn sandbox(options: &str, script: &str) -> Sandbox {
    let s = Sandbox::new();
    s.write(
        "swage.toml",
        format!(
            "packs = []\n[gate]\nnew = {{ note = 0 }}\n[[rule]]\nid = \"times\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{{message}}\"\n[rule.match]\nchecker = [\"tools/check\"]\noutput = \"lines\"\n{options}\n"
        ),
    );
    s.write("tools/check", script);
    s.make_executable("tools/check");
    s.write("times.txt", "first\nlast\n");
    s
}

/// The messages of all findings with their states.
fn messages(json: &serde_json::Value) -> Vec<String> {
    let findings = json["findings"].as_array().expect("findings");
    let rendered = |f: &serde_json::Value| {
        format!("{} {}", f["state"].as_str().unwrap_or("?"), f["message"].as_str().unwrap_or("?"))
    };
    findings.iter().map(rendered).collect()
}

#[test]
fn programs_see_each_side_as_it_is() {
    const LIST: &str = r#"#!/bin/sh
find . -type f -o -type l | sort | while read -r f; do
    m=; [ -x "$f" ] && m=' *'; [ -L "$f" ] && m=" -> $(readlink "$f")"
    echo "times.txt:1:1: note: ${f#./}$m"
done
"#;
    let s = sandbox("", LIST);
    let link = |target: &str, path: &str| symlink(target, s.root.join(path)).expect("a link");
    for (path, text) in
        [("deep/er/a.txt", "a\n"), ("gone.txt", "gone\n"), ("old.txt", "one\ntwo\nthree\n"), ("run.sh", "")]
    {
        s.write(path, text);
    }
    s.make_executable("run.sh");
    link("../er/a.txt", "deep/link");
    link("../../times.txt", "deep/er/up");
    // What would lead out of the copy isn't made: a program must not reach what lies around it.
    link("/etc/hostname", "deep/absolute");
    link("../../times.txt", "deep/out");
    link("er/../../../times.txt", "deep/winding");
    s.commit("base");
    s.branch("topic");
    s.git(&["mv", "old.txt", "new.txt"]);
    s.git(&["rm", "--quiet", "gone.txt", "deep/link"]);
    s.write("added.txt", "added\n");
    link("added.txt", "to-added");
    link("..", "to-around");
    s.make_executable("times.txt");
    s.commit("topic");
    let ran = s.swage(&["review", "main..topic", "--format", "json"]);
    insta::assert_snapshot!(messages(&ran.json()).join("\n"), @r"
    updated to-added -> added.txt
    unchanged deep/er/up -> ../../times.txt
    unchanged run.sh *
    updated new.txt
    updated times.txt *
    unchanged deep/er/a.txt
    unchanged swage.toml
    unchanged tools/check *
    updated added.txt
    ");
    // A whole tree, too.
    let ran = s.swage(&["scan", "topic", "--format", "json"]);
    insta::assert_snapshot!(messages(&ran.json()).join("\n"), @r"
    new to-added -> added.txt
    new deep/er/a.txt
    new swage.toml
    new new.txt
    new run.sh *
    new added.txt
    new times.txt *
    new tools/check *
    new deep/er/up -> ../../times.txt
    ");
}

#[test]
fn results_are_given_in_the_place_of_a_run() {
    let s = sandbox("", "#!/bin/sh\necho times.txt:1:1: note: run\n");
    s.commit("base");
    s.branch("topic");
    s.write("times.txt", "first\nlast\nlater\n");
    s.commit("topic");
    s.write("../before", "times.txt:2:1: note: given\n");
    s.write("../after", "times.txt:2:1: note: given\ntimes.txt:3:1: note: more\n");
    s.write("../odd", "all is well\n");
    let given =
        s.swage(&["review", "main..topic", "--checker-results", "times=../before,../after", "--format", "json"]);
    assert_eq!(messages(&given.json()), ["unchanged given", "new more"], "{}", given.rendered());
    let scanned = s.swage(&["scan", "topic", "--checker-results", "times=../after", "--format", "json"]);
    assert_eq!(messages(&scanned.json()), ["new given", "new more"], "{}", scanned.rendered());
    let mistakes = [
        "times",
        "times=",
        "=../before,../after",
        "times=,../after",
        "times=../after",
        "tides=../before,../after",
        "times=../nowhere,../after",
        "times=../before,../odd",
    ];
    let rendered = mistakes.map(|given| {
        let ran = s.swage(&["review", "main..topic", "--checker-results", given]);
        assert!(ran.stdout.is_empty(), "{given}: {}", ran.rendered());
        format!("$ --checker-results {given}\n{}(exit code {})\n", ran.stderr, ran.code)
    });
    insta::assert_snapshot!(rendered.join("\n"));
}

/// Advice counts for nothing, whether it comes or not.
#[test]
fn advice_is_held_apart() {
    let cases = [
        ("it comes", "#!/bin/sh\necho times.txt:1:1: error: look again\n"),
        ("it fails", "#!/bin/sh\necho no idea >&2\nexit 9\n"),
        ("it says too much", "#!/bin/sh\nhead -c 67108865 /dev/zero\n"),
        ("it isn't there", ""),
    ];
    let rendered = cases.map(|(name, script)| {
        let s = sandbox("advisory = true", script);
        if script.is_empty() {
            std::fs::remove_file(s.root.join("tools/check")).expect("removed");
        }
        s.commit("base");
        s.branch("topic");
        s.write("times.txt", "zero\nfirst\n");
        s.commit("topic");
        let ran = s.swage(&["gate", "main..topic"]);
        let sarif = s.swage(&["review", "main..topic", "--format", "sarif"]).json();
        let marked = sarif["runs"][0]["results"].as_array().expect("results");
        assert!(marked.iter().all(|r| r["properties"]["advisory"] == true), "{sarif}");
        format!("# {name}\n{}\n", ran.rendered())
    });
    insta::assert_snapshot!(rendered.join("\n"));
}

/// A program that finds words in `times.txt` and says what it would write there.
const PROPOSES: &str = r#"#!/bin/sh
printf '{"version":"2.1.0","runs":[{"tool":{"driver":{"name":"times"}},"columnKind":"unicodeCodePoints","results":['
awk '
    BEGIN { to["late"] = "in time"; to["lost"] = "lost again"; to["slow"] = "slow"; to["twin"] = "one"; to["odd"] = "even" }
    match($0, /late|lost|slow|twin|odd/) {
        word = substr($0, RSTART, RLENGTH)
        file = word == "twin" ? "other.txt" : "times.txt"
        end = word == "odd" ? RSTART + 99 : RSTART + RLENGTH
        region = sprintf("{\"startLine\":%d,\"startColumn\":%d,\"endColumn\":%d}", NR, RSTART, end)
        printf "%s{\"message\":{\"text\":\"%s\"},\"locations\":[{\"physicalLocation\":{\"artifactLocation\":{\"uri\":\"times.txt\"},\"region\":%s}}],", sep, word, region
        printf "\"fixes\":[{\"description\":{\"text\":\"Write %s\"},\"artifactChanges\":[{\"artifactLocation\":{\"uri\":\"%s\"},\"replacements\":[{\"deletedRegion\":%s,\"insertedContent\":{\"text\":\"%s\"}}]}]}]}", to[word], file, region, to[word]
        sep = ","
    }' times.txt
echo ']}]}'
"#;

/// What a program would do about its findings is kept where the program itself then has nothing more to say.
#[test]
fn programs_prove_their_own_fixes() {
    let s = sandbox("", PROPOSES);
    let rules = s.read("swage.toml").replace("\"lines\"", "\"sarif\"");
    let shout = "[[rule]]\nid = \"shout\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n[rule.match]\ntext = \"HALT\"\nfix = { remove = \"lines\" }\n";
    s.write("swage.toml", format!("{rules}\n{shout}"));
    s.commit("base");
    let cases = [
        ("holds, beside the fix of a rule", "first\nHALT\nthe ferry is late\nlast\n"),
        ("finds the same again", "first\nall is lost\nlast\n"),
        ("changes nothing", "first\nslow\nlast\n"),
        ("wants another file changed", "first\ntwin\nlast\n"),
        ("names a place that isn't there", "first\nodd\nlast\n"),
    ];
    let rendered = cases.map(|(name, times)| {
        s.git(&["checkout", "--quiet", "-B", "topic", "main"]);
        s.write("times.txt", times);
        s.commit("topic");
        let hints = s.swage(&["review", "--format", "json"]).json();
        let proofs: Vec<_> =
            hints["findings"].as_array().expect("findings").iter().map(|f| f["fix"].to_string()).collect();
        let ran = s.swage(&["fix"]);
        format!("# {name}\n{}\n{}", proofs.join("\n"), ran.rendered())
    });
    insta::assert_snapshot!(rendered.join("\n"));
}

#[test]
fn an_interrupt_ends_the_programs_too() {
    let s = sandbox("", "");
    let (started, hold) = (s.root.join("../started"), Duration::from_secs(60));
    s.write("tools/check", format!("#!/bin/sh\necho $$ >> {}\nsleep 300\n", started.display()));
    s.commit("base");
    s.branch("topic");
    s.write("times.txt", "zero\n");
    s.commit("topic");
    let child = s.start(&["review", "main..topic"]);
    let begun = Instant::now();
    let ids = loop {
        let ids = std::fs::read_to_string(&started).unwrap_or_default();
        if ids.lines().count() == 2 && ids.ends_with('\n') {
            break ids;
        }
        assert!(begun.elapsed() < hold, "the programs never started");
        std::thread::sleep(Duration::from_millis(20));
    };
    let signal = |name: &str, id: &str| {
        let ran = std::process::Command::new("kill").args([name, id]).stderr(std::process::Stdio::null()).status();
        ran.expect("kill runs").success()
    };
    assert!(signal("-INT", &child.id().to_string()));
    let output = child.wait_with_output().expect("it ends");
    assert!(begun.elapsed() < hold, "it waited for the programs");
    insta::assert_snapshot!(String::from_utf8_lossy(&output.stderr), @"swage: interrupted; the programs that were running have been ended");
    assert_eq!((output.status.code(), output.stdout.len()), (Some(3), 0));
    for id in ids.lines() {
        assert!(!signal("-0", id), "{id} still runs");
    }
}
