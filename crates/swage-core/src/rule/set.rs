//! Rules made ready for scanning: per language, one automaton of the words that patterns need, and patterns by node kind.

use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use aho_corasick::AhoCorasick;
use globset::GlobSet;
use regex::Regex;
use regex_syntax::hir::literal::{ExtractKind, Extractor};
use sha2::{Digest, Sha256};
use tree_sitter::{CaptureQuantifier, Query};

use super::config::Config;
use super::key::Step;
use super::model::{Matcher, Place, Rule, TextMatch, Way, What};
use super::pattern::{Pattern, PatternError, PatternNode};
use crate::lang::{Class, LANGUAGES, Language};

/// Grows whenever the scanner finds or says something else for the same rules, so that stored results aren't reused.
const ENGINE: u32 = 8;

/// The rules of a run.
#[derive(Debug)]
pub struct RuleSet {
    rules: Vec<Arc<Rule>>,
    /// Names that are defined outside of what can be seen, by language.
    globals: BTreeMap<String, Vec<String>>,
    /// Files that a program makes.
    made: GlobSet,
    /// For each language, and at the end for files without one.
    by_language: Vec<OnceLock<LanguageSet>>,
}

/// The rules that can find something in files of one language.
#[derive(Debug)]
pub struct LanguageSet {
    /// Finds every word of `entries`, and behind those the language's openers.
    pub(crate) words: Option<AhoCorasick>,
    /// How many of them are words of entries.
    pub(crate) word_count: usize,
    /// For each word and opener, whether it is never a part of a longer name.
    pub(crate) whole: Vec<bool>,
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

/// Words without which an entry can't match.
#[derive(Debug)]
pub(crate) enum Needs {
    Nothing,
    All(Vec<u32>),
    Any(Vec<u32>),
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
        use std::os::unix::ffi::OsStrExt;
        self.made.is_match(std::ffi::OsStr::from_bytes(path))
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
            words: None,
            word_count: 0,
            whole: Vec::new(),
            entries: Vec::new(),
            by_kind: vec![Vec::new(); kind_count],
            errors: Vec::new(),
        };
        let mut words: Vec<(Vec<u8>, bool)> = Vec::new();
        let mut word = |text: &[u8], whole: bool| {
            let new = (text.to_vec(), whole);
            let at = words.iter().position(|w| *w == new).unwrap_or_else(|| {
                words.push(new);
                words.len() - 1
            });
            at as u32
        };
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
                        literals(text)
                            .map_or(Needs::Nothing, |list| Needs::Any(list.iter().map(|w| word(w, false)).collect()))
                    }
                    (Matcher::Code(code), Some(l)) => match compile_way(way, code.pattern(l), l) {
                        Ok(pattern) => {
                            for reading in &pattern.readings {
                                kinds.extend(reading.first().and_then(PatternNode::kind));
                            }
                            kinds.dedup();
                            // A run of siblings may have its words in others than the first.
                            marked = pattern.readings.iter().all(|r| r.len() == 1) && !pattern.words.is_empty();
                            Needs::All(pattern.words.iter().map(|(w, whole)| word(w, *whole)).collect())
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
                            let words = query_words(&tree.query, query);
                            let opens = |kind: &u16| {
                                let classes = [Class::Function, Class::Loop, Class::Branch, Class::Comment];
                                classes.iter().any(|class| tables.is(*kind, *class))
                            };
                            marked = words.is_some() || marked && kinds.iter().all(opens) || kinds.is_empty();
                            match words {
                                Some(list) => Needs::Any(list.iter().map(|w| word(w.as_bytes(), false)).collect()),
                                None => Needs::Nothing,
                            }
                        }
                        Err(error) => {
                            set.errors.push((rule.id.clone(), error.clone()));
                            continue;
                        }
                    },
                    (Matcher::Measure(measure), Some(l)) => {
                        kinds.extend((0..kind_count as u16).filter(|k| l.tables().is(*k, measure.of)));
                        marked &= measure.of == Class::Function;
                        Needs::Nothing
                    }
                    (Matcher::Key(key), Some(l)) if !l.keyed.is_empty() => {
                        let literal = |step: &Step| match step {
                            Step::Key(text) if text.len() > 1 => Some(text.clone().into_bytes()),
                            Step::Key(_) | Step::Hole(_) | Step::Any => None,
                        };
                        Needs::All(key.steps.iter().filter_map(literal).map(|w| word(&w, false)).collect())
                    }
                    (Matcher::CommentedCode | Matcher::Names(_), Some(_)) | (Matcher::Allowance(_), _) => {
                        Needs::Nothing
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
        set.word_count = words.len();
        let openers = language.iter().flat_map(|l| l.openers).map(|o| o.as_bytes());
        words.extend(openers.map(|o| (o.to_vec(), o.iter().all(u8::is_ascii_alphabetic))));
        let (words, whole): (Vec<_>, Vec<_>) = words.into_iter().unzip();
        set.whole = whole;
        // Without words, or when the automaton can't be built, every entry simply counts as possible.
        set.words = if words.is_empty() { None } else { AhoCorasick::new(&words).ok() };
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

/// The kinds of the nodes that a query begins with; `None` when it begins with siblings, or with anything but plain nodes.
fn query_heads(text: &str) -> Option<Vec<&str>> {
    let text = text.trim_start();
    let inner = text.strip_prefix(['(', '['])?.trim_start();
    if text.starts_with('(') && !inner.starts_with(['(', '[']) {
        let name = inner.split(|c: char| !c.is_ascii_alphanumeric() && c != '_').next()?;
        return (!name.is_empty() && name != "_").then(|| vec![name]);
    }
    let items: Vec<&str> = groups(inner)?.into_iter().filter(|item| !item.starts_with("(#")).collect();
    if text.starts_with('(') && items.len() != 1 {
        return None;
    }
    let heads: Option<Vec<Vec<&str>>> = items.into_iter().map(query_heads).collect();
    heads.map(|lists| lists.concat()).filter(|list| !list.is_empty())
}

/// The bracketed parts that stand side by side up to the bracket that closes what is around them.
fn groups(text: &str) -> Option<Vec<&str>> {
    let (mut out, mut depth, mut start, mut quoted, mut escaped) = (Vec::new(), 0, 0, false, false);
    for (at, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if quoted => escaped = true,
            '"' => quoted = !quoted,
            _ if quoted => {}
            '(' | '[' => {
                if depth == 0 {
                    start = at;
                }
                depth += 1;
            }
            ')' | ']' if depth == 0 => return Some(out),
            ')' | ']' => {
                depth -= 1;
                if depth == 0 {
                    out.push(&text[start..=at]);
                }
            }
            _ => {}
        }
    }
    None
}

/// Texts of which one must stand where a query matches: those that a predicate `#eq?` or `#any-of?` wants of a capture
/// that is always there.
fn query_words(text: &str, query: &Query) -> Option<Vec<String>> {
    static PREDICATE: OnceLock<Option<Regex>> = OnceLock::new();
    let predicate = PREDICATE.get_or_init(|| Regex::new(r#"\(#(?:eq|any-of)\? @([\w.]+)((?: "[^"\\]+")+)\)"#).ok());
    if query.pattern_count() != 1 {
        return None;
    }
    let always = |name: &str| {
        let index = query.capture_index_for_name(name)?;
        Some(query.capture_quantifiers(0).get(index as usize)? == &CaptureQuantifier::One)
    };
    let lists = predicate.as_ref()?.captures_iter(text).filter(|c| always(&c[1]) == Some(true));
    let lists = lists.map(|c| c[2].split('"').skip(1).step_by(2).map(str::to_owned).collect::<Vec<_>>());
    lists.filter(|list| list.iter().all(|w| w.len() > 1)).min_by_key(Vec::len)
}

/// Beginnings of which one must stand where the expression matches; `None` when there is no telling.
fn literals(text: &TextMatch) -> Option<Vec<Vec<u8>>> {
    let hir = regex_syntax::ParserBuilder::new()
        .utf8(false)
        .multi_line(true)
        .crlf(true)
        .build()
        .parse(text.regex.as_str())
        .ok()?;
    let found = Extractor::new().kind(ExtractKind::Prefix).limit_total(64).extract(&hir);
    let list: Vec<_> = found.literals()?.iter().map(|l| l.as_bytes().to_vec()).collect();
    (!list.is_empty() && list.iter().all(|l| l.len() > 1)).then_some(list)
}
