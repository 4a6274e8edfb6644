//! What words leave out finds nothing: with and without them the same is found.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use super::{FileScan, Limits, Markers, scan};
use crate::config::packs::PACKS;
use crate::config::{FileRole, read_rules};
use crate::ids::RuleId;
use crate::lang::{LANGUAGES, Language};
use crate::link::{LocatedFact, judge};
use crate::position::LineNumber;
use crate::rule::{Rule, RuleSet};

/// The rules that look at files of a language.
type SetOf<'a> = &'a dyn Fn(&'static Language) -> Arc<RuleSet>;

/// The ids and lines of what all rules find in some files, their links judged among those alone.
fn rendered(files: &[(&str, &str)], set: SetOf<'_>) -> BTreeSet<(RuleId, String, u32)> {
    let mut rendered = BTreeSet::new();
    let mut scans: Vec<(&str, FileScan)> = Vec::new();
    let mut rules = Vec::new();
    for (path, code) in files {
        let Some(language) = Language::of(path.as_bytes(), code.as_bytes()) else { continue };
        let set = set(language);
        let wanted = set.wanted(path.as_bytes());
        let found = scan(code.as_bytes(), Some(language), &set, &wanted, &Limits::default(), Markers::Heeded);
        scans.push((path, found));
        rules = set.rules().to_vec();
    }
    for (path, found) in &scans {
        let line = |line: Option<LineNumber>| line.map_or(0, LineNumber::get);
        rendered.extend(found.hits.iter().map(|h| (h.rule.clone(), (*path).to_owned(), line(h.start_line()))));
    }
    for rule in &rules {
        let Some(link) = rule.link() else { continue };
        let facts = scans.iter().flat_map(|(path, found)| found.facts.iter().map(move |fact| (*path, fact)));
        let held: Vec<LocatedFact<'_>> = facts
            .filter(|(_, fact)| fact.rule == rule.mark())
            .map(|(path, fact)| LocatedFact { path: path.as_bytes(), fact, fresh: true, touched: true })
            .collect();
        for (index, hit) in judge(rule, link, &held, None) {
            let path = String::from_utf8_lossy(held[index].path).into_owned();
            rendered.insert((hit.rule.clone(), path, hit.start_line().map_or(0, LineNumber::get)));
        }
    }
    rendered
}

/// The rules of all packs.
fn shipped() -> Vec<Arc<Rule>> {
    PACKS.iter().flat_map(|pack| pack.rules().iter().cloned()).collect()
}

/// Holds the rules that ship against the same with nothing left out.
struct Shipped {
    pruned: Arc<RuleSet>,
    /// By the index of the language in whose files nothing is left out.
    unpruned: Vec<Arc<RuleSet>>,
}

impl Shipped {
    fn new() -> Self {
        let unpruned = |language: &&'static Language| Arc::new(RuleSet::new(shipped()).without_words(language));
        Self { pruned: Arc::new(RuleSet::new(shipped())), unpruned: LANGUAGES.iter().map(unpruned).collect() }
    }

    /// What is found in some files with and without pruning.
    fn found(&self, files: &[(&str, &str)]) -> BTreeSet<(RuleId, String, u32)> {
        let found = rendered(files, &|_| self.pruned.clone());
        assert_eq!(found, rendered(files, &|language| self.unpruned[language.index()].clone()), "{files:?}");
        found
    }
}

/// A match, files, and the places that are found.
type Case = (&'static str, &'static [(&'static str, &'static str)], &'static str);

/// What is asked for is in other files than what asks, or not at all.
const MATCHES: &[Case] = &[
    (
        "languages = ['python']\ncode = 'open(X)'\nholes.X = {}\nnot_enclosed_by = { code = \"with lock:\\n    B\", holes.B = { many = true } }",
        &[("a.py", "open(a)\n"), ("b.py", "with lock:\n    open(b)\n")],
        "a.py:1",
    ),
    (
        "languages = ['python']\ncode = 'open(X)'\nholes.X = {}\nenclosed_by = [{ code = \"with lock:\\n    B\", holes.B = { many = true } }, { code = \"while late:\\n    B\", holes.B = { many = true } }]",
        &[("a.py", "open(a)\n"), ("b.py", "while late:\n    open(b)\n"), ("c.py", "with lock:\n    open(c)\n")],
        "b.py:2 c.py:2",
    ),
    (
        "languages = ['python']\ncode = 'open(X)'\nholes.X = {}\nunless = { code = 'open(lock)' }\nnot_encloses = { code = 'safe(Y)', holes.Y = {} }",
        &[("a.py", "open(a)\nopen(lock)\nopen(safe(b))\n"), ("b.py", "open(c)\n")],
        "a.py:1 b.py:1",
    ),
    (
        "languages = ['python']\ncode = 'X(a)'\nholes.X = { text = '^(open|shut)$' }\nencloses = { text = 'a' }",
        &[("a.py", "shut(a)\n"), ("b.py", "open(a)\n"), ("c.py", "hold(a)\n")],
        "a.py:1 b.py:1",
    ),
    (
        "languages = ['python']\ntree = '((call function: (identifier) @f) @here (#match? @f \"^(open|shut)$\"))'\nnot_preceded_by = { code = 'lock(X)', holes.X = {} }",
        &[("a.py", "shut(a)\n"), ("b.py", "lock(a)\nopen(b)\n")],
        "a.py:1 b.py:2",
    ),
    (
        "languages = ['javascript']\ncode = 'open(X)'\nholes.X = {}",
        &[
            ("a.js", "return\u{a0}open\u{2028}(a)\n"),
            ("b.js", "éopen(b)\nopenä(b)\n"),
            ("c.js", "x =\u{3000}open\u{feff}(c)\n"),
        ],
        "a.js:1 c.js:1",
    ),
    (
        "languages = ['python']\ntree = '((comparison_operator \"is\") @here)'",
        &[("a.py", "x = 5is y\n"), ("b.py", "x = a5is\n")],
        "a.py:1",
    ),
    // What is the same needn't be beside the sign.
    (
        "languages = ['python']\ntree = '((comparison_operator (_) @a operators: [\"<\" \"==\"] (_) @b) @here (#eq? @a @b))'",
        &[("a.py", "x = a < b == a\n"), ("b.py", "x = a < b == c\n")],
        "a.py:1",
    ),
    (
        "each = 'used'\nmust_not_meet = 'dropped'\nunless_meets = ['kept']\n[rule.match.collect]\nused = { languages = ['python'], code = 'use(N)', holes.N = {} }\ndropped = { languages = ['python'], code = 'drop(N)', holes.N = {} }\nkept = { languages = ['python'], code = 'keep(N)', holes.N = {} }",
        &[("a.py", "use(x)\nuse(y)\n"), ("b.py", "drop(x)\ndrop(y)\n"), ("c.py", "keep(y)\n")],
        "a.py:1",
    ),
    (
        "each = 'used'\nmust_not_meet = 'dropped'\nunless_meets = ['kept']\nwithin = 'file'\n[rule.match.collect]\nused = { languages = ['python'], code = 'use(N)', holes.N = {} }\ndropped = { languages = ['python'], code = 'drop(N)', holes.N = {} }\nkept = { languages = ['python'], code = 'keep(N)', holes.N = {} }",
        &[("a.py", "use(x)\ndrop(x)\n"), ("b.py", "use(x)\n"), ("c.py", "use(x)\ndrop(x)\nkeep(x)\n")],
        "a.py:1",
    ),
    (
        "each = 'used'\nmust_meet = 'given'\nwithin = 'file'\n[rule.match.collect]\nused = { languages = ['python'], code = 'use(N)', holes.N = {} }\ngiven = { languages = ['python'], any = [{ code = 'give(N)', holes.N = {} }, { code = 'lend(N)', holes.N = {} }] }",
        &[("a.py", "use(x)\n"), ("b.py", "use(x)\nlend(x)\n"), ("c.py", "give(x)\n")],
        "a.py:1",
    ),
];

/// Of the examples of all packs, and of rules whose words are in other files than what asks for them.
#[test]
fn what_words_leave_out_finds_nothing() {
    let rules = Shipped::new();
    let mut found = 0;
    for example in shipped().iter().flat_map(|rule| &rule.examples) {
        let files: Vec<(&str, &str)> = example.files().iter().map(|f| (&*f.path, &*f.code)).collect();
        found += rules.found(&files).len();
    }
    assert!(found > 500, "{found} findings");
    for (matcher, files, expected) in MATCHES {
        let head = "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n[rule.match]\n";
        let read = read_rules("r.toml", &format!("{head}{matcher}\n"), FileRole::Rules);
        let read = read.unwrap_or_else(|problems| panic!("{matcher}: {}", problems[0]));
        let rules: Vec<_> = read.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect();
        let with = |_: &'static Language| Arc::new(RuleSet::new(rules.clone()));
        let without = |language| Arc::new(RuleSet::new(rules.clone()).without_words(language));
        for set in [&with as SetOf<'_>, &without] {
            let places = rendered(files, set).into_iter().map(|(_, path, line)| format!("{path}:{line}"));
            assert_eq!(places.collect::<Vec<_>>().join(" "), *expected, "{matcher}");
        }
    }
}

/// How many inputs are made, when SWAGE_PRUNING_INPUTS doesn't say.
const INPUTS: u64 = 3_000;

/// Of code that is put together at random from that of the examples, most of which doesn't parse.
///
/// `SWAGE_PRUNING_INPUTS=1000000 cargo test --release -p swage-core --lib pruning` goes on for longer; SWAGE_PRUNING_SEED
/// begins elsewhere.
#[test]
#[expect(clippy::disallowed_methods, clippy::print_stdout, reason = "by hand it runs for longer")]
fn what_words_leave_out_finds_nothing_in_random_code() {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    let mut random = Random(number("SWAGE_PRUNING_SEED").unwrap_or(20_261_128));
    let sets = Shipped::new();
    let mut corpus: BTreeMap<&str, Vec<(&str, &str)>> = BTreeMap::new();
    let rules = shipped();
    for file in rules.iter().flat_map(|rule| &rule.examples).flat_map(|example| example.files()) {
        if let Some(language) = Language::of(file.path.as_bytes(), file.code.as_bytes()) {
            corpus.entry(language.name).or_default().push((&file.path, &file.code));
        }
    }
    let languages: Vec<_> = corpus.values().collect();
    let (mut found, mut by_rule) = (0, HashMap::new());
    for _ in 0..number("SWAGE_PRUNING_INPUTS").unwrap_or(INPUTS) {
        let files = languages[random.below(languages.len())];
        let (path, code) = (files[random.below(files.len())].0, random.code(files));
        let files = [(path, code.as_str())];
        let with = sets.found(&files);
        found += with.len();
        with.into_iter().for_each(|(rule, ..)| *by_rule.entry(rule).or_insert(0) += 1);
    }
    println!("{found} findings of {} rules", by_rule.len());
    assert!(found > 300 && by_rule.len() > 30, "{found} findings of {} rules", by_rule.len());
}

/// A generator of numbers (xorshift, G. Marsaglia, 2003): the same seed gives the same inputs.
struct Random(u64);

impl Random {
    /// A number from 0, below another.
    fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % end.max(1) as u64) as usize
    }

    /// Code of a language: one file of it with some tokens and lines left out, doubled, or taken from another.
    fn code(&mut self, files: &[(&str, &str)]) -> String {
        let mut code = files[self.below(files.len())].1.to_owned();
        for _ in 0..=self.below(4) {
            let other = files[self.below(files.len())].1;
            let unit = if self.below(2) == 0 { tokens } else { lines };
            let (own, others) = (unit(&code), unit(other));
            let (at, from) = (self.below(own.len()), others[self.below(others.len())]);
            let keep = match self.below(3) {
                // Left out, put before, put in its place.
                0 => [None, Some(own[at])],
                1 => [Some(from), Some(own[at])],
                _ => [Some(from), None],
            };
            let keep = if keep[0].is_none() { [None, None] } else { keep };
            code = own[..at]
                .iter()
                .copied()
                .chain(keep.into_iter().flatten())
                .chain(own[at + 1..].iter().copied())
                .collect();
        }
        // PHP itself takes its tag for text without white space after it, and the grammar for a tag: `<?php1`.
        code.replace("<?php", "<?php ")
    }
}

/// Words and single signs.
fn tokens(code: &str) -> Vec<&str> {
    let in_word = |c: char| c.is_alphanumeric() || c == '_';
    let mut rest = code;
    let mut out = Vec::new();
    while let Some(first) = rest.chars().next() {
        let word = rest.find(|c| !in_word(c)).unwrap_or(rest.len());
        let (token, after) = rest.split_at(if word == 0 { first.len_utf8() } else { word });
        out.push(token);
        rest = after;
    }
    if out.is_empty() { vec![""] } else { out }
}

/// Lines with their ends.
fn lines(code: &str) -> Vec<&str> {
    if code.is_empty() { vec![""] } else { code.split_inclusive('\n').collect() }
}
