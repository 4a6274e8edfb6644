//! The protocol, spoken over real HTTP on loopback.

use std::io::{Read, Write};
use std::net::TcpListener;

use serde_json::{Value, json};
use swage_host::{Anchor, Client, HostError, NewProposal, Report, ReportedFinding, Running, Server, ServerOptions};

const TOKEN: &str = "harbour-token";

fn host(data: &std::path::Path) -> Running {
    let options = ServerOptions {
        listen: ([127, 0, 0, 1], 0).into(),
        data: data.to_owned(),
        token: TOKEN.into(),
        idle: Some(std::time::Duration::from_secs(60)),
    };
    Server::bind(options).expect("a free port").spawn()
}

fn finding(key: &str, line: u32) -> ReportedFinding {
    ReportedFinding {
        key: key.into(),
        rule: "no-bad".into(),
        severity: "error".into(),
        message: format!("<b>{key}</b> is bad"),
        help: Some("Take it out.".into()),
        anchor: Some(Anchor {
            path: "a.py".into(),
            path_encoded: false,
            side: "new".into(),
            start_line: Some(line),
            start_column: Some(1),
            end_line: Some(line),
            end_column: Some(4),
        }),
        related: Vec::new(),
        advisory: false,
        code: Vec::new(),
        fix: None,
    }
}

fn report(findings: &[ReportedFinding]) -> Report {
    Report {
        format: "swage-report/1".into(),
        base: None,
        verdict: Some("fail".into()),
        overview: format!("{} findings", findings.len()),
        findings: findings.to_vec(),
    }
}

/// What a report did, in a line.
fn posted(client: &Client, head: &str, findings: &[ReportedFinding]) -> String {
    let p = client.report(7, head, "swage", &report(findings)).expect("posted");
    format!(
        "revision {} opened {} reopened {} moved {} kept {} closed {} unchanged {}",
        p.revision, p.opened, p.reopened, p.moved, p.kept, p.closed, p.unchanged
    )
}

#[test]
fn threads_follow_the_reports() {
    let dir = tempfile::tempdir().expect("a folder");
    let data = dir.path().join("host.db");
    let running = host(&data);
    let client = Client::new(&running.url, TOKEN).expect("an address");
    let new = NewProposal { title: "Times at the quay".into(), target: "main".into() };
    assert!(matches!(client.report(7, "aaaaaaaa", "swage", &report(&[])), Err(HostError::Refused { status: 404, .. })));
    client.open_proposal(7, &new).expect("opened");
    client.open_proposal(7, &new).expect("opened again, which changes nothing");
    let other = NewProposal { title: "Another".into(), ..new };
    assert!(matches!(client.open_proposal(7, &other), Err(HostError::Refused { status: 409, .. })));

    let (one, two, three) = (finding("one", 1), finding("two", 2), finding("three", 3));
    let steps: &[(&str, &[ReportedFinding], &str)] = &[
        (
            "aaaaaaaa",
            &[one.clone(), two.clone()],
            "revision 1 opened 2 reopened 0 moved 0 kept 0 closed 0 unchanged false",
        ),
        (
            "aaaaaaaa",
            &[one.clone(), two.clone()],
            "revision 1 opened 0 reopened 0 moved 0 kept 0 closed 0 unchanged true",
        ),
        (
            "aaaaaaaa",
            std::slice::from_ref(&one),
            "revision 1 opened 0 reopened 0 moved 0 kept 1 closed 1 unchanged false",
        ),
        (
            "bbbbbbbb",
            &[finding("one", 9), three],
            "revision 2 opened 1 reopened 0 moved 1 kept 0 closed 0 unchanged false",
        ),
        (
            "cccccccc",
            std::slice::from_ref(&two),
            "revision 3 opened 0 reopened 1 moved 0 kept 0 closed 2 unchanged false",
        ),
    ];
    for (head, findings, expected) in steps {
        assert_eq!(posted(&client, head, findings), *expected);
    }
    // A report that is late, or wrong, changes nothing.
    let before = client.proposal(7).expect("a proposal");
    assert!(matches!(client.report(7, "aaaaaaaa", "swage", &report(&[])), Err(HostError::Refused { status: 409, .. })));
    let twice = report(&[one.clone(), one]);
    assert!(matches!(client.report(7, "dddddddd", "swage", &twice), Err(HostError::Refused { status: 422, .. })));
    assert_eq!(client.proposal(7).expect("a proposal"), before);

    // It all outlives the server.
    drop(running);
    let running = host(&data);
    let client = Client::new(&running.url, TOKEN).expect("an address");
    let proposal = client.proposal(7).expect("a proposal");
    assert_eq!(proposal, before);
    let told: Vec<String> = proposal
        .threads
        .iter()
        .map(|t| {
            format!(
                "{} open={} line={} {:?}",
                t.finding.key,
                t.open,
                t.finding.anchor.as_ref().and_then(|a| a.start_line).unwrap_or_default(),
                t.remarks.iter().map(|r| r.text.as_str()).collect::<Vec<_>>()
            )
        })
        .collect();
    insta::assert_snapshot!(told.join("\n"), @r#"
    one open=false line=9 ["Closed: fixed in revision 3 (cccccccc)."]
    two open=true line=2 ["Closed: fixed in revision 1 (aaaaaaaa).", "The finding is back in this revision."]
    three open=false line=3 ["Closed: fixed in revision 3 (cccccccc)."]
    "#);
    assert_eq!((proposal.overview.as_deref(), proposal.revisions.len()), (Some("1 findings"), 3));

    // Pages escape what was posted.
    let page = get(&running.url, "/proposals/7", "");
    assert!(page.contains("&lt;b&gt;two&lt;&#x2f;b&gt;") && !page.contains("<b>two"), "{page}");
}

#[test]
fn only_the_token_opens_the_door() {
    let dir = tempfile::tempdir().expect("a folder");
    let running = host(&dir.path().join("host.db"));
    for wrong in ["", "harbour-tokem", "harbour-token-and-more"] {
        let client = Client::new(&running.url, wrong).expect("an address");
        assert!(matches!(client.proposal(1), Err(HostError::Refused { status: 401, .. })), "{wrong}");
    }
    let elsewhere = ServerOptions {
        listen: ([0, 0, 0, 0], 0).into(),
        data: dir.path().join("x.db"),
        token: TOKEN.into(),
        idle: None,
    };
    assert!(Server::bind(elsewhere).is_err());
}

#[test]
fn the_description_covers_what_is_sent() {
    let dir = tempfile::tempdir().expect("a folder");
    let running = host(&dir.path().join("host.db"));
    let served = get(&running.url, "/openapi.json", "");
    let description: Value = serde_json::from_str(served.split("\r\n\r\n").nth(1).expect("a body")).expect("JSON");
    assert_eq!(description["openapi"], "3.1.0");
    let holds = |name: &str, value: &Value| {
        // OpenAPI 3.1 schemas are JSON Schema 2020-12.
        let schema = json!({ "$ref": format!("#/components/schemas/{name}"), "components": description["components"] });
        let validator = jsonschema::validator_for(&schema).expect("a schema");
        let errors: Vec<String> = validator.iter_errors(value).map(|e| e.to_string()).collect();
        assert!(errors.is_empty(), "{name}: {errors:?}");
    };
    let client = Client::new(&running.url, TOKEN).expect("an address");
    let new = NewProposal { title: "T".into(), target: "main".into() };
    holds("NewProposal", &json!(new));
    holds("Report", &json!(report(&[finding("one", 1)])));
    holds("Proposal", &json!(client.open_proposal(7, &new).expect("opened")));
    holds("Posted", &json!(client.report(7, "aaaaaaaa", "swage", &report(&[finding("one", 1)])).expect("posted")));
    holds("Proposal", &json!(client.proposal(7).expect("a proposal")));
    for (path, answer) in
        [("/nowhere", "nothing is served at this address"), ("/api/proposals", "send the host's token")]
    {
        assert!(get(&running.url, path, "").contains(answer), "{path}");
    }
}

#[test]
fn a_host_that_answers_nonsense_is_told_apart() {
    let listener = TcpListener::bind("127.0.0.1:0").expect("a free port");
    let url = format!("http://{}", listener.local_addr().expect("its address"));
    let served = std::thread::spawn(move || {
        for body in ["<html>", "{}", "[1"] {
            let (mut stream, _) = listener.accept().expect("a caller");
            let mut bytes = [0; 4096];
            _ = stream.read(&mut bytes);
            _ = write!(stream, "HTTP/1.1 200 OK\r\nContent-Length: {}\r\nConnection: close\r\n\r\n{body}", body.len());
        }
    });
    let client = Client::new(&url, TOKEN).expect("an address");
    for _ in 0..3 {
        assert!(matches!(client.proposal(1), Err(HostError::Nonsense { .. })));
    }
    served.join().expect("served");
    assert!(matches!(client.proposal(1), Err(HostError::Unreachable { .. })));
    assert!(matches!(Client::new("ftp://x", TOKEN), Err(HostError::Address(_))));
}

/// A report with one value changed.
fn spoilt(pointer: &str, value: &Value) -> String {
    let mut report = json!(report(&[finding("one", 1)]));
    *report.pointer_mut(pointer).unwrap_or_else(|| panic!("{pointer}")) = value.clone();
    report.to_string()
}

#[test]
fn what_is_no_report_changes_nothing() {
    let dir = tempfile::tempdir().expect("a folder");
    let running = host(&dir.path().join("host.db"));
    let client = Client::new(&running.url, TOKEN).expect("an address");
    for (number, title) in [(7, "Times & tides"), (3, "Berths")] {
        client.open_proposal(number, &NewProposal { title: title.into(), target: "main".into() }).expect("opened");
    }
    let good = "/api/proposals/7/revisions/aaaaaaaa/reports/swage";
    let long = format!("/api/proposals/7/revisions/aaaaaaaa/reports/{}", "x".repeat(65));
    let anchor = |line: Value| json!({ "path": "a.py", "side": "new", "start_line": line, "start_column": 1, "end_line": 1, "end_column": 2 });
    let cases: &[(&str, &str, String)] = &[
        ("not JSON", good, "nonsense".into()),
        ("another thing", good, "{}".into()),
        ("another format", good, spoilt("/format", &json!("swage-report/9"))),
        ("no key", good, spoilt("/findings/0/key", &json!(""))),
        ("a key that is too long", good, spoilt("/findings/0/key", &json!("k".repeat(101)))),
        ("no such severity", good, spoilt("/findings/0/severity", &json!("grave"))),
        ("no such side", good, spoilt("/findings/0/anchor/side", &json!("left"))),
        ("an end before the start", good, spoilt("/findings/0/anchor", &anchor(json!(2)))),
        ("an end without a start", good, spoilt("/findings/0/anchor", &anchor(Value::Null))),
        ("line 0", good, spoilt("/findings/0/anchor", &anchor(json!(0)))),
        ("no commit", "/api/proposals/7/revisions/topic/reports/swage", json!(report(&[])).to_string()),
        ("a name that is too long", &long, json!(report(&[])).to_string()),
        ("no number", "/api/proposals/x/revisions/aaaaaaaa/reports/swage", json!(report(&[])).to_string()),
    ];
    let mut told = String::new();
    for (name, path, body) in cases {
        let answer = ask(&running.url, "PUT", path, &authorized(), body);
        let (head, said) = answer.split_once("\r\n\r\n").expect("an answer");
        told += &format!("{name}: {} {said}\n", head.split(' ').nth(1).unwrap_or_default());
    }
    insta::assert_snapshot!(told, @r#"
    not JSON: 400 {"error":"Failed to parse the request body as JSON: expected ident at line 1 column 2"}
    another thing: 422 {"error":"Failed to deserialize the JSON body into the target type: missing field `format` at line 1 column 2"}
    another format: 422 {"error":"format is `swage-report/9`; this host takes `swage-report/1`"}
    no key: 422 {"error":"a key must have 1 to 100 characters"}
    a key that is too long: 422 {"error":"a key must have 1 to 100 characters"}
    no such severity: 422 {"error":"`grave` is no severity"}
    no such side: 422 {"error":"the anchor of `one` is no place"}
    an end before the start: 422 {"error":"the anchor of `one` is no place"}
    an end without a start: 422 {"error":"the anchor of `one` is no place"}
    line 0: 422 {"error":"the anchor of `one` is no place"}
    no commit: 422 {"error":"`topic` is no commit id"}
    a name that is too long: 422 {"error":"a reporter's name has 1 to 64 characters"}
    no number: 400 {"error":"Invalid URL: Cannot parse value at index 0 with value `x` to a `u64`"}
    "#);
    let proposal = client.proposal(7).expect("a proposal");
    assert_eq!((proposal.threads.len(), proposal.revisions.len(), proposal.overview), (0, 0, None));

    // All proposals, for programs and for people.
    let listed = ask(&running.url, "GET", "/api/proposals", &authorized(), "");
    let listed: Value = serde_json::from_str(listed.split("\r\n\r\n").nth(1).expect("a body")).expect("JSON");
    let numbers: Vec<_> = listed.as_array().expect("a list").iter().map(|p| p["number"].as_u64()).collect();
    assert_eq!(numbers, [Some(3), Some(7)]);
    let page = get(&running.url, "/", "");
    assert!(page.contains("Times &amp; tides") && page.contains("/proposals/3"), "{page}");
}

fn authorized() -> String {
    format!("Authorization: Bearer {TOKEN}\r\nContent-Type: application/json\r\n")
}

/// A bare GET, without the client.
fn get(url: &str, path: &str, header: &str) -> String {
    ask(url, "GET", path, header, "")
}

/// A bare request; what comes back, head and body.
fn ask(url: &str, method: &str, path: &str, header: &str, body: &str) -> String {
    let address = url.trim_start_matches("http://");
    let mut stream = std::net::TcpStream::connect(address).expect("connected");
    write!(
        stream,
        "{method} {path} HTTP/1.1\r\nHost: {address}\r\nConnection: close\r\nContent-Length: {}\r\n{header}\r\n{body}",
        body.len()
    )
    .expect("sent");
    let mut text = String::new();
    stream.read_to_string(&mut text).expect("read");
    text
}
