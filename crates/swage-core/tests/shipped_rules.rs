//! The shipped rules and the manual's, held to their own examples.
#![expect(clippy::disallowed_methods, reason = "the corpus of slips is read from files")]

mod common;

use std::sync::Arc;

use common::rules;
use swage_core::config::packs::{INTEGRITY, PACKS};
use swage_core::lang::Language;
use swage_core::review::{Tried, try_example};
use swage_core::rule::{Area, Example, ExampleFile};

/// Whether the corpus of slips has any for a rule in a language.
fn has_slip(rule: &str, language: &Language) -> bool {
    let path = format!("{}/tests/slips/{rule}.md", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(path).unwrap_or_default();
    let slips = text.split("## Neighbours").next().unwrap_or_default();
    let mut paths = slips.lines().filter_map(|line| line.strip_prefix("```"));
    paths.any(|path| Language::of(path.as_bytes(), b"").is_some_and(|l| l.name == language.name))
}

#[test]
fn every_shipped_rule_does_what_its_examples_say() {
    let mut wrong = String::new();
    for pack in PACKS.iter().chain([&INTEGRITY]) {
        let rules = pack
            .read()
            .unwrap_or_else(|problems| panic!("{}", problems.iter().map(|p| format!("{p}\n")).collect::<String>()));
        for rule in rules.into_iter().map(Arc::new) {
            let files = || rule.examples.iter().flat_map(Example::files);
            let counts = rule.examples.iter().filter_map(|e| match e {
                Example::Change { findings, .. } => Some(*findings),
                Example::Files { .. } => None,
            });
            let counts: Vec<u64> = counts.collect();
            let reported = files().any(|e| !e.lines.is_empty()) || counts.iter().any(|n| *n > 0);
            let silent = files().any(|e| (1..=e.code.lines().count() as u64).any(|l| !e.lines.contains(&l)));
            let silent = silent || counts.contains(&0);
            assert!(reported && silent && rule.help.is_some(), "{} needs help and examples of both kinds", rule.id);
            assert!(rule.limitations.is_some(), "{} needs to say what it doesn't see", rule.id);
            for language in rule.languages() {
                // A link reports in one of the languages that it reads, and some syntax counts only beside other rules.
                let beside = rule.link().is_some() || rule.is_about_syntax();
                let judged = |e: &ExampleFile| !e.lines.is_empty() || beside;
                let of = |e: &ExampleFile| Language::of(e.path.as_bytes(), e.code.as_bytes()) == Some(language);
                let shown = files().any(|e| of(e) && judged(e)) || has_slip(&rule.id, language);
                if !shown {
                    wrong += &format!("{} has no example in {}\n", rule.id, language.name);
                }
                let fixes = rule.clauses.iter().any(|c| c.fix.is_some() && c.languages.contains(&language));
                let fixed = files().any(|e| of(e) && e.fixed.is_some()) || has_slip(&rule.id, language);
                if fixes && !fixed {
                    wrong += &format!("{} has no example of its fix in {}\n", rule.id, language.name);
                }
            }
            for tried in rule.examples.iter().flat_map(|e| try_example(&rule, e)) {
                if !tried.holds() {
                    let Tried { path, expected, found, fixed_wrongly, .. } = tried;
                    let fixed = fixed_wrongly.map(|text| format!(", fixed to\n{text}")).unwrap_or_default();
                    wrong += &format!("{} {path}: expected {expected:?}, found {found:?}{fixed}\n", rule.id);
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// The blocks of the manual are right, and their examples hold.
#[test]
fn the_manual_is_right() {
    let manual = concat!(
        include_str!("../../../docs/rules.md"),
        include_str!("../../../docs/first-rule.md"),
        include_str!("../../../docs/cross-file-rules.md"),
        "```toml\n",
        include_str!("../../../docs/audit.toml"),
        "```"
    );
    let blocks: Vec<&str> = manual.split("```toml\n").skip(1).filter_map(|rest| rest.split("```").next()).collect();
    assert!(blocks.len() > 8, "the manual has lost its examples");
    for block in blocks {
        for rule in rules(block).unwrap_or_else(|e| panic!("{e}\n{block}")) {
            for tried in rule.examples.iter().flat_map(|e| try_example(&rule, e)) {
                assert!(tried.holds(), "{}: {tried:?}", rule.id);
            }
        }
    }
}

/// The manual lists the paths of all areas.
#[test]
fn the_manual_lists_areas() {
    let manual = include_str!("../../../docs/rules.md");
    for (word, area) in Area::ALL {
        let paths: Vec<String> = area.patterns().iter().map(|pattern| format!("`{pattern}`")).collect();
        let row = format!("| {} |", paths.join(", "));
        let is_row = |line: &str| line.starts_with(&format!("| `{word}` | ")) && line.ends_with(&row);
        assert!(manual.lines().any(is_row), "{word}: {row}");
    }
}
