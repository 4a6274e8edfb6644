//! Fixing 1,000 findings in 200 files, each fix proved, against scanning those files.
//!
//! Promised: at most 3 times the time of the scan.

use std::sync::Arc;

use rayon::prelude::*;
use swage_benches::{in_turn, python_module, report};
use swage_core::config::packs::PACKS;
use swage_core::fix::{Fixable, Outcome, fix_file};
use swage_core::lang::Language;
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::{Limits, Markers, scan};

fn main() {
    let rules: Vec<Arc<Rule>> = PACKS.iter().flat_map(|pack| pack.rules().iter().cloned()).collect();
    let (set, limits) = (RuleSet::new(rules), Limits::default());
    let files: Vec<(String, String)> = (0..200).map(file).collect();
    let python = Language::by_name("python");
    let fix = || {
        let applied = files.par_iter().map(|(path, text)| {
            let (path, wanted) = (path.as_bytes(), set.wanted(path.as_bytes()));
            let file = Fixable { path, language: python, rules: &set, wanted: &wanted, limits: &limits, reported: &[] };
            let fixed = fix_file(&file, text.as_bytes(), &|hit| hit.rule == "debug-print");
            fixed.attempts.iter().filter(|attempt| matches!(attempt.outcome, Outcome::Applied(_))).count()
        });
        assert_eq!(applied.sum::<usize>(), 1000);
    };
    let reference = || {
        files.par_iter().for_each(|(path, text)| {
            let wanted = set.wanted(path.as_bytes());
            _ = scan(text.as_bytes(), python, &set, &wanted, &limits, Markers::Ignored);
        });
    };
    let pairs = in_turn(7, fix, reference);
    report("fixing 1,000 findings in 200 files against scanning them", &pairs, 3.0);
}

/// A module with five prints that were left in.
fn file(number: usize) -> (String, String) {
    let mut text = python_module(number);
    for n in 0..5 {
        text = text.replacen("    found = []\n", &format!("    found = list()\n    print(\"here\", {n})\n"), 1);
    }
    (format!("timetable/line_{number}.py"), text)
}
