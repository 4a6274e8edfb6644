//! What the review host adds to its database: a report of 1,000 findings, and 200 remarks one after the other, over HTTP, against
//! bare inserts of the same rows into an SQLite file with the same settings.
//!
//! Promised: at most 5 times for a report, which is sent, read, checked and written with its threads; and 20 times for remarks, each of which
//! is a request of its own and touches a dozen pages of the database (the thread, the proposal, the timeline, who is to be notified) where
//! the bare inserts touch four.

use std::path::Path;
use std::process::Command;

use rusqlite::{Connection, params};
use swage_benches::{in_turn, report};
use swage_host::{
    Anchor, Client, NewProposal, NewRemark, NewRepository, NewThread, Report, ReportedFinding, Role, Server,
    ServerOptions, Side, ThreadKind, give_token,
};

const FINDINGS: u32 = 1_000;
const REMARKS: usize = 200;

fn main() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("host");
    let token = |name: &str, role| give_token(&data, name, role).expect("a token");
    let (maintainer, checker) = (token("maintainer", Role::Maintainer), token("swage", Role::Checker));
    let server = Server::bind(ServerOptions::new(([127, 0, 0, 1], 0).into(), data.clone())).expect("a port").spawn();
    let client = |token: &str| Client::new(&server.url, token).expect("an address");
    let (maintainer_client, checker) = (client(&maintainer), client(&checker));
    let head = proposed(folder.path(), &data, &maintainer_client);

    let mut bare = Bare::open(&folder.path().join("bare.db"));
    // Every report is another one, of the same size: all threads of the one before are closed, and as many opened.
    let mut round = 0;
    let reports = in_turn(
        7,
        || {
            round += 1;
            let posted = checker.report(1, &head, "swage", &findings(round)).expect("reported");
            assert_eq!(posted.opened, u64::from(FINDINGS));
        },
        || bare.threads(),
    );
    report("a report of 1,000 findings against bare inserts of its rows", &reports, 5.0);

    let thread =
        NewThread { kind: ThreadKind::Remark, anchor: None, revision: None, text: "tide".into(), draft: false };
    let thread = maintainer_client.open_thread(1, &thread).expect("a thread").number;
    let mut other = Bare::open(&folder.path().join("remarks.db"));
    let remarks = in_turn(
        7,
        || {
            // A thread that grows would be sent back whole with each remark.
            let fresh =
                NewThread { kind: ThreadKind::Remark, anchor: None, revision: None, text: "t".into(), draft: false };
            for n in 0..REMARKS {
                if n % 20 == 0 {
                    maintainer_client.open_thread(1, &fresh).expect("a thread");
                }
                let new = NewRemark { text: "The tide is out.".into(), draft: false };
                maintainer_client.reply(thread + 1 + (n / 20) as u64, &new).expect("said");
            }
        },
        || other.remarks(),
    );
    report("200 remarks one by one against bare inserts", &remarks, 20.0);
}

/// A repository with a proposal; its head.
fn proposed(folder: &Path, data: &Path, client: &Client) -> String {
    let new = NewRepository { name: "ferry".into(), copy_of: None, protected: vec!["main".into()] };
    client.make_repository(&new).expect("a repository");
    let clone = folder.join("clone");
    let git = |args: &[&str]| {
        let mut git = Command::new("git");
        git.arg("-C").arg(&clone).args(["-c", "user.name=harbour-dev", "-c", "user.email=harbour-dev@example.org"]);
        let output = git.args(args).output().expect("git runs");
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).trim().to_owned()
    };
    std::fs::create_dir(&clone).expect("a folder");
    git(&["init", "--quiet", "--initial-branch=main"]);
    git(&["commit", "--quiet", "--allow-empty", "-m", "The start"]);
    let bare = data.join("repositories/ferry.git");
    git(&["push", "--quiet", &bare.to_string_lossy(), "main"]);
    std::fs::write(clone.join("a.py"), "x = 1\n".repeat(FINDINGS as usize)).expect("written");
    git(&["add", "--all"]);
    git(&["commit", "--quiet", "-m", "work"]);
    git(&["push", "--quiet", &bare.to_string_lossy(), "main:topic"]);
    let (repository, target) = ("ferry".to_owned(), "main".to_owned());
    let new =
        NewProposal { repository, target, branch: "topic".into(), title: "Work".into(), ..NewProposal::default() };
    client.propose(&new).expect("proposed");
    git(&["rev-parse", "HEAD"])
}

fn finding(key: String, line: u32) -> ReportedFinding {
    let anchor = Anchor {
        path: "a.py".into(),
        path_encoded: false,
        side: Side::New,
        start_line: Some(line),
        start_column: Some(1),
        end_line: Some(line),
        end_column: Some(6),
    };
    ReportedFinding {
        key,
        rule: "no-bad".into(),
        severity: "warning".into(),
        message: "`x` has no name.".into(),
        help: Some("Give it one.".into()),
        anchor: Some(anchor),
        related: Vec::new(),
        advisory: false,
        code: Vec::new(),
        fix: None,
    }
}

fn findings(round: u32) -> Report {
    Report {
        format: "swage-report/1".into(),
        verdict: Some("fail".into()),
        overview: "much".into(),
        praise: None,
        findings: (1..=FINDINGS).map(|line| finding(format!("{round}-{line}"), line)).collect(),
        settled: Vec::new(),
        most_threads: None,
    }
}

/// An SQLite file with the tables that matter and the host's settings.
struct Bare {
    connection: Connection,
    round: u32,
}

impl Bare {
    fn open(path: &Path) -> Self {
        let connection = Connection::open(path).expect("a file");
        connection.pragma_update(None, "journal_mode", "WAL").expect("set");
        connection.pragma_update(None, "synchronous", "FULL").expect("set");
        let tables = "CREATE TABLE threads (number INTEGER PRIMARY KEY, proposal INTEGER NOT NULL, author TEXT NOT NULL, kind TEXT NOT NULL,
                key TEXT, finding TEXT, anchor TEXT, revision INTEGER NOT NULL, code TEXT NOT NULL, open INTEGER NOT NULL,
                UNIQUE (proposal, author, key)) STRICT;
            CREATE INDEX threads_by_proposal ON threads (proposal, open);
            CREATE TABLE remarks (number INTEGER PRIMARY KEY, thread INTEGER NOT NULL, revision INTEGER NOT NULL, author TEXT NOT NULL,
                at INTEGER NOT NULL, text TEXT NOT NULL) STRICT;
            CREATE INDEX remarks_by_thread ON remarks (thread);
            CREATE TABLE events (number INTEGER PRIMARY KEY, proposal INTEGER NOT NULL, at INTEGER NOT NULL, who TEXT NOT NULL,
                what TEXT NOT NULL, text TEXT NOT NULL) STRICT;";
        connection.execute_batch(tables).expect("tables");
        Self { connection, round: 0 }
    }

    /// The rows of a report: its threads, and a remark on each of those that it closes.
    fn threads(&mut self) {
        self.round += 1;
        let tx = self.connection.transaction().expect("a transaction");
        for line in 1..=FINDINGS {
            let finding = finding(format!("{}-{line}", self.round), line);
            let (json, anchor) = (serde_json::to_string(&finding), serde_json::to_string(&finding.anchor));
            tx.execute(
                "INSERT INTO threads (proposal, author, kind, key, finding, anchor, revision, code, open)
                 VALUES (1, 'swage', 'remark', ?1, ?2, ?3, 1, '[]', 1)",
                params![finding.key, json.expect("JSON"), anchor.expect("JSON")],
            )
            .expect("inserted");
            if self.round > 1 {
                tx.execute(
                    "INSERT INTO remarks (thread, revision, author, at, text) VALUES (?1, 1, 'swage', 1930000000, 'Closed: fixed.')",
                    [line],
                )
                .expect("inserted");
            }
        }
        tx.commit().expect("kept");
    }

    /// The rows of remarks, each with its event, in a transaction of its own.
    fn remarks(&mut self) {
        for thread in 0..REMARKS {
            let tx = self.connection.transaction().expect("a transaction");
            tx.execute(
                "INSERT INTO remarks (thread, revision, author, at, text) VALUES (?1, 1, 'maintainer', 1930000000, 'The tide is out.')",
                [thread / 20],
            )
            .expect("inserted");
            tx.execute(
                "INSERT INTO events (proposal, at, who, what, text) VALUES (1, 1930000000, 'maintainer', 'remarked', 'reply')",
                [],
            )
            .expect("inserted");
            tx.commit().expect("kept");
        }
    }
}
