//! Rules made ready for scanning: per language, one automaton of the words that patterns need, and patterns by node kind.

use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

use aho_corasick::{AhoCorasick, AhoCorasickKind};
use sha2::{Digest, Sha256};

use super::key::Step;
use super::link::{Link, Meeting, Within};
use super::model::{Clause, CodeMatch, Matcher, NodeTest, Place, Relation, Rule, TreeMatch};
use super::paths::{PathSet, PathSets, is_rule_file, usually_generated};
use super::words::{Needs, Vocabulary, Word, is_always_captured, query_heads, query_words, regex_words};
use crate::lang::{Class, LANGUAGES, Language};
use crate::pattern::{Hole, Pattern, PatternError, PatternNode};

/// A fingerprint of the sources that decide what is found, made by the build script: stored results of other sources aren't
/// reused.
const SCANNER: &str = env!("SWAGE_SCANNER");

/// The rules of a run.
#[derive(Debug)]
pub struct RuleSet {
    rules: Vec<Arc<Rule>>,
    /// Names that are defined outside of what can be seen, by language.
    globals: BTreeMap<String, Vec<String>>,
    /// Files that a program makes.
    generated: Option<PathSet>,
    /// Whether the configuration names those, rather than the usual names.
    generated_is_named: bool,
    /// The mark of each rule.
    marks: Vec<u64>,
    sets: PathSets,
    /// For each rule, where it looks, and where each collection of its link does.
    reaches: Vec<(Reach, Vec<Reach>)>,
    /// For each language, and at the end for files without one.
    by_language: Vec<OnceLock<LanguageSet>>,
}

/// The sets of paths that something looks at and leaves alone, by their numbers.
#[derive(Debug)]
struct Reach {
    paths: Option<usize>,
    skipped: Option<usize>,
}

/// The rules that can find something in files of one language.
#[derive(Debug)]
pub struct LanguageSet {
    /// Finds everything in `words`, in whatever case.
    pub(crate) finder: Option<AhoCorasick>,
    /// Every word of `entries`, and behind those, where they are of use, the language's openers.
    pub(crate) words: Vec<Word>,
    /// How many of them are words of entries.
    pub(crate) word_count: usize,
    /// Whether the openers are among them.
    pub(crate) is_marked: bool,
    pub(crate) entries: Vec<Entry>,
    /// For each entry, what tells that it finds nothing in a file.
    pub(crate) prefilters: Prefilters,
    /// For each node kind, the entries that begin with it.
    pub(crate) by_kind: Vec<Vec<u32>>,
    /// Rules that can't be compiled for the language.
    pub errors: Vec<(String, PatternError)>,
}

/// One clause of one rule.
#[derive(Debug)]
pub(crate) struct Entry {
    /// Index of the rule.
    pub rule: usize,
    /// Index of the clause in the rule.
    pub clause: usize,
    /// What every match holds.
    pub needs: Needs,
    /// What must stand somewhere in a file for a match in it to count.
    pub beside: Needs,
    /// The node kinds that it begins with.
    pub kinds: Vec<u16>,
    /// Whether every node that it matches holds one of its words or an opener of the language.
    pub marked: bool,
}

/// What tells that entries find nothing in a file, side by side, since it is asked of all entries for every file.
#[derive(Debug, Default)]
pub(crate) struct Prefilters {
    all: Vec<Prefilter>,
    /// Lists of words, each behind its length.
    lists: Vec<u32>,
}

/// What one entry needs to find anything in a file.
#[derive(Debug)]
pub(crate) struct Prefilter {
    /// Index of the rule.
    pub rule: usize,
    /// Whether it leaves made files alone.
    pub skip_generated: bool,
    /// Whether it looks at what suppressions say and not at code.
    pub is_about_suppressions: bool,
    /// Where its lists are.
    lists: Range<u32>,
}

impl Prefilters {
    fn of(entries: &[Entry], rules: &[Arc<Rule>]) -> Self {
        let mut gates = Self::default();
        for entry in entries {
            let from = gates.lists.len() as u32;
            for list in entry.needs.0.iter().chain(&entry.beside.0) {
                gates.lists.push(list.len() as u32);
                gates.lists.extend(list);
            }
            let rule = &rules[entry.rule];
            gates.all.push(Prefilter {
                rule: entry.rule,
                skip_generated: rule.skip_generated,
                is_about_suppressions: matches!(rule.clauses[entry.clause].matcher, Matcher::Suppression(_)),
                lists: from..gates.lists.len() as u32,
            });
        }
        gates
    }

    /// One for each entry, in order.
    pub fn iter(&self) -> impl Iterator<Item = &Prefilter> {
        self.all.iter()
    }

    /// Whether a file with some words has one of each list of an entry.
    pub fn is_open(&self, gate: &Prefilter, has: impl Fn(u32) -> bool) -> bool {
        let mut rest = &self.lists[gate.lists.start as usize..gate.lists.end as usize];
        while let Some((length, more)) = rest.split_first() {
            let (list, others) = more.split_at(*length as usize);
            if !list.iter().any(|word| has(*word)) {
                return false;
            }
            rest = others;
        }
        true
    }
}

impl RuleSet {
    /// Takes the rules; they are compiled for a language when its first file comes.
    pub fn new(rules: Vec<Arc<Rule>>) -> Self {
        let by_language = (0..=LANGUAGES.len()).map(|_| OnceLock::new()).collect();
        let mut sets = PathSets::default();
        let mut reach = |paths: Option<&PathSet>, skipped: Option<&PathSet>| Reach {
            paths: paths.map(|set| sets.number(set)),
            skipped: skipped.map(|set| sets.number(set)),
        };
        let reaches = rules.iter().map(|rule| {
            let own = reach(rule.paths.as_ref(), rule.skip_paths.as_ref());
            let collections = rule.link().map_or(&[][..], |link| &link.collections);
            (own, collections.iter().map(|c| reach(c.paths.as_ref(), c.skip_paths.as_ref())).collect())
        });
        let reaches = reaches.collect();
        let marks = rules.iter().map(|rule| rule.mark()).collect();
        Self {
            rules,
            globals: BTreeMap::new(),
            generated: usually_generated(),
            generated_is_named: false,
            marks,
            sets,
            reaches,
            by_language,
        }
    }

    /// The same with names that are defined elsewhere, by language.
    pub fn with_globals(self, globals: BTreeMap<String, Vec<String>>) -> Self {
        Self { globals, ..self }
    }

    /// The same with the files that a program makes, as the configuration names them.
    pub fn with_generated(self, generated: PathSet) -> Self {
        Self { generated: Some(generated), generated_is_named: true, ..self }
    }

    /// Whether a program makes files with this path.
    pub fn is_generated(&self, path: &[u8]) -> bool {
        self.generated.as_ref().is_some_and(|made| made.has(path))
    }

    /// Whether the configuration itself says that a program makes files with this path; the usual names prove nothing of
    /// a file that a change brings.
    pub fn is_named_as_generated(&self, path: &[u8]) -> bool {
        self.generated_is_named && self.is_generated(path)
    }

    /// Whether a name is defined outside of what can be seen in files of a language.
    pub(crate) fn is_global(&self, language: &Language, name: &str) -> bool {
        self.globals.get(language.name).is_some_and(|names| names.iter().any(|known| known == name))
    }

    /// The rules, in order.
    pub fn rules(&self) -> &[Arc<Rule>] {
        &self.rules
    }

    /// The mark of the rule with this index.
    pub(crate) fn mark(&self, rule: usize) -> u64 {
        self.marks[rule]
    }

    /// The rule with this id.
    pub fn get(&self, id: &str) -> Option<&Arc<Rule>> {
        self.rules.iter().find(|r| r.id == id)
    }

    /// Which rules look at a file with this path, by which it is told whether a program makes it.
    pub fn wanted(&self, path: &[u8]) -> Vec<bool> {
        self.wanted_as(path, self.is_generated(path))
    }

    /// Which rules look at a file with this path that a program makes, or doesn't.
    pub fn wanted_as(&self, path: &[u8], made: bool) -> Vec<bool> {
        let own_file = is_rule_file(path);
        let mut has = self.sets.of_path(path);
        let mut within = |reach: &Reach| reach.paths.is_none_or(&mut has) && !reach.skipped.is_some_and(&mut has);
        let wants = self.rules.iter().zip(&self.reaches).map(|(rule, (own, collections))| {
            !(made && rule.skip_generated)
                && (!own_file || rule.names_rule_files())
                && within(own)
                && (collections.is_empty() || collections.iter().any(&mut within))
        });
        wants.collect()
    }

    /// A fingerprint of the scanner and of the wanted rules for files of a language, as 32 bytes.
    pub fn digest(&self, wanted: &[bool], language: Option<&'static Language>) -> [u8; 32] {
        let mut hash = Sha256::new();
        hash.update(SCANNER);
        hash.update(language.map_or("", |l| l.name));
        for size in language.map_or([0; 3], |l| l.tables().sizes()) {
            hash.update((size as u64).to_le_bytes());
        }
        for (rule, wanted) in self.rules.iter().zip(wanted) {
            if *wanted {
                hash.update(rule.digest);
            }
        }
        for name in language.and_then(|l| self.globals.get(l.name)).into_iter().flatten() {
            hash.update(name.as_bytes());
            hash.update([0]);
        }
        hash.finalize().into()
    }

    /// The rules compiled for a language.
    pub fn for_language(&self, language: Option<&'static Language>) -> &LanguageSet {
        let index = language.map_or(LANGUAGES.len(), Language::index);
        self.by_language[index].get_or_init(|| self.compile(language))
    }

    fn compile(&self, language: Option<&'static Language>) -> LanguageSet {
        let kind_count = language.map_or(0, |l| l.tables().grammar.node_kind_count());
        let mut set = LanguageSet {
            finder: None,
            words: Vec::new(),
            word_count: 0,
            is_marked: false,
            entries: Vec::new(),
            prefilters: Prefilters::default(),
            by_kind: vec![Vec::new(); kind_count],
            errors: Vec::new(),
        };
        let mut words = Vocabulary::default();
        for (rule_at, rule) in self.rules.iter().enumerate() {
            for (clause_at, clause) in rule.clauses.iter().enumerate() {
                if !clause.languages.is_empty() && !language.is_some_and(|l| clause.languages.contains(&l)) {
                    continue;
                }
                let index = set.entries.len() as u32;
                let mut kinds = Vec::new();
                let mut marked = language.is_some_and(|l| !l.openers.is_empty());
                let needs = match (&clause.matcher, language) {
                    (Matcher::Text(text), _) => {
                        if language.is_none() && !text.zones.is_empty() {
                            continue;
                        }
                        words.needs(regex_words(text.regex.as_str()))
                    }
                    (Matcher::Code(code), Some(l)) => match compile_clause(clause, code.pattern(l), l) {
                        Ok(pattern) => {
                            for reading in &pattern.readings {
                                kinds.extend(reading.first().and_then(PatternNode::kind));
                            }
                            kinds.dedup();
                            // A run of siblings may have its words in others than the first.
                            let needs = words.needs(code_words(code, pattern));
                            marked = pattern.readings.iter().all(|r| r.len() == 1) && !needs.is_empty();
                            needs
                        }
                        Err(error) => {
                            set.errors.push((rule.id.clone(), error));
                            continue;
                        }
                    },
                    (Matcher::Tree(tree), Some(l)) => match tree_words(tree, l, &mut kinds) {
                        Ok(texts) => {
                            let tables = l.tables();
                            let opens = |kind: &u16| {
                                let classes = [Class::Function, Class::Loop, Class::Branch, Class::Comment];
                                classes.iter().any(|class| tables.is(*kind, *class))
                            };
                            marked = !texts.is_empty() || marked && kinds.iter().all(opens) || kinds.is_empty();
                            words.needs(texts)
                        }
                        Err(error) => {
                            set.errors.push((rule.id.clone(), error));
                            continue;
                        }
                    },
                    (Matcher::Measure(measure), Some(l)) => {
                        kinds.extend((0..kind_count as u16).filter(|k| l.tables().is(*k, measure.of)));
                        marked &= measure.of == Class::Function;
                        Needs::default()
                    }
                    (Matcher::Key(key), Some(l)) if !l.keyed.is_empty() => {
                        let literal = |step: &Step| match step {
                            Step::Key(text) if text.len() > 1 => Some(vec![Word::new(text.as_bytes(), false)]),
                            Step::Key(_) | Step::Hole(_) | Step::Any => None,
                        };
                        words.needs(key.steps.iter().filter_map(literal).chain(hole_words(&key.holes)))
                    }
                    (Matcher::CommentedCode | Matcher::Names(_), Some(_)) | (Matcher::Suppression(_), _) => {
                        Needs::default()
                    }
                    // Whether a file parses is told of both sides of a change together.
                    (Matcher::Syntax, _) => continue,
                    (
                        Matcher::Code(_)
                        | Matcher::Tree(_)
                        | Matcher::Key(_)
                        | Matcher::Measure(_)
                        | Matcher::Names(_)
                        | Matcher::CommentedCode,
                        _,
                    ) => continue,
                };
                kinds.iter().for_each(|kind| set.by_kind[usize::from(*kind)].push(index));
                let beside = language.map(|l| filter_needs(clause, l, &mut words)).unwrap_or_default();
                set.entries.push(Entry { rule: rule_at, clause: clause_at, needs, beside, kinds, marked });
            }
            if let Some(link) = rule.link() {
                let first = set.entries.partition_point(|e| e.rule < rule_at);
                share_needs(rule, link, &mut set.entries[first..], &words);
            }
        }
        let Vocabulary { mut words } = words;
        set.word_count = words.len();
        // Where something looks at every node of every file, marks are of no use.
        let anywhere = |e: &Entry| !e.marked && !e.kinds.is_empty() && e.needs.is_empty() && e.beside.is_empty();
        set.is_marked = !set.entries.iter().any(anywhere);
        let openers = language.iter().filter(|_| set.is_marked).flat_map(|l| l.openers).map(|o| o.as_bytes());
        words.extend(openers.map(|o| Word::new(o, o.iter().all(u8::is_ascii_alphabetic))));
        // Without words, or when the automaton can't be built, every entry simply counts as possible.
        if !words.is_empty() {
            let any_case = words.iter().any(|word| word.any_case);
            let texts = words.iter().map(|word| &word.text);
            set.finder = AhoCorasick::builder()
                .kind(Some(AhoCorasickKind::DFA))
                .ascii_case_insensitive(any_case)
                .build(texts)
                .ok();
        }
        set.words = words;
        set.prefilters = Prefilters::of(&set.entries, &self.rules);
        set
    }
}

/// Lists of words of each of which one stands wherever a query matches; the node kinds that it begins with go to `kinds`,
/// none when it may begin anywhere.
fn tree_words(
    tree: &TreeMatch,
    language: &'static Language,
    kinds: &mut Vec<u16>,
) -> Result<Vec<Vec<Word>>, PatternError> {
    if let Some(plain) = tree.plain(language) {
        kinds.extend(plain.heads());
        return Ok(query_words(&tree.query, |name| plain.always(name)));
    }
    let query = tree.query(language).map_err(Clone::clone)?;
    let heads = if query.pattern_count() == 1 { query_heads(&tree.query) } else { None };
    kinds.extend(heads.unwrap_or_default().iter().flat_map(|head| language.tables().kinds_named(head, true)));
    Ok(query_words(&tree.query, |name| is_always_captured(query, name)))
}

/// The pattern of a clause, with the patterns of its filters compiled too.
fn compile_clause<'p>(
    clause: &Clause,
    pattern: Result<&'p Pattern, &PatternError>,
    language: &'static Language,
) -> Result<&'p Pattern, PatternError> {
    let mut open: Vec<&Place> = clause.filters.iter().flat_map(|f| &f.any).collect();
    while let Some(place) = open.pop() {
        if let NodeTest::Code(code) = &place.what {
            code.pattern(language).map_err(Clone::clone)?;
        }
        open.extend(place.filters.iter().flat_map(|f| &f.any));
    }
    pattern.map_err(Clone::clone)
}

/// What a file must hold for the filters of a clause to let anything through: the words of the patterns that must be
/// around it, in it, or before it.
fn filter_needs(clause: &Clause, language: &'static Language, words: &mut Vocabulary) -> Needs {
    let mut all = Needs::default();
    for filter in &clause.filters {
        if !matches!(filter.relation, Relation::EnclosedBy | Relation::Encloses | Relation::PrecededBy) {
            continue;
        }
        let of_place = |place: &Place| match &place.what {
            NodeTest::Code(code) => {
                code.pattern(language).map_or_else(|_| Needs::default(), |p| words.needs(code_words(code, p)))
            }
            NodeTest::Definition { .. } | NodeTest::Node(_) | NodeTest::Text(_) => Needs::default(),
        };
        let places: Vec<Needs> = filter.any.iter().map(of_place).collect();
        all.0.extend(words.either(&places).0);
    }
    all
}

/// Facts that meet only within their file are of no use in a file that can't hold those that they meet.
fn share_needs(rule: &Rule, link: &Link, entries: &mut [Entry], words: &Vocabulary) {
    let of = |entry: &Entry| rule.clauses[entry.clause].collection;
    let needs: Vec<Needs> = (0..link.collections.len())
        .map(|collection| {
            let own = entries.iter().filter(|e| of(e) == Some(collection));
            let own: Vec<Needs> = own.map(|e| Needs([&e.needs.0[..], &e.beside.0].concat())).collect();
            words.either(&own)
        })
        .collect();
    // What is gone stood in the file as it was before, and so did what is missing now.
    let in_file = |collection: usize| {
        let own = &link.collections[collection];
        own.within.unwrap_or(link.within) == Within::File && !own.gone && link.demand != Meeting::Must(collection)
    };
    for entry in entries {
        let Some(own) = of(entry) else { continue };
        if own == link.each {
            if let Meeting::MustNot(other) = link.demand
                && in_file(other)
            {
                entry.beside.0.extend_from_slice(&needs[other].0);
            }
        } else if in_file(own) {
            entry.beside.0.extend_from_slice(&needs[link.each].0);
        }
    }
}

/// Lists of words of each of which one stands in whatever a pattern matches.
fn code_words(code: &CodeMatch, pattern: &Pattern) -> impl Iterator<Item = Vec<Word>> {
    let own = pattern.words.iter().map(|(word, whole)| vec![Word::new(word, *whole)]);
    own.chain(hole_words(&code.holes))
}

/// Words of which each hole with a condition on its text needs one.
fn hole_words(holes: &[Hole]) -> impl Iterator<Item = Vec<Word>> {
    holes.iter().filter_map(|hole| regex_words(hole.text.as_ref()?.as_str()))
}

#[cfg(test)]
impl RuleSet {
    /// The same, with nothing left out of files of a language for want of words.
    pub(crate) fn without_words(self, language: &'static Language) -> Self {
        let mut set = self.compile(Some(language));
        for entry in &mut set.entries {
            (entry.needs, entry.beside, entry.marked) = (Needs::default(), Needs::default(), false);
        }
        set.finder = None;
        set.prefilters = Prefilters::of(&set.entries, &self.rules);
        assert!(self.by_language[language.index()].set(set).is_ok(), "nothing has been scanned yet");
        self
    }
}
