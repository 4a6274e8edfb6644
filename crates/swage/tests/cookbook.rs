//! docs/cookbook.md: every command in it is run, and what is below it is what it says. `SWAGE_WRITE_PAGES=1` writes that again.

mod common;

use std::process::Command;

use common::Sandbox;

const PAGE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/cookbook.md");

/// A folder in which commands are run one after the other.
struct Shell {
    s: Sandbox,
    folder: String,
}

impl Shell {
    fn new() -> Self {
        let s = Sandbox::bare_folder();
        let folder = s.root.to_string_lossy().into_owned();
        Self { s, folder }
    }

    /// What a command says, without what differs from machine to machine; where it leaves the shell is remembered.
    fn run(&mut self, command: &str) -> String {
        let root = self.s.root.to_string_lossy().into_owned();
        let at = self.s.root.join("../at");
        let program = std::path::Path::new(env!("CARGO_BIN_EXE_swage")).parent().expect("its folder");
        let path = format!("{}:{}", program.display(), std::env::var("PATH").unwrap_or_default());
        let script =
            format!("cd '{}' || exit 99\n{command}\ncode=$?\npwd > '{}'\nexit $code", self.folder, at.display());
        let mut shell = Command::new("sh");
        shell.arg("-c").arg(format!("{{ {script}\n}} 2>&1")).env_clear().envs(self.s.environment());
        let output = shell.env("PATH", path).env("SOURCE_DATE_EPOCH", "1930122000").output().expect("sh runs");
        let now = std::fs::read_to_string(&at).unwrap_or_else(|_| panic!("{command} leaves no folder"));
        now.trim().clone_into(&mut self.folder);
        let mut said = String::from_utf8_lossy(&output.stdout).replace(&root, "~");
        if !said.is_empty() && !said.ends_with('\n') {
            said.push('\n');
        }
        match output.status.code() {
            Some(0) => said,
            code => format!("{said}[exit code {}]\n", code.unwrap_or(-1)),
        }
    }
}

/// The page with what its commands say now.
fn regenerated(page: &str) -> String {
    let mut out = String::new();
    let mut shell = Shell::new();
    let mut lines = page.split_inclusive('\n').peekable();
    while let Some(line) = lines.next() {
        out.push_str(line);
        match line.trim_end() {
            heading if heading.starts_with("## ") => shell = Shell::new(),
            "<!-- before" => {
                let mut setup = String::new();
                while let Some(line) = lines.next_if(|line| line.trim_end() != "-->") {
                    out.push_str(line);
                    setup.push_str(line);
                }
                let said = shell.run(&setup);
                assert_eq!(said, "", "{setup}");
            }
            "```console" => {
                while let Some(line) = lines.next_if(|line| line.trim_end() != "```") {
                    // What a command said before is replaced.
                    let Some(first) = line.strip_prefix("$ ") else { continue };
                    out.push_str(line);
                    let mut command = first.to_owned();
                    while let Some(more) = lines.next_if(|line| line.starts_with("> ")) {
                        out.push_str(more);
                        command.push_str(&more[2..]);
                    }
                    out.push_str(&shell.run(&command));
                }
            }
            _ => {}
        }
    }
    out
}

#[test]
fn the_cookbook_says_what_its_commands_say() {
    let page = std::fs::read_to_string(PAGE).expect("the page");
    let fresh = regenerated(&page);
    if std::env::var_os("SWAGE_WRITE_PAGES").is_some() {
        std::fs::write(PAGE, &fresh).expect("written");
    }
    let differs = page.lines().zip(fresh.lines()).find(|(a, b)| a != b);
    assert!(
        page == fresh || std::env::var_os("SWAGE_WRITE_PAGES").is_some(),
        "docs/cookbook.md is old, first at: {differs:?}"
    );
}
