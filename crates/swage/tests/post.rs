//! `swage post` by mail and through a program: what is written, in which order, and what happens when the other side fails.

mod common;

use std::io::{BufRead, BufReader, Write};
use std::net::TcpListener;

use common::{CONFIG, Sandbox};

const CLOCK: (&str, &str) = ("SOURCE_DATE_EPOCH", "1930000000");

/// A series of three mails, the first of which only says what the others are for; `swage.toml` is in the folder.
fn series(s: &Sandbox) -> String {
    s.branch("topic");
    s.write("quay/board.py", "def board(a):\n    bad(a)\n    return a\n");
    s.commit("Show the board\n\nFrom the quay on.");
    s.write("quay/board.py", "import tide\n\n\ndef board(a):\n    bad(a)\n    return tide.of(a)\n");
    s.write("tide.py", "def of(a, b, c):\n    return \"Überfahrt\", bad(b)\n");
    s.commit("Ask the tide");
    let args = ["format-patch", "--stdout", "--cover-letter", "--thread=shallow", "--to=reviewers@example.org", "main"];
    let mails = s.git(&args);
    s.git(&["checkout", "--quiet", "main"]);
    // Ids and versions that git makes new each time.
    let masked = with_plain_ids(&mails);
    masked.replace("*** SUBJECT HERE ***", "Boards").replace("*** BLURB HERE ***", "What they show.")
}

/// The mails with numbers for their ids.
fn with_plain_ids(mails: &str) -> String {
    let mut ids: Vec<&str> = Vec::new();
    for line in mails.lines().filter(|line| line.starts_with("Message-I")) {
        ids.push(line.split(['<', '>']).nth(1).expect("an id"));
    }
    ids.iter().enumerate().fold(mails.to_owned(), |text, (n, id)| text.replace(id, &format!("mail-{n}@example.org")))
}

/// Each finding is below its line, in answer to the mail with that line.
#[test]
fn mails_are_answered() {
    let s = Sandbox::with(&[("swage.toml", CONFIG)]);
    let mails = series(&s);
    s.write("../series.mbox", &mails);
    let args =
        ["post", "--to", "mail", "--patch", "../series.mbox", "--tree", ".", "--from", "Swage <swage@example.org>"];
    let ran = s.swage_in(".", &args, "", &[CLOCK]);
    insta::assert_snapshot!("replies", ran.rendered());
    // A mail by itself, from standard input, with a body in another encoding, gets the same answer.
    let separators: Vec<usize> = mails.match_indices(" Mon Sep 17 00:00:00 2001\n").map(|(at, _)| at).collect();
    let second = &mails[separators[1] + 26..separators[2] - 45];
    let (head, body) = second.split_once("\n\n").expect("headers");
    let coded: String = body.bytes().map(|b| format!("={b:02X}")).collect();
    let lines: Vec<&str> = coded.as_bytes().chunks(75).map(|c| std::str::from_utf8(c).expect("ASCII")).collect();
    let alone = format!("{head}\nContent-Transfer-Encoding: quoted-printable\n\n{}\n", lines.join("=\n"));
    let args = ["post", "--to", "mail", "--patch", "-", "--tree", ".", "--from", "Swage <swage@example.org>"];
    let ran = s.swage_in(".", &args, &alone, &[CLOCK]);
    assert!(ran.stdout.contains("> +    bad(a)\n\nerror: `bad(a)` is bad. (no-bad)\n"), "{}", ran.rendered());
    // Silence, unless the project wants a word.
    let clean = alone.replace("=62=61=64", "=67=6F=6F");
    let ran = s.swage_in(".", &args, &clean, &[CLOCK]);
    assert!(ran.stdout.is_empty() && ran.stderr.contains("There is nothing new"), "{}", ran.rendered());
    s.write("swage.toml", CONFIG.replace("[gate]", "[post]\nwhen_clean = \"praise\"\n\n[gate]"));
    let ran = s.swage_in(".", &args, &clean, &[CLOCK]);
    assert!(ran.stdout.contains("\n\nNothing new was found in 1 file. "), "{}", ran.rendered());
}

/// What a mail says can't become a header, another mail, or something that a terminal obeys.
#[test]
fn hostile_mails_are_answered() {
    let s = Sandbox::with(&[("swage.toml", CONFIG)]);
    let patch = "diff --git a/x.py b/x.py\nnew file mode 100644\nindex 0000000..1111111\n--- /dev/null\n+++ b/x.py\n@@ -0,0 +1,3 @@\n+From here\u{1b}[31m\n+bad(1)\n+x = 1\n";
    let head = "From: \"a\\\"b\" <harbour-dev@example.org>\nTo: Pier <pier-dev@example.org>, swage@example.org\nSubject: =?utf-8?q?Tides=0ABcc:_evil@example.org?=\nMessage-ID: <1@example.org>\nReferences: <0@example.org>\n <a@example.org>\nDate: Sat, 1 Mar 2031 09:00:00 +0000\n";
    let bare = ["post", "--to", "mail", "--patch", "-", "--from", "swage@example.org"];
    // Of a file that was there the diff shows no more than the lines.
    let part =
        patch.replace("new file mode 100644\n", "").replace("/dev/null", "a/x.py").replace("-0,0 +1,3", "-1,0 +2,3");
    let ran = s.swage_in(".", &bare, &format!("{head}\n{part}"), &[CLOCK]);
    for says in
        ["1 hunk doesn't parse without the rest of the file", "Without --tree, rules see only the lines of the diff"]
    {
        assert!(ran.stderr.contains(says), "{}", ran.rendered());
    }
    let args = [&bare[..], &["--tree", "."]].concat();
    let ran = s.swage_in(".", &args, &format!("{head}\n{patch}"), &[CLOCK]);
    insta::assert_snapshot!("hostile", ran.rendered());
    for (input, says) in [
        (patch.to_owned(), "standard input holds no mail"),
        (format!("Subject: x\nDate: y\n\n{patch}"), "mail 1 in standard input has no sender"),
        (format!("From: nobody\nSubject: x\n\n{patch}"), "mail 1 in standard input has no sender"),
    ] {
        let ran = s.swage_in(".", &args, &input, &[CLOCK]);
        assert!(ran.code == 2 && ran.stderr.contains(says) && ran.stdout.is_empty(), "{says}: {}", ran.rendered());
    }
}

/// A mail server that takes so many letters and refuses the next ones; what it took.
fn mail_server(takes: usize) -> (String, std::thread::JoinHandle<Vec<String>>) {
    let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
    let address = listener.local_addr().expect("its address").to_string();
    let serve = move || {
        let mut letters = Vec::new();
        for stream in listener.incoming().map(|stream| stream.expect("a client")) {
            let mut writer = stream.try_clone().expect("a stream");
            let mut lines = BufReader::new(stream).lines().map_while(Result::ok);
            let mut say = |text: &str| writer.write_all(format!("{text}\r\n").as_bytes()).expect("said");
            say("220 quay ESMTP");
            while let Some(line) = lines.next() {
                match line.get(..4).unwrap_or_default().to_ascii_uppercase().as_str() {
                    "MAIL" if letters.len() == takes => {
                        say("451 the tide is out");
                        return letters;
                    }
                    "DATA" => {
                        say("354 go on");
                        letters.push(lines.by_ref().take_while(|l| l != ".").collect::<Vec<_>>().join("\n"));
                        say("250 taken");
                    }
                    "QUIT" => {
                        say("221 bye");
                        break;
                    }
                    _ => say("250 well"),
                }
            }
            if letters.len() == 3 {
                return letters;
            }
        }
        letters
    };
    (address, std::thread::spawn(serve))
}

#[test]
fn letters_are_sent() {
    let s = Sandbox::with(&[("swage.toml", CONFIG)]);
    s.write("../series.mbox", series(&s));
    let args = ["post", "--to", "mail", "--patch", "../series.mbox", "--tree", ".", "--from", "swage@example.org"];
    let (address, server) = mail_server(3);
    let ran = s.swage(&[&args[..], &["--smtp", &address]].concat());
    assert_eq!((ran.stdout.as_str(), ran.code), ("3 new findings in 3 replies, sent.\n", 0), "{}", ran.rendered());
    let letters = server.join().expect("letters");
    let says = ["3 new findings", "> +    bad(a)\n\nerror: ", "error: `bad(b)` is bad."];
    letters.iter().zip(says).for_each(|(letter, says)| assert!(letter.contains(says), "{letter}"));
    let (address, server) = mail_server(1);
    let ran = s.swage(&[&args[..], &["--smtp", &address]].concat());
    assert!(
        ran.code == 3 && ran.stderr.contains("the tide is out (1 of 3 mails sent; `Re: [PATCH 1/2]"),
        "{}",
        ran.rendered()
    );
    assert_eq!(server.join().expect("letters").len(), 1);
}

/// A program that logs its input and answers; `$call` is the number of the step.
fn program(cases: &str) -> String {
    format!(
        "#!/bin/sh\nwhile read -r line; do\n  call=${{line##*\\\"call\\\":}}\n  call=${{call%%[!0-9]*}}\n  printf '%s\\n' \"$line\" >> .git/got\n  yes=\"{{\\\"call\\\":$call,\\\"done\\\":true}}\"\n  case $line in\n{cases}\n  *'\"do\":\"begin\"'*) echo \"{{\\\"call\\\":$call,\\\"done\\\":true,\\\"threads\\\":$(cat .git/threads)}}\" ;;\n  *) echo \"$yes\" ;;\n  esac\ndone\n"
    )
}

/// What a program answers, and how that ends.
#[test]
fn programs_get_one_step_after_another() {
    let refusals: &[(&str, &str, i32, &str)] = &[
        ("all is well", "", 0, "topic: 3 threads posted, the findings: fail.\n"),
        (
            "busy once",
            "*'\"do\":\"open\"'*) if [ -e .git/busy ]; then echo \"$yes\"; else touch .git/busy; echo \"{\\\"call\\\":$call,\\\"done\\\":false,\\\"again_after\\\":0}\"; fi ;;",
            0,
            "topic: 3 threads posted",
        ),
        (
            "busy for ever",
            "*'\"do\":\"open\"'*) echo \"{\\\"call\\\":$call,\\\"done\\\":false,\\\"again_after\\\":0,\\\"why\\\":\\\"low tide\\\"}\" ;;",
            3,
            "`open` was refused: low tide",
        ),
        (
            "a refusal",
            "*'\"do\":\"status\"'*) echo \"{\\\"call\\\":$call,\\\"done\\\":false,\\\"why\\\":\\\"not yours\\\"}\" ;;",
            3,
            "`status` was refused: not yours",
        ),
        ("silence", "*'\"do\":\"open\"'*) sleep 60 ;;", 3, "gave no answer within 2 s"),
        ("an end", "*'\"do\":\"open\"'*) exit 0 ;;", 3, "ended without an answer"),
        ("no JSON", "*'\"do\":\"open\"'*) echo well ;;", 3, "the answer to `open` isn't JSON"),
        ("another call", "*'\"do\":\"open\"'*) echo '{\"call\":99,\"done\":true}' ;;", 3, "names call 99, not 2"),
        ("neither", "*'\"do\":\"open\"'*) echo \"{\\\"call\\\":$call}\" ;;", 3, "doesn't say whether it is `done`"),
        (
            "a flood",
            "*'\"do\":\"open\"'*) head -c 3000000 /dev/zero | tr '\\0' x ;;",
            3,
            "an answer is longer than 1 MiB",
        ),
        ("no threads", "*'\"do\":\"begin\"'*) echo \"$yes\" ;;", 3, "has no list `threads`"),
        (
            "a failure at the end",
            "*'\"do\":\"status\"'*) echo \"$yes\"; exit 4 ;;",
            3,
            "all was posted, but `tools/post` failed with",
        ),
    ];
    let config = CONFIG.replace("[gate]", "[post]\ncommand = [\"tools/post\"]\ntimeout = \"2 s\"\n\n[gate]");
    let s = Sandbox::with(&[("swage.toml", &config), ("a.py", "x = 1\n")]);
    for (name, cases, code, says) in refusals {
        s.git(&["checkout", "--quiet", "main"]);
        s.write("tools/post", program(cases));
        s.make_executable("tools/post");
        s.commit("the program");
        s.git(&["checkout", "--quiet", "-B", "topic"]);
        // What the change says of the program doesn't count.
        s.write("tools/post", "#!/bin/sh\ntouch .git/obeyed\n");
        s.write("a.py", "bad(1)\nx = 1\nbad(2)\n");
        s.commit("work");
        s.write(".git/threads", "[{\"thread\":\"t7\",\"key\":\"gone\",\"open\":true}]");
        _ = std::fs::remove_file(s.root.join(".git/got"));
        let ran = s.swage(&["post", "--to", "command"]);
        assert!(ran.code == *code && ran.rendered().contains(says), "{name}: {}", ran.rendered());
        if *name == "all is well" {
            insta::assert_snapshot!("steps", common::normal(&s.read(".git/got")));
        }
    }
    assert!(!s.root.join(".git/obeyed").exists());
    s.git(&["checkout", "--quiet", "main"]);
    s.write("swage.toml", CONFIG);
    s.commit("no program");
    s.git(&["checkout", "--quiet", "-B", "topic"]);
    let ran = s.swage(&["post", "--to", "command"]);
    assert!(
        ran.code == 2 && ran.stderr.contains("the target main names no program to post with"),
        "{}",
        ran.rendered()
    );
}

/// The program that ships with the demo keeps threads across runs: they are opened once, closed when their finding is gone.
#[test]
fn the_example_keeps_threads() {
    if std::process::Command::new("python3").arg("--version").output().is_err() {
        eprintln!("Skipped: there is no python3.");
        return;
    }
    let config =
        CONFIG.replace("[gate]", "[post]\ncommand = [\"tools/keep-threads\"]\nwhen_clean = \"praise\"\n\n[gate]");
    let example = include_str!("../../../demo/main/tools/keep-threads");
    let s = Sandbox::with(&[("swage.toml", &config), ("a.py", "x = 1\n")]);
    s.write("tools/keep-threads", example);
    s.make_executable("tools/keep-threads");
    s.commit("the program");
    s.branch("topic");
    for (code, expected) in [
        ("bad(1)\nbad(2)\n", "2 threads posted, the findings: fail"),
        ("bad(1)\nbad(2)\n", "2 threads posted, the findings: fail"),
        ("y = 2\nbad(2)\n", "2 threads posted, the findings: fail"),
        ("y = 2\n", "1 thread posted, the findings: pass"),
    ] {
        s.write("a.py", code);
        s.commit("work");
        let ran = s.swage(&["post", "--to", "command"]);
        assert_eq!(ran.stdout, format!("topic: {expected}.\n"), "{}", ran.rendered());
    }
    let kept: serde_json::Value = serde_json::from_str(&s.read(".git/threads.json")).expect("JSON");
    let threads = kept["topic"].as_object().expect("threads");
    assert_eq!(threads.values().filter(|thread| thread["why"] == "fixed").count(), 2);
    let text = threads["overview"]["text"].as_str().expect("an overview");
    assert!(text.ends_with("Nothing new was found in 1 file."), "{text}");
}

/// Options that belong to another way are refused by name.
#[test]
fn ways_are_not_mixed() {
    let s = Sandbox::with(&[("swage.toml", CONFIG)]);
    let cases: &[(&[&str], &str)] = &[
        (&["post"], "a review host is posted to by proposal"),
        (&["post", "--to", "command", "--answer"], "--answer can't be posted this way; it is for a review host"),
        (&["post", "--proposal", "1", "--smtp", "x:1"], "--smtp can't be posted this way; it is for mail"),
        (&["post", "--to", "mail", "--from", "a@example.org"], "mail is posted in answer to a series"),
        (&["post", "--to", "command", "--staged"], "commit it first"),
        (&["post", "--to", "pigeon"], "invalid value 'pigeon'"),
    ];
    for (args, says) in cases {
        let ran = s.swage(args);
        assert!(ran.code == 2 && ran.stderr.contains(says), "{args:?}: {}", ran.rendered());
    }
}
