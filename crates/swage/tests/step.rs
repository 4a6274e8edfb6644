//! Going through findings in a terminal, through a pseudo-terminal.

mod common;
#[path = "common/terminal.rs"]
mod terminal;
use std::io::{Read, Write};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

use common::{CONFIG, Sandbox};
use portable_pty::{MasterPty, PtySize};
use terminal::in_terminal;

/// A program in a pseudo-terminal, and what its screen shows.
struct Terminal {
    output: Receiver<Vec<u8>>,
    input: Box<dyn Write + Send>,
    master: Box<dyn MasterPty + Send>,
    child: Box<dyn portable_pty::Child + Send + Sync>,
    screen: vt100::Parser,
}

impl Terminal {
    fn start(s: &Sandbox, args: &[&str], (rows, cols): (u16, u16)) -> Self {
        let (pair, mut command) = in_terminal(s, args, (rows, cols));
        command.env("TERM", "xterm-256color");
        command.env("VISUAL", "sh -c 'echo edited >> a.py; shift' --");
        let child = pair.slave.spawn_command(command).expect("swage starts");
        let mut reader = pair.master.try_clone_reader().expect("its output");
        let (send, output) = channel();
        std::thread::spawn(move || {
            let mut buffer = [0; 4096];
            while let Ok(n @ 1..) = reader.read(&mut buffer) {
                if send.send(buffer[..n].to_vec()).is_err() {
                    break;
                }
            }
        });
        let input = pair.master.take_writer().expect("its input");
        Self { output, input, master: pair.master, child, screen: vt100::Parser::new(rows, cols, 0) }
    }

    /// Waits until the screen shows a text; the screen.
    fn shows(&mut self, text: &str) -> String {
        let end = Instant::now() + Duration::from_secs(60);
        loop {
            let contents = self.screen.screen().contents();
            if contents.contains(text) {
                return contents;
            }
            let left = end.saturating_duration_since(Instant::now());
            match self.output.recv_timeout(left) {
                Ok(bytes) => self.screen.process(&bytes),
                Err(e) => panic!("`{text}` isn't shown ({e}):\n{contents}"),
            }
        }
    }

    fn press(&mut self, keys: &str) {
        self.input.write_all(keys.as_bytes()).expect("it reads keys");
    }

    /// What it says last, and its exit code.
    fn end(mut self) -> (String, u32) {
        let status = self.child.wait().expect("it ends");
        while let Ok(bytes) = self.output.recv_timeout(Duration::from_millis(500)) {
            self.screen.process(&bytes);
        }
        (self.screen.screen().contents(), status.exit_code())
    }
}

fn harbour() -> Sandbox {
    let config = CONFIG.replace(
        "holes.ARGS = { many = true } }",
        "holes.ARGS = { many = true }, fix = { rewrite = \"good({ARGS})\" } }",
    );
    let s = Sandbox::with(&[("swage.toml", &config), ("a.py", "x = 1\n")]);
    s.branch("topic");
    s.write("a.py", "x = 1\n# first\nbad(1)\ny = \"text\"\nbad(2)\n\n\ndef load(path, start, end):\n    return path\n");
    s.commit("work");
    s.swage(&["review"]);
    s
}

#[test]
fn findings_are_gone_through() {
    let s = harbour();
    let mut t = Terminal::start(&s, &["step"], (30, 100));
    let first = t.shows("1 of 3");
    assert!(first.contains("a.py:3:1") && first.contains("+good(1)") && first.contains("▸    3 + bad(1)"), "{first}");
    // Taken, and taken back.
    t.press("f");
    t.shows("Fixed. u takes it back.");
    assert!(s.read("a.py").contains("good(1)\n"));
    t.press("u");
    t.shows("Taken back.");
    assert!(s.read("a.py").contains("bad(1)\n"));
    t.press("f");
    t.shows("1 of 2");
    // Passed over, and back.
    t.press("n");
    t.shows("2 of 2");
    t.press("b");
    t.shows("1 of 2");
    t.press("n");
    // Settled, with a reason; a day that has passed is refused.
    t.press("sl1999-01-01\rlater\r");
    t.shows("has passed");
    t.press("siit is a loader\r");
    t.shows("Settled.");
    assert!(s.read(".swage/decisions.toml").contains("because = \"it is a loader\""));
    t.press("u");
    t.shows("Taken back.");
    assert!(!s.root.join(".swage/decisions.toml").exists(), "the last decision takes its file along");
    // Smaller, and drawn again.
    t.master.resize(PtySize { rows: 12, cols: 40, ..PtySize::default() }).expect("resized");
    t.screen.screen_mut().set_size(12, 40);
    t.shows("2 of 2");
    t.press("q");
    let (last, code) = t.end();
    assert_eq!(code, 0, "{last}");
    assert!(last.contains("1 fixed, 0 settled, 1 passed over"), "{last}");
    // The next run goes on where this one ended; all are gone through when the last is passed over.
    let mut t = Terminal::start(&s, &["step"], (24, 80));
    t.shows("2 of 2");
    t.press("n");
    t.shows("All 2 findings have been gone through.");
    t.press("q");
    assert_eq!(t.end().1, 0);
    let mut t = Terminal::start(&s, &["step", "--afresh"], (24, 80));
    t.shows("1 of 2");
    // An editor ends, and what it did is looked at.
    t.press("e");
    t.shows("Edited, and reviewed again.");
    t.press("\u{3}");
    assert_eq!(t.end().1, 0);
    assert!(s.read("a.py").ends_with("edited\n"));
}

#[test]
fn without_a_terminal_it_says_what_to_use() {
    let s = harbour();
    insta::assert_snapshot!("no-terminal", s.swage(&["step"]).rendered());
    let mut t = Terminal::start(&s, &["step", "--rule", "no-such"], (24, 80));
    t.shows("There is nothing to go through");
    assert_eq!(t.end().1, 0);
}
