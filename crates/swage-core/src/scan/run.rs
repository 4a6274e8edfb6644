//! The work on one file: text is searched first, and parsed only when something needs its tree.

use std::cell::LazyCell;
use std::ops::Range;

use tree_sitter::Tree;

use super::embedded::{self, Part};
use super::filters::is_excused;
use super::found::{Found, Origin, Scope, hits_and_facts};
use super::search::{Search, TextMatches};
use super::words::Words;
use super::{Fact, Hit, Syntax, allow, macros};
use crate::lang::{Language, parse};
use crate::rule::{LanguageSet, ParsedFile, Plan, RuleSet};

/// The work on one file.
pub(super) struct Run<'a> {
    /// The text that is looked at.
    source: &'a [u8],
    /// The file as it is, with its own line ends, byte for byte as long.
    content: &'a [u8],
    language: Option<&'static Language>,
    rules: &'a RuleSet,
    /// Where the text is a fragment that was completed, the part that is known.
    known: Option<Range<usize>>,
    /// Matches of expressions.
    text: TextMatches,
    tree: Option<Tree>,
    found: Vec<Found>,
}

impl<'a> Run<'a> {
    pub fn new(
        source: &'a [u8],
        content: &'a [u8],
        language: Option<&'static Language>,
        rules: &'a RuleSet,
        known: Option<Range<usize>>,
    ) -> Self {
        Self { source, content, language, rules, known, text: Vec::new(), tree: None, found: Vec::new() }
    }

    /// Searches the text for the expressions of the possible entries; whether anything needs the tree.
    pub fn search_text(&mut self, set: &LanguageSet, possible: &[u32]) -> bool {
        let mut needs_tree = false;
        // Expressions run before anything is parsed: without a match many files need no tree.
        // One search for all expressions that every file would have to be searched for, made when the first of them comes.
        let without_wordless = LazyCell::new(|| set.is_without_wordless(self.source));
        for &index in possible {
            let entry = &set.entries[index as usize];
            match &entry.plan {
                Plan::Lines(_) if entry.wordless_expression().is_some() && *without_wordless => {}
                Plan::Lines(finder) => {
                    self.text.extend(finder.find(self.source).into_iter().map(|range| (index, range)))
                }
                Plan::Nodes { .. } | Plan::Functions { .. } | Plan::File { .. } => needs_tree = true,
                Plan::Suppressions(_) => {}
            }
        }
        self.language.is_some() && (needs_tree || !self.text.is_empty())
    }

    /// Whether edits of the text that is looked at are edits of the file.
    // Decoded text and completed fragments have other offsets than the file.
    fn is_editable(&self) -> bool {
        self.source == self.content && self.known.is_none()
    }

    /// Parses the file, within a number of steps that follows from its size alone.
    ///
    /// # Errors
    /// When that isn't enough.
    pub fn parse(&mut self) -> Result<(), String> {
        let Some(language) = self.language else { return Ok(()) };
        self.tree = Some(parse(self.source, language)?);
        Ok(())
    }

    /// Where the file doesn't parse, when it has been parsed.
    pub fn syntax(&self) -> Option<Syntax> {
        self.tree.as_ref().map(|tree| Syntax::of(tree, self.content))
    }

    /// Code of other languages in the file.
    ///
    /// # Errors
    /// When a page between code can't be parsed, and why.
    pub fn parts(&self) -> Result<Vec<Part>, String> {
        match (self.language, &self.tree) {
            (Some(language), Some(tree)) => embedded::parts(self.content, language, tree),
            _ => Ok(Vec::new()),
        }
    }

    /// The comments that suppress findings.
    pub fn suppressions(&self) -> Vec<allow::Suppression> {
        allow::find(self.content, self.language, self.tree.as_ref())
    }

    /// Finds everything that the possible entries find.
    ///
    /// # Errors
    /// When not everything could be looked for; the reason.
    pub fn find(&mut self, set: &LanguageSet, possible: &[u32], words: &Words) -> Result<(), String> {
        let text = std::mem::take(&mut self.text);
        let (Some(tree), Some(language)) = (&self.tree, self.language) else {
            self.find_without_tree(set, text);
            return Ok(());
        };
        let is_global = |name: &str| self.rules.is_global(language, name);
        let file = ParsedFile::new(self.source, language, tree, self.known.clone(), &is_global);
        let editable = self.is_editable();
        let search = Search::new(file, editable, self.rules, set, possible, words);
        let mut found = search.run(text);
        let mut fault = search.fault();
        if !language.macros.is_empty() && fault.is_none() {
            // Only what begins at nodes: expressions have looked at all of the text, and figures are those of the file.
            let at_nodes = |index: &u32| matches!(set.entries[*index as usize].plan, Plan::Nodes { .. });
            let possible: Vec<u32> = possible.iter().copied().filter(at_nodes).collect();
            let wanted = |tokens: &Range<usize>| possible.iter().any(|index| search.may_begin_in(*index, tokens));
            // All trees of a file share its steps.
            let mut left = search.file.steps.get();
            for macros::Parsed { tree, ranges } in
                macros::parsed(self.source, language, tree, &search.macros.borrow(), &wanted)?
            {
                let file = ParsedFile::new(self.source, language, &tree, self.known.clone(), &is_global);
                file.steps.set(left);
                let search = Search::new(file, editable, self.rules, set, &possible, words).within(ranges);
                found.extend(search.run(Vec::new()));
                fault = fault.or(search.fault());
                left = search.file.steps.get();
            }
        }
        self.found.extend(found);
        fault.map_or(Ok(()), Err)
    }

    /// What expressions find in text of no known language: there are no zones and no nodes to filter by.
    fn find_without_tree(&mut self, set: &LanguageSet, text: TextMatches) {
        for (index, range) in text {
            let entry = &set.entries[index as usize];
            let Plan::Lines(finder) = &entry.plan else { continue };
            let rule = &self.rules.rules()[entry.rule];
            let clause = &rule.clauses[entry.clause];
            if let Some(m) = finder.at(self.source, &range)
                && !is_excused(clause, &self.source[m.range.clone()])
            {
                let (source, editable) = (self.source, self.is_editable());
                let origin = Origin { index: entry.rule, rule, clause, source, editable };
                self.found.extend(Found::new(origin, m, None, Scope::default));
            }
        }
    }

    /// The hits and the facts, in order, each place of a rule once.
    pub fn hits(self) -> (Vec<Hit>, Vec<Fact>) {
        hits_and_facts(self.found, self.source, self.content, self.rules)
    }
}
