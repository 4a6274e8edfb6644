//! The protocol, spoken over real HTTP on loopback, with real pushes.

mod common;

use std::io::{Read, Write};
use std::net::TcpListener;
use std::time::Duration;

use common::{World, anchor, finding, report};
use serde_json::{Value, json};
use swage_host::{
    Client, Edited, HostError, Mark, MergeKind, MergeRequest, NewProposal, NewRemark, NewRepository, NewStance,
    NewStatus, NewThread, NewTicket, NewVerdict, Proposal, ProposalState, ReportedFinding, Server, ServerOptions,
    Settled, StanceWord, StatusState, Thread, ThreadEnd, ThreadKind, TicketPoint, openapi,
};

#[track_caller]
fn status<T: std::fmt::Debug>(answer: Result<T, HostError>) -> u16 {
    match answer {
        Err(HostError::Refused { status, .. }) => status,
        other => panic!("{other:?}"),
    }
}

/// Where each thread is and what was said in it.
fn rendered(threads: &[Thread]) -> String {
    let line = |t: &Thread| {
        let at = t.anchor.as_ref().map_or("the whole".to_owned(), |a| {
            format!("{} {}-{}", a.path, a.start_line.unwrap_or(0), a.end_line.unwrap_or(0))
        });
        let code: Vec<&str> = t.code.iter().filter(|l| l.marker == "added").map(|l| l.text.as_str()).collect();
        let said: Vec<&str> = t.remarks.iter().map(|r| r.text.as_str()).collect();
        let open = if t.open { "open" } else { "closed" };
        let draft = if t.draft { " draft" } else { "" };
        format!("{} {:?}{draft} {open} {:?} {at} {code:?} {said:?}", t.author, t.kind, t.place)
    };
    threads.iter().map(line).collect::<Vec<_>>().join("\n")
}

#[test]
fn threads_stay_with_their_lines() {
    let w = World::new();
    w.write("a.py", "one\ntwo\nTHREE\nfour\nfive\nsix\n");
    w.commit("work");
    assert!(w.push("harbour-dev", "topic").unwrap_err().contains("contributors push to branches called harbour-dev/"));
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    let proposal = w.propose("harbour-dev/topic");
    let (author, reviewer) = (w.client("harbour-dev"), w.client("pier-dev"));
    let open = |kind, place: Option<(&str, u32, u32)>, text: &str, draft| {
        let anchor = place.map(|(path, first, last)| anchor(path, first, last));
        reviewer.open_thread(1, &NewThread { kind, anchor, revision: None, text: text.into(), draft })
    };
    open(ThreadKind::Todo, Some(("a.py", 3, 3)), "Why capitals?", false).expect("a thread");
    open(ThreadKind::Remark, Some(("a.py", 2, 4)), "These three.", true).expect("a draft");
    // A file that the change leaves as it is, too.
    open(ThreadKind::Praise, Some(("b.py", 1, 1)), "Good.", false).expect("a thread");
    open(ThreadKind::Remark, None, "On the whole: @maintainer, look.", false).expect("a thread");
    for (path, line) in [("a.py", 7), ("nowhere.py", 1), ("../a.py", 1)] {
        assert_eq!(status(open(ThreadKind::Remark, Some((path, line, line)), "x", false)), 422, "{path}");
    }
    assert_eq!(w.client("maintainer").me().expect("me").unread, 1);
    // Drafts are their author's alone, and so are their numbers.
    assert_eq!(author.threads(1).expect("threads").len(), 3);
    let draft = reviewer.threads(1).expect("threads")[1].clone();
    assert_eq!(status(author.reply(draft.number, &NewRemark { text: "x".into(), draft: false })), 404);
    assert_eq!(status(author.drop_draft(draft.remarks[0].number)), 404);
    let published = reviewer.publish(1).expect("published");
    assert_eq!((published.threads, published.remarks), (1, 1));
    assert_eq!(status(reviewer.drop_draft(draft.remarks[0].number)), 409);

    // A push: the lines move, one of them goes, and the file gets another name.
    w.git("clone", &["mv", "a.py", "quay.py"]);
    w.write("quay.py", "zero\none\ntwo\nthree\nfour\nfive\nsix\n");
    w.commit("more");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    let now = author.proposal(1).expect("a proposal");
    assert_eq!((now.revisions.len(), now.revisions[1].number, proposal.revisions.len()), (2, 2, 1));
    insta::assert_snapshot!(rendered(&author.threads(1).expect("threads")), @r#"
    pier-dev Todo open Outdated a.py 3-3 ["THREE"] ["Why capitals?"]
    pier-dev Remark open Here quay.py 3-5 ["two", "three", "four"] ["These three."]
    pier-dev Praise open Here b.py 1-1 ["berth"] ["Good."]
    pier-dev Remark open Whole the whole [] ["On the whole: @maintainer, look."]
    "#);
    // A rebase onto a newer target keeps what it can.
    w.git("clone", &["checkout", "-q", "main"]);
    w.write("b.py", "before\nberth\n");
    w.commit("target moves");
    let moved = w.git("clone", &["rev-parse", "HEAD"]);
    let bare = w.folder.path().join("host/repositories/ferry.git");
    w.git("clone", &["push", "-q", &bare.to_string_lossy(), "HEAD:refs/heads/elsewhere"]);
    w.git("host/repositories/ferry.git", &["update-ref", "refs/heads/main", &moved]);
    w.git("clone", &["checkout", "-q", "-"]);
    w.git("clone", &["rebase", "-q", "main"]);
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    let threads = author.threads(1).expect("threads");
    assert!(rendered(&threads).contains("Praise open Here b.py 2-2 [\"berth\"]"), "{}", rendered(&threads));
    assert_eq!(author.proposal(1).expect("a proposal").revisions[2].base, moved);
    // What must be done is done when who asked for it says so; the rest may be closed by the author of the proposal.
    let thread = |index: usize| threads[index].number;
    assert_eq!(status(author.resolve(thread(0), ThreadEnd::Closed)), 403);
    assert!(reviewer.resolve(thread(0), ThreadEnd::Closed).expect("closed").changed);
    assert!(author.resolve(thread(1), ThreadEnd::Closed).expect("closed").changed);
    assert!(!author.resolve(thread(1), ThreadEnd::Closed).expect("closed already").changed);
    let remark = threads[2].remarks[0].number;
    assert!(author.react(remark, "thanks", Mark::Put).expect("reacted").changed);
    assert!(!author.react(remark, "thanks", Mark::Put).expect("reacted already").changed);
    let seen = reviewer.threads(1).expect("threads");
    assert_eq!(seen[2].remarks[0].reactions, [("thanks".to_owned(), "harbour-dev".to_owned())]);
}

#[test]
fn threads_follow_the_reports() {
    let mut w = World::new();
    w.write("a.py", "one\ntwo\nthree\n");
    let first = w.commit("work");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    w.propose("harbour-dev/topic");
    let checker = w.client("swage");
    let posted = |head: &str, findings: &[ReportedFinding]| {
        let p = checker.report(1, head, "swage", &report(findings)).expect("posted");
        format!(
            "revision {} opened {} reopened {} moved {} kept {} closed {} left {} unchanged {}",
            p.revision, p.opened, p.reopened, p.moved, p.kept, p.closed, p.left, p.unchanged
        )
    };
    let (one, two, three) = (finding("one", 1), finding("two", 2), finding("three", 3));
    let both = [one.clone(), two.clone()];
    assert_eq!(posted(&first, &both), "revision 1 opened 2 reopened 0 moved 0 kept 0 closed 0 left 0 unchanged false");
    assert_eq!(posted(&first, &both), "revision 1 opened 0 reopened 0 moved 0 kept 0 closed 0 left 0 unchanged true");
    assert_eq!(
        posted(&first, std::slice::from_ref(&one)),
        "revision 1 opened 0 reopened 0 moved 0 kept 1 closed 1 left 0 unchanged false"
    );
    w.write("a.py", "one\ntwo\nthree\nfour\n");
    let second = w.commit("more");
    // A head that wasn't pushed is no revision, whoever reports it, and doesn't become one.
    assert_eq!(status(checker.report(1, &second, "swage", &report(&[]))), 409);
    assert_eq!(status(checker.report(1, &"f".repeat(40), "swage", &report(&[]))), 409);
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    assert_eq!(
        posted(&second, &[finding("one", 4), three.clone()]),
        "revision 2 opened 1 reopened 0 moved 1 kept 0 closed 0 left 0 unchanged false"
    );
    // A late report on an older revision changes nothing.
    let before = checker.proposal(1).expect("a proposal");
    assert_eq!(status(checker.report(1, &first, "swage", &report(&[]))), 409);
    assert_eq!(status(checker.report(1, &second, "swage", &report(&[one.clone(), one.clone()]))), 422);
    assert_eq!(checker.proposal(1).expect("a proposal"), before);
    // People's words survive; what is settled is closed with its reason; no more than so many threads are opened at once.
    let thread = checker.threads(1).expect("threads")[0].number;
    w.client("harbour-dev")
        .reply(thread, &NewRemark { text: "It's for the *tide*.".into(), draft: false })
        .expect("said");
    let mut settled = report(&[finding("four", 1), finding("five", 2), finding("six", 3)]);
    settled.settled = vec![Settled { key: "one".into(), why: "intended: the quay is flat".into() }];
    settled.most_threads = Some(2);
    let p = checker.report(1, &second, "swage", &settled).expect("posted");
    assert_eq!((p.opened, p.left, p.closed), (2, 1, 2));
    w.start();
    let checker = w.client("swage");
    let now = rendered(&checker.threads(1).expect("threads"));
    let now = now.replace(&first[..10], "[first]").replace(&second[..10], "[second]");
    insta::assert_snapshot!(now, @r#"
    swage Todo closed Here a.py 4-4 [] ["It's for the *tide*.", "Closed: settled as intended: the quay is flat."]
    swage Todo closed Here a.py 2-2 ["two"] ["Closed: fixed in revision 1 ([first])."]
    swage Todo closed Here a.py 3-3 [] ["Closed: fixed in revision 2 ([second])."]
    swage Todo open Here a.py 1-1 [] []
    swage Todo open Here a.py 2-2 [] []
    "#);
    let overview = checker.proposal(1).expect("a proposal").overview.expect("an overview");
    assert_eq!(
        (overview.revision, overview.text.lines().last()),
        (2, Some("Without a thread, because 2 are open at once: 1 more."))
    );
}

/// Everything that a merge needs, and each thing that voids it.
#[test]
fn a_target_moves_only_by_a_verdict_that_holds() {
    let w = World::new();
    let maintainer = w.client("maintainer");
    let point = TicketPoint { text: "Times are those of the port".into(), done: false };
    let ticket = NewTicket { title: "Times".into(), open: true, points: vec![point] };
    maintainer.put_ticket("QUAY-7", &ticket).expect("a ticket");
    w.write("c.py", "new\n");
    let head = w.commit("work");
    // A copy of one's own, to which nobody else pushes.
    let own = NewRepository { name: "ferry-pier".into(), copy_of: Some("ferry".into()), protected: Vec::new() };
    w.client("pier-dev").make_repository(&own).expect("a copy");
    w.push_to("pier-dev", "ferry-pier", "topic").expect("pushed");
    assert!(w.push_to("harbour-dev", "ferry-pier", "topic").unwrap_err().contains("403"));
    for branch in ["main", "proposals"] {
        assert!(w.push("harbour-dev", branch).is_err(), "{branch}");
    }
    assert!(w.push("maintainer", "main").unwrap_err().contains("it is protected"));
    let own = format!("{}/git/ferry.git", w.url());
    let refs = w.try_git("clone", &["push", "-q", &own, "HEAD:refs/proposals/9/1"], Some(&w.tokens["maintainer"]));
    assert!(refs.unwrap_err().contains("only branches and tags"));
    let new = NewProposal {
        repository: "ferry".into(),
        target: "main".into(),
        source: Some("ferry-pier".into()),
        branch: "topic".into(),
        title: "Times".into(),
        tickets: vec!["QUAY-7".into()],
        reviewers: vec!["harbour-dev".into()],
        ..NewProposal::default()
    };
    let author = w.client("pier-dev");
    let proposal = author.propose(&new).expect("proposed");
    assert_eq!(status(author.propose(&new)), 409, "twice the same");
    let target = proposal.target_tip.clone().expect("a target");
    let request = |target: &str, head: &str| MergeRequest {
        target: target.into(),
        head: head.into(),
        kind: MergeKind::Merge,
        message: "Times at the quay".into(),
        delete_branch: true,
    };
    let judge = |result: &str| {
        let upto = maintainer.timeline(1).expect("events").last().map_or(0, |e| e.number);
        let (target, head) = (target.clone(), head.clone());
        NewVerdict { target, head, result: result.into(), conditions: Vec::new(), upto }
    };
    let checker = w.client("swage");
    let merge = || maintainer.merge(1, &request(&target, &head));
    assert_eq!(status(merge()), 409, "not judged");
    let of_the_future = NewVerdict { upto: u64::MAX >> 12, ..judge("pass") };
    assert_eq!(status(checker.put_verdict(1, &of_the_future)), 422, "what hasn't happened yet");
    checker.put_verdict(1, &judge("fail")).expect("judged");
    assert_eq!(status(merge()), 409, "a verdict that fails");
    checker.put_verdict(1, &judge("pass")).expect("judged");
    assert_eq!(status(author.merge(1, &request(&target, &head))), 403, "not a maintainer");
    assert_eq!(status(maintainer.merge(1, &request(&head, &head))), 409, "another target");
    assert_eq!(status(maintainer.merge(1, &request(&target, &target))), 409, "another head");
    // What people say voids it.
    let reviewer = w.client("harbour-dev");
    let stance = |stance, head: &str| NewStance { stance, head: head.into(), text: "Because.".into() };
    assert_eq!(status(author.take_stance(1, &stance(StanceWord::Approve, &head))), 403, "one's own");
    assert_eq!(status(reviewer.take_stance(1, &stance(StanceWord::Approve, &target))), 409, "an older head");
    reviewer.take_stance(1, &stance(StanceWord::Object, &head)).expect("taken");
    assert!(!maintainer.proposal(1).expect("a proposal").verdict.expect("a verdict").holds);
    assert_eq!(status(merge()), 409, "an objection came");
    let state = NewStatus { state: StatusState::Passed, text: "all well".into(), link: None };
    checker.put_verdict(1, &judge("pass")).expect("judged");
    checker.put_status(1, &head, "build", &state).expect("said");
    assert_eq!(status(merge()), 409, "a status came");
    checker.put_verdict(1, &judge("pass")).expect("judged");
    checker.put_status(1, &head, "build", &state).expect("said again, which is no news");
    // So does the target, when it moves.
    let bare = "host/repositories/ferry.git";
    w.git("clone", &["push", "-q", &w.folder.path().join(bare).to_string_lossy(), "HEAD:refs/heads/elsewhere"]);
    w.git(bare, &["update-ref", "refs/heads/main", &head]);
    assert_eq!(status(merge()), 409, "the target moved");
    w.git(bare, &["update-ref", "refs/heads/main", &target]);
    let merged = merge().expect("merged");
    let how = merged.merged.clone().expect("how");
    assert_eq!(
        (merged.state, &how.before, merged.target_tip.as_ref()),
        (ProposalState::Merged, &target, Some(&how.commit))
    );
    assert!(!merged.tickets[0].open);
    assert_eq!(
        w.git(bare, &["log", "-1", "--format=%s|%an|%P", "main"]),
        format!("Times at the quay|maintainer|{target} {head}")
    );
    assert!(
        w.try_git("host/repositories/ferry-pier.git", &["rev-parse", "topic"], None).is_err(),
        "the branch is gone"
    );
    assert_eq!(status(merge()), 409, "it is merged");
    assert_eq!(status(author.edit(1, &Edited { open: Some(false), ..Edited::default() })), 409);
    let what: Vec<String> =
        maintainer.timeline(1).expect("events").into_iter().map(|e| format!("{} {}", e.who, e.what)).collect();
    assert_eq!(what.first().map(String::as_str), Some("pier-dev proposed"));
    assert_eq!(what.last().map(String::as_str), Some("maintainer merged"));
}

/// Of two merges at the same instant one wins.
#[test]
fn merges_at_once() {
    let w = World::new();
    let maintainer = w.client("maintainer");
    let mut requests = Vec::new();
    for branch in ["harbour-dev/a", "harbour-dev/b"] {
        w.git("clone", &["checkout", "-q", "-B", "work", "main"]);
        w.write(&format!("{}.txt", &branch[12..]), "new\n");
        let head = w.commit("work");
        w.push("harbour-dev", branch).expect("pushed");
        let proposal = w.propose(branch);
        let (number, target) = (proposal.number, proposal.target_tip.expect("a target"));
        let upto = maintainer.timeline(number).expect("events").last().map_or(0, |e| e.number);
        let verdict = NewVerdict {
            target: target.clone(),
            head: head.clone(),
            result: "pass".into(),
            conditions: Vec::new(),
            upto,
        };
        w.client("swage").put_verdict(number, &verdict).expect("judged");
        let kind = if number == 1 { MergeKind::Squash } else { MergeKind::FastForward };
        requests.push((number, MergeRequest { target, head, kind, message: "m".into(), delete_branch: false }));
    }
    let merged: Vec<bool> = std::thread::scope(|scope| {
        let threads: Vec<_> = requests
            .iter()
            .map(|(number, request)| scope.spawn(|| w.client("second-maintainer").merge(*number, request).is_ok()))
            .collect();
        threads.into_iter().map(|thread| thread.join().expect("no panic")).collect()
    });
    assert_eq!(merged.iter().filter(|done| **done).count(), 1, "{merged:?}");
    let log = w.git("host/repositories/ferry.git", &["rev-list", "--count", "main"]);
    assert_eq!(log, "2");
}

/// A merge that was cut short before or after the move of the target is forgotten, or finished.
#[test]
fn merges_that_were_cut_short() {
    for moved in [false, true] {
        let mut w = World::new();
        w.write("c.py", "new\n");
        let head = w.commit("work");
        w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
        let target = w.propose("harbour-dev/topic").target_tip.expect("a target");
        w.running = None;
        let db = rusqlite::Connection::open(w.folder.path().join("host/host.db")).expect("a database");
        db.execute(
            "INSERT INTO merges (proposal, before, head, commit_id, kind, delete_branch, done, by, at)
             VALUES (1, ?1, ?2, ?2, 'fast-forward', 0, 0, 'maintainer', 0)",
            [&target, &head],
        )
        .expect("written");
        if moved {
            w.git("host/repositories/ferry.git", &["update-ref", "refs/heads/main", &head, &target]);
        }
        w.start();
        let now = w.client("visitor").proposal(1).expect("a proposal");
        let expected = if moved { (ProposalState::Merged, true) } else { (ProposalState::Open, false) };
        assert_eq!((now.state, now.merged.is_some()), expected);
    }
}

#[test]
fn the_inbox_says_what_waits() {
    let w = World::new();
    w.write("c.py", "new\n");
    let head = w.commit("work");
    for branch in ["harbour-dev/a", "harbour-dev/b"] {
        w.push("harbour-dev", branch).expect("pushed");
        w.propose(branch);
    }
    let author = w.client("harbour-dev");
    let edited =
        Edited { reviewers: Some(vec!["pier-dev".into()]), due: Some("2031-03-09".into()), ..Edited::default() };
    author.edit(1, &edited).expect("edited");
    author.edit(2, &Edited { draft: Some(true), title: Some("Berths".into()), ..Edited::default() }).expect("edited");
    let rows = |person: &str, which: &str| {
        let rows = w.client(person).inbox(which).expect("rows");
        let row = |r: &swage_host::InboxRow| {
            format!(
                "{} {} waits {} ({}) {:?} due {:?} unseen {}",
                r.number, r.title, r.waits_for_me, r.why, r.roles, r.due, r.unseen
            )
        };
        rows.iter().map(row).collect::<Vec<_>>()
    };
    assert_eq!(
        rows("pier-dev", "mine"),
        ["1 Times at the quay waits true (your review) [\"reviewer\"] due Some(\"2031-03-09\") unseen true"]
    );
    assert_eq!(rows("pier-dev", "open").len(), 2);
    w.client("pier-dev").look(1).expect("looked");
    let stance = NewStance { stance: StanceWord::Object, head, text: String::new() };
    w.client("pier-dev").take_stance(1, &stance).expect("taken");
    w.client("pier-dev").watch(2, Mark::Put).expect("watched");
    let mut rendered = rows("harbour-dev", "mine");
    rendered.extend(rows("pier-dev", "mine"));
    author.edit(2, &Edited { open: Some(false), ..Edited::default() }).expect("closed");
    rendered.extend(rows("visitor", "all"));
    insta::assert_snapshot!(rendered.join("\n"), @r#"
    1 Times at the quay waits true (you: an objection stands) ["author"] due Some("2031-03-09") unseen true
    2 Berths waits false (work in progress of you) ["author"] due None unseen false
    1 Times at the quay waits false (harbour-dev: an objection stands) ["reviewer"] due Some("2031-03-09") unseen false
    2 Berths waits false (work in progress of harbour-dev) ["watcher"] due None unseen true
    2 Berths waits false (closed) [] due None unseen true
    1 Times at the quay waits false (harbour-dev: an objection stands) [] due Some("2031-03-09") unseen true
    "#);
}

fn proposal_schema(name: &str) -> Value {
    let description: Value = serde_json::from_str(&openapi()).expect("JSON");
    json!({ "$ref": format!("#/components/schemas/{name}"), "components": description["components"] })
}

#[test]
fn the_description_covers_what_is_sent() {
    let w = World::new();
    let (status, served) = w.ask("nobody", "GET", "/openapi.json", "");
    assert_eq!((status, served == openapi()), (200, true));
    let description: Value = serde_json::from_str(&served).expect("JSON");
    assert_eq!(description["openapi"], "3.1.0");
    let holds = |name: &str, value: &Value| {
        // OpenAPI 3.1 schemas are JSON Schema 2020-12.
        let validator = jsonschema::validator_for(&proposal_schema(name)).expect("a schema");
        let errors: Vec<String> = validator.iter_errors(value).map(|e| e.to_string()).collect();
        assert!(errors.is_empty(), "{name}: {errors:?}");
    };
    w.write("a.py", "one\ntwo\n");
    let head = w.commit("work");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    let proposal: Proposal = w.propose("harbour-dev/topic");
    holds("Proposal", &json!(proposal));
    holds("Report", &json!(report(&[finding("one", 1)])));
    holds(
        "Posted",
        &json!(w.client("swage").report(1, &head, "swage", &report(&[finding("one", 1)])).expect("posted")),
    );
    holds("Thread", &json!(w.client("visitor").threads(1).expect("threads")[0]));
    holds("InboxRow", &json!(w.client("harbour-dev").inbox("mine").expect("rows")[0]));
    for (path, expected) in [("/nowhere", 404), ("/api/proposals", 405), ("/api/proposals/1", 401)] {
        let (status, body) = w.ask("nobody", "GET", path, "");
        holds("Reason", &serde_json::from_str(&body).expect("JSON"));
        assert_eq!(status, expected, "{path}: {body}");
    }
}

#[test]
fn only_loopback_is_served() {
    let folder = tempfile::tempdir().expect("a folder");
    let options = ServerOptions::new(([0, 0, 0, 0], 0).into(), folder.path().to_owned());
    assert!(Server::bind(options).is_err());
}

/// What a host that isn't well answers, and what the client makes of it.
#[test]
fn a_host_that_is_not_well() {
    let answer = |status: &str, headers: &str, length: usize, body: &str| {
        format!("HTTP/1.1 {status}\r\nContent-Length: {length}\r\nConnection: close\r\n{headers}\r\n{body}")
    };
    let me = r#"{"name":"harbour-dev","role":"contributor","unread":0}"#;
    let well = || answer("200 OK", "", me.len(), me);
    let busy = || answer("503 Service Unavailable", "Retry-After: 0\r\n", 2, "{}");
    let cases: [(&str, Vec<String>, &str); 7] = [
        ("well", vec![well()], "harbour-dev"),
        ("busy, then well", vec![busy(), busy(), well()], "harbour-dev"),
        (
            "too many, then well",
            vec![answer("429 Too Many Requests", "Retry-After: 0\r\n", 0, ""), well()],
            "harbour-dev",
        ),
        ("cut off, then well", vec![answer("200 OK", "", 500, me), well()], "harbour-dev"),
        ("hung up, then well", vec![String::new(), well()], "harbour-dev"),
        ("no JSON", vec![answer("200 OK", "", 6, "<html>")], "isn't the protocol"),
        ("busy for long", vec![answer("503 Service Unavailable", "Retry-After: 3600\r\n", 2, "{}")], "(503)"),
    ];
    for (name, answers, expected) in cases {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a free port");
        let url = format!("http://{}", listener.local_addr().expect("its address"));
        let served = std::thread::spawn(move || {
            for text in answers {
                let (mut stream, _) = listener.accept().expect("a caller");
                _ = stream.read(&mut [0; 4096]);
                _ = stream.write_all(text.as_bytes());
            }
        });
        let client = Client::new(&url, "token").expect("an address").patient(Duration::from_secs(5));
        let rendered = client.me().map_or_else(|error| error.to_string(), |me| me.name);
        assert!(rendered.contains(expected), "{name}: {rendered}");
        served.join().expect("served");
    }
    let gone = Client::new("http://127.0.0.1:1", "token").expect("an address").patient(Duration::ZERO);
    assert!(matches!(gone.me(), Err(HostError::Unreachable { sent: false, .. })));
    assert!(matches!(Client::new("ftp://x", "token"), Err(HostError::Address(_))));
    // What might be said twice is never sent twice.
    let listener = TcpListener::bind("127.0.0.1:0").expect("a free port");
    let url = format!("http://{}", listener.local_addr().expect("its address"));
    let served = std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().expect("a caller");
        _ = stream.read(&mut [0; 4096]);
        drop(stream);
        listener.set_nonblocking(true).expect("set");
        std::thread::sleep(Duration::from_millis(600));
        listener.accept().is_err()
    });
    let client = Client::new(&url, "token").expect("an address").patient(Duration::from_secs(5));
    let said = client.reply(1, &NewRemark { text: "once".into(), draft: false });
    assert!(matches!(said, Err(HostError::Unreachable { sent: true, .. })), "{said:?}");
    assert!(served.join().expect("served"), "it was sent again");
}
