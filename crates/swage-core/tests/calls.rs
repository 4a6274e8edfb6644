//! Calls are found wherever the language lets them stand, whatever the text around them looks like to a grammar.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::sync::Arc;

use serde::Deserialize;
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::rule::RuleSet;
use swage_core::scan::{FileScan, Limits, Markers, Status, scan};

/// Where a call may be in a language.
#[derive(Deserialize)]
struct Places {
    around: Vec<String>,
    expressions: Vec<String>,
    files: Vec<String>,
}

/// Texts that call it although they don't look like it, and those that have to be refused.
#[derive(Deserialize)]
struct Readings {
    #[serde(default)]
    found: Vec<String>,
    #[serde(default)]
    refused: Vec<String>,
}

fn call(language: &str) -> &'static str {
    if language == "bash" { "bad 1" } else { "bad(1)" }
}

/// A rule that finds the call. In a page it is in a script.
fn rules(language: &str) -> RuleSet {
    let of = if language == "html" { "javascript" } else { language };
    let head = "[[rule]]\nid = \"no-bad\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n";
    let rule = format!("{head}languages = [\"{of}\"]\nmatch = {{ code = \"{}\" }}\n", call(language));
    let file = read_rules("r.toml", &rule, FileRole::Rules).unwrap_or_else(|problems| panic!("{}", problems[0]));
    RuleSet::new(file.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect())
}

fn scanned(set: &RuleSet, language: &str, text: &str) -> FileScan {
    let language = Language::by_name(language).expect("a known language");
    scan(text.as_bytes(), Some(language), set, &[true], &Limits::default(), Markers::Heeded)
}

#[test]
fn calls_are_found_wherever_they_may_stand() {
    let places: BTreeMap<String, Places> = toml::from_str(include_str!("data/calls/places.toml")).expect("it is TOML");
    let (mut missed, mut tried) = (String::new(), 0);
    for (language, places) in &places {
        let set = rules(language);
        let around = |expression| places.around.iter().map(move |text| text.replace("EXPRESSION", expression));
        let texts =
            places.expressions.iter().flat_map(|expression| around(expression)).chain(places.files.iter().cloned());
        for text in texts.map(|text| text.replace("CALL", call(language))) {
            tried += 1;
            let hits = scanned(&set, language, &text).hits;
            let found: Vec<String> = hits.iter().filter_map(|hit| Some(hit.span?.to_string())).collect();
            // It begins where the call does, not with an operator before it.
            let before = &text[..text.find(call(language)).unwrap_or(0)];
            let (lines, last) = (before.matches('\n').count(), before.rsplit('\n').next().unwrap_or_default());
            let expected = format!("{}:{}", lines + 1, last.chars().count() + 1);
            if found != [expected] {
                _ = writeln!(missed, "{language}: {text:?}: {found:?}");
            }
        }
    }
    assert!(missed.is_empty(), "missed of {tried}:\n{missed}");
    assert!(tried > 4_000, "{tried}");
}

#[test]
fn texts_are_read_as_their_languages_read_them() {
    let readings: BTreeMap<String, Readings> =
        toml::from_str(include_str!("data/calls/readings.toml")).expect("it is TOML");
    let mut wrong = String::new();
    for (language, readings) in &readings {
        let set = rules(language);
        let found = readings.found.iter().map(|text| (text, true));
        for (text, is_found) in found.chain(readings.refused.iter().map(|text| (text, false))) {
            let scan = scanned(&set, language, text);
            let is_right = match &scan.status {
                Status::NotExamined(_) => !is_found,
                _ => is_found && scan.hits.len() == 1,
            };
            if !is_right {
                _ = writeln!(wrong, "{language}: {text:?}: {:?}, {} hits", scan.status, scan.hits.len());
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}
