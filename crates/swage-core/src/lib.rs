//! Swage's computing: reading diffs, matching rules, comparing with a baseline, deciding a verdict.
//!
//! Bytes and values go in, values come out: nothing in this crate touches files, processes, clocks, the environment,
//! networks or terminals. The rooms, from the ground up; each imports from those before it only,
//! and all may use the small types of [`ids`], [`position`], [`sides`], [`digest`] and [`invisible`]:
//!
//! 1. [`diff`] reads a unified diff, applies it, and maps lines from one side to the other;
//! 2. [`change`] is the change that is reviewed, and how its contents are read;
//! 3. [`lang`] has one file a language: grammar, file names, classes of nodes, scopes;
//! 4. [`pattern`] compiles code with holes and matches it against trees;
//! 5. `scope` gathers the names of a file by the scopes of its language;
//! 6. [`rule`] is a rule as a value, read from TOML, with one file a way to match;
//! 7. [`scan`] finds what rules find in one file;
//! 8. [`config`] reads `swage.toml` and rule files in layers, with the packs that ship;
//! 9. [`link`] joins facts of many files, and [`checker`] reads the reports of outside programs;
//! 10. [`baseline`] compares the findings of both sides;
//! 11. [`decision`] is what maintainers have said of findings, and [`mod@fix`] tries proposed edits in memory, and applies many;
//! 12. [`review`] puts it all together, and every output is a function of the result;
//! 13. [`gate`] decides;
//! 14. [`mod@learn`] makes a rule of what was done to code;
//! 15. [`view`] has a change line by line, and [`mod@brief`] shows what it is made of and what it reaches.
//!
//! ```
//! use std::sync::Arc;
//! use swage_core::lang::Language;
//! use swage_core::config::{FileRole, read_rules};
//! use swage_core::rule::RuleSet;
//! use swage_core::scan::{Limits, Markers, scan};
//!
//! let rules = r#"
//! [[rule]]
//! id = "no-waiting"
//! severity = "warning"
//! title = "No waiting"
//! message = "`{match}` waits {TIME} seconds."
//! languages = ["python"]
//! match = { code = "time.sleep(TIME)", holes.TIME = {} }
//! "#;
//! let rules = read_rules("rules.toml", rules, FileRole::Rules).expect("the rules are right").rules;
//! let set = RuleSet::new(rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect());
//!
//! let code = b"import time\n# time.sleep(1)\ntime.sleep( 2 )\n";
//! let wanted = set.wanted(b"board.py");
//! let found = scan(code, Language::by_name("python"), &set, &wanted, &Limits::default(), Markers::Heeded);
//! assert_eq!(found.hits.len(), 1);
//! assert_eq!(found.hits[0].span.map(|span| span.to_string()).as_deref(), Some("3:1"));
//! assert_eq!(found.hits[0].message, "`time.sleep( 2 )` waits 2 seconds.");
//! ```
#![forbid(unsafe_code)]
#![deny(clippy::print_stdout, clippy::print_stderr, clippy::disallowed_methods)]

pub mod baseline;
pub mod brief;
pub mod carry;
pub mod change;
pub mod checker;
pub mod config;
pub mod decision;
pub mod diff;
pub mod digest;
pub mod fix;
pub mod gate;
pub mod ids;
pub mod invisible;
pub mod lang;
pub mod learn;
pub mod link;
pub mod pattern;
pub mod position;
pub mod review;
pub mod rule;
pub mod scan;
mod scope;
pub mod sides;
pub mod view;
