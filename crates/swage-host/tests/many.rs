//! Many people at once, and mail to them.

mod common;

use std::collections::BTreeSet;
use std::io::{BufRead, BufReader, Write};
use std::net::TcpListener;
use std::sync::mpsc;
use std::time::Duration;

use common::{World, finding, report};
use swage_host::{MailOptions, NewRemark, NewThread, ServerOptions, StanceWord, ThreadKind, set_mail};

fn thread(text: &str) -> NewThread {
    NewThread { kind: ThreadKind::Remark, anchor: None, revision: None, text: text.into(), draft: false }
}

fn proposed() -> (World, String) {
    let w = World::new();
    w.write("a.py", "one\ntwo\nthree\n");
    let head = w.commit("work");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    w.propose("harbour-dev/topic");
    (w, head)
}

/// Fifty clients open threads, answer, report and look, all at once: everything that was acknowledged is there, once.
#[test]
fn nothing_is_lost_among_fifty_clients() {
    let (w, head) = proposed();
    let first = w.client("pier-dev").open_thread(1, &thread("first")).expect("a thread").number;
    std::thread::scope(|scope| {
        for client in 0..50 {
            let (w, head) = (&w, &head);
            scope.spawn(move || {
                // Reports that come at once replace one another.
                if client % 10 == 0 {
                    let patient = w.client("swage").patient(Duration::from_secs(30));
                    patient
                        .report(1, head, "swage", &report(&[finding(&format!("key-{client}"), 1)]))
                        .expect("reported");
                }
                let person = w.client(["harbour-dev", "pier-dev", "maintainer"][client % 3]);
                let person = person.patient(Duration::from_secs(30));
                for n in 0..4 {
                    person.open_thread(1, &thread(&format!("thread {client}.{n}"))).expect("opened");
                    let text = format!("reply {client}.{n}");
                    person.reply(first, &NewRemark { text, draft: false }).expect("replied");
                    person.proposal(1).expect("a proposal");
                }
            });
        }
    });
    let threads = w.client("visitor").threads(1).expect("threads");
    let said = |what: &str| -> Vec<&str> {
        let all = threads.iter().flat_map(|t| &t.remarks).map(|remark| remark.text.as_str());
        all.filter(|text| text.starts_with(what)).collect()
    };
    for what in ["thread ", "reply "] {
        let all = said(what);
        assert_eq!((all.len(), all.iter().collect::<BTreeSet<_>>().len()), (200, 200), "{what}");
    }
    // One report was the last, and only its finding is open.
    let open: Vec<_> = threads.iter().filter(|t| t.finding.is_some() && t.open).collect();
    assert_eq!((open.len(), threads.iter().filter(|t| t.finding.is_some()).count()), (1, 5));
}

/// A mail server that hands on what it takes; letters to `nobody` are refused for good.
fn mail_server() -> (String, mpsc::Receiver<String>) {
    let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
    let address = listener.local_addr().expect("its address").to_string();
    let (send, letters) = mpsc::channel();
    std::thread::spawn(move || {
        for stream in listener.incoming().map_while(Result::ok) {
            let mut writer = stream.try_clone().expect("a stream");
            let mut lines = BufReader::new(stream).lines().map_while(Result::ok);
            let mut say = |text: &str| _ = writer.write_all(format!("{text}\r\n").as_bytes());
            say("220 quay ESMTP");
            while let Some(line) = lines.next() {
                match line.get(..4).unwrap_or_default() {
                    "RCPT" if line.contains("nobody") => say("550 nobody of that name"),
                    "DATA" => {
                        say("354 go on");
                        let letter = lines.by_ref().take_while(|line| line != ".").collect::<Vec<_>>().join("\n");
                        say("250 taken");
                        if send.send(letter).is_err() {
                            return;
                        }
                    }
                    "QUIT" => {
                        say("221 bye");
                        break;
                    }
                    _ => say("250 well"),
                }
            }
        }
    });
    (address, letters)
}

/// Whoever has to do with a proposal, or is mentioned, gets one letter of what happened, unless they have looked already.
#[test]
fn people_are_notified_by_mail() {
    let (mut w, head) = proposed();
    let data = w.folder.path().join("host");
    for (name, mail) in [
        ("harbour-dev", "harbour-dev@example.org"),
        ("visitor", "nobody@example.org"),
        ("second-maintainer", "Second <second@example.org>"),
    ] {
        set_mail(&data, name, mail).expect("noted");
    }
    let pier = w.client("pier-dev");
    pier.open_thread(1, &thread("@visitor @second-maintainer, which *port*?\n\nFrom here:\nBcc: x@example.org"))
        .expect("said");
    w.client("swage").report(1, &head, "swage", &report(&[finding("one", 1)])).expect("reported");
    let stance = swage_host::NewStance { stance: StanceWord::Object, head, text: "Not yet.".into() };
    pier.take_stance(1, &stance).expect("taken");
    let (server, letters) = mail_server();
    let mail = MailOptions { server, from: "Host <host@example.org>".into(), quiet: Duration::ZERO };
    w.start_with(|options| ServerOptions { mail: Some(mail.clone()), ..options });
    let one = letters.recv_timeout(Duration::from_secs(20)).expect("a letter");
    let two = letters.recv_timeout(Duration::from_secs(20)).expect("a letter");
    let address = w.url().to_owned();
    let rendered = [one, two].map(|letter| {
        let lines = letter.lines().filter(|line| !line.starts_with("Date: ") && !line.starts_with("Message-ID: "));
        lines.collect::<Vec<_>>().join("\n").replace(&address, "[host]")
    });
    insta::assert_snapshot!(rendered.join("\n----\n"));
    // Nobody is notified twice, not even by a restarted host; the one who can't be reached doesn't hold others up.
    w.start_with(|options| ServerOptions { mail: Some(mail), ..options });
    w.client("harbour-dev").look(1).expect("looked");
    w.client("pier-dev").open_thread(1, &thread("One more.")).expect("said");
    let next = letters.recv_timeout(Duration::from_secs(20)).expect("a letter");
    assert!(next.contains("pier-dev remarked in thread 3: One more.") && !next.contains("Not yet"), "{next}");
    assert!(next.contains("\nTo: harbour-dev@example.org\n"), "{next}");
    assert!(letters.recv_timeout(Duration::from_secs(2)).is_err());
}
