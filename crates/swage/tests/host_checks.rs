//! A host that runs the checker by itself: on pushes, and when somebody answers in the checker's threads.

mod common;
#[path = "common/ferry.rs"]
mod ferry;

use std::time::{Duration, Instant};

use ferry::{Ferry, Host};
use serde_json::Value;

impl Ferry {
    /// What the host says of a proposal, once that holds; it is asked for some time.
    fn until(&self, number: &str, what: &str, holds: impl Fn(&Value) -> bool) -> Value {
        let deadline = Instant::now() + Duration::from_secs(40);
        loop {
            let ran = self.run("visitor", &["show", number, "--all", "--format", "json"]);
            let shown = ran.json();
            if holds(&shown) {
                return shown;
            }
            assert!(Instant::now() < deadline, "{what} doesn't come: {}", ran.rendered());
            std::thread::sleep(Duration::from_millis(100));
        }
    }
}

/// The checker's status on the newest revision.
fn status(shown: &Value) -> (String, String) {
    let newest = &shown["proposal"]["revisions"].as_array().expect("revisions").last().expect("one")["number"];
    let all = shown["proposal"]["statuses"].as_array().expect("statuses");
    let own = all.iter().rfind(|status| status["name"] == "swage" && status["revision"] == *newest);
    let word = |key: &str| own.map(|s| s[key].as_str().unwrap_or_default().to_owned()).unwrap_or_default();
    (word("state"), word("text"))
}

fn is_done(shown: &Value) -> bool {
    !["", "pending"].contains(&status(shown).0.as_str())
}

/// The remarks of the checker's thread about a finding with this text.
fn remarks(shown: &Value, about: &str) -> Vec<String> {
    let threads = shown["threads"].as_array().expect("threads");
    let own = threads.iter().find(|t| t["finding"]["message"].as_str().is_some_and(|m| m.contains(about)));
    let all = own.map(|thread| thread["remarks"].as_array().expect("remarks").clone()).unwrap_or_default();
    all.iter()
        .map(|r| format!("{}: {}", r["author"].as_str().unwrap_or(""), r["text"].as_str().unwrap_or("")))
        .collect()
}

#[test]
fn pushes_are_checked() {
    let advisor = "#!/bin/sh\necho 'Ask the pilot.'\n";
    let f = Ferry::on_host_with(
        &["--check"],
        "[advisor]\ncommand = [\"sh\", \"{target}/tools/advise\"]\n",
        &[("a.py", "x = 1\n"), ("tools/advise", advisor), ("c.py", "good(1)\n")],
    );
    f.offer("topic", "a.py", "x = 1\nbad(1)\nbad(2)\n");
    let shown = f.until("1", "a review", is_done);
    assert_eq!(status(&shown), ("failed".to_owned(), "the findings: fail".to_owned()));
    assert_eq!(shown["threads"].as_array().map(Vec::len), Some(2));
    let steps = shown["proposal"]["statuses"][0]["steps"].as_array().expect("steps").clone();
    let words: Vec<&str> = steps.iter().filter_map(|step| step["text"].as_str()).collect();
    assert_eq!(words, ["starting", "reviewing", "sending 2 new findings", "the findings: fail"]);
    assert!(steps.windows(2).all(|pair| pair[0]["at"].as_i64() <= pair[1]["at"].as_i64()));
    let rendered = f.rendered("visitor", &["show", "1"]);
    assert!(rendered.contains("reviewing (") && rendered.contains("sending 2 new findings ("), "{rendered}");
    // A question is answered, once; what isn't one is left to people.
    let thread = |about: &str| {
        let threads = shown["threads"].as_array().expect("threads");
        let own = threads.iter().find(|t| t["finding"]["message"].as_str().is_some_and(|m| m.contains(about)));
        own.expect("a thread")["number"].to_string()
    };
    let (first, second) = (thread("bad(1)"), thread("bad(2)"));
    f.run("harbour-dev", &["say", "1", "--thread", &first, "Hm."]);
    f.run("harbour-dev", &["say", "1", "--thread", &first, "What else could I write?"]);
    let shown = f.until("1", "an answer", |shown| remarks(shown, "bad(1)").len() > 2);
    let answer = remarks(&shown, "bad(1)").pop().expect("an answer");
    for part in [
        "swage: Nothing bad\nTake it out.",
        "- `ARGS` is `1`",
        "Advice from `sh`, a program; it isn't checked:\n\n> Ask the pilot.",
    ] {
        assert!(answer.contains(part), "{part}: {answer}");
    }
    // A word that could be a decision is offered as one.
    f.run("pier-dev", &["say", "1", "--thread", &second, "Intended: it's so; `rm -rf .`"]);
    let shown = f.until("1", "an offer", |shown| remarks(shown, "bad(2)").len() > 1);
    let offer = remarks(&shown, "bad(2)").pop().expect("an offer");
    let key =
        shown["threads"].as_array().expect("threads").iter().find(|t| t["number"].as_u64() == second.parse().ok());
    let key = key.expect("a thread")["finding"]["key"].as_str().expect("a key").to_owned();
    let command = format!("swage settle {key} --as intended --because 'it'\\''s so; `rm -rf .`'");
    assert!(offer.starts_with("swage: Offered as a decision: `intended`.") && offer.contains(&command), "{offer}");
    assert_eq!(remarks(&shown, "bad(1)").len(), 3);
    let again = f.run("swage", &["post", "--proposal", "1", "--answer"]);
    assert_eq!(again.stdout, "Nothing is asked in the checker's threads of proposal 1.\n", "{}", again.rendered());
}

/// Work in progress is skipped until it is ready; what can't be checked says so; a host that was killed goes on.
#[test]
fn what_is_checked_and_when() {
    let mut f = Ferry::on_host_with(&["--check"], "", &[("a.py", "x = 1\n")]);
    f.s.branch("draft");
    f.s.write("a.py", "bad(1)\n");
    f.s.commit("work");
    assert_eq!(f.run("harbour-dev", &["propose", "--draft"]).code, 0);
    f.offer("ready", "a.py", "y = 1\n");
    f.until("2", "a review", is_done);
    let draft = f.run("visitor", &["show", "1", "--format", "json"]).json();
    assert_eq!(status(&draft).0, "", "work in progress isn't checked");
    f.s.git(&["checkout", "--quiet", "draft"]);
    assert_eq!(f.run("harbour-dev", &["propose", "--ready"]).code, 0);
    f.until("1", "a review", is_done);
    // Killed while something is to be checked, and started again.
    f.s.write("a.py", "bad(1)\nbad(2)\n");
    f.s.commit("more");
    assert_eq!(f.run("harbour-dev", &["propose"]).code, 0);
    _ = f.host.child.kill();
    _ = f.host.child.wait();
    f.host = Host::start(&f.s, &["--check"]);
    f.s.git(&["config", "swage.host", &format!("{}/git/ferry.git", f.host.url)]);
    let shown = f.until("1", "a review", is_done);
    assert_eq!(shown["threads"].as_array().map(Vec::len), Some(2));
    // Rules that can't be read: the status says why, once, and the host doesn't try for ever.
    f.s.git(&["checkout", "--quiet", "main"]);
    f.s.write("swage.toml", "rule = 3\n");
    f.s.commit("broken");
    f.on_host(&["fetch", "--quiet", &f.s.root.to_string_lossy(), "+main:main"]);
    f.offer("late", "a.py", "z = 1\n");
    let shown = f.until("3", "a failure", is_done);
    let (state, text) = status(&shown);
    assert!(state == "failed" && text.contains("the configuration has a mistake"), "{text}");
}
