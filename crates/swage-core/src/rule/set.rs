//! Rules made ready for scanning: per language, one automaton of the words that patterns need, and patterns by node kind.

use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use aho_corasick::AhoCorasick;
use sha2::{Digest, Sha256};

use super::config::Config;
use super::key::Step;
use super::model::{Matcher, Place, Rule, Way, What};
use super::paths::PathSet;
use super::pattern::{Hole, Pattern, PatternError, PatternNode};
use super::words::{Needs, Vocabulary, Word, query_heads, query_words, regex_words};
use crate::lang::{Class, LANGUAGES, Language};

/// Grows whenever the scanner finds or says something else for the same rules, so that stored results aren't reused.
const ENGINE: u32 = 10;

/// The rules of a run.
#[derive(Debug)]
pub struct RuleSet {
    rules: Vec<Arc<Rule>>,
    /// Names that are defined outside of what can be seen, by language.
    globals: BTreeMap<String, Vec<String>>,
    /// Files that a program makes.
    made: Option<PathSet>,
    /// For each language, and at the end for files without one.
    by_language: Vec<OnceLock<LanguageSet>>,
}

/// The rules that can find something in files of one language.
#[derive(Debug)]
pub struct LanguageSet {
    /// Finds everything in `words`, in whatever case.
    pub(crate) finder: Option<AhoCorasick>,
    /// Every word of `entries`, and behind those the language's openers.
    pub(crate) words: Vec<Word>,
    /// How many of them are words of entries.
    pub(crate) word_count: usize,
    pub(crate) entries: Vec<Entry>,
    /// For each node kind, the entries that begin with it.
    pub(crate) by_kind: Vec<Vec<u32>>,
    /// Rules that can't be compiled for the language.
    pub errors: Vec<(String, PatternError)>,
}

/// One way of one rule.
#[derive(Debug)]
pub(crate) struct Entry {
    /// Index of the rule.
    pub rule: usize,
    /// Index of the way in the rule.
    pub way: usize,
    pub needs: Needs,
    /// The node kinds that it begins with.
    pub kinds: Vec<u16>,
    /// Whether every node that it matches holds one of its words or an opener of the language.
    pub marked: bool,
}

impl RuleSet {
    /// Takes the rules; they are compiled for a language when its first file comes.
    pub fn new(rules: Vec<Arc<Rule>>) -> Self {
        let by_language = (0..=LANGUAGES.len()).map(|_| OnceLock::new()).collect();
        Self { rules, globals: BTreeMap::new(), made: Config::default().made(), by_language }
    }

    /// The same with what a configuration says of names that are defined elsewhere and of files that a program makes.
    pub fn with(self, config: &Config) -> Self {
        Self { globals: config.globals.clone(), made: config.made(), ..self }
    }

    /// Whether a program makes files with this path.
    pub fn is_made(&self, path: &[u8]) -> bool {
        self.made.as_ref().is_some_and(|made| made.has(path))
    }

    /// Whether a name is defined outside of what can be seen in files of a language.
    pub(crate) fn is_global(&self, language: &Language, name: &str) -> bool {
        self.globals.get(language.name).is_some_and(|names| names.iter().any(|known| known == name))
    }

    /// The rules, in order.
    pub fn rules(&self) -> &[Arc<Rule>] {
        &self.rules
    }

    /// The rule with this id.
    pub fn get(&self, id: &str) -> Option<&Arc<Rule>> {
        self.rules.iter().find(|r| r.id == id)
    }

    /// Which rules look at a file with this path.
    pub fn wanted(&self, path: &[u8]) -> Vec<bool> {
        let made = self.is_made(path);
        self.rules.iter().map(|r| !(made && r.skip_made) && r.reads_path(path)).collect()
    }

    /// A fingerprint of the scanner and of the wanted rules for files of a language, as 32 bytes.
    pub fn digest(&self, wanted: &[bool], language: Option<&'static Language>) -> [u8; 32] {
        let mut hash = Sha256::new();
        hash.update(ENGINE.to_le_bytes());
        hash.update(language.map_or("", |l| l.name));
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
        let index = language.and_then(|l| LANGUAGES.iter().position(|x| *x == l)).unwrap_or(LANGUAGES.len());
        self.by_language[index].get_or_init(|| self.compile(language))
    }

    fn compile(&self, language: Option<&'static Language>) -> LanguageSet {
        let kind_count = language.map_or(0, |l| l.tables().grammar.node_kind_count());
        let mut set = LanguageSet {
            finder: None,
            words: Vec::new(),
            word_count: 0,
            entries: Vec::new(),
            by_kind: vec![Vec::new(); kind_count],
            errors: Vec::new(),
        };
        let mut words = Vocabulary::default();
        for (rule_at, rule) in self.rules.iter().enumerate() {
            for (way_at, way) in rule.ways.iter().enumerate() {
                if !way.languages.is_empty() && !language.is_some_and(|l| way.languages.contains(&l)) {
                    continue;
                }
                let index = set.entries.len() as u32;
                let mut kinds = Vec::new();
                let mut marked = language.is_some_and(|l| !l.openers.is_empty());
                let needs = match (&way.matcher, language) {
                    (Matcher::Text(text), _) => {
                        if language.is_none() && !text.zones.is_empty() {
                            continue;
                        }
                        words.needs(regex_words(text.regex.as_str()))
                    }
                    (Matcher::Code(code), Some(l)) => match compile_way(way, code.pattern(l), l) {
                        Ok(pattern) => {
                            for reading in &pattern.readings {
                                kinds.extend(reading.first().and_then(PatternNode::kind));
                            }
                            kinds.dedup();
                            // A run of siblings may have its words in others than the first.
                            let own = pattern.words.iter().map(|(w, whole)| vec![Word::new(w, *whole)]);
                            let needs = words.needs(own.chain(hole_words(&code.holes)));
                            marked = pattern.readings.iter().all(|r| r.len() == 1) && !needs.is_empty();
                            needs
                        }
                        Err(error) => {
                            set.errors.push((rule.id.clone(), error));
                            continue;
                        }
                    },
                    (Matcher::Tree(tree), Some(l)) => match tree.query(l) {
                        Ok(query) => {
                            let heads = if query.pattern_count() == 1 { query_heads(&tree.query) } else { None };
                            let tables = l.tables();
                            for head in heads.unwrap_or_default() {
                                let named = (0..kind_count as u16).filter(|k| tables.grammar.node_kind_is_named(*k));
                                kinds.extend(named.filter(|k| tables.grammar.node_kind_for_id(*k) == Some(head)));
                            }
                            let texts = query_words(&tree.query, query);
                            let opens = |kind: &u16| {
                                let classes = [Class::Function, Class::Loop, Class::Branch, Class::Comment];
                                classes.iter().any(|class| tables.is(*kind, *class))
                            };
                            marked = !texts.is_empty() || marked && kinds.iter().all(opens) || kinds.is_empty();
                            words.needs(texts)
                        }
                        Err(error) => {
                            set.errors.push((rule.id.clone(), error.clone()));
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
                    (Matcher::CommentedCode | Matcher::Names(_), Some(_)) | (Matcher::Allowance(_), _) => {
                        Needs::default()
                    }
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
                set.entries.push(Entry { rule: rule_at, way: way_at, needs, kinds, marked });
            }
        }
        let Vocabulary { mut words } = words;
        set.word_count = words.len();
        let openers = language.iter().flat_map(|l| l.openers).map(|o| o.as_bytes());
        words.extend(openers.map(|o| Word::new(o, o.iter().all(u8::is_ascii_alphabetic))));
        // Without words, or when the automaton can't be built, every entry simply counts as possible.
        if !words.is_empty() {
            let any_case = words.iter().any(|word| word.any_case);
            let texts = words.iter().map(|word| &word.text);
            set.finder = AhoCorasick::builder().ascii_case_insensitive(any_case).build(texts).ok();
        }
        set.words = words;
        set
    }
}

/// The way's pattern, with the patterns of its filters compiled too.
fn compile_way<'p>(
    way: &Way,
    pattern: Result<&'p Pattern, &PatternError>,
    language: &'static Language,
) -> Result<&'p Pattern, PatternError> {
    let mut open: Vec<&Place> = way.filters.iter().flat_map(|f| &f.any).collect();
    while let Some(place) = open.pop() {
        if let What::Code(code) = &place.what {
            code.pattern(language).map_err(Clone::clone)?;
        }
        open.extend(place.filters.iter().flat_map(|f| &f.any));
    }
    pattern.map_err(Clone::clone)
}

/// Words of which each hole with a condition on its text needs one.
fn hole_words(holes: &[Hole]) -> impl Iterator<Item = Vec<Word>> {
    holes.iter().filter_map(|hole| regex_words(hole.text.as_ref()?.as_str()))
}
