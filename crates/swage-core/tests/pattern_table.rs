//! Patterns as people write them, by language, each with code that it matches.
#![expect(clippy::disallowed_methods, reason = "the table becomes a page")]

use swage_core::lang::Language;
use swage_core::pattern::{Hole, Stands, hole_names};
use swage_core::rule::CodeMatch;
use swage_core::scan::{syntax_errors, try_pattern};

const TABLE: &str = include_str!("data/patterns.txt");
/// Holes that take any run of neighbours in the table.
const RUNS: [&str; 11] =
    ["ARGS", "BODY", "REST", "BEFORE", "CASES", "PARAMS", "ITEMS", "AFTER", "FIN", "HANDLERS", "FIELDS"];

/// The holes of a pattern: its names in capitals.
fn holes(code: &str, language: &Language) -> Vec<Hole> {
    let hole = |name: &str| Hole {
        name: name.to_owned(),
        many: RUNS.contains(&name),
        text: None,
        stands_for: None,
        node: None,
        varies: None,
    };
    hole_names(code, language).into_iter().map(hole).collect()
}

/// What is wrong with a line of the table; `None` when its pattern matches its code.
fn fault(pattern: &str, code: &str, language: &'static Language) -> Option<String> {
    let (pattern, code) = (pattern.replace("\\n", "\n"), code.replace("\\n", "\n"));
    let matcher = CodeMatch::new(pattern.clone(), holes(&pattern, language), Stands::Anywhere);
    if let Err(error) = matcher.pattern(language) {
        return Some(error.to_string());
    }
    // Code that isn't a whole file is in one.
    let files =
        language.wrappers.iter().chain(language.part_wrappers).map(|(before, after)| format!("{before}{code}{after}"));
    let mut whole =
        files.filter(|file| syntax_errors(file.as_bytes(), language).is_ok_and(|s| s.errors == 0)).peekable();
    if whole.peek().is_none() {
        return Some("its code doesn't parse".to_owned());
    }
    let matches =
        |file: String| try_pattern(file.as_bytes(), language, &matcher).is_ok_and(|trial| !trial.matches.is_empty());
    if whole.any(matches) {
        return None;
    }
    let readings = matcher.pattern(language).map(|p| p.readings(&matcher.holes, language)).unwrap_or_default();
    Some(format!("finds nothing; it reads as {}", readings.join(" | ")))
}

#[test]
fn patterns_match_what_people_mean() {
    let (mut language, mut lines, mut rendered) = (None, 0, String::new());
    for line in TABLE.lines().filter(|line| !line.is_empty() && !line.starts_with("# ")) {
        if let Some(name) = line.strip_prefix("== ") {
            language = Language::by_name(name);
        } else if let (Some((pattern, code)), Some(language)) = (line.split_once(" ~~ "), language) {
            lines += 1;
            if let Some(why) = fault(pattern, code, language) {
                rendered += &format!("{}: {pattern}  on  {code}\n    {why}\n", language.name);
            }
        } else {
            panic!("no pattern and code: {line}");
        }
    }
    assert!(rendered.is_empty(), "of {lines} patterns\n{rendered}");
}

/// docs/patterns.md: what is written by hand there, and the table.
#[test]
fn the_page_of_patterns_is_current() {
    const PAGE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/patterns.md");
    const MARK: &str = "<!-- Made from crates/swage-core/tests/data/patterns.txt. -->\n";
    let kept = std::fs::read_to_string(PAGE).expect("docs/patterns.md");
    let (by_hand, _) = kept.split_once(MARK).expect("the mark in docs/patterns.md");
    let mut page = format!("{by_hand}{MARK}");
    for line in TABLE.lines() {
        if let Some(name) = line.strip_prefix("== ") {
            page += &format!("\n### {name}\n\n| pattern | code that it matches |\n|---|---|\n");
        } else if let Some((pattern, code)) = line.split_once(" ~~ ") {
            let cell = |text: &str| format!("`` {} ``", text.replace('|', "\\|").replace("\\n", " ⏎ "));
            page += &format!("| {} | {} |\n", cell(pattern), cell(code));
        }
    }
    if std::env::var_os("SWAGE_WRITE_PAGES").is_some() {
        std::fs::write(PAGE, &page).expect("written");
        return;
    }
    assert!(page == kept, "make it again: SWAGE_WRITE_PAGES=1 cargo test -p swage-core --test pattern_table");
}
