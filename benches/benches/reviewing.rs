//! `swage review` of a change of 1,000 lines in a repository of 10,000 files, as a whole process, against `git diff` of
//! the same range plus merely parsing both sides of the changed files.
//!
//! Promised: at most twice the time of `git diff`, plus that of parsing, plus 30 ms; under 150 MB of memory.
//! It runs the program that `cargo build --release` left in the target folder.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use swage_benches::{in_turn, python_module, typescript_module};
use swage_core::lang::Language;
use tree_sitter::Parser;

fn git(folder: &Path, args: &[&str]) {
    let mut command = Command::new("git");
    command
        .arg("-C")
        .arg(folder)
        .args(["-c", "user.name=bench", "-c", "user.email=bench@example.org", "-c", "gc.auto=0"])
        .args(args);
    assert!(command.stdout(Stdio::null()).status().is_ok_and(|s| s.success()), "git {args:?}");
}

/// 10,000 files, then 1,000 changed lines in 50 of them. Returns the paths of the changed files.
fn repository(folder: &Path) -> Vec<PathBuf> {
    git(folder, &["init", "--quiet", "--initial-branch=main"]);
    std::fs::write(folder.join("swage.toml"), "target = \"main\"\npacks = [\"leftovers\", \"robustness\"]\n")
        .expect("written");
    for n in 0..10_000 {
        let part = folder.join(format!("part_{}", n / 100));
        std::fs::create_dir_all(&part).expect("made");
        let (name, text) = if n % 2 == 0 {
            (format!("line_{n}.py"), python_module(n))
        } else {
            (format!("quay_{n}.ts"), typescript_module(n))
        };
        std::fs::write(part.join(name), text).expect("written");
    }
    git(folder, &["add", "--all"]);
    git(folder, &["commit", "--quiet", "-m", "base"]);
    git(folder, &["gc", "--quiet"]);
    let mut changed = Vec::new();
    for n in (0..10_000).step_by(200) {
        let path = folder.join(format!("part_{}/line_{n}.py", n / 100));
        let text = std::fs::read_to_string(&path).expect("read");
        // Ten lines out, ten in.
        let text = text.replacen("found = []", "found = list()", 5).replacen(
            "return sorted(found)",
            "return sorted(found, reverse=True)",
            5,
        );
        std::fs::write(&path, text).expect("written");
        changed.push(path);
    }
    git(folder, &["commit", "--quiet", "--all", "-m", "change"]);
    changed
}

/// Runs one review in a process of its own whose only child it is, for its peak memory.
fn memory(program: &Path, folder: &Path) {
    let own = std::env::current_exe().expect("its own path");
    assert!(Command::new(own).current_dir(folder).env("REVIEW_WITH", program).status().is_ok_and(|s| s.success()));
}

fn main() {
    if let Some(program) = std::env::var_os("REVIEW_WITH") {
        let mut command = Command::new(program);
        assert!(
            command
                .args(["review", "HEAD~1..HEAD", "--no-cache"])
                .stdout(Stdio::null())
                .status()
                .is_ok_and(|s| s.success())
        );
        let usage = nix::sys::resource::getrusage(nix::sys::resource::UsageWho::RUSAGE_CHILDREN).expect("usage");
        let most = usage.max_rss() >> 10;
        println!(
            "peak memory of a review: {most} MB, under 150 promised: {}",
            if most < 150 { "kept" } else { "BROKEN" }
        );
        return;
    }
    // Two folders above the bench's own: target/release.
    let own = std::env::current_exe().expect("its own path");
    let program = own.ancestors().nth(2).map(|d| d.join("swage")).expect("a target folder");
    assert!(program.is_file(), "build the program first: cargo build --release");
    let folder = tempfile::tempdir().expect("a temporary folder");
    let changed = repository(folder.path());

    memory(&program, folder.path());
    let review = |extra: &[&str]| {
        let mut command = Command::new(&program);
        command
            .current_dir(folder.path())
            .args(["review", "HEAD~1..HEAD", "--format", "json"])
            .args(extra)
            .stdout(Stdio::null());
        assert!(command.status().is_ok_and(|s| s.success()));
    };
    let diff = || git(folder.path(), &["diff", "HEAD~1..HEAD"]);
    let (ours, reference) = in_turn(15, || review(&["--no-cache"]), diff).medians();
    let (warm, _) = in_turn(15, || review(&[]), diff).medians();
    let sources: Vec<Vec<u8>> = changed.iter().map(|p| std::fs::read(p).expect("read")).collect();
    let start = Instant::now();
    let mut parser = Parser::new();
    for text in sources.iter().chain(&sources) {
        parser.set_language(&Language::by_name("python").expect("known").tables().grammar).expect("loads");
        assert!(parser.parse(text, None).is_some());
    }
    let parsing = start.elapsed();
    let most = reference * 2 + parsing + Duration::from_millis(30);
    let ms = |d: Duration| d.as_secs_f64() * 1e3;
    let kept = if ours <= most { "kept" } else { "BROKEN" };
    println!(
        "reviewing 1,000 lines in 10,000 files: {:.1} ms cold, {:.1} ms with a warm cache; git diff {:.1} ms, parsing {:.1} ms, so at most {:.1} ms promised: {kept}",
        ms(ours),
        ms(warm),
        ms(reference),
        ms(parsing),
        ms(most)
    );
}
