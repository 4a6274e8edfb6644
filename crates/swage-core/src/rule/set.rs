//! The rules of a run: which of them look at a file, and what they are compiled to for its language.
//!
//! What a rule set knows is fixed when it is made, but for languages, which are compiled when their first file comes. A
//! file's result depends on the set and its content only, so it can be kept under the digest of both.

use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use sha2::{Digest, Sha256};

use super::areas::Area;
use super::compiled::LanguageSet;
use super::model::Rule;
use super::paths::{Origin, PathSet, PathSets, is_rule_file, usually_generated, usually_vendored};
use crate::lang::{LANGUAGES, Language};

/// A fingerprint of the sources that decide what is found, made by the build script: stored results of other sources aren't
/// reused.
const SCANNER: &str = env!("SWAGE_SCANNER");

/// Files that the project's people don't write.
#[derive(Debug)]
struct Foreign {
    paths: Option<PathSet>,
    /// Whether the configuration names them, rather than the usual names.
    is_named: bool,
}

impl Foreign {
    fn has(&self, path: &[u8]) -> bool {
        self.paths.as_ref().is_some_and(|paths| paths.has(path))
    }
}

/// The rules of a run.
#[derive(Debug)]
pub struct RuleSet {
    /// In the order in which they were configured, which is that of all indices.
    rules: Vec<Arc<Rule>>,
    /// Names that are defined outside of what can be seen, by language.
    globals: BTreeMap<String, Vec<String>>,
    /// Files that a program makes.
    generated: Foreign,
    /// Files that come from elsewhere.
    vendored: Foreign,
    /// The mark of each rule.
    marks: Vec<u64>,
    /// The sets of paths of all rules, numbered.
    sets: PathSets,
    /// For each rule, where it looks, and where each collection of its link does.
    reaches: Vec<(Reach, Vec<Reach>)>,
    /// For each language, and at the end for files without one.
    by_language: Vec<OnceLock<LanguageSet>>,
}

/// The sets of paths that something looks at and skips, by their numbers.
#[derive(Debug)]
struct Reach {
    paths: Option<usize>,
    /// What it skips: its own paths, and its areas.
    skipped: Vec<usize>,
}

impl RuleSet {
    /// Takes the rules; they are compiled for a language when its first file comes.
    pub fn new(rules: Vec<Arc<Rule>>) -> Self {
        let by_language = (0..=LANGUAGES.len()).map(|_| OnceLock::new()).collect();
        let mut sets = PathSets::default();
        let mut reach = |paths: Option<&PathSet>, skipped: Option<&PathSet>, areas: &[Area]| Reach {
            paths: paths.map(|set| sets.number(set)),
            skipped: skipped
                .into_iter()
                .chain(areas.iter().filter_map(|a| a.files()))
                .map(|set| sets.number(set))
                .collect(),
        };
        let reaches = rules.iter().map(|rule| {
            let own = reach(rule.paths.as_ref(), rule.skip_paths.as_ref(), &rule.skip_areas);
            let collections = rule.link().map_or(&[][..], |link| &link.collections);
            (own, collections.iter().map(|c| reach(c.paths.as_ref(), c.skip_paths.as_ref(), &[])).collect())
        });
        let reaches = reaches.collect();
        let marks = rules.iter().map(|rule| rule.mark()).collect();
        Self {
            rules,
            globals: BTreeMap::new(),
            generated: Foreign { paths: usually_generated(), is_named: false },
            vendored: Foreign { paths: usually_vendored(), is_named: false },
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
        Self { generated: Foreign { paths: Some(generated), is_named: true }, ..self }
    }

    /// The same with the files that come from elsewhere, as the configuration names them.
    pub fn with_vendored(self, vendored: PathSet) -> Self {
        Self { vendored: Foreign { paths: Some(vendored), is_named: true }, ..self }
    }

    /// Whether a program makes files with this path, or they come from elsewhere.
    pub fn is_generated(&self, path: &[u8]) -> bool {
        self.generated.has(path) || self.vendored.has(path)
    }

    /// Whether the configuration itself says so of this path; the usual names prove nothing of a file that a change adds.
    pub fn is_named_as_generated(&self, path: &[u8]) -> bool {
        [&self.generated, &self.vendored].iter().any(|foreign| foreign.is_named && foreign.has(path))
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

    /// Which rules look at a file with this path, by which alone it is decided whether it is generated.
    pub fn wanted(&self, path: &[u8]) -> Vec<bool> {
        self.wanted_as(path, if self.is_generated(path) { Origin::Generated } else { Origin::Written })
    }

    /// Which rules look at a file with this path of an origin.
    pub fn wanted_as(&self, path: &[u8], origin: Origin) -> Vec<bool> {
        // A rule's own words in the file that defines it would be findings.
        let own_file = is_rule_file(path);
        let has = self.sets.of_path(path);
        let within =
            |reach: &Reach| reach.paths.is_none_or(|set| has[set]) && !reach.skipped.iter().any(|set| has[*set]);
        let wants = self.rules.iter().zip(&self.reaches).map(|(rule, (own, collections))| {
            !(origin == Origin::Generated && rule.skip_generated)
                && (!own_file || rule.names_rule_files())
                && within(own)
                // A rule that collects looks at a file when any of its collections does.
                && (collections.is_empty() || collections.iter().any(within))
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
        self.by_language[index].get_or_init(|| LanguageSet::compile(&self.rules, language))
    }
}

#[cfg(test)]
impl RuleSet {
    /// The same, with nothing left out of files of a language for want of words.
    pub(crate) fn without_words(self, language: &'static Language) -> Self {
        let mut set = LanguageSet::compile(&self.rules, Some(language));
        set.forget_words(&self.rules);
        assert!(self.by_language[language.index()].set(set).is_ok(), "nothing has been scanned yet");
        self
    }
}
