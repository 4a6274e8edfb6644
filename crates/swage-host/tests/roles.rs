//! Who may make which call: a table of all calls by all roles, every cell of which is tried.

mod common;

use std::collections::BTreeSet;

use common::{World, finding, report};
use serde_json::{Value, json};
use swage_host::{NewRemark, NewThread, ThreadKind, openapi};

/// A call, what is sent with it, and which of nobody, reader, contributor, maintainer and checker may make it.
const CALLS: &[(&str, &str, &str, &str)] = &[
    ("GET", "/api/me", "", "-rcmk"),
    ("GET", "/api/people", "", "-rcmk"),
    ("GET", "/api/notices", "", "-rcmk"),
    ("GET", "/api/repositories", "", "-rcmk"),
    ("POST", "/api/repositories", r#"{"name":"NEW","copy_of":"ferry"}"#, "--cm-"),
    ("GET", "/api/tickets", "", "-rcmk"),
    ("GET", "/api/tickets/QUAY-7", "", "-rcmk"),
    ("PUT", "/api/tickets/QUAY-7", r#"{"title":"Times"}"#, "---m-"),
    ("GET", "/api/inbox", "", "-rcmk"),
    ("POST", "/api/proposals", r#"{"repository":"ferry","target":"main","branch":"NEW","title":"t"}"#, "--cm-"),
    ("GET", "/api/proposals/1", "", "-rcmk"),
    ("PATCH", "/api/proposals/1", r#"{"labels":["tide"]}"#, "--cm-"),
    ("GET", "/api/proposals/1/files", "", "-rcmk"),
    ("GET", "/api/proposals/1/timeline", "", "-rcmk"),
    ("POST", "/api/proposals/1/seen", "null", "-rcmk"),
    ("PUT", "/api/proposals/1/watching", "null", "-rcmk"),
    ("DELETE", "/api/proposals/1/watching", "", "-rcmk"),
    ("GET", "/api/proposals/1/read", "", "-rcmk"),
    ("PUT", "/api/proposals/1/read", r#"{"path":"a.py","revision":1}"#, "-rcmk"),
    ("POST", "/api/proposals/1/unread", r#"{"path":"a.py","revision":1}"#, "-rcmk"),
    ("PUT", "/api/proposals/1/stance", r#"{"stance":"comment","head":"HEAD"}"#, "--cm-"),
    ("POST", "/api/proposals/1/merge", r#"{"target":"HEAD","head":"HEAD","kind":"merge","message":"m"}"#, "---m-"),
    ("PUT", "/api/proposals/1/revisions/HEAD/reports/swage", "REPORT", "---mk"),
    ("PUT", "/api/proposals/1/revisions/HEAD/statuses/build", r#"{"state":"passed"}"#, "---mk"),
    (
        "PUT",
        "/api/proposals/1/verdict",
        r#"{"target":"HEAD","head":"HEAD","result":"fail","conditions":[],"upto":1}"#,
        "---mk",
    ),
    ("GET", "/api/proposals/1/threads", "", "-rcmk"),
    ("POST", "/api/proposals/1/threads", r#"{"kind":"remark","text":"x"}"#, "--cm-"),
    ("POST", "/api/proposals/1/publish", "null", "--cm-"),
    ("GET", "/api/threads/1", "", "-rcmk"),
    ("PATCH", "/api/threads/1", r#"{"open":true}"#, "--cm-"),
    ("POST", "/api/threads/1/remarks", r#"{"text":"x"}"#, "--cm-"),
    // Thread 2 is about a finding.
    ("POST", "/api/threads/2/remarks", r#"{"text":"x"}"#, "--cmk"),
    ("POST", "/api/preview", r#"{"text":"x"}"#, "-rcmk"),
    ("DELETE", "/api/remarks/99", "", "--cm-"),
    ("PUT", "/api/remarks/1/reactions/thanks", "null", "--cm-"),
    ("DELETE", "/api/remarks/1/reactions/thanks", "", "--cm-"),
];

#[test]
fn every_call_by_every_role() {
    let w = World::new();
    w.write("a.py", "one\ntwo\n");
    let head = w.commit("work");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    w.propose("harbour-dev/topic");
    let harbour = w.client("harbour-dev");
    let new = NewThread { kind: ThreadKind::Remark, anchor: None, revision: None, text: "x".into(), draft: false };
    harbour.open_thread(1, &new).expect("a thread");
    let askers = [("nobody", '-'), ("visitor", 'r'), ("harbour-dev", 'c'), ("maintainer", 'm'), ("swage", 'k')];
    let report = json!(report(&[finding("one", 1)])).to_string();
    let mut wrong = Vec::new();
    for (method, path, body, may) in CALLS {
        for (index, (asker, letter)) in askers.into_iter().enumerate() {
            let body = body.replace("HEAD", &head).replace("NEW", &format!("new-{index}")).replace("REPORT", &report);
            let (status, said) = w.ask(asker, method, &path.replace("HEAD", &head), &body);
            let refused = matches!(status, 401 | 403);
            let allowed = letter != '-' && may.contains(letter);
            // Whether what is asked for can be done is another question.
            if refused == allowed || status >= 500 || (letter == '-') != (status == 401) {
                wrong.push(format!("{method} {path} by {asker}: {status} {said}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    // The table has all calls that there are.
    let description: Value = serde_json::from_str(&openapi()).expect("JSON");
    let described: BTreeSet<(String, String)> = description["paths"]
        .as_object()
        .expect("paths")
        .iter()
        .flat_map(|(path, calls)| {
            let shape = path.split('/').map(|part| if part.starts_with('{') { "*" } else { part }).collect::<Vec<_>>();
            let methods = calls.as_object().expect("calls").keys().map(|m| m.to_uppercase()).collect::<Vec<_>>();
            methods.into_iter().map(move |method| (method, shape.join("/")))
        })
        .collect();
    let holes = ["1", "2", "99", "HEAD", "QUAY-7", "swage", "build", "thanks"];
    let tried: BTreeSet<(String, String)> = CALLS
        .iter()
        .map(|(method, path, ..)| {
            let shape = path.split('/').map(|part| if holes.contains(&part) { "*" } else { part });
            ((*method).to_owned(), shape.collect::<Vec<_>>().join("/"))
        })
        .collect();
    assert_eq!(described, tried);
}

/// What belongs to somebody else.
#[test]
fn nobody_speaks_for_another() {
    let w = World::new();
    w.write("a.py", "one\ntwo\n");
    w.commit("work");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    w.propose("harbour-dev/topic");
    let draft = NewThread { kind: ThreadKind::Todo, anchor: None, revision: None, text: "mine".into(), draft: true };
    let thread = w.client("harbour-dev").open_thread(1, &draft).expect("a draft");
    let remark = thread.remarks[0].number;
    w.client("harbour-dev").reply(thread.number, &NewRemark { text: "more".into(), draft: true }).expect("said");
    let cases = [
        ("GET", format!("/api/threads/{}", thread.number), ""),
        ("PATCH", format!("/api/threads/{}", thread.number), r#"{"open":false}"#),
        ("POST", format!("/api/threads/{}/remarks", thread.number), r#"{"text":"x"}"#),
        ("DELETE", format!("/api/remarks/{remark}"), ""),
        ("PUT", format!("/api/remarks/{remark}/reactions/thanks"), "null"),
    ];
    for (method, path, body) in &cases {
        for person in ["pier-dev", "maintainer"] {
            let (status, said) = w.ask(person, method, path, body);
            assert_eq!(status, 404, "{method} {path} by {person}: {said}");
            assert!(!said.contains("mine"), "{said}");
        }
    }
    for (person, path, body) in [
        ("pier-dev", "/api/proposals/1", r#"{"title":"another"}"#),
        ("pier-dev", "/api/proposals/1", r#"{"open":false}"#),
    ] {
        assert_eq!(w.ask(person, "PATCH", path, body).0, 403, "{path} {body}");
    }
    assert_eq!(w.client("pier-dev").publish(1).expect("nothing of theirs").remarks, 0);
    assert_eq!(w.client("harbour-dev").publish(1).expect("published").remarks, 2);
}
