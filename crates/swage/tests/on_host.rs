//! Working on a review host as people and programs do: through the built program, with a host in a process of its own.

mod common;
#[path = "common/ferry.rs"]
mod ferry;

use std::process::Command;

use ferry::{Ferry, Host};

#[test]
fn from_an_offer_to_the_merge() {
    let f = Ferry::new(
        "[gate.people]\napprovals = 1\nobjections = 0\ntodos = 0\nowners = true\nready = true\n[[owners]]\npaths = [\"a.py\"]\npeople = [\"pier-dev\"]\n",
        &[("a.py", "bad(0)\n"), ("b.py", "x = 1\n")],
    );
    f.s.branch("topic");
    f.s.write("a.py", "bad(0)\nbad(1)\n");
    f.s.write("b.py", "x = 1\nbad(2)\n");
    f.s.commit("Two <bad> ones");
    let mut rendered = String::new();
    let mut step = |who: &str, args: &[&str]| rendered += &f.rendered(who, args);
    step("visitor", &["propose"]);
    step("harbour-dev", &["propose", "--draft", "--label", "tide"]);
    step("swage", &["post", "--proposal", "1"]);
    step("swage", &["post", "--proposal", "1"]);
    step("pier-dev", &["say", "1", "--at", "a.py:2", "--todo", "Why <b>twice</b>?"]);
    step("pier-dev", &["object", "1", "Not like this."]);
    step("harbour-dev", &["approve", "1"]);
    step("maintainer", &["gate", "--proposal", "1"]);
    // A new revision: one is fixed, the other moves. Unsaved work takes no part.
    f.s.write("a.py", "first = 1\n\nbad(0)\n");
    f.s.write("b.py", "x = 1\n");
    f.s.commit("Mended");
    f.s.write("b.py", "bad(9)\n");
    step("harbour-dev", &["propose", "--ready"]);
    step("swage", &["post", "--proposal", "1"]);
    step("pier-dev", &["approve", "1", "--head", "0123456789"]);
    step("pier-dev", &["show", "1"]);
    step("pier-dev", &["approve", "1", "Better."]);
    step("pier-dev", &["say", "1", "--thread", "3", "--resolve", "Fine."]);
    step("pier-dev", &["merge", "1"]);
    step("maintainer", &["merge", "1", "--squash", "--delete-branch"]);
    step("visitor", &["show", "1", "--all"]);
    insta::with_settings!({ filters => vec![(r"\(\d+\.\d s\)", "([time])"), (r"\bas [0-9a-f]{10}\b", "as [commit]"), (r"merged [0-9a-f]{10}\b", "merged [commit]")] }, {
        insta::assert_snapshot!(rendered);
    });
    assert_eq!(f.on_host(&["show", "main:a.py"]), "first = 1\n\nbad(0)");
    assert!(
        f.on_host(&["log", "-1", "--format=%b", "main"]).contains("Written-by: harbour-dev <harbour-dev@example.org>")
    );
    assert_eq!(f.on_host(&["for-each-ref", "--format=%(refname)", "refs/heads"]), "refs/heads/main");
}

/// While the gate is decided the target moves: it is decided again, for what is there then.
#[test]
fn a_target_that_moves_is_judged_again() {
    let script = "#!/bin/sh\n# Somebody else is quicker, once.\n[ -e ../moved ] || [ -e \"$MARK\" ] || true\n";
    let f =
        Ferry::new("[checks.build]\ncommand = [\"tools/build\"]\n", &[("tools/build", script), ("a.py", "x = 1\n")]);
    let bare = f.s.root.join("../host/repositories/ferry.git").canonicalize().expect("a folder");
    let mark = f.s.root.join("../moved");
    // The check is the target's, and does what a rival would do.
    f.s.write(
        "tools/build",
        format!(
            "#!/bin/sh\ncat *.py\n[ -e {0} ] && exit 0\ntouch {0}\ngit -C {1} update-ref refs/heads/main refs/heads/rival\n",
            mark.display(),
            bare.display()
        ),
    );
    f.s.make_executable("tools/build");
    f.s.commit("A check");
    f.s.git(&["push", "--quiet", &bare.to_string_lossy(), "HEAD:refs/heads/next"]);
    f.on_host(&["update-ref", "refs/heads/main", "refs/heads/next"]);
    f.offer("topic", "c.py", "y = 1\n");
    f.s.git(&["checkout", "--quiet", "-B", "rival", "main"]);
    f.s.write("d.py", "z = 1\n");
    f.s.commit("Another change");
    f.s.git(&["push", "--quiet", &bare.to_string_lossy(), "HEAD:refs/heads/rival"]);
    let ran = f.run("maintainer", &["merge", "1"]);
    assert!(ran.code == 0 && ran.stderr.contains("deciding again"), "{}", ran.rendered());
    assert_eq!(f.on_host(&["ls-tree", "--name-only", "main", "--", "c.py", "d.py"]), "c.py\nd.py");
    // A check that fails keeps the change out, and says why.
    f.s.git(&["checkout", "--quiet", "main"]);
    f.offer("late", "e.py", "w = 1\n");
    f.on_host(&["update-ref", "refs/heads/main", "refs/heads/next"]);
    std::fs::remove_file(&mark).expect("removed");
    f.on_host(&["update-ref", "-d", "refs/heads/rival"]);
    let ran = f.run("maintainer", &["merge", "2"]);
    assert!(
        ran.code == 1 && ran.stdout.contains("fail       checks.build: `tools/build` failed"),
        "{}",
        ran.rendered()
    );
    let unrun = f.run("maintainer", &["gate", "--proposal", "2"]);
    assert!(unrun.code == 3 && unrun.stdout.contains("it wasn't run; --run-checks does"), "{}", unrun.rendered());
}

/// Each of the queue is judged on what those before it give.
#[test]
fn a_queue_goes_on_past_what_fails() {
    let f = Ferry::new("", &[("a.py", "one\ntwo\nthree\nfour\n")]);
    f.offer("first", "a.py", "ONE\ntwo\nthree\nfour\n");
    f.offer("bad", "b.py", "bad(1)\n");
    f.offer("conflicts", "a.py", "1\ntwo\nthree\nfour\n");
    f.offer("last", "a.py", "one\ntwo\nthree\nFOUR\n");
    let rendered = f.rendered("maintainer", &["merge", "--queue"]);
    insta::with_settings!({ filters => vec![(r"\bas [0-9a-f]{10}\b", "as [commit]")] }, {
        insta::assert_snapshot!(rendered);
    });
    assert_eq!(f.on_host(&["show", "main:a.py"]), "ONE\ntwo\nthree\nFOUR");
    // Taking the first one back keeps what came later.
    let undone = f.run("maintainer", &["merge", "1", "--undo"]);
    assert!(undone.code == 0 && undone.stdout.contains("Proposal 5 takes proposal 1 back"), "{}", undone.rendered());
    assert_eq!(f.run("maintainer", &["merge", "5"]).code, 0);
    assert_eq!(f.on_host(&["show", "main:a.py"]), "one\ntwo\nthree\nFOUR");
}

#[test]
fn proposals_are_changes_like_others() {
    let f = Ferry::new(
        "[teams.harbour]\npeople = [\"pier-dev\"]\n[[owners]]\npaths = [\"a.py\"]\npeople = [\"@harbour\"]\n",
        &[("a.py", "def load():\n    return 1\n")],
    );
    f.offer("topic", "a.py", "def load():\n    bad(1)\n    return 2\n");
    f.s.git(&["checkout", "--quiet", "main"]);
    let on = |args: &[&str]| {
        let ran = f.run("visitor", &[args, &["--proposal", "1"]].concat());
        format!("{} {}", ran.code, ran.stdout)
    };
    let review = on(&["review", "--format", "lines"]);
    assert!(review.starts_with("0 a.py:2:5: error: `bad(1)` is bad."), "{review}");
    for (args, expected) in [
        (&["brief"][..], "1 commit by harbour-dev"),
        (&["fix"], "0 "),
        (&["handoff"], "no-bad"),
        (&["reviewers"], "pier-dev\n  owns a.py"),
        (&["compare"], "no-bad"),
    ] {
        let rendered = on(args);
        assert!(rendered.starts_with('0') && rendered.contains(expected), "{args:?}: {rendered}");
    }
    let tried = f.run("visitor", &["try", "1", "--", "cat", "a.py"]);
    assert_eq!(
        (tried.code, tried.stdout.as_str()),
        (0, "def load():\n    bad(1)\n    return 2\n"),
        "{}",
        tried.rendered()
    );
    let failing = f.run("visitor", &["try", "1", "--merged", "--", "false"]);
    assert_eq!(failing.code, 1, "{}", failing.rendered());
    assert_eq!(f.s.git(&["worktree", "list"]).lines().count(), 1, "no worktree is left");
    // A contributor's own repository, made on the way.
    f.s.git(&["checkout", "--quiet", "-B", "other", "main"]);
    f.s.write("c.py", "x = 1\n");
    f.s.commit("QUAY-1: own");
    let own = f.run("pier-dev", &["propose", "--source", "ferry-pier", "--describe"]);
    assert!(own.code == 0 && own.stdout.contains("ferry-pier:other into main"), "{}", own.rendered());
    let open = f.run("visitor", &["inbox", "--open", "--format", "json"]).json();
    assert_eq!(open.as_array().map(Vec::len), Some(2));
    assert_eq!(f.run("pier-dev", &["close", "1"]).code, 2);
    assert_eq!(f.run("harbour-dev", &["close", "1"]).code, 0);
}

/// How often the host is killed; `fuzz/kill` asks for more with SWAGE_KILLS.
const KILLS: u64 = 200;

/// The host is killed at any moment: what it said is done is done once, and nothing is left half.
#[test]
fn a_host_that_is_killed_leaves_nothing_half() {
    use std::time::Duration;
    use swage_host::{Client, MergeKind, MergeRequest, NewRemark, NewThread, NewVerdict, Report, ThreadKind};
    let mut f = Ferry::new("", &[("a.py", "x = 1\n")]);
    f.offer("topic", "a.py", "x = 2\n");
    let head = f.s.git(&["rev-parse", "topic"]);
    let target = f.s.git(&["rev-parse", "main"]);
    let pushed = ["one", "two"].map(|text| {
        f.s.git(&["checkout", "--quiet", "--detach", "main"]);
        f.s.write("side.py", format!("# {text}\n"));
        f.s.commit(text);
        f.s.git(&["rev-parse", "HEAD"])
    });
    let client =
        |f: &Ferry, who: &str| Client::new(&f.host.url, &f.tokens[who]).expect("an address").patient(Duration::ZERO);
    let new = NewThread { kind: ThreadKind::Remark, anchor: None, revision: None, text: "first".into(), draft: false };
    let thread = client(&f, "pier-dev").open_thread(1, &new).expect("a thread").number;
    // Kills come while this is done, however fast the machine is.
    let begun = std::time::Instant::now();
    client(&f, "pier-dev").reply(thread, &NewRemark { text: "second".into(), draft: false }).expect("said");
    let usual = begun.elapsed().as_micros() as u64 * 3;
    let kills = std::env::var("SWAGE_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(KILLS);
    let mut random = 20_310_301u64;
    let (mut said, mut unsure): (Vec<String>, Vec<String>) =
        (vec!["first".to_owned(), "second".to_owned()], Vec::new());
    for kill in 0..kills {
        random = random.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let pause = Duration::from_micros((random >> 33) % usual);
        let (checker, speaker, merger) = (client(&f, "swage"), client(&f, "pier-dev"), client(&f, "maintainer"));
        let report = |count: u64| {
            let finding = |n: u64| serde_json::json!({ "key": format!("k{n}"), "rule": "r", "severity": "note", "message": "m", "anchor": null });
            let findings: Vec<_> = (0..count).map(finding).collect();
            let report =
                serde_json::json!({ "format": "swage-report/1", "overview": format!("{kill}"), "findings": findings });
            serde_json::from_value::<Report>(report).expect("a report")
        };
        let pid = f.host.child.id().to_string();
        let (head, target) = (&head, &target);
        let answers = std::thread::scope(|scope| {
            let reporting = scope.spawn(move || checker.report(1, head, "swage", &report(kill % 7)).is_ok());
            let speaking = scope.spawn(move || {
                let remark = NewRemark { text: format!("remark {kill}"), draft: false };
                speaker.reply(thread, &remark).is_ok()
            });
            // Near the end it is merged, as often as it takes.
            let merging = scope.spawn(move || {
                if kill + 15 < kills {
                    return;
                }
                let Ok(events) = merger.timeline(1) else { return };
                let upto = events.last().map_or(0, |event| event.number);
                let verdict = NewVerdict {
                    target: target.clone(),
                    head: head.clone(),
                    result: "pass".into(),
                    conditions: Vec::new(),
                    upto,
                };
                let (target, head) = (target.clone(), head.clone());
                let request =
                    MergeRequest { target, head, kind: MergeKind::Merge, message: "m".into(), delete_branch: false };
                _ = merger.put_verdict(1, &verdict).and_then(|_| merger.merge(1, &request));
            });
            // A push of a branch that no proposal is about.
            let url = format!("{}/git/ferry.git", f.host.url);
            let (token, commit) = (f.tokens["pier-dev"].clone(), pushed[(kill % 2) as usize].clone());
            let root = f.s.root.clone();
            let pushing = scope.spawn(move || {
                let mut git = Command::new("git");
                git.arg("-C").arg(root).args([
                    "push",
                    "--quiet",
                    "--force",
                    &url,
                    &format!("{commit}:refs/heads/pier-dev/side"),
                ]);
                git.envs([("GIT_CONFIG_COUNT", "1"), ("GIT_CONFIG_KEY_0", "http.extraHeader")]);
                git.env("GIT_CONFIG_VALUE_0", format!("Authorization: Bearer {token}")).env("GIT_TERMINAL_PROMPT", "0");
                _ = git.output();
            });
            std::thread::sleep(pause);
            let killed = Command::new("kill").args(["-KILL", &pid]).status();
            assert!(killed.is_ok_and(|status| status.success()));
            merging.join().expect("no panic");
            pushing.join().expect("no panic");
            (reporting.join().expect("no panic"), speaking.join().expect("no panic"))
        });
        if answers.1 {
            said.push(format!("remark {kill}"))
        } else {
            unsure.push(format!("remark {kill}"))
        }
        f.host = Host::start(&f.s, &[]);
        let threads = client(&f, "visitor").threads(1).expect("threads");
        let mut keys: Vec<&str> = threads.iter().filter_map(|t| t.finding.as_ref()).map(|f| f.key.as_str()).collect();
        let all = keys.len();
        keys.sort_unstable();
        keys.dedup();
        assert_eq!(keys.len(), all, "a thread twice after kill {kill}");
        let open = threads.iter().filter(|t| t.finding.is_some() && t.open).count() as u64;
        assert!(!answers.0 || open == kill % 7, "half a report after kill {kill}: {open} open");
        let remarks: Vec<&str> =
            threads.iter().filter(|t| t.number == thread).flat_map(|t| &t.remarks).map(|r| r.text.as_str()).collect();
        let kept: Vec<&str> = remarks.iter().copied().filter(|text| !unsure.iter().any(|u| u == text)).collect();
        assert_eq!(kept, said, "after kill {kill}");
        let side = f.on_host(&["for-each-ref", "--format=%(objectname)", "refs/heads/pier-dev/side"]);
        assert!(side.is_empty() || pushed.contains(&side), "a branch that nobody pushed, after kill {kill}");
        let proposal = client(&f, "visitor").proposal(1).expect("a proposal");
        let tip = f.on_host(&["rev-parse", "main"]);
        match &proposal.merged {
            Some(merged) => assert_eq!(tip, merged.commit, "after kill {kill}"),
            None => assert_eq!(tip, *target, "moved without being merged, after kill {kill}"),
        }
    }
    assert!(!unsure.is_empty(), "no kill came in between");
    f.on_host(&["fsck", "--strict", "--no-dangling"]);
}

#[test]
fn what_goes_wrong_is_reported() {
    let f = Ferry::new("", &[("a.py", "x = 1\n")]);
    f.offer("topic", "a.py", "x = 2\n");
    let mut rendered = String::new();
    for args in [
        &["show", "9"][..],
        &["say", "1"],
        &["say", "1", "--at", "a.py:0", "text"],
        &["say", "1", "--at", "a.py:5", "text"],
        &["say", "1", "--at", "nowhere.py", "text"],
        &["merge", "1"],
        &["merge", "1", "--undo"],
        &["propose", "--ticket", "QUAY-9", "--branch", "harbour-dev/again"],
        &["propose", "--host", "http://127.0.0.1:1"],
    ] {
        rendered += &f.rendered("harbour-dev", args);
    }
    let bare = |args: &[&str], env: &[(&str, &str)]| f.s.swage_in(".", args, "", env).rendered() + "\n\n";
    rendered += &bare(&["inbox"], &[]);
    rendered += &bare(&["inbox"], &[("SWAGE_TOKEN", "guess")]).replace(&f.host.url, "[host]");
    f.s.git(&["config", "--unset", "swage.host"]);
    rendered += &bare(&["inbox"], &[("SWAGE_TOKEN", "guess")]);
    rendered += &bare(&["host", "serve", "--listen", "0.0.0.0:0"], &[]);
    rendered += &bare(&["host", "serve", "--listen", "127.0.0.1:0", "--data", "a.py/host"], &[]);
    rendered += &bare(&["host", "token", "a b", "--role", "reader", "--data", "../host"], &[]);
    rendered += &bare(&["host", "repository", "ferry", "--data", "../host"], &[]);
    insta::assert_snapshot!(rendered);
    assert!(!rendered.contains("guess"), "a token was printed");
}
