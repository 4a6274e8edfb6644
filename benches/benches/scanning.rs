//! Scanning files that must all be parsed, against merely parsing them with the same grammars and threads.
//!
//! Promised: at most 1.3 times the time with the default packs, at most 1.5 with all of them. Ten times
//! as many rules cost at most twice the time, and files that hold none of the rules' words aren't parsed. The files are
//! of six languages; those whose scopes are analysed cost most, so they are held against the same as well.
//!
//! The files are made up, and one is much like the next, which a processor learns: parsing them again and again is faster
//! than parsing code that it hasn't seen. `SWAGE_BENCH_FILES=FOLDER` takes the files of a folder instead, by language.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use rayon::prelude::*;
use swage_benches::{in_turn, module, report};
use swage_core::config::packs::{PACKS, Pack};
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::Limits;
use swage_core::scan::{Markers, scan};
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
    if let Some(folder) = std::env::var_os("SWAGE_BENCH_FILES") {
        return own_files(Path::new(&folder));
    }
    let files: Vec<(String, String)> = (0..3000).map(module).collect();
    compare("files", &files, |pack| pack.is_default, 1.3);
    compare("files", &files, |_| true, 1.5);
    for (what, ending) in [("Python files", ".py"), ("TypeScript files", ".ts")] {
        let own: Vec<(String, String)> = files.iter().filter(|(path, _)| path.ends_with(ending)).cloned().collect();
        compare(what, &own, |_| true, 1.5);
    }
    ten_times_the_rules(&files);
    mixed_tree(&files);
}

/// Languages with fewer files than this say nothing.
const FEWEST: usize = 30;

/// Larger files are mostly data.
const LARGEST: usize = 100_000;

/// Holds scanning against parsing on the files in and below a folder, each language by itself.
fn own_files(folder: &Path) {
    let (mut open, mut of_language) = (vec![folder.to_owned()], BTreeMap::<&str, Vec<(String, String)>>::new());
    while let Some(folder) = open.pop() {
        for entry in std::fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            if entry.file_type().is_ok_and(|kind| kind.is_dir()) {
                open.push(path);
            } else if let Ok(text) = std::fs::read_to_string(&path)
                && text.len() <= LARGEST
                && let Some(language) = Language::of(path.as_os_str().as_encoded_bytes(), text.as_bytes())
            {
                of_language.entry(language.name).or_default().push((path.to_string_lossy().into_owned(), text));
            }
        }
    }
    for (language, files) in of_language.iter().filter(|(_, files)| files.len() >= FEWEST) {
        compare(&format!("files of {language}"), files, |pack| pack.is_default, 1.3);
        compare(&format!("files of {language}"), files, |_| true, 1.5);
    }
}

/// How many hits a set has in all files.
fn hits(files: &[(String, String)], set: &RuleSet) -> usize {
    let limits = Limits::default();
    let hits = files.par_iter().map(|(path, text)| {
        let language = Language::of(path.as_bytes(), text.as_bytes());
        scan(text.as_bytes(), language, set, &set.wanted(path.as_bytes()), &limits, Markers::Heeded).hits.len()
    });
    hits.sum()
}

/// The rules of the default packs, and the same ten times over.
fn ten_times_the_rules(files: &[(String, String)]) {
    let once: Vec<Arc<Rule>> = PACKS.iter().filter(|p| p.is_default).flat_map(|p| p.rules().iter().cloned()).collect();
    let copy = |n: usize| {
        once.iter().map(move |rule| Arc::new(Rule { id: format!("{}-{n}", rule.id).into(), ..Rule::clone(rule) }))
    };
    let many = RuleSet::new((0..10).flat_map(copy).collect());
    let once = RuleSet::new(once.clone());
    assert!(hits(files, &many) >= hits(files, &once));
    let pairs = in_turn(5, || _ = hits(files, &many), || _ = hits(files, &once));
    report("scanning with ten times as many rules against scanning with them once", &pairs, 2.0);
}

/// One file in ten holds the words of a rule; only those are parsed.
fn mixed_tree(files: &[(String, String)]) {
    const RULE: &str = r#"
[[rule]]
id = "zone"
severity = "note"
title = "Zones"
message = "{match}"
languages = ["c", "go", "java", "python", "rust", "typescript"]
match = { code = "harbourZone.open(ARGS)", holes.ARGS = { many = true } }
"#;
    let rules = read_rules("bench", RULE, FileRole::Configuration).expect("the rule is right").rules;
    let set = RuleSet::new(rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect());
    let marked = |(n, (path, text)): (usize, &(String, String))| {
        let call = match n % 10 {
            0 if path.ends_with(".java") => "\nclass Zone { boolean open = harbourZone.open(1); }\n",
            0 if path.ends_with(".py") || path.ends_with(".ts") => "\nharbourZone.open(1)\n",
            0 if path.ends_with(".go") => "\nvar open = harbourZone.open(1)\n",
            0 if path.ends_with(".rs") => "\nfn open() { harbourZone.open(1); }\n",
            0 => "\nint open(void) { return harbourZone.open(1); }\n",
            _ => "",
        };
        (path.clone(), format!("{text}{call}"))
    };
    let mixed: Vec<(String, String)> = files.iter().enumerate().map(marked).collect();
    let holding: Vec<&(String, String)> = mixed.iter().step_by(10).collect();
    assert_eq!(hits(&mixed, &set), holding.len());
    let parse = || {
        holding.par_iter().for_each_init(Parser::new, |parser, (path, text)| {
            let language = Language::of(path.as_bytes(), text.as_bytes()).expect("a known language");
            parser.set_language(&language.tables().grammar).expect("the grammar loads");
            assert!(parser.parse(text, None).is_some());
        });
    };
    let pairs = in_turn(7, || _ = hits(&mixed, &set), parse);
    report("scanning a tree of which a tenth holds a rule's words against parsing that tenth", &pairs, 1.5);
}

fn compare(what: &str, files: &[(String, String)], wanted: fn(&Pack) -> bool, most: f64) {
    let own = read_rules("bench", MEASURES, FileRole::Configuration)
        .expect("the rules are right")
        .rules
        .into_iter()
        .map(|(r, _)| Arc::new(r));
    let packs = PACKS.iter().filter(|p| wanted(p));
    let rules: Vec<Arc<Rule>> = packs.flat_map(|p| p.rules().iter().cloned()).chain(own).collect();
    let count = rules.len();
    let set = RuleSet::new(rules);
    let ours = || _ = hits(files, &set);
    let reference = || {
        files.par_iter().for_each_init(Parser::new, |parser, (path, text)| {
            let language = Language::of(path.as_bytes(), text.as_bytes()).expect("a known language");
            parser.set_language(&language.tables().grammar).expect("the grammar loads");
            assert!(parser.parse(text, None).is_some());
        });
    };
    // A short run says less, so there are more of them.
    let runs = 7 * (3000 / files.len().max(1)).clamp(1, 6);
    let pairs = in_turn(runs, ours, reference);
    report(&format!("scanning {} {what} with {count} rules against parsing them", files.len()), &pairs, most);
}
