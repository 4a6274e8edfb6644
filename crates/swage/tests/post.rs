//! Posting to the stand-in host as two programs would: `swage host serve` and `swage post`.

mod common;

use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, Command, Stdio};

use common::{CONFIG, Sandbox};

const TOKEN: (&str, &str) = ("SWAGE_TOKEN", "harbour-token");

/// A host in a process of its own, on a free port; it stops by itself when nobody asks anything any more.
struct Host {
    child: Child,
    url: String,
}

impl Host {
    fn start(s: &Sandbox) -> Self {
        let mut command = Command::new(env!("CARGO_BIN_EXE_swage"));
        command.current_dir(&s.root).env(TOKEN.0, TOKEN.1);
        command.args(["host", "serve", "--listen", "127.0.0.1:0", "--data", "../host.db", "--idle", "60"]);
        let mut child = command.stderr(Stdio::piped()).spawn().expect("the host starts");
        let mut line = String::new();
        BufReader::new(child.stderr.take().expect("its messages")).read_line(&mut line).expect("its address");
        let url = line.split_whitespace().find(|w| w.starts_with("http://")).expect("an address");
        Self { child, url: url.trim_end_matches(',').to_owned() }
    }

    fn page(&self, path: &str) -> String {
        let address = self.url.trim_start_matches("http://");
        let mut stream = std::net::TcpStream::connect(address).expect("connected");
        write!(stream, "GET {path} HTTP/1.1\r\nHost: {address}\r\nConnection: close\r\n\r\n").expect("sent");
        let mut text = String::new();
        stream.read_to_string(&mut text).expect("read");
        text
    }
}

impl Drop for Host {
    fn drop(&mut self) {
        _ = self.child.kill();
        _ = self.child.wait();
    }
}

fn post(s: &Sandbox, host: &Host, extra: &[&str]) -> String {
    let args = [&["post", "main..topic", "--to", &host.url, "--proposal", "7"], extra].concat();
    s.swage_in(".", &args, "", &[TOKEN]).told().replace(&host.url, "[host]")
}

#[test]
fn a_proposal_from_revision_to_revision() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "bad(0)\n"), ("b.py", "x = 1\n")]);
    s.branch("topic");
    s.write("a.py", "bad(0)\nbad(1)\n");
    s.write("b.py", "x = 1\nbad(2)\n");
    s.commit("two bad ones");
    let host = Host::start(&s);
    let mut told = String::new();
    let mut step = |name: &str, text: String| told += &format!("# {name}\n{text}\n\n");
    step("unknown", post(&s, &host, &[]));
    step("opened", post(&s, &host, &["--open", "Two <bad> ones"]));
    step("again", post(&s, &host, &[]));
    s.write("a.py", "first = 1\n\nbad(0)\nbad(1)\n");
    s.write("b.py", "x = 1\n");
    s.commit("one is mended, the other moves");
    // Unsaved work takes no part.
    s.write("b.py", "bad(9)\n");
    step("next revision", post(&s, &host, &[]));
    s.git(&["checkout", "--quiet", "--force", "topic"]);
    s.git(&["branch", "old", "topic~1"]);
    let late = ["post", "main..old", "--to", &host.url, "--proposal", "7"];
    step("a late pipeline", s.swage_in(".", &late, "", &[TOKEN]).told());
    step(
        "unsaved work",
        s.swage_in(".", &["post", "--staged", "--to", &host.url, "--proposal", "7"], "", &[TOKEN]).told(),
    );
    let wrong = s.swage_in(".", &["post", "--to", &host.url, "--proposal", "7"], "", &[("SWAGE_TOKEN", "guess")]);
    step("a wrong token", wrong.told());
    insta::assert_snapshot!(told);

    let page = host.page("/proposals/7");
    for expected in
        ["Two &lt;bad&gt; ones", "1 open, 1 closed", "`bad(1)` is bad.", "a.py, line 4", "Closed: fixed in revision 2"]
    {
        assert!(page.contains(expected), "{expected}: {page}");
    }
    assert!(!wrong.stderr.contains("guess"), "the token was printed");
}

#[test]
fn a_host_that_cannot_start_says_why() {
    let s = Sandbox::bare_folder();
    let mut told = String::new();
    for (args, env) in [
        (&["host", "serve"][..], &[][..]),
        (&["host", "serve", "--listen", "0.0.0.0:0"], &[TOKEN]),
        (&["host", "serve", "--listen", "127.0.0.1:0", "--data", "nowhere/host.db"], &[TOKEN]),
    ] {
        told += &format!("{}\n\n", s.swage_in(".", args, "", env).told());
    }
    insta::assert_snapshot!(told);
}
