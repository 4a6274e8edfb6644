//! What is sent to do harm: to the host, to its pages, and to those who read them.

mod common;

use std::io::{Read, Write};
use std::net::TcpStream;

use common::{World, ask, finding, report};
use serde_json::{Value, json};
use swage_host::{Edited, NewRemark, NewThread, ThreadKind};

/// A report with one value changed.
fn spoilt(pointer: &str, value: &Value) -> String {
    let mut report = json!(report(&[finding("one", 1)]));
    *report.pointer_mut(pointer).unwrap_or_else(|| panic!("{pointer}")) = value.clone();
    report.to_string()
}

#[test]
fn what_does_not_hold_together_is_refused() {
    let w = World::new();
    w.write("a.py", "one\ntwo\n");
    let head = w.commit("work");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    w.propose("harbour-dev/topic");
    let before = w.client("visitor").proposal(1).expect("a proposal");
    let put = format!("/api/proposals/1/revisions/{head}/reports/swage");
    let anchor = |first: Value, column: Value| json!({ "path": "a.py", "side": "new", "start_line": first, "start_column": column, "end_line": 1, "end_column": 2 });
    let nested = format!("{}{}", "[".repeat(5000), "]".repeat(5000));
    let long = "x".repeat(300);
    let cases: Vec<(&str, &str, &str, String, String)> = vec![
        ("not JSON", "swage", "PUT", put.clone(), "nonsense".into()),
        ("nested too deeply", "swage", "PUT", put.clone(), nested.clone()),
        ("another thing", "swage", "PUT", put.clone(), "{}".into()),
        ("another format", "swage", "PUT", put.clone(), spoilt("/format", &json!("swage-report/9"))),
        ("another verdict", "swage", "PUT", put.clone(), spoilt("/verdict", &json!("splendid"))),
        ("no key", "swage", "PUT", put.clone(), spoilt("/findings/0/key", &json!(""))),
        ("a key of control characters", "swage", "PUT", put.clone(), spoilt("/findings/0/key", &json!("a\u{1b}b"))),
        ("no such severity", "swage", "PUT", put.clone(), spoilt("/findings/0/severity", &json!("grave"))),
        ("no such side", "swage", "PUT", put.clone(), spoilt("/findings/0/anchor/side", &json!("left"))),
        (
            "an end before the start",
            "swage",
            "PUT",
            put.clone(),
            spoilt("/findings/0/anchor", &anchor(json!(2), json!(1))),
        ),
        ("half an anchor", "swage", "PUT", put.clone(), spoilt("/findings/0/anchor", &anchor(Value::Null, json!(1)))),
        ("half a column", "swage", "PUT", put.clone(), spoilt("/findings/0/anchor", &anchor(json!(1), Value::Null))),
        ("line 0", "swage", "PUT", put.clone(), spoilt("/findings/0/anchor", &anchor(json!(0), json!(1)))),
        ("an id in capitals", "swage", "PUT", put.replace(&head, &head.to_uppercase()), json!(report(&[])).to_string()),
        ("no id", "swage", "PUT", put.replace(&head, "topic"), json!(report(&[])).to_string()),
        ("a name with a blank", "swage", "PUT", put.replace("/swage", "/sw%20age"), json!(report(&[])).to_string()),
        ("too large", "swage", "PUT", put.clone(), " ".repeat((32 << 20) + 1)),
        ("no number", "visitor", "GET", "/api/proposals/x".into(), String::new()),
        ("number 0", "visitor", "GET", "/api/proposals/0".into(), String::new()),
        (
            "a number that SQLite can't hold",
            "visitor",
            "GET",
            "/api/proposals/18446744073709551615".into(),
            String::new(),
        ),
        ("a number beyond all", "visitor", "GET", "/api/proposals/99999999999999999999999".into(), String::new()),
        ("no such proposal", "visitor", "GET", "/api/proposals/77".into(), String::new()),
        ("an address with more", "visitor", "GET", "/api/inbox?which=yours".into(), String::new()),
        (
            "a title that is too long",
            "harbour-dev",
            "PATCH",
            "/api/proposals/1".into(),
            json!({ "title": long }).to_string(),
        ),
        (
            "a title of two lines",
            "harbour-dev",
            "PATCH",
            "/api/proposals/1".into(),
            json!({ "title": "a\nb" }).to_string(),
        ),
        ("an unknown key", "harbour-dev", "PATCH", "/api/proposals/1".into(), r#"{"author":"pier-dev"}"#.into()),
        ("a day that isn't one", "harbour-dev", "PATCH", "/api/proposals/1".into(), r#"{"due":"2031-13-01"}"#.into()),
        ("somebody unknown", "harbour-dev", "PATCH", "/api/proposals/1".into(), r#"{"reviewers":["nemo"]}"#.into()),
        (
            "a target that isn't there",
            "harbour-dev",
            "PATCH",
            "/api/proposals/1".into(),
            r#"{"target":"nowhere"}"#.into(),
        ),
        (
            "a path out of the tree",
            "harbour-dev",
            "POST",
            "/api/proposals/1/threads".into(),
            r#"{"kind":"remark","text":"x","anchor":{"path":"../../host.db","side":"new"}}"#.into(),
        ),
        (
            "nothing said",
            "harbour-dev",
            "POST",
            "/api/proposals/1/threads".into(),
            r#"{"kind":"remark","text":" "}"#.into(),
        ),
        (
            "a branch like an option",
            "harbour-dev",
            "POST",
            "/api/proposals".into(),
            r#"{"repository":"ferry","target":"main","branch":"--upload-pack=x","title":"t"}"#.into(),
        ),
        (
            "a repository like a path",
            "harbour-dev",
            "POST",
            "/api/repositories".into(),
            r#"{"name":"../x","copy_of":"ferry"}"#.into(),
        ),
        (
            "a link that runs",
            "swage",
            "PUT",
            format!("/api/proposals/1/revisions/{head}/statuses/build"),
            r#"{"state":"passed","link":"javascript:alert(1)"}"#.into(),
        ),
        (
            "too much said",
            "harbour-dev",
            "POST",
            "/api/proposals/1/threads".into(),
            json!({ "kind": "remark", "text": "x".repeat(600 << 10) }).to_string(),
        ),
    ];
    let mut rendered = String::new();
    for (name, person, method, path, body) in &cases {
        let (status, said) = w.ask(person, method, path, body);
        let reason: Value = serde_json::from_str(&said).unwrap_or_else(|_| panic!("{name}: {status} {said}"));
        let reason = reason["error"]
            .as_str()
            .expect("a reason")
            .replace(&head, "[head]")
            .replace(&head.to_uppercase(), "[HEAD]");
        rendered += &format!("{name}: {status} {}\n", reason.chars().take(140).collect::<String>());
    }
    insta::assert_snapshot!(rendered);
    assert_eq!(w.client("visitor").proposal(1).expect("a proposal"), before);
}

/// The host's door: connections that don't go on, headers without an end, paths of git that lead out.
#[test]
fn the_door_is_kept() {
    let w = World::new();
    let address = w.url().trim_start_matches("http://").to_owned();
    // Callers who never finish their headers are sent away, and don't keep others out.
    let mut idle: Vec<TcpStream> = (0..100).map(|_| TcpStream::connect(&address).expect("connected")).collect();
    idle.iter_mut().for_each(|stream| _ = stream.write_all(b"GET / HTTP/1.1\r\nHost: x\r\n"));
    assert_eq!(w.ask("visitor", "GET", "/api/me", "").0, 200);
    let long = ask(w.url(), "GET", "/api/me", &format!("X: {}\r\n", "y".repeat(100_000)), "");
    assert!(long.starts_with("HTTP/1.1 431"), "{long}");
    let begun = std::time::Instant::now();
    let ended = idle.pop().is_some_and(|mut stream| {
        stream.set_read_timeout(Some(std::time::Duration::from_secs(30))).expect("set");
        stream.read(&mut [0; 100]).is_ok()
    });
    assert!(ended && begun.elapsed().as_secs() < 30, "unfinished headers are waited for");
    let token = &w.tokens["visitor"];
    let bearer = format!("Authorization: Bearer {token}\r\n");
    let paths = [
        ("/git/ferry.git/info/refs?service=git-upload-pack", 200),
        ("/git/ferry.git/info/refs?service=git-receive-pack", 403),
        ("/git/ferry.git/info/refs", 404),
        ("/git/ferry.git/config", 404),
        ("/git/ferry.git/objects/info/packs", 404),
        ("/git/../host.db/info/refs?service=git-upload-pack", 404),
        ("/git/..%2fhost.db/info/refs?service=git-upload-pack", 404),
        ("/git/none.git/info/refs?service=git-upload-pack", 404),
    ];
    for (path, expected) in paths {
        let answer = ask(w.url(), "GET", path, &bearer, "");
        assert!(answer.starts_with(&format!("HTTP/1.1 {expected}")), "{path}: {}", answer.lines().next().unwrap_or(""));
    }
    let anonymous = ask(w.url(), "GET", "/git/ferry.git/info/refs?service=git-upload-pack", "", "");
    assert!(anonymous.starts_with("HTTP/1.1 401") && anonymous.contains("www-authenticate: Basic"), "{anonymous}");
    // Tokens lie on the disk as hashes only.
    let database = std::fs::read(w.folder.path().join("host/host.db")).expect("the database");
    let log = std::fs::read(w.folder.path().join("host/host.db-wal")).unwrap_or_default();
    for token in w.tokens.values() {
        assert!(![&database, &log].iter().any(|bytes| bytes.windows(token.len()).any(|part| part == token.as_bytes())));
    }
}

/// Signs somebody in; the cookie.
fn sign_in(w: &World, person: &str) -> String {
    let form = "Content-Type: application/x-www-form-urlencoded\r\n";
    let answer = ask(w.url(), "POST", "/sign-in", form, &format!("token={}", w.tokens[person]));
    let cookie = answer.lines().find_map(|line| line.strip_prefix("set-cookie: ")).expect("a cookie");
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    cookie.split(';').next().expect("a cookie").to_owned()
}

#[test]
fn pages_hold_nothing_that_runs_and_take_no_forged_forms() {
    let w = World::new();
    w.write("<img src=x onerror=alert(1)>.py", "<script>alert(1)</script>\n");
    let head = w.commit("work");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    w.propose("harbour-dev/topic");
    let author = w.client("harbour-dev");
    let hostile = "<script>alert(1)</script> [x](javascript:alert(1)) \u{202e}b <img src=x onerror=alert(1)>";
    author
        .edit(1, &Edited { title: Some(hostile.into()), description: Some(hostile.into()), ..Edited::default() })
        .expect("edited");
    let place = common::anchor("<img src=x onerror=alert(1)>.py", 1, 1);
    let new =
        NewThread { kind: ThreadKind::Todo, anchor: Some(place), revision: None, text: hostile.into(), draft: false };
    let thread = author.open_thread(1, &new).expect("a thread").number;
    w.client("swage").report(1, &head, "swage", &report(&[finding("one", 1)])).expect("posted");
    let cookie = sign_in(&w, "pier-dev");
    let page = |path: &str| ask(w.url(), "GET", path, &format!("Cookie: {cookie}\r\n"), "");
    for path in ["/", "/proposals/1"] {
        let page = page(path);
        assert!(
            page.starts_with("HTTP/1.1 200") && page.contains("content-security-policy: default-src 'none'"),
            "{page}"
        );
        for bad in ["<script", "<img", "href=\"javascript", "\u{202e}", "<b>one"] {
            assert!(!page.contains(bad), "{bad} in {path}:\n{page}");
        }
        assert!(page.contains("alert(1)"), "{path} shows what was written");
    }
    // Nobody without a session or a token sees a page.
    assert!(ask(w.url(), "GET", "/proposals/1", "", "").starts_with("HTTP/1.1 303"));
    assert!(
        ask(w.url(), "POST", "/sign-in", "Content-Type: application/x-www-form-urlencoded\r\n", "token=guess")
            .starts_with("HTTP/1.1 401")
    );
    // A form of another page, with the cookie that the browser adds, does nothing.
    let form = "Content-Type: application/x-www-form-urlencoded\r\n";
    let say = |origin: &str, path: &str, body: &str| {
        ask(w.url(), "POST", path, &format!("{form}Cookie: {cookie}\r\n{origin}"), body)
    };
    let own = format!("Origin: {}\r\n", w.url());
    let answer = format!("/proposals/1/threads/{thread}");
    for origin in ["", "Origin: http://elsewhere.example\r\n", "Origin: null\r\n"] {
        assert!(say(origin, &answer, "what=answer&text=forged").starts_with("HTTP/1.1 403"), "{origin}");
    }
    assert!(say(&own, &answer, "what=answer&text=true+word%0D%0Aand+more").starts_with("HTTP/1.1 303"));
    assert!(say(&own, &answer, "what=close&text=").starts_with("HTTP/1.1 403"), "not theirs to close");
    assert!(say(&own, "/proposals/1/say", "kind=praise&text=well+done").starts_with("HTTP/1.1 303"));
    assert!(say(&own, "/proposals/1/stance", &format!("stance=approve&head={head}&text=")).starts_with("HTTP/1.1 303"));
    let threads = author.threads(1).expect("threads");
    let said: Vec<&str> = threads.iter().flat_map(|t| &t.remarks).map(|r| r.text.as_str()).collect();
    assert_eq!(said, [hostile, "true word\nand more", "well done"]);
    assert_eq!(author.proposal(1).expect("a proposal").stances.len(), 1);
    let visitor = sign_in(&w, "visitor");
    let denied =
        ask(w.url(), "POST", "/proposals/1/say", &format!("{form}{own}Cookie: {visitor}\r\n"), "kind=remark&text=x");
    assert!(denied.starts_with("HTTP/1.1 403"), "{denied}");
    // After signing out the cookie opens nothing.
    assert!(say(&own, "/sign-out", "").starts_with("HTTP/1.1 303"));
    assert!(page("/").starts_with("HTTP/1.1 303"));
    author.reply(thread, &NewRemark { text: "still here".into(), draft: false }).expect("said");
}
