//! Reads a unified diff from standard input and lists its files with the lines that they get and lose.
//!
//!     git diff | cargo run -p swage-core --example list_changes
#![expect(clippy::print_stdout, reason = "an example is a program")]

use std::error::Error;
use std::io::Read;

use swage_core::diff::{ReadOptions, read};

fn main() -> Result<(), Box<dyn Error>> {
    let mut input = Vec::new();
    std::io::stdin().read_to_end(&mut input)?;
    let diff = read(&input, &ReadOptions::default())?;
    for file in diff.files() {
        let (added, removed) = file.line_counts();
        println!(
            "{:>6} {:>6}  {}",
            format!("+{added}"),
            format!("-{removed}"),
            String::from_utf8_lossy(&file.new_path)
        );
    }
    Ok(())
}
