//! `code`: plain code with holes.

use std::ops::Range;
use std::sync::{Arc, OnceLock};

use tree_sitter::Node;

use super::{Compiled, Match, Matcher, NodeFinder, OnMatch, ParsedFile, Plan, Reader, Signs, TooMany, need_languages};
use crate::lang::{CodeLanguage, LANGUAGES, Language};
use crate::pattern::{
    Bindings, Hole, Matching, Pattern, PatternError, PatternNode, Reading, Stands, names_in_capitals,
};
use crate::rule::keys::{Holds, Key};
use crate::rule::problem::Problems;
use crate::rule::table::Table;
use crate::rule::values::{HOLES_KEY, read_holes};
use crate::rule::words::{Word, path_words, text_words};

pub(super) const READER: Reader = Reader {
    keys: &KEYS,
    read: |table, languages, name, p| {
        let code = read_code(table, languages.as_deref(), p);
        need_languages(languages, table.at, name, p);
        Some(Arc::new(code?))
    },
};

/// The keys of a pattern, which filters have, too.
pub(in crate::rule) static KEYS: [Key; 4] = [
    Key::new("code", Holds::String, "Plain code of the language; the names under `holes` are gaps."),
    HOLES_KEY,
    Key::new("statement", Holds::Flag, "Only where it is a statement of its own."),
    Key::new("plain", Holds::Strings, "Names in capitals that are no holes."),
];

/// A code pattern, compiled for each language when it is first needed.
#[derive(Debug)]
pub struct CodeMatch {
    /// The pattern as it was written.
    pub code: String,
    /// Its holes.
    pub holes: Vec<Hole>,
    /// Where it counts.
    pub stands: Stands,
    /// The compiled form for each of [`LANGUAGES`].
    compiled: Vec<OnceLock<Result<Pattern, PatternError>>>,
}

impl CodeMatch {
    /// A pattern that is yet to be compiled.
    pub fn new(code: String, holes: Vec<Hole>, stands: Stands) -> Self {
        Self { code, holes, stands, compiled: LANGUAGES.iter().map(|_| OnceLock::new()).collect() }
    }

    /// The pattern for a language.
    ///
    /// # Errors
    /// When the code doesn't parse as that language under any wrapper.
    pub fn pattern(&self, language: &'static Language) -> Result<&Pattern, &PatternError> {
        self.compiled[language.index()]
            // Compiled once and for all threads, at the first file of the language.
            .get_or_init(|| Pattern::compile(&self.code, &self.holes, self.stands, language))
            .as_ref()
    }

    /// Lists of words, of each of which one is in whatever the pattern matches in a language.
    pub(crate) fn words(&self, pattern: &Pattern, language: &Language) -> Vec<Vec<Word>> {
        // Each word of the pattern's own code is certain; of a condition on a hole one of several is.
        let own = pattern.words.iter().map(|(word, whole)| vec![Word { whole: *whole, ..Word::part(word) }]);
        let words = own.chain(text_words(&self.holes));
        words.map(|list| list.into_iter().map(|word| word.named_in(language)).collect()).collect()
    }
}

impl Matcher for CodeMatch {
    /// Runs of any length can't show whether facts meet.
    fn captures(&self) -> Vec<&str> {
        self.holes.iter().filter(|hole| !hole.many).map(|hole| hole.name.as_str()).collect()
    }

    /// What a run took can be shown, though.
    fn placeholders(&self) -> Vec<&str> {
        self.holes.iter().map(|hole| hole.name.as_str()).collect()
    }

    #[expect(private_interfaces, reason = "matchers are made here only")]
    fn words_beside(&self) -> Vec<Vec<Word>> {
        path_words(&self.holes).collect()
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        let Some(language) = language else { return Ok(None) };
        let pattern = self.pattern(language).map_err(Clone::clone)?;
        let words = self.words(pattern, language);
        let mut kinds: Vec<u16> =
            pattern.readings.iter().filter_map(|reading| reading.first().and_then(PatternNode::kind)).collect();
        // Kinds that the language counts as the same, such as a call with `?.`.
        let instead: Vec<u16> = kinds.iter().flat_map(|kind| language.tables().instead_of(*kind)).collect();
        kinds.extend(instead);
        // Readings of the same code often begin with the same kind.
        kinds.dedup();
        // A run of siblings may have its words in others than the first.
        let holds_words = pattern.readings.iter().all(|reading| reading.len() == 1);
        let signs = operators(pattern, language);
        let finder = self.clone();
        let plan = Plan::Nodes { kinds, holds_words, signs, below: Vec::new(), families: Vec::new(), finder };
        Ok(Some(Compiled { plan, words }))
    }
}

impl NodeFinder for CodeMatch {
    fn at<'t>(&self, file: &ParsedFile<'t>, node: Node<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        let Ok(pattern) = self.pattern(file.language) else { return Ok(()) };
        let ParsedFile { source, language, meanings, steps, .. } = file;
        let matching = Matching { source, language, holes: &self.holes, given: &[], meanings, probe: None, steps };
        // Of several readings of the code the first that matches counts.
        if let Some((bound, range)) = matching.at(pattern, node) {
            // A hole in a part of the pattern that may be missing takes nothing.
            let taken = self.holes.iter().zip(&bound);
            let captures = taken.filter_map(|(hole, range)| Some((hole.name.as_str(), range.clone()?))).collect();
            let varying = varying(&self.holes, &bound);
            found(node, Match { range, captures, varying, is_code: true, figure: None });
        }
        Ok(())
    }
}

/// The operators of which one is in whatever a pattern matches: each reading is an operation, and its operator has no other
/// spelling than those that the language counts as the same. C takes words and other signs for operators.
fn operators(pattern: &Pattern, language: &'static Language) -> Option<Signs> {
    const OPERATORS: [&str; 14] = ["^", "<", ">", "<=", ">=", "==", "===", "!=", "!==", "&&", "||", "|", "<<", ">>"];
    let tables = language.tables();
    let text = |kind: u16| tables.grammar.node_kind_for_id(kind);
    let of_reading = |reading: &Reading| match &reading[..] {
        [PatternNode::Inner { children, .. }] => children.iter().find_map(|child| match child {
            PatternNode::Leaf(kind, _) if text(*kind).is_some_and(|text| OPERATORS.contains(&text)) => Some(*kind),
            _ => None,
        }),
        _ => None,
    };
    let kinds: Vec<u16> = pattern.readings.iter().map(of_reading).collect::<Option<_>>()?;
    let also = kinds.iter().flat_map(|kind| tables.instead_of(*kind));
    let mut texts: Vec<&str> = kinds.iter().copied().chain(also).map(text).collect::<Option<_>>()?;
    texts.sort_unstable();
    texts.dedup();
    Signs::new(texts, false).filter(|_| !matches!(language.name, "c" | "cpp"))
}

/// What `many` holes took, in order: it may change, and the finding stays the same.
fn varying(holes: &[Hole], bound: &Bindings) -> Vec<Range<usize>> {
    let mut ranges: Vec<_> =
        holes.iter().zip(bound).filter(|(hole, _)| hole.many).filter_map(|(_, range)| range.clone()).collect();
    ranges.sort_by_key(|range| range.start);
    ranges
}

/// Reads `code`, `holes`, `plain` and `statement`.
pub(in crate::rule) fn read_code(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Option<CodeMatch> {
    let code = table.required_string("code", "a code match", p)?;
    let holes = read_holes(table, p);
    let stands = if table.flag("statement", p) == Some(true) { Stands::AsStatement } else { Stands::Anywhere };
    let plain: Vec<String> = table.strings("plain", p).unwrap_or_default().into_iter().map(|s| s.value).collect();
    // SQL's keywords are written in capitals.
    let is_keyword = |name: &str| languages.unwrap_or_default().iter().any(|l| l.is_keyword(name));
    let is_declared =
        |name: &str| is_keyword(name) || plain.iter().any(|p| p == name) || holes.iter().any(|h| h.name == name);
    // A misspelt hole would be taken as a name that no code has, and the rule would never find anything.
    if let Some((at, name)) = names_in_capitals(&code.value).find(|(_, name)| !is_declared(name)) {
        let hint =
            format!("declare it as holes.{name} = {{}}, or say plain = [\"{name}\"] when the code has that name");
        p.inside(&code, at, format!("`{name}` looks like a hole and isn't declared as one"), hint);
        return None;
    }
    let found = CodeMatch::new(code.value.clone(), holes, stands);
    // Shipped patterns are compiled by a test; at each start that would take longer than a small review.
    for language in languages.filter(|_| !p.shipped).unwrap_or_default() {
        if let Err(error) = found.pattern(language) {
            let holds_others = language.embedded.iter().any(|e| !matches!(e.language, CodeLanguage::Substituted(_)));
            let several = languages.is_some_and(|l| l.len() > 1) && holds_others;
            let remedy = if several {
                format!(
                    "name the language of the pattern alone: its code inside of {} is examined as that language",
                    language.name
                )
            } else {
                format!("a pattern is plain {} code; declare its gaps under `holes`", language.name)
            };
            p.inside(&code, error.offset, error.message.clone(), remedy);
            return None;
        }
    }
    Some(found)
}
