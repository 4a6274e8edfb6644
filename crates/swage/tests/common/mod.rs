//! A hermetic folder with a git repository, in which the built program runs.
#![allow(dead_code, reason = "each test file uses its part")]

use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// What a run wrote, as one text for snapshots.
pub struct Ran {
    pub stdout: String,
    pub stderr: String,
    pub code: i32,
}

impl Ran {
    /// Both streams and the exit code, with commit ids and folders made the same everywhere.
    pub fn rendered(&self) -> String {
        let mut text = self.stdout.clone();
        if !self.stderr.is_empty() {
            text += &format!("--- stderr ---\n{}", self.stderr);
        }
        normal(&format!("{text}--- exit code {} ---", self.code))
    }

    /// The JSON on standard output.
    pub fn json(&self) -> serde_json::Value {
        serde_json::from_str(&self.stdout).unwrap_or_else(|e| panic!("{e}: {}", self.rendered()))
    }
}

/// A text with commit ids and keys masked.
pub fn normal(text: &str) -> String {
    let mut out = String::new();
    let mut word = String::new();
    for c in text.chars().chain(['\0']) {
        if c.is_ascii_alphanumeric() {
            word.push(c);
            continue;
        }
        let hex = word.chars().all(|c| c.is_ascii_hexdigit() && !c.is_ascii_uppercase());
        match word.len() {
            40 | 10 if hex => out += "[commit]",
            16 if hex => out += "[key]",
            _ => out += &word,
        }
        word.clear();
        if c != '\0' {
            out.push(c);
        }
    }
    out
}

/// A text with every date masked: some of them are of today.
pub fn without_dates(text: &str) -> String {
    let is_date = |word: &str| word.len() == 10 && word.bytes().filter(|b| *b == b'-').count() == 2;
    let words = text.split_inclusive(|c: char| !c.is_ascii_digit() && c != '-');
    words
        .map(|w| if is_date(&w[..w.len().min(10)]) { w.replacen(&w[..10], "[date]", 1) } else { w.to_owned() })
        .collect()
}

/// A temporary folder with a repository.
pub struct Sandbox {
    dir: tempfile::TempDir,
    pub root: PathBuf,
}

impl Sandbox {
    /// A repository without commits.
    pub fn new() -> Self {
        let sandbox = Self::bare_folder();
        sandbox.git(&["init", "--quiet", "--initial-branch=main"]);
        sandbox
    }

    /// A folder that is no repository.
    pub fn bare_folder() -> Self {
        let dir = tempfile::tempdir().expect("a temporary folder");
        let root = dir.path().canonicalize().expect("its path").join("work");
        std::fs::create_dir(&root).expect("a folder");
        Self { dir, root }
    }

    /// A repository with these files committed on main.
    pub fn with(files: &[(&str, &str)]) -> Self {
        let sandbox = Self::new();
        files.iter().for_each(|(path, text)| sandbox.write(path, text));
        sandbox.commit("base");
        sandbox
    }

    /// The environment in which everything runs.
    pub fn environment(&self) -> Vec<(String, OsString)> {
        let mut all = vec![
            ("PATH".to_owned(), std::env::var_os("PATH").unwrap_or_default()),
            ("HOME".to_owned(), self.dir.path().into()),
            ("GIT_CONFIG_GLOBAL".to_owned(), "/dev/null".into()),
            ("GIT_CONFIG_SYSTEM".to_owned(), "/dev/null".into()),
            ("GIT_CEILING_DIRECTORIES".to_owned(), self.dir.path().into()),
        ];
        for role in ["AUTHOR", "COMMITTER"] {
            all.push((format!("GIT_{role}_NAME"), "harbour-dev".into()));
            all.push((format!("GIT_{role}_EMAIL"), "harbour-dev@example.org".into()));
            all.push((format!("GIT_{role}_DATE"), "2031-03-01T09:00:00Z".into()));
        }
        all
    }

    fn hermetic(&self, command: &mut Command, folder: &Path) {
        command.current_dir(folder).env_clear().stdin(Stdio::null()).envs(self.environment());
    }

    pub fn git(&self, args: &[&str]) -> String {
        let mut command = Command::new("git");
        self.hermetic(&mut command, &self.root);
        let output = command.args(args).output().expect("git runs");
        assert!(output.status.success(), "git {args:?}: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).trim().to_owned()
    }

    pub fn write(&self, path: &str, text: impl AsRef<[u8]>) {
        let path = self.root.join(path);
        std::fs::create_dir_all(path.parent().expect("a folder")).expect("made");
        std::fs::write(path, text).expect("written");
    }

    pub fn make_executable(&self, path: &str) {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(self.root.join(path), mode).expect("a file");
    }

    pub fn read(&self, path: &str) -> String {
        std::fs::read_to_string(self.root.join(path)).unwrap_or_else(|e| panic!("{path}: {e}"))
    }

    pub fn commit(&self, message: &str) {
        self.git(&["add", "--all"]);
        self.git(&["commit", "--quiet", "--allow-empty", "-m", message]);
    }

    pub fn branch(&self, name: &str) {
        self.git(&["checkout", "--quiet", "-b", name]);
    }

    pub fn swage(&self, args: &[&str]) -> Ran {
        self.swage_in(".", args, "", &[])
    }

    /// Starts the program in the root and leaves it running.
    pub fn start(&self, args: &[&str]) -> std::process::Child {
        let mut command = Command::new(env!("CARGO_BIN_EXE_swage"));
        self.hermetic(&mut command, &self.root);
        command.args(args).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("swage runs")
    }

    /// Runs the program in a folder below the root, with something on standard input and in the environment.
    pub fn swage_in(&self, folder: &str, args: &[&str], input: &str, env: &[(&str, &str)]) -> Ran {
        use std::io::Write;
        let mut command = Command::new(env!("CARGO_BIN_EXE_swage"));
        self.hermetic(&mut command, &self.root.join(folder));
        command
            .envs(env.iter().copied())
            .args(args)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped());
        let mut child = command.spawn().expect("swage runs");
        let mut stdin = child.stdin.take().expect("its input");
        // A program that doesn't read its input may be gone already.
        _ = stdin.write_all(input.as_bytes());
        drop(stdin);
        let output = child.wait_with_output().expect("swage ends");
        let clean = |bytes: &[u8]| String::from_utf8_lossy(bytes).replace(&*self.root.to_string_lossy(), "[root]");
        Ran { stdout: clean(&output.stdout), stderr: clean(&output.stderr), code: output.status.code().unwrap_or(-1) }
    }
}

/// A rule that finds every `bad(…)` in Python, and one that measures parameters.
pub const CONFIG: &str = r#"target = "main"
packs = []

[gate]
new = { error = 0 }
worse = 0

[[rule]]
id = "no-bad"
severity = "error"
title = "Nothing bad"
message = "`{match}` is bad."
help = "Take it out."
languages = ["python"]
match = { code = "bad(ARGS)", holes.ARGS = { many = true } }

[[rule]]
id = "parameters"
severity = "warning"
title = "Few parameters"
message = "`{name}` takes {value}; {limit} allowed."
match = { measure = "parameters", over = 2 }
"#;
