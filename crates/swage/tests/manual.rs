//! Every command line of the README and the manual is one that the program takes: each is run in a copy of the demo's repository.
//! The cookbook's are run one after the other by a test of their own.

mod common;
use std::collections::BTreeSet;
use std::path::Path;
use std::process::Command;

use common::Sandbox;

const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

/// These wait for people or programs, or stand for a family of commands.
const NOT_RUN: [&str; 6] =
    ["swage COMMAND", "swage host serve", "swage step", "swage demo", "swage completions SHELL", "swage host token"];

/// The command lines of a page, in code that is indented or fenced and in code within text.
fn commands(page: &str) -> Vec<String> {
    let mut all = Vec::new();
    for line in page.lines() {
        let code = line.strip_prefix("    ").or(line.strip_prefix("$ ")).unwrap_or(line);
        if code.starts_with("swage ") || code.contains("| swage ") && !code.starts_with('|') && line != code {
            all.push(code.split("  #").next().unwrap_or(code).split("      ").next().unwrap_or(code).trim().to_owned());
            continue;
        }
        let inline =
            line.split('`').skip(1).step_by(2).filter(|code| code.starts_with("swage ") || code.contains("| swage "));
        all.extend(inline.map(str::to_owned));
    }
    all
}

fn copy(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).expect("a folder");
    for entry in std::fs::read_dir(from).expect("the demo's files") {
        let entry = entry.expect("an entry");
        let to = to.join(entry.file_name());
        if entry.path().is_dir() {
            copy(&entry.path(), &to)
        } else {
            _ = std::fs::copy(entry.path(), to).expect("copied")
        }
    }
}

/// The demo's repository, with its branches.
fn demo() -> Sandbox {
    let s = Sandbox::new();
    copy(&Path::new(ROOT).join("demo/main"), &s.root);
    s.commit("The ferry line's software so far");
    for branch in ["later-boats", "quay-times", "tidy-folders", "winter-sailings"] {
        s.git(&["checkout", "--quiet", "-b", branch, "main"]);
        s.git(&["apply", &format!("{ROOT}/demo/branches/{branch}.patch")]);
        s.commit(branch);
    }
    s.git(&["checkout", "--quiet", "-B", "topic", "quay-times"]);
    s.write("change.diff", s.git(&["diff", "main", "quay-times"]));
    s
}

#[test]
fn every_command_of_the_manual_is_taken() {
    let mut pages: Vec<_> =
        std::fs::read_dir(format!("{ROOT}/docs")).expect("docs").map(|e| e.expect("an entry").path()).collect();
    pages.push(format!("{ROOT}/README.md").into());
    pages.retain(|p| p.extension().is_some_and(|e| e == "md") && !p.ends_with("cookbook.md"));
    let texts = pages.iter().map(|p| std::fs::read_to_string(p).expect("a page"));
    let lines: BTreeSet<String> = texts.flat_map(|text| commands(&text)).collect();
    assert!(lines.len() > 100, "{lines:#?}");
    let program = Path::new(env!("CARGO_BIN_EXE_swage")).parent().expect("its folder");
    let path = format!("{}:{}", program.display(), std::env::var("PATH").unwrap_or_default());
    let s = demo();
    let (mut rendered, mut refused) = (String::new(), Vec::new());
    for line in &lines {
        if NOT_RUN.iter().any(|start| line.starts_with(start)) {
            continue;
        }
        let mut shell = Command::new("sh");
        shell.arg("-c").arg(line).current_dir(&s.root).env_clear().envs(s.environment()).env("PATH", &path);
        let output = shell.stdin(std::process::Stdio::null()).output().expect("sh runs");
        let stderr = String::from_utf8_lossy(&output.stderr);
        // The parser of command lines begins so; all else is about what is there. Prose may name a command without all that it takes.
        let is_named =
            ["required arguments were not provided", "a value is required"].iter().any(|why| stderr.contains(why));
        if stderr.starts_with("error:") && !is_named || output.status.code() == Some(127) {
            refused.push(format!("{line}\n{stderr}"));
        }
        let code = output.status.code().unwrap_or(-1);
        let first = stderr
            .lines()
            .chain(std::str::from_utf8(&output.stdout).unwrap_or_default().lines())
            .next()
            .unwrap_or_default();
        rendered += &format!("{line}\n  [{code}] {first}\n");
        s.git(&["checkout", "--quiet", "--force", "topic"]);
    }
    assert!(refused.is_empty(), "{}", refused.join("\n"));
    insta::assert_snapshot!(common::normal(&rendered));
}

/// What the pages show of outputs is what the program says.
#[test]
fn samples_of_the_manual_are_what_is_printed() {
    let page = |name: &str| std::fs::read_to_string(format!("{ROOT}/docs/{name}.md")).expect("a page");
    let sample = |name: &str, after: &str| {
        let page = page(name);
        let (_, rest) = page.split_once(after).unwrap_or_else(|| panic!("{name} has no {after}"));
        let lines =
            rest.lines().skip_while(|line| !line.starts_with("    ")).take_while(|line| line.starts_with("    "));
        lines.map(|line| format!("{}\n", &line[4..])).collect::<String>()
    };
    let s = demo();
    let human = s.swage(&["review", "main...quay-times"]).stdout;
    let lines = s.swage(&["review", "main...quay-times", "--format", "lines"]).stdout;
    s.write("swage.toml", "packs = []\ntaget = \"main\"\n\n\n\n\n\n\n[[rule]]\nid = \"x\"\nseverity = \"eror\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = { text = \"a\" }\n");
    let wrong = s.swage(&["review"]).stderr;
    for (shown, printed) in [
        (sample("guide", "### What a finding shows"), human),
        (sample("formats", "## Lines"), lines),
        (sample("rules", "## When something is wrong"), wrong),
    ] {
        assert!(!shown.is_empty() && printed.contains(&shown), "shown:\n{shown}\nprinted:\n{printed}");
    }
}
