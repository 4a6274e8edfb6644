//! Rules made ready for scanning: per language, one automaton of the words that patterns need, and plans by node kind.
//!
//! Rules are compiled for a language when its first file comes. Compiling all for all takes longer than reviewing a small
//! change, and few repositories use all languages.
//!
//! What is made here is the same for every file and read by all threads. Nothing in it depends on the order in which
//! files come.

use std::ops::Range;
use std::sync::Arc;

use aho_corasick::dfa;
use regex::bytes::{RegexSet, RegexSetBuilder};

use super::filter::{NodeTest, PlaceFilter, Relation};
use super::link::{Link, Meeting, Within};
use super::matchers::{Compiled, Matcher, Plan};
use super::model::{Clause, Rule};
use super::words::{Needs, Vocabulary, Word};
use crate::ids::RuleId;
use crate::lang::Language;
use crate::pattern::PatternError;

/// The rules that can find something in files of one language.
#[derive(Debug)]
pub struct LanguageSet {
    /// Finds everything in `words`, in whatever case, each text once.
    pub(crate) finder: Option<dfa::DFA>,
    /// For each text that the finder knows, the words that are spelled so; they may differ in where and in which case they
    /// count.
    pub(crate) spelled: Vec<Vec<u32>>,
    /// Every word of `entries`.
    pub(crate) words: Vec<Word>,
    pub(crate) entries: Vec<Entry>,
    /// For each entry, what decides that it finds nothing in a file.
    pub(crate) prefilters: Prefilters,
    /// All expressions that no word leaves out of a file: most files match none of them, which one search for all shows.
    /// `None` when there are fewer than two, or they are too large together.
    wordless: Option<RegexSet>,
    /// For each node kind, the entries that begin with it.
    pub(crate) by_kind: Vec<Vec<u32>>,
    /// Rules that can't be compiled for the language.
    pub errors: Vec<(RuleId, PatternError)>,
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
    /// What must be somewhere in a file for a match in it to count.
    pub beside: Needs,
    /// What scanning does for it.
    pub plan: Plan,
}

impl Entry {
    /// Its expression, when it is one that every file has to be searched for.
    pub(crate) fn wordless_expression(&self) -> Option<&str> {
        match &self.plan {
            Plan::Lines(finder) if self.needs.is_empty() && self.beside.is_empty() => Some(finder.expression()),
            _ => None,
        }
    }
}

/// What says that entries find nothing in a file, side by side, since it is asked of all entries for every file.
#[derive(Debug, Default)]
pub(crate) struct Prefilters {
    all: Vec<Prefilter>,
    /// Lists of words, each after its length.
    lists: Vec<u32>,
}

/// What one entry needs to find anything in a file.
#[derive(Debug)]
pub(crate) struct Prefilter {
    /// Index of the rule.
    pub rule: usize,
    /// Whether it skips generated files.
    pub skip_generated: bool,
    /// Whether it looks at what suppressions say and not at code.
    pub is_about_suppressions: bool,
    /// Where its lists are.
    lists: Range<u32>,
}

impl Prefilters {
    fn of(entries: &[Entry], rules: &[Arc<Rule>]) -> Self {
        let mut prefilters = Self::default();
        for entry in entries {
            let from = prefilters.lists.len() as u32;
            for list in entry.needs.0.iter().chain(&entry.beside.0) {
                // All lists in one array, since they are read for every entry and every file.
                prefilters.lists.push(list.len() as u32);
                prefilters.lists.extend(list);
            }
            let rule = &rules[entry.rule];
            prefilters.all.push(Prefilter {
                rule: entry.rule,
                skip_generated: rule.skip_generated,
                is_about_suppressions: matches!(entry.plan, Plan::Suppressions(_)),
                lists: from..prefilters.lists.len() as u32,
            });
        }
        prefilters
    }

    /// One for each entry, in order.
    pub fn iter(&self) -> impl Iterator<Item = &Prefilter> {
        self.all.iter()
    }

    /// Whether a file with some words has one of each list of an entry.
    pub fn is_open(&self, prefilter: &Prefilter, has: impl Fn(u32) -> bool) -> bool {
        let mut rest = &self.lists[prefilter.lists.start as usize..prefilter.lists.end as usize];
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

impl LanguageSet {
    /// Compiles rules for a language, or for files of none.
    pub(super) fn compile(rules: &[Arc<Rule>], language: Option<&'static Language>) -> Self {
        let mut set = Self {
            finder: None,
            spelled: Vec::new(),
            words: Vec::new(),
            entries: Vec::new(),
            prefilters: Prefilters::default(),
            wordless: None,
            by_kind: vec![Vec::new(); language.map_or(0, |l| l.tables().grammar.node_kind_count())],
            errors: Vec::new(),
        };
        // Rules share words, and the automaton looks for each once.
        let mut words = Vocabulary::default();
        for (rule_at, rule) in rules.iter().enumerate() {
            let first = set.entries.len();
            for (clause_at, clause) in rule.clauses.iter().enumerate() {
                // A clause without languages is about text of any kind.
                if !clause.languages.is_empty() && !language.is_some_and(|l| clause.languages.contains(&l)) {
                    continue;
                }
                match compile_clause(clause, language) {
                    Ok(Some(Compiled { plan, words: own })) => {
                        let needs = words.needs(own);
                        let mut beside = language.map(|l| filter_needs(clause, l, &mut words)).unwrap_or_default();
                        beside.0.extend(words.needs(clause.matcher.words_beside()).0);
                        set.entries.push(Entry { rule: rule_at, clause: clause_at, needs, beside, plan });
                    }
                    Ok(None) => {}
                    Err(error) => set.errors.push((rule.id.clone(), error)),
                }
            }
            // What facts must meet decides, too, whether collecting them is of any use.
            if let Some(link) = rule.link() {
                share_needs(rule, link, &mut set.entries[first..], &words);
            }
        }
        for (entry, index) in set.entries.iter().zip(0u32..) {
            entry.plan.kinds().iter().for_each(|kind| set.by_kind[usize::from(*kind)].push(index));
        }
        set.take_words(words);
        set.prefilters = Prefilters::of(&set.entries, rules);
        let wordless: Vec<&str> = set.entries.iter().filter_map(Entry::wordless_expression).collect();
        if wordless.len() > 1 {
            set.wordless = RegexSetBuilder::new(wordless).multi_line(true).crlf(true).build().ok();
        }
        set
    }

    /// Whether none of the expressions that no word leaves out matches anywhere in a text. Two rules of the packs have
    /// such expressions; searching for both at once takes half the time, which is a hundredth of parsing TypeScript.
    pub(crate) fn is_without_wordless(&self, source: &[u8]) -> bool {
        self.wordless.as_ref().is_some_and(|all| !all.is_match(source))
    }

    /// Builds the automaton of all words. Without words, or when it can't be built, every entry simply counts as possible.
    fn take_words(&mut self, words: Vocabulary) {
        self.words = words.words;
        let mut texts: Vec<&[u8]> = Vec::new();
        for (word, index) in self.words.iter().zip(0u32..) {
            match texts.iter().position(|text| **text == word.text[..]) {
                Some(known) => self.spelled[known].push(index),
                None => {
                    texts.push(&word.text);
                    self.spelled.push(vec![index]);
                }
            }
        }
        if !texts.is_empty() {
            // One automaton for both; matches of words with a case are checked again.
            let any_case = self.words.iter().any(|word| word.any_case);
            self.finder = dfa::DFA::builder().ascii_case_insensitive(any_case).build(texts).ok();
        }
    }

    /// Leaves nothing out for want of words or of what is below a node.
    #[cfg(test)]
    pub(super) fn forget_words(&mut self, rules: &[Arc<Rule>]) {
        for entry in &mut self.entries {
            (entry.needs, entry.beside) = (Needs::default(), Needs::default());
            if let Plan::Nodes { signs, below, .. } = &mut entry.plan {
                (*signs, *below) = (None, Vec::new());
            }
        }
        (self.finder, self.wordless) = (None, None);
        self.prefilters = Prefilters::of(&self.entries, rules);
    }
}

/// The plan of a clause, with the patterns of its filters compiled too where they are looked for in trees.
fn compile_clause(clause: &Clause, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
    let compiled = clause.matcher.clone().compile(language)?;
    if let (Some(language), Some(Compiled { plan: Plan::Nodes { .. } | Plan::Functions { .. }, .. })) =
        (language, &compiled)
    {
        // A pattern of a filter that isn't code in this language makes the rule fail now, not never match later.
        let mut open: Vec<&PlaceFilter> = clause.filters.iter().flat_map(|f| &f.any).collect();
        while let Some(place) = open.pop() {
            if let NodeTest::Code(code) = &place.what {
                code.pattern(language).map_err(Clone::clone)?;
            }
            open.extend(place.filters.iter().flat_map(|f| &f.any));
        }
    }
    Ok(compiled)
}

/// What a file must hold for the filters of a clause to let anything through: the words of the patterns that must be
/// around it, in it, before it or after it.
fn filter_needs(clause: &Clause, language: &'static Language, words: &mut Vocabulary) -> Needs {
    let mut all = Needs::default();
    for filter in &clause.filters {
        use Relation::{Earlier, EnclosedBy, Encloses, PathWith, PrecededBy};
        // Filters that forbid something need nothing, and what follows a match may be cut off.
        if !matches!(filter.relation, EnclosedBy | Encloses | PrecededBy | PathWith | Earlier) {
            continue;
        }
        let of_place = |place: &PlaceFilter| match &place.what {
            NodeTest::Code(code) => {
                let own = code.pattern(language).map(|p| code.words(p, language)).unwrap_or_default();
                words.needs(own.into_iter().chain(code.words_beside()))
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
    // What is removed was in the file as it was before, and so did what is missing now.
    let in_file = |collection: usize| {
        let own = &link.collections[collection];
        own.within.unwrap_or(link.within) == Within::File && !own.removed && link.demand != Meeting::Must(collection)
    };
    for entry in entries {
        let Some(own) = of(entry).filter(|own| *own == link.each || in_file(*own)) else { continue };
        if own != link.each {
            entry.beside.0.extend_from_slice(&needs[link.each].0);
        }
        // A condition that can never be met, negated, excludes nothing.
        if let Meeting::MustNot(other) = link.demand
            && in_file(other)
            && own != other
        {
            entry.beside.0.extend_from_slice(&needs[other].0);
        }
    }
}
