//! Makes a fingerprint of all that decides what a scan finds, so that results that were stored by another build of the scanner
//! aren't taken for its own: the sources of the languages, patterns, rules and scanner, and the versions of the grammars.

#![expect(clippy::disallowed_methods, reason = "the library doesn't read files; what builds it does")]

use std::path::{Path, PathBuf};
use std::{env, fs};

/// The folders below `src` whose code decides what is found in a file.
const DECIDING: [&str; 5] = ["lang", "pattern", "rule", "scan", "scope"];

fn main() {
    let root = PathBuf::from(env::var_os("CARGO_MANIFEST_DIR").expect("cargo names the folder of the crate"));
    let mut files = Vec::new();
    for folder in DECIDING {
        let folder = root.join("src").join(folder);
        println!("cargo::rerun-if-changed={}", folder.display());
        gather(&folder, &mut files);
    }
    // The scanners of some grammars are kept within bounds by a crate beside this one.
    let crates = root.join("..");
    let grammars = crates.join("swage-grammars/src");
    if grammars.is_dir() {
        println!("cargo::rerun-if-changed={}", grammars.display());
        gather(&grammars, &mut files);
    }
    files.sort();
    let mut digest = Fnv(0xcbf2_9ce4_8422_2325);
    for file in &files {
        println!("cargo::rerun-if-changed={}", file.display());
        let name = file.strip_prefix(&root).or(file.strip_prefix(&crates)).unwrap_or(file);
        digest.update(name.to_string_lossy().as_bytes());
        digest.update(&fs::read(file).expect("a source file can be read"));
    }
    // Outside of the workspace there is no lock file; then the sizes of the grammars' tables, which the scanner adds, must do.
    let lock = root.join("../../Cargo.lock");
    if let Ok(text) = fs::read_to_string(&lock) {
        println!("cargo::rerun-if-changed={}", lock.display());
        for package in text.split("[[package]]").filter(|package| package.contains("name = \"tree-sitter")) {
            digest.update(package.as_bytes());
        }
    }
    println!("cargo::rustc-env=SWAGE_SCANNER={:016x}", digest.0);
}

fn gather(folder: &Path, files: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).expect("a folder of sources can be read") {
        let path = entry.expect("its entries can be read").path();
        if path.is_dir() {
            gather(&path, files);
        } else {
            files.push(path);
        }
    }
}

/// FNV-1a with 64 bits (Fowler, Noll and Vo): it need only change with what it is made of, and be the same everywhere.
struct Fnv(u64);

impl Fnv {
    fn update(&mut self, bytes: &[u8]) {
        for byte in bytes.iter().chain(&[0xff]) {
            self.0 = (self.0 ^ u64::from(*byte)).wrapping_mul(0x0000_0100_0000_01b3);
        }
    }
}
