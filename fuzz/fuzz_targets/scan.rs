//! Any bytes are scanned as any language with every shipped rule, without a panic; every place is inside the file.
#![no_main]

use std::sync::OnceLock;

use libfuzzer_sys::fuzz_target;
use swage_core::config::packs::{INTEGRITY, PACKS};
use swage_core::lang::LANGUAGES;
use swage_core::rule::RuleSet;
use swage_core::scan::{Limits, Markers, scan};

fuzz_target!(|input: (u8, &[u8])| {
    static RULES: OnceLock<RuleSet> = OnceLock::new();
    let rules = RULES.get_or_init(|| {
        RuleSet::new(PACKS.iter().chain([&INTEGRITY]).flat_map(|p| p.rules().iter().cloned()).collect())
    });
    let (number, bytes) = input;
    let language = LANGUAGES[usize::from(number) % LANGUAGES.len()];
    let result = scan(bytes, Some(language), rules, &rules.wanted(b"a"), &Limits::default(), Markers::Heeded);
    let lines = bytes.iter().filter(|b| **b == b'\n').count() as u32 + 1;
    for hit in result.hits {
        let Some(span) = hit.span else { panic!("{} names no lines", hit.rule) };
        assert!(span.start_line >= 1 && span.end_line <= lines, "{}", hit.rule);
        assert!(span.start_column >= 1, "{}", hit.rule);
    }
});
