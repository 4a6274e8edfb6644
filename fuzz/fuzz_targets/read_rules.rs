//! Any text is read as rules or refused with mistakes that have a place; what is read scans without a panic.
#![no_main]

use std::sync::Arc;

use libfuzzer_sys::fuzz_target;
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::LANGUAGES;
use swage_core::rule::RuleSet;
use swage_core::scan::{Limits, Markers, scan};

fuzz_target!(|text: &str| {
    match read_rules("rules.toml", text, FileRole::Configuration) {
        Err(problems) => assert!(!problems.is_empty() && problems.iter().all(|p| p.line > 0 && p.column > 0)),
        Ok(file) => {
            let set = RuleSet::new(file.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect());
            let wanted = set.wanted(b"a");
            for language in LANGUAGES {
                let _ = scan(text.as_bytes(), Some(language), &set, &wanted, &Limits::default(), Markers::Heeded);
            }
        }
    }
});
