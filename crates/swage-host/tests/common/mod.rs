//! A host in a temporary folder, people with tokens, and a clone to push from.
#![allow(dead_code, reason = "each test file uses a part of it")]

use std::collections::HashMap;
use std::io::{Read, Write};
use std::path::PathBuf;
use std::process::Command;
use std::time::Duration;

use swage_host::{
    Anchor, Client, NewProposal, NewRepository, Proposal, Report, ReportedFinding, Role, Running, Server,
    ServerOptions, Side, give_token,
};
use tempfile::TempDir;

/// The people, by name and role.
pub const PEOPLE: [(&str, Role); 6] = [
    ("maintainer", Role::Maintainer),
    ("harbour-dev", Role::Contributor),
    ("pier-dev", Role::Contributor),
    ("visitor", Role::Reader),
    ("swage", Role::Checker),
    ("second-maintainer", Role::Maintainer),
];

pub struct World {
    pub folder: TempDir,
    pub running: Option<Running>,
    pub tokens: HashMap<&'static str, String>,
}

impl World {
    /// A host with everybody, and the repository `ferry`, whose `main` holds two files.
    pub fn new() -> Self {
        let folder = tempfile::tempdir().expect("a folder");
        let data = folder.path().join("host");
        let token = |(name, role): (&'static str, Role)| (name, give_token(&data, name, role).expect("a token"));
        let tokens = PEOPLE.into_iter().map(token).collect();
        let mut world = Self { running: None, tokens, folder };
        world.start();
        let new = NewRepository { name: "ferry".into(), copy_of: None, protected: vec!["main".into()] };
        world.client("maintainer").make_repository(&new).expect("a repository");
        world.git(".", &["init", "-q", "-b", "main", "clone"]);
        world.write("a.py", "one\ntwo\nthree\nfour\nfive\n");
        world.write("b.py", "berth\n");
        world.commit("The start");
        world.push("maintainer", "main").expect("pushed");
        world
    }

    /// Starts the host, or starts it again.
    pub fn start(&mut self) {
        self.running = None;
        self.start_with(|options| options);
    }

    /// Starts it with other options.
    pub fn start_with(&mut self, other: impl FnOnce(ServerOptions) -> ServerOptions) {
        self.running = None;
        let options = ServerOptions::new(([127, 0, 0, 1], 0).into(), self.folder.path().join("host"));
        let options = other(ServerOptions { idle: Some(Duration::from_secs(120)), ..options });
        self.running = Some(Server::bind(options).expect("a free port").spawn());
    }

    pub fn url(&self) -> &str {
        &self.running.as_ref().expect("it runs").url
    }

    pub fn client(&self, person: &str) -> Client {
        Client::new(self.url(), &self.tokens[person]).expect("an address").patient(Duration::ZERO)
    }

    pub fn clone(&self) -> PathBuf {
        self.folder.path().join("clone")
    }

    pub fn try_git(&self, folder: &str, args: &[&str], token: Option<&str>) -> Result<String, String> {
        let mut git = Command::new("git");
        git.current_dir(self.folder.path().join(folder)).args(args).env_clear();
        git.env("PATH", std::env::var_os("PATH").unwrap_or_default());
        git.envs([("GIT_CONFIG_GLOBAL", "/dev/null"), ("GIT_CONFIG_NOSYSTEM", "1"), ("GIT_TERMINAL_PROMPT", "0")]);
        for role in ["AUTHOR", "COMMITTER"] {
            git.env(format!("GIT_{role}_NAME"), "harbour-dev")
                .env(format!("GIT_{role}_EMAIL"), "harbour-dev@example.org");
        }
        if let Some(token) = token {
            git.envs([("GIT_CONFIG_COUNT", "1"), ("GIT_CONFIG_KEY_0", "http.extraHeader")]);
            git.env("GIT_CONFIG_VALUE_0", format!("Authorization: Bearer {token}"));
        }
        let output = git.output().expect("git runs");
        let text = String::from_utf8_lossy(&output.stdout).trim().to_owned();
        if output.status.success() { Ok(text) } else { Err(String::from_utf8_lossy(&output.stderr).into_owned()) }
    }

    pub fn git(&self, folder: &str, args: &[&str]) -> String {
        self.try_git(folder, args, None).unwrap_or_else(|why| panic!("git {args:?}: {why}"))
    }

    pub fn write(&self, path: &str, text: &str) {
        std::fs::write(self.clone().join(path), text).expect("written");
    }

    pub fn commit(&self, message: &str) -> String {
        self.git("clone", &["add", "--all"]);
        self.git("clone", &["commit", "-q", "-m", message]);
        self.git("clone", &["rev-parse", "HEAD"])
    }

    /// Pushes HEAD to a branch of a repository, as somebody, over HTTP.
    pub fn push_to(&self, person: &str, repository: &str, branch: &str) -> Result<String, String> {
        let url = format!("{}/git/{repository}.git", self.url());
        let to = format!("+HEAD:refs/heads/{branch}");
        self.try_git("clone", &["push", "-q", &url, &to], Some(&self.tokens[person]))
    }

    pub fn push(&self, person: &str, branch: &str) -> Result<String, String> {
        self.push_to(person, "ferry", branch)
    }

    /// Offers a branch of `ferry` as harbour-dev.
    pub fn propose(&self, branch: &str) -> Proposal {
        let new = NewProposal {
            repository: "ferry".into(),
            target: "main".into(),
            branch: branch.into(),
            title: "Times at the quay".into(),
            ..NewProposal::default()
        };
        self.client("harbour-dev").propose(&new).expect("proposed")
    }

    /// A bare request as somebody; the status and the body.
    pub fn ask(&self, person: &str, method: &str, path: &str, body: &str) -> (u16, String) {
        let token = self.tokens.get(person).map_or("", String::as_str);
        let headers = format!("Authorization: Bearer {token}\r\nContent-Type: application/json\r\n");
        let answer = ask(self.url(), method, path, &headers, body);
        let (head, body) = answer.split_once("\r\n\r\n").expect("an answer");
        (head.split(' ').nth(1).and_then(|code| code.parse().ok()).expect("a status"), body.to_owned())
    }
}

/// A bare request; what comes back, head and body.
pub fn ask(url: &str, method: &str, path: &str, headers: &str, body: &str) -> String {
    let address = url.trim_start_matches("http://");
    let mut stream = std::net::TcpStream::connect(address).expect("connected");
    let length = body.len();
    let head =
        format!("{method} {path} HTTP/1.1\r\nHost: {address}\r\nConnection: close\r\nContent-Length: {length}\r\n");
    // The host may answer before it has read all.
    _ = write!(stream, "{head}{headers}\r\n{body}");
    let mut bytes = Vec::new();
    _ = stream.read_to_end(&mut bytes);
    String::from_utf8_lossy(&bytes).into_owned()
}

pub fn anchor(path: &str, first: u32, last: u32) -> Anchor {
    Anchor {
        path: path.into(),
        path_encoded: false,
        side: Side::New,
        start_line: Some(first),
        start_column: None,
        end_line: Some(last),
        end_column: None,
    }
}

pub fn finding(key: &str, line: u32) -> ReportedFinding {
    ReportedFinding {
        key: key.into(),
        rule: "no-bad".into(),
        severity: "error".into(),
        message: format!("<b>{key}</b> is bad"),
        help: Some("Take it out.".into()),
        anchor: Some(anchor("a.py", line, line)),
        related: Vec::new(),
        advisory: false,
        code: Vec::new(),
        fix: None,
    }
}

pub fn report(findings: &[ReportedFinding]) -> Report {
    Report {
        format: "swage-report/1".into(),
        verdict: Some("fail".into()),
        overview: format!("{} findings", findings.len()),
        praise: None,
        findings: findings.to_vec(),
        settled: Vec::new(),
        most_threads: None,
    }
}
