//! Reading a diff of 100 MB, against counting its lines with memchr, and the memory that it takes.
//!
//! Promised: at most five times the time, and at most the input plus 20 % of memory.

use std::fmt::Write as _;

use swage_benches::{in_turn, python_module, report};
use swage_core::diff::{ReadOptions, read};

const SIZE: usize = 100 << 20;

/// A diff as git writes it, of many files with many hunks.
fn diff() -> Vec<u8> {
    let mut text = String::with_capacity(SIZE + (1 << 16));
    let mut number = 0;
    while text.len() < SIZE {
        number += 1;
        let module = python_module(number);
        let lines: Vec<&str> = module.lines().collect();
        let name = format!("timetable/line_{number}.py");
        _ = write!(
            text,
            "diff --git a/{name} b/{name}\nindex {number:040x}..{:040x} 100644\n--- a/{name}\n+++ b/{name}\n",
            number + 1
        );
        for (hunk, part) in lines.chunks(20).enumerate().filter(|(_, part)| part.len() == 20) {
            let at = hunk * 40 + 1;
            _ = writeln!(text, "@@ -{at},12 +{at},14 @@ def sailings():");
            for (n, line) in part.iter().enumerate() {
                let marker = if (3..9).contains(&n) {
                    '-'
                } else if (9..17).contains(&n) {
                    '+'
                } else {
                    ' '
                };
                _ = writeln!(text, "{marker}{line}");
            }
        }
    }
    text.into_bytes()
}

/// The most memory that this process has held, in bytes.
fn peak() -> usize {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmHWM:")).unwrap_or("VmHWM: 0 kB");
    line.split_whitespace().nth(1).and_then(|n| n.parse::<usize>().ok()).unwrap_or(0) * 1024
}

fn main() {
    if let Some(path) = std::env::args().nth(1).filter(|a| a.starts_with('/')) {
        // The child: nothing but the input and what was read from it.
        let before = peak();
        let bytes = std::fs::read(path).expect("the input is there");
        let diff = read(&bytes, &ReadOptions::default()).expect("the input is a diff");
        let files = diff.files().count();
        let ratio = (peak() - before) as f64 / bytes.len() as f64;
        let kept = if ratio <= 1.2 { "kept" } else { "BROKEN" };
        println!(
            "memory for reading {} MB, {files} files: {ratio:.3} of the input, at most 1.2 promised: {kept}",
            bytes.len() >> 20
        );
        return;
    }
    let bytes = diff();
    let pairs = in_turn(
        9,
        || assert!(read(&bytes, &ReadOptions::default()).is_ok_and(|d| d.files().count() > 0)),
        || assert!(memchr::memchr_iter(b'\n', &bytes).count() > 0),
    );
    report("reading a 100 MB diff against counting its lines", &pairs, 5.0);
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = folder.path().join("big.diff");
    std::fs::write(&path, &bytes).expect("the input is written");
    let status = std::process::Command::new(std::env::current_exe().expect("its own path")).arg(&path).status();
    assert!(status.is_ok_and(|s| s.success()));
}
