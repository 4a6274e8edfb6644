//! Scans files with one rule, written here, and prints what it finds.
//!
//!     cargo run -p swage-core --example find_waiting -- src/*.py
#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "an example is a program")]

use std::error::Error;
use std::sync::Arc;

use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::rule::RuleSet;
use swage_core::scan::{Limits, Markers, Status, scan};

const RULES: &str = r#"
[[rule]]
id = "waits"
severity = "warning"
title = "No waiting"
message = "This waits {TIME} seconds."
languages = ["python"]
match = { code = "time.sleep(TIME)", holes.TIME = {} }
"#;

fn main() -> Result<(), Box<dyn Error>> {
    // All mistakes of a rule file come at once, each with its place.
    let file = read_rules("waits.toml", RULES, FileRole::Rules)
        .map_err(|problems| problems.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n"))?;
    let rules = RuleSet::new(file.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect());
    for path in std::env::args().skip(1) {
        let content = std::fs::read(&path)?;
        let language = Language::of(path.as_bytes(), &content);
        let wanted = rules.wanted(path.as_bytes());
        let found = scan(&content, language, &rules, &wanted, &Limits::default(), Markers::Heeded);
        // What could not be examined is said, never passed over.
        if let Status::NotExamined(why) = &found.status {
            println!("{path}: not examined: {why}");
        }
        for hit in &found.hits {
            let place = hit.span.map_or_else(|| path.clone(), |span| format!("{path}:{span}"));
            println!("{place}: {}: {}", hit.severity, hit.message);
        }
    }
    Ok(())
}
