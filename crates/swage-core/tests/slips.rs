//! The slips that people make, in the forms in which they make them, each with neighbours that must not be reported.
//!
//! Each file in `tests/slips` is named after a rule. Under "Slips" are pieces of code that the rule must report, under
//! "Neighbours" those that it must leave alone, and under "Not met" slips that it doesn't report, each below the reason. A
//! piece begins with its path; `+` before a path adds a file to the next piece, `-` a file as it was before the change.
//!
//! `tests/slips_held_back` holds slips that no rule is ever changed for; what is met of them is printed beside the rest.
#![expect(clippy::disallowed_methods, reason = "the corpus is read from files, and the table becomes a page")]

#[path = "common/corpus.rs"]
mod corpus;

use std::collections::BTreeMap;
use std::sync::Arc;

use corpus::{Kind, Piece, all_pieces, shipped_rules};
use swage_core::fix::{Fixable, Outcome, fix_file};
use swage_core::lang::Language;
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::Limits;

const PAGE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/slips.md");
const MARK: &str = "<!-- Made from crates/swage-core/tests/slips. -->\n";

/// How many slips there are, and how many of them are met.
#[derive(Default, Clone, Copy)]
struct Share {
    slips: usize,
    met: usize,
}

impl Share {
    fn add(&mut self, met: bool) {
        self.slips += 1;
        self.met += usize::from(met);
    }

    fn percent(self) -> usize {
        self.met * 100 / self.slips.max(1)
    }

    fn cells(self) -> String {
        format!("{} | {} | {} %", self.slips, self.met, self.percent())
    }

    fn row(self, name: &str) -> String {
        format!("| {name} | {} |\n", self.cells())
    }
}

/// What became of a folder of slips.
#[derive(Default)]
struct Measured {
    whole: Share,
    by_language: BTreeMap<&'static str, Share>,
    by_rule: BTreeMap<String, Share>,
    neighbours: usize,
    neighbours_reported: usize,
    /// What isn't as the corpus says.
    wrong: String,
    not_met: String,
}

/// Why a rule's fix of a piece isn't good, where it proposes one.
fn fault_of_fix(piece: &Piece, rule: &Arc<Rule>) -> Option<String> {
    let set = RuleSet::new(vec![rule.clone()]);
    let (path, code) = (piece.main.path.as_bytes(), piece.main.code.as_bytes());
    let (language, wanted, limits) = (Language::of(path, code), set.wanted(path), Limits::default());
    let file = Fixable { path, language, rules: &set, wanted: &wanted, limits: &limits, reported: &[] };
    fix_file(&file, code, &|_| true).attempts.into_iter().find_map(|attempt| match attempt.outcome {
        Outcome::Refused(why) => Some(why),
        Outcome::Applied(_) | Outcome::GoneWith | Outcome::NoFix => None,
    })
}

fn measure(folder: &str, rules: &BTreeMap<String, Arc<Rule>>) -> Measured {
    let mut all = Measured::default();
    for (rule, piece) in all_pieces(folder, rules) {
        let id = &rule.id;
        let reported = piece.is_reported(&rule);
        if reported != (piece.kind == Kind::Slip) {
            let what = if reported { "is reported" } else { "isn't reported" };
            all.wrong += &format!("{id}.md:{} {:?} {} {what}\n", piece.line, piece.kind, piece.main.path);
        }
        if let Some(why) = fault_of_fix(&piece, &rule) {
            all.wrong += &format!("{id}.md:{} {} isn't fixed: {why}\n", piece.line, piece.main.path);
        }
        if piece.kind == Kind::Neighbour {
            all.neighbours += 1;
            all.neighbours_reported += usize::from(reported);
            continue;
        }
        all.whole.add(reported);
        all.by_language.entry(piece.language()).or_default().add(reported);
        all.by_rule.entry(id.to_string()).or_default().add(reported);
        if piece.kind == Kind::NotMet {
            all.not_met += &format!("| `{id}` | {} | {} |\n", piece.language(), piece.reason);
        }
    }
    all
}

#[test]
fn slips_are_met_and_their_neighbours_left_alone() {
    let rules = shipped_rules();
    let all = measure("slips", &rules);
    assert!(all.wrong.is_empty(), "{}{} of {} slips are met", all.wrong, all.whole.met, all.whole.slips);
    assert!(all.whole.slips >= 600 && all.whole.percent() >= 85, "{} of {}", all.whole.met, all.whole.slips);
    let held_back = measure("slips_held_back", &rules);
    let kept = std::fs::read_to_string(PAGE).expect("docs/slips.md");
    let (by_hand, _) = kept.split_once(MARK).expect("the mark in docs/slips.md");
    let table =
        |title: &str, rows: Vec<String>| format!("| {title} | slips | met | |\n|---|---|---|---|\n{}", rows.concat());
    let rows_of = |by_rule: &BTreeMap<String, Share>| {
        by_rule.iter().map(|(name, share)| share.row(&format!("`{name}`"))).collect::<Vec<_>>()
    };
    let page = format!(
        "{by_hand}{MARK}\n\
         | | slips | met | | neighbours | of them reported |\n|---|---|---|---|---|---|\n\
         | corpus | {} | {} | {} |\n| held back | {} | {} | {} |\n\n{}\n{}\n## Held back\n\n{}\n\
         ## Not met\n\n| rule | language | why |\n|---|---|---|\n{}",
        all.whole.cells(),
        all.neighbours,
        all.neighbours_reported,
        held_back.whole.cells(),
        held_back.neighbours,
        held_back.neighbours_reported,
        table("language", all.by_language.iter().map(|(name, share)| share.row(name)).collect()),
        table("rule", rows_of(&all.by_rule)),
        table("rule", rows_of(&held_back.by_rule)),
        all.not_met,
    );
    if std::env::var_os("SWAGE_WRITE_PAGES").is_some() {
        std::fs::write(PAGE, page).expect("written");
        return;
    }
    assert!(page == kept, "make it again: SWAGE_WRITE_PAGES=1 cargo test -p swage-core --test slips");
}
