//! From the text of a pattern to its readings.

use std::cell::Cell;

use tree_sitter::{Node, Parser};

use super::build::{Builder, covering, is_statement};
use super::doubt::{Doubt, doubt, has_braces};
use super::spelling::{self, NoReading, Spelling};
use super::{Hole, Matching, Meanings, Pattern, PatternError, PatternNode, Reading, Stands, budget};
use crate::lang::{Class, Language};

impl Pattern {
    /// Compiles a pattern for a language.
    ///
    /// Long because which of several mistakes is reported depends on how far each way of reading got.
    ///
    /// # Errors
    /// When the pattern doesn't parse under any wrapper (the error names the place that got furthest), doesn't hold a declared
    /// hole, or is only a hole.
    pub fn compile(
        code: &str,
        holes: &[Hole],
        stands: Stands,
        language: &'static Language,
    ) -> Result<Self, PatternError> {
        let trimmed = code.trim();
        let lead = code.len() - code.trim_start().len();
        let error = |offset, message| Err(PatternError { offset: lead + offset, message });
        if trimmed.is_empty() {
            return error(0, "the pattern is empty".into());
        }
        let mut parser = Parser::new();
        if parser.set_language(&language.tables().grammar).is_err() {
            return error(0, format!("the grammar of {} can't be loaded", language.name));
        }
        let mut compiler = Compiler::new(parser, holes, stands, language);
        let plain = Spelling::plain(trimmed, holes);
        let (mut spelling, mut readings) = match compiler.readings(&plain) {
            Ok(readings) => {
                let readings = compiler.better(&plain, readings);
                (plain, readings)
            }
            Err(why) => match compiler.spelled(&plain) {
                Some(found) => found,
                None if why.begins_with_hole => {
                    let message =
                        "the pattern begins with a hole, so it would match anywhere; write some code around it";
                    return error(0, message.into());
                }
                None => {
                    let (at, message) = match (why.lacks, why.silent) {
                        (Some(hole), _) => {
                            (0, format!("the hole `{}` is not a separate name in the pattern", holes[hole].name))
                        }
                        (None, Some(reading)) => {
                            (0, format!("the pattern is read as {reading}, which doesn't match the pattern itself"))
                        }
                        (None, None) => (why.furthest, format!("the pattern isn't {} code", language.name)),
                    };
                    return error(at, message);
                }
            },
        };
        if stands == Stands::AsStatement && !compiler.are_statements(&readings) {
            // The pattern may leave out the semicolon that makes it one.
            let closed = Spelling::plain(&format!("{trimmed};"), holes);
            let read = compiler.readings(&closed).ok().filter(|readings| compiler.are_statements(readings));
            let Some(closed_readings) = read else {
                return error(
                    0,
                    format!("`statement` can't be used: the pattern is no statement in {}", language.name),
                );
            };
            (spelling, readings) = (closed, closed_readings);
        }
        if let Some(declared) = spelling.with_for_declaration(language) {
            readings.extend(compiler.readings(&declared).unwrap_or_default());
        }
        let comparisons = compiler.into_comparisons(&spelling, &readings);
        readings.extend(comparisons);
        let words = words_of(&readings, language);
        Ok(Self { readings, words, holes: holes.len() })
    }
}

/// The words that every match of a reading holds, each with whether it is as a whole word.
fn words_in(reading: &[PatternNode], language: &Language) -> Vec<(Vec<u8>, bool)> {
    let mut words = Vec::new();
    reading.iter().for_each(|node| node.gather_words(&mut words, language));
    words
}

/// The words that all readings have.
fn words_of(readings: &[Reading], language: &Language) -> Vec<(Vec<u8>, bool)> {
    let mut words: Option<Vec<(Vec<u8>, bool)>> = None;
    for reading in readings {
        let mut own = words_in(reading, language);
        own.sort();
        own.dedup();
        match &mut words {
            None => words = Some(own),
            Some(words) => words.retain(|word| own.contains(word)),
        }
    }
    words.unwrap_or_default()
}

/// Ends of the kinds of further nodes that stand for themselves only.
const WHOLE: [&str; 4] = ["binary_expression", "comparison_operator", "await_expression", "lexical_declaration"];

/// Reads spellings of one pattern.
struct Compiler<'a> {
    parser: Parser,
    holes: &'a [Hole],
    /// The same without conditions on what they take: their names stand for it in the pattern's own text.
    free: Vec<Hole>,
    stands: Stands,
    language: &'static Language,
}

impl<'a> Compiler<'a> {
    fn new(parser: Parser, holes: &'a [Hole], stands: Stands, language: &'static Language) -> Self {
        let free = |hole: &Hole| Hole { text: None, stands_for: None, node: None, varies: None, ..hole.clone() };
        Self { parser, holes, free: holes.iter().map(free).collect(), stands, language }
    }

    /// All readings of a spelling, the first wrapper's first. Where some have no error at all, those in which something is
    /// missing after the pattern, such as the end of an element, don't count; nor does plain text where it can have parts.
    /// Long because each wrapper is judged by the same marks, and those are compared at the end.
    fn readings(&mut self, spelling: &Spelling) -> Result<Vec<Reading>, NoReading> {
        let mut why = NoReading::default();
        let mut found: Vec<(Rank, Reading)> = Vec::new();
        let parts = self.language.part_wrappers.iter().map(|wrapper| (wrapper, true));
        for ((before, after), of_parts) in self.language.wrappers.iter().map(|wrapper| (wrapper, false)).chain(parts) {
            let settles = |reading: &Reading| self.is_plain_call(reading) || of_parts && self.is_whole(reading);
            if found.iter().any(|(rank, reading)| rank.is_clear() && settles(reading)) {
                break;
            }
            let text = format!("{before}{}{after}", spelling.text);
            let Some(tree) = self.parser.parse(&text, None) else { continue };
            let root = tree.root_node();
            let range = before.len()..before.len() + spelling.text.len();
            if let Some(at) = first_error(root).filter(|at| *at < range.end) {
                why.furthest = why.furthest.max(spelling.in_pattern(at.saturating_sub(before.len())));
                continue;
            }
            let Some(nodes) = covering(root, &text, range, self.stands, self.language) else { continue };
            if nodes.iter().any(Node::has_error) {
                why.furthest = why.furthest.max(spelling.in_pattern(spelling.text.len()));
                continue;
            }
            let builder = Builder {
                source: text.as_bytes(),
                holes: self.holes,
                spelled: &spelling.spelled,
                language: self.language,
            };
            let reading: Reading = nodes.iter().map(|n| builder.build(*n)).collect();
            // Commas part what is in braces, and belong to the text elsewhere.
            if of_parts && self.language.outline && reading.len() > 1 {
                continue;
            }
            let lacks = self.lacks(&reading);
            if lacks.is_some() || reading.first().is_none_or(|n| n.kind().is_none()) {
                why.furthest = spelling.in_pattern(spelling.text.len());
                why.begins_with_hole |= lacks.is_none();
                why.lacks = why.lacks.or(lacks);
                continue;
            }
            let is_statement = nodes.iter().all(|node| is_statement(node.kind()));
            if !self.matches_itself(&reading, &text, nodes[0]) {
                let shown = reading.iter().map(|node| node.shown(self.holes, self.language));
                why.silent = Some(shown.collect::<Vec<_>>().join(" "));
                continue;
            }
            let rank = Rank {
                incomplete: root.has_error(),
                no_statement: self.stands == Stands::AsStatement && !is_statement,
                doubt: doubt(&reading, self.holes, self.language),
                leaf: matches!(reading[..], [PatternNode::Leaf(..)]),
            };
            match found.iter_mut().find(|(_, other)| *other == reading) {
                Some((known, _)) => *known = rank.min(*known),
                None => found.push((rank, reading)),
            }
        }
        let Some(best) = found.iter().map(|(rank, _)| *rank).min() else { return Err(why) };
        found.retain(|(rank, _)| *rank == best);
        let mut readings: Vec<Reading> = Vec::new();
        for (_, reading) in found {
            if readings.first().is_none_or(|first| self.goes_with(first, &reading)) {
                readings.push(reading);
            }
        }
        Ok(readings)
    }

    /// The readings of a spelling without those about which there is so much doubt or more.
    fn better_than(&mut self, doubt: Doubt, spelling: &Spelling) -> Result<Vec<Reading>, NoReading> {
        let readings = self.readings(spelling)?;
        let doubtful = NoReading { furthest: spelling.in_pattern(spelling.text.len()), ..NoReading::default() };
        if self.doubt(&readings) < doubt { Ok(readings) } else { Err(doubtful) }
    }

    fn doubt(&self, readings: &[Reading]) -> Doubt {
        readings.iter().map(|r| doubt(r, self.holes, self.language)).max().unwrap_or(Doubt::None)
    }

    /// A spelling with stand-ins that can be read, if possible as something that may well be meant.
    fn spelled(&mut self, plain: &Spelling) -> Option<(Spelling, Vec<Reading>)> {
        let language = self.language;
        let (spelling, readings) = spelling::search(plain, language, |s| self.readings(s))?;
        let doubt = self.doubt(&readings);
        let better =
            (doubt != Doubt::None).then(|| spelling::guided_search(plain, language, |s| self.better_than(doubt, s)));
        Some(better.flatten().unwrap_or((spelling, readings)))
    }

    /// The comparisons as which the grammar reads a call with type arguments whose run takes one argument.
    fn into_comparisons(self, spelling: &Spelling, readings: &[Reading]) -> Vec<Reading> {
        let is_argument = |hole: &Hole| hole.many && spelling.text.contains(&format!(">({})", hole.name));
        if !self.language.reads_generic_calls_as_comparisons || !self.holes.iter().any(is_argument) {
            return Vec::new();
        }
        let single = |hole: &Hole| Hole { many: hole.many && !is_argument(hole), ..hole.clone() };
        let holes: Vec<Hole> = self.holes.iter().map(single).collect();
        let mut compiler = Compiler::new(self.parser, &holes, self.stands, self.language);
        let kind = |reading: &Reading| reading.first().and_then(PatternNode::kind);
        let is_new = |other: &Reading| !readings.iter().any(|reading| kind(reading) == kind(other));
        compiler.readings(spelling).unwrap_or_default().into_iter().filter(is_new).collect()
    }

    /// Whether a reading matches the text that it was made from. What it is made of and what matching looks at are written in
    /// two places, and a pattern on which they differ would be accepted and find nothing.
    fn matches_itself(&self, reading: &[PatternNode], text: &str, node: Node<'_>) -> bool {
        let source = text.as_bytes();
        let words = words_in(reading, self.language);
        if words.iter().any(|(word, _)| memchr::memmem::find(source, word).is_none()) {
            return false;
        }
        let matching = Matching {
            source,
            language: self.language,
            holes: &self.free,
            given: &[],
            meanings: &Meanings::of(node, source, self.language),
            probe: None,
            steps: &Cell::new(budget(source)),
        };
        matching.reading(reading, self.free.len(), node).is_some()
    }

    /// What to read instead of doubtful readings, or apart from them.
    fn better(&mut self, plain: &Spelling, readings: Vec<Reading>) -> Vec<Reading> {
        let (holes, language) = (self.holes, self.language);
        let doubt = self.doubt(&readings);
        if doubt == Doubt::None {
            return readings;
        }
        let found = spelling::otherwise(plain, holes, language, |s| self.better_than(doubt, s));
        match (doubt, found) {
            (Doubt::List, Some(found)) => found.into_iter().chain(readings).collect(),
            (Doubt::Keyword, Some(found)) => found,
            (Doubt::Keyword, None) => spelling::guided_search(plain, language, |s| self.better_than(doubt, s))
                .map_or(readings, |(_, found)| found),
            (Doubt::None | Doubt::List, _) => readings,
        }
    }

    /// Whether all readings are statements.
    fn are_statements(&self, readings: &[Reading]) -> bool {
        let name =
            |node: &PatternNode| node.kind().and_then(|kind| self.language.tables().grammar.node_kind_for_id(kind));
        readings.iter().all(|reading| reading.iter().all(|node| name(node).is_some_and(is_statement)))
    }

    /// The first hole that a reading doesn't have.
    fn lacks(&self, reading: &[PatternNode]) -> Option<usize> {
        let mut used = Vec::new();
        reading.iter().for_each(|n| n.holes(&mut used));
        (0..self.holes.len()).find(|index| !used.contains(index))
    }

    /// Whether a reading is a call that nothing else looks like in the language. Most patterns are calls, so that the other
    /// wrappers needn't be tried makes compiling them several times as fast.
    fn is_plain_call(&self, reading: &[PatternNode]) -> bool {
        let is_call = |kind: u16| self.language.tables().is(kind, Class::Call);
        !self.language.others_look_like_calls
            && matches!(reading, [node] if node.kind().is_some_and(is_call) && !has_braces(node, self.language))
    }

    /// Whether a reading is something that stands for itself and not also a part of something else: a call, a definition, a
    /// statement.
    fn is_whole(&self, reading: &[PatternNode]) -> bool {
        let tables = self.language.tables();
        let whole = [Class::Call, Class::Function, Class::Class, Class::Loop, Class::Branch, Class::Import];
        let is_whole = |kind: u16| {
            let name = tables.grammar.node_kind_for_id(kind).unwrap_or_default();
            whole.iter().any(|class| tables.is(kind, *class))
                || name.ends_with("statement") && name != "labeled_statement"
                || WHOLE.iter().any(|end| name.ends_with(end))
        };
        // `a *B` multiplies, or declares a pointer.
        let is_pointer = |node: &PatternNode| match node {
            PatternNode::Inner { children, .. } => children.iter().any(|child| {
                let sign = child.kind().and_then(|kind| tables.grammar.node_kind_for_id(kind));
                matches!(sign, Some("*" | "&"))
            }),
            _ => false,
        };
        matches!(reading, [node] if node.kind().is_some_and(is_whole) && !is_pointer(node))
    }

    /// Whether a further reading is kept beside the first one. A name alone means what it means first, one node isn't a run
    /// of others elsewhere, a call doesn't mean a function without a body that looks like one, and an assignment means neither
    /// an argument with its name nor a parameter with its default.
    fn goes_with(&self, first: &[PatternNode], other: &[PatternNode]) -> bool {
        let tables = self.language.tables();
        match (first, other) {
            ([_], [_, _, ..]) => false,
            ([PatternNode::Leaf(kind, _)], _) => !tables.is(*kind, Class::Name),
            ([PatternNode::Inner { kind: first, .. }], [PatternNode::Inner { kind: other, .. }]) => {
                let name = |kind: u16| tables.grammar.node_kind_for_id(kind).unwrap_or_default();
                let assigns = name(*first).contains("assignment");
                let is_part = name(*other).contains("parameter") || name(*other).contains("argument");
                !(tables.is(*first, Class::Call) && name(*other).contains("signature") || assigns && is_part)
            }
            _ => true,
        }
    }
}

impl Rank {
    /// Whether no reading can be better.
    fn is_clear(self) -> bool {
        !self.incomplete && !self.no_statement && !self.leaf && self.doubt == Doubt::None
    }
}

/// How good a reading is, the best first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Rank {
    /// Something is missing after the pattern.
    incomplete: bool,
    /// A statement is wanted, and it isn't one.
    no_statement: bool,
    /// It is one node without parts.
    leaf: bool,
    /// It can hardly be what is meant.
    doubt: Doubt,
}

/// Byte offset of the first error or missing node.
fn first_error(node: Node<'_>) -> Option<usize> {
    if node.is_error() || node.is_missing() {
        return Some(node.start_byte());
    }
    if !node.has_error() {
        return None;
    }
    let mut cursor = node.walk();
    let children: Vec<_> = node.children(&mut cursor).collect();
    // What is missing without a trace is missing at the end.
    children.into_iter().find_map(first_error).or(Some(node.end_byte()))
}
