//! Scanning files that must all be parsed, against merely parsing them with the same grammars and threads.
//!
//! Promised: at most 1.3 times the time with the packs that are on by themselves, at most 1.5 with all of them.

use std::sync::Arc;

use rayon::prelude::*;
use swage_benches::{in_turn, python_module, report, typescript_module};
use swage_core::lang::Language;
use swage_core::packs::{PACKS, Pack};
use swage_core::rule::{Limits, Rule, RuleSet, read_rules};
use swage_core::scan::scan;
use tree_sitter::Parser;

/// Rules that leave no file unparsed.
const MEASURES: &str = r#"
[[rule]]
id = "too-many-parameters"
severity = "warning"
title = "At most four parameters"
message = "`{name}` takes {value} parameters."
match = { measure = "parameters", over = 4 }
[[rule]]
id = "too-deep"
severity = "warning"
title = "Not too deep"
message = "`{name}` is {value} deep."
match = { measure = "nesting", over = 4 }
[[rule]]
id = "too-long"
severity = "warning"
title = "Not too long"
message = "`{name}` has {value} lines."
match = { measure = "lines", over = 60 }
"#;

fn main() {
    let files: Vec<(String, String)> = (0..3000)
        .map(|n| {
            if n % 2 == 0 {
                (format!("line_{n}.py"), python_module(n))
            } else {
                (format!("quay_{n}.ts"), typescript_module(n))
            }
        })
        .collect();
    compare(&files, |pack| pack.on_by_itself, 1.3);
    compare(&files, |_| true, 1.5);
}

fn compare(files: &[(String, String)], wanted: fn(&Pack) -> bool, most: f64) {
    let own =
        read_rules("bench", MEASURES, true).expect("the rules are right").rules.into_iter().map(|(r, _)| Arc::new(r));
    let packs = PACKS.iter().filter(|p| wanted(p));
    let rules: Vec<Arc<Rule>> = packs.flat_map(|p| p.rules().iter().cloned()).chain(own).collect();
    let count = rules.len();
    let set = RuleSet::new(rules);
    let limits = Limits::default();
    let ours = || {
        let hits: usize = files
            .par_iter()
            .map(|(path, text)| {
                let language = Language::of(path.as_bytes(), text.as_bytes());
                scan(text.as_bytes(), language, &set, &set.wanted(path.as_bytes()), &limits).hits.len()
            })
            .sum();
        assert!(hits < 10 * files.len());
    };
    let reference = || {
        files.par_iter().for_each_init(Parser::new, |parser, (path, text)| {
            let language = Language::of(path.as_bytes(), text.as_bytes()).expect("a known language");
            parser.set_language(&language.tables().grammar).expect("the grammar loads");
            assert!(parser.parse(text, None).is_some());
        });
    };
    let (ours, reference) = in_turn(7, ours, reference);
    report(&format!("scanning {} files with {count} rules against parsing them", files.len()), ours, reference, most);
}
