//! A host in a process of its own, and a clone of the repository `ferry` on it.
#![allow(dead_code, reason = "each test file uses its part")]

use std::collections::HashMap;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};

use crate::common::{CONFIG, Ran, Sandbox};

/// A host in a process of its own, on a free port; it stops by itself when nobody asks anything any more.
pub struct Host {
    pub child: Child,
    pub url: String,
}

impl Host {
    /// Starts it with more options.
    pub fn start(s: &Sandbox, options: &[&str]) -> Self {
        let mut command = Command::new(env!("CARGO_BIN_EXE_swage"));
        command.current_dir(&s.root).args(["host", "serve", "--listen", "127.0.0.1:0", "--data", "../host"]);
        let mut child =
            command.args(["--idle", "60"]).args(options).stderr(Stdio::piped()).spawn().expect("the host starts");
        let mut line = String::new();
        BufReader::new(child.stderr.take().expect("its messages")).read_line(&mut line).expect("its address");
        let url = line.split_whitespace().find(|w| w.starts_with("http://")).expect("an address");
        Self { child, url: url.trim_end_matches(',').to_owned() }
    }
}

impl Drop for Host {
    fn drop(&mut self) {
        _ = self.child.kill();
        _ = self.child.wait();
    }
}

/// A clone of the repository `ferry` on a host, and everybody's token.
pub struct Ferry {
    pub s: Sandbox,
    pub host: Host,
    pub tokens: HashMap<&'static str, String>,
}

const PEOPLE: [(&str, &str); 5] = [
    ("maintainer", "maintainer"),
    ("harbour-dev", "contributor"),
    ("pier-dev", "contributor"),
    ("visitor", "reader"),
    ("swage", "checker"),
];

impl Ferry {
    /// With this at the end of `swage.toml`.
    pub fn new(config: &str, files: &[(&str, &str)]) -> Self {
        Self::on_host_with(&[], config, files)
    }

    /// The same on a host with more options.
    pub fn on_host_with(options: &[&str], config: &str, files: &[(&str, &str)]) -> Self {
        let whole = format!("{CONFIG}\n{config}");
        let s = Sandbox::with(&[&[("swage.toml", whole.as_str())], files].concat());
        let token = |(name, role): (&'static str, &str)| {
            let ran = s.swage(&["host", "token", name, "--role", role, "--data", "../host"]);
            assert_eq!(ran.code, 0, "{}", ran.rendered());
            (name, ran.stdout.trim().to_owned())
        };
        let tokens = PEOPLE.into_iter().map(token).collect();
        assert_eq!(s.swage(&["host", "repository", "ferry", "--data", "../host"]).code, 0);
        let host = Host::start(&s, options);
        let ferry = Self { s, host, tokens };
        let bare = ferry.s.root.join("../host/repositories/ferry.git");
        ferry.s.git(&["push", "--quiet", &bare.to_string_lossy(), "main"]);
        ferry.s.git(&["config", "swage.host", &format!("{}/git/ferry.git", ferry.host.url)]);
        ferry
    }

    pub fn run(&self, who: &str, args: &[&str]) -> Ran {
        self.s.swage_in(".", args, "", &[("SWAGE_TOKEN", &self.tokens[who])])
    }

    /// What a command says, without what differs from run to run.
    pub fn rendered(&self, who: &str, args: &[&str]) -> String {
        let rendered = self.run(who, args).rendered().replace(&self.host.url, "[host]");
        format!("{who}$ swage {}\n{rendered}\n\n", args.join(" "))
    }

    /// A branch from main with a file, offered by harbour-dev.
    pub fn offer(&self, branch: &str, path: &str, text: &str) {
        self.s.git(&["checkout", "--quiet", "-B", branch, "main"]);
        self.s.write(path, text);
        self.s.commit(&format!("Work on {branch}"));
        let ran = self.run("harbour-dev", &["propose"]);
        assert_eq!(ran.code, 0, "{}", ran.rendered());
    }

    /// Git in the host's repository.
    pub fn on_host(&self, args: &[&str]) -> String {
        let bare = self.s.root.join("../host/repositories/ferry.git");
        self.s.git(&[&["-C", &bare.to_string_lossy()], args].concat())
    }
}
