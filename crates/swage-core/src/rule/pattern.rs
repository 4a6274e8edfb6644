//! Code patterns: plain code with named holes, compiled against a language's grammar.
//!
//! The pattern is parsed inside each of the language's wrappers until one parses without an error, and the nodes that
//! cover exactly the pattern's own text become a small tree. Identifiers that are declared as holes become holes; a
//! statement that consists of a hole alone becomes the hole, so that it stands for any statement; a string that holds
//! nothing but a hole's name is a string with that hole as its contents. Where the language wants more than a name (a
//! parameter with its type, a value in JSON), the compiler writes a stand-in for the hole and takes it as the hole.
//! Comments, commas and closing semicolons are left out on both sides, which makes trailing separators and white space
//! irrelevant.

use std::fmt;

use regex::bytes::Regex;
use tree_sitter::{Node, Parser};

use crate::lang::{Class, Language};

/// A named gap in a code pattern.
#[derive(Debug, Clone)]
pub struct Hole {
    /// The name that stands in the pattern.
    pub name: String,
    /// Takes any run of siblings, none included, instead of one node.
    pub many: bool,
    /// What its text must match.
    pub text: Option<Regex>,
    /// The class that its node must have.
    pub node: Option<Class>,
}

/// A compiled pattern.
#[derive(Debug)]
pub struct Pattern {
    /// The readings of the pattern, of which one must match; more than one when the language writes the same thing in
    /// different places, such as a function in a class and one in a block.
    pub(crate) readings: Vec<Reading>,
    /// Words of which each must stand in a file for the pattern to match there.
    pub(crate) words: Vec<(Vec<u8>, bool)>,
    /// How many holes the pattern declares.
    pub(crate) holes: usize,
}

/// A node of a pattern.
#[derive(Debug, PartialEq)]
pub(crate) enum PatternNode {
    /// Takes one node.
    Hole(usize),
    /// Takes any run of siblings.
    Many(usize),
    /// A leaf: the kind, and the text when the kind doesn't fix it.
    Leaf(u16, Option<Box<[u8]>>),
    /// A string whose contents a hole takes: the kind, and the hole.
    Quoted(u16, usize),
    /// An inner node: the kind and the children that matter.
    Inner(u16, Vec<PatternNode>),
}

/// What must match one after the other among siblings; more than one node for a run of statements.
pub(crate) type Reading = Vec<PatternNode>;

/// Why a pattern can't be used.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PatternError {
    /// Byte offset in the pattern.
    pub offset: usize,
    /// What is wrong there.
    pub message: String,
}

impl fmt::Display for PatternError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)
    }
}

impl Pattern {
    /// Compiles a pattern for a language.
    ///
    /// # Errors
    /// When the pattern doesn't parse under any wrapper (the place that got furthest is told), doesn't hold a declared
    /// hole, or is nothing but a hole.
    pub fn compile(
        code: &str,
        holes: &[Hole],
        statement: bool,
        language: &'static Language,
    ) -> Result<Self, PatternError> {
        let plain = vec![None; holes.len()];
        let as_written = Self::compile_text(code, holes, &plain, statement, language);
        if as_written.is_ok() || language.stand_ins.is_empty() {
            return as_written;
        }
        for forms in spellings(holes.len(), language.stand_ins.len()) {
            let mut text = code.to_owned();
            let mut spelled = plain.clone();
            for ((hole, form), slot) in holes.iter().zip(forms).zip(&mut spelled) {
                if let Some(form) = form {
                    let stand_in = language.stand_ins[form].replace("HOLE", &hole.name);
                    text = replace_name(&text, &hole.name, &stand_in);
                    *slot = Some(stand_in);
                }
            }
            if let Ok(pattern) = Self::compile_text(&text, holes, &spelled, statement, language) {
                return Ok(pattern);
            }
        }
        as_written
    }

    fn compile_text(
        code: &str,
        holes: &[Hole],
        spelled: &[Option<String>],
        statement: bool,
        language: &'static Language,
    ) -> Result<Self, PatternError> {
        let trimmed = code.trim();
        let lead = code.len() - code.trim_start().len();
        if trimmed.is_empty() {
            return Err(PatternError { offset: 0, message: "the pattern is empty".into() });
        }
        let mut parser = Parser::new();
        let grammar = &language.tables().grammar;
        if parser.set_language(grammar).is_err() {
            return Err(PatternError {
                offset: 0,
                message: format!("the grammar of {} can't be loaded", language.name),
            });
        }
        let mut furthest = 0;
        let mut readings: Vec<Reading> = Vec::new();
        for (before, after) in language.wrappers {
            let text = format!("{before}{trimmed}{after}");
            let Some(tree) = parser.parse(&text, None) else { continue };
            let root = tree.root_node();
            let range = before.len()..before.len() + trimmed.len();
            // Something may be missing behind the pattern, such as the end of an element, but not in it.
            if let Some(at) = first_error(root).filter(|at| *at < range.end) {
                furthest = furthest.max(at.saturating_sub(before.len()).min(trimmed.len()));
                continue;
            }
            let Some(nodes) = covering(root, &text, range, statement, language) else { continue };
            if nodes.iter().any(Node::has_error) {
                furthest = trimmed.len();
                continue;
            }
            let builder = Builder { source: text.as_bytes(), holes, spelled, language };
            let reading: Reading = nodes.iter().map(|n| builder.build(*n)).collect();
            match readings.first().map(Vec::as_slice) {
                None => readings.push(reading),
                Some([first]) if reading.len() == 1 && akin(first, &reading[0], language) => {
                    if !readings.contains(&reading) {
                        readings.push(reading);
                    }
                }
                Some(_) => {}
            }
        }
        if readings.is_empty() {
            return Err(PatternError {
                offset: lead + furthest,
                message: format!("the pattern isn't {} code", language.name),
            });
        }
        let mut words: Option<Vec<(Vec<u8>, bool)>> = None;
        for reading in &readings {
            if matches!(reading.first(), Some(PatternNode::Hole(_) | PatternNode::Many(_)) | None) {
                return Err(PatternError {
                    offset: lead,
                    message: "the pattern begins with a hole and would match anywhere; put code around it".into(),
                });
            }
            let mut used = vec![false; holes.len()];
            let mut own = Vec::new();
            reading.iter().for_each(|n| n.gather(&mut used, &mut own, language));
            if let Some(at) = used.iter().position(|u| !u) {
                let name = &holes[at].name;
                return Err(PatternError {
                    offset: lead,
                    message: format!("the hole `{name}` doesn't stand in the pattern as a name of its own"),
                });
            }
            own.sort();
            own.dedup();
            match &mut words {
                None => words = Some(own),
                Some(words) => words.retain(|word| own.contains(word)),
            }
        }
        Ok(Self { readings, words: words.unwrap_or_default(), holes: holes.len() })
    }
}

/// Whether two nodes of different kinds are the same thing in different places: both functions, or both declarations.
fn akin(one: &PatternNode, other: &PatternNode, language: &Language) -> bool {
    let (PatternNode::Inner(one, _), PatternNode::Inner(other, _)) = (one, other) else { return false };
    let tables = language.tables();
    let declares = |kind: u16| tables.grammar.node_kind_for_id(kind).is_some_and(|k| k.ends_with("declaration"));
    one != other
        && (tables.is(*one, Class::Function) && tables.is(*other, Class::Function)
            || declares(*one) && declares(*other))
}

impl PatternNode {
    /// The kind that a node must have.
    pub(crate) fn kind(&self) -> Option<u16> {
        match self {
            Self::Hole(_) | Self::Many(_) => None,
            Self::Leaf(kind, _) | Self::Quoted(kind, _) | Self::Inner(kind, _) => Some(*kind),
        }
    }

    /// A look at the kind alone: false only when the node can't match.
    pub(crate) fn may_be(&self, node: Node<'_>) -> bool {
        self.kind().is_none_or(|kind| node.kind_id() == kind)
    }

    /// Adds its holes to a list, each once.
    pub(crate) fn holes(&self, list: &mut Vec<usize>) {
        match self {
            Self::Hole(index) | Self::Many(index) | Self::Quoted(_, index) => {
                if !list.contains(index) {
                    list.push(*index);
                }
            }
            Self::Leaf(..) => {}
            Self::Inner(_, children) => children.iter().for_each(|c| c.holes(list)),
        }
    }

    fn gather(&self, used: &mut [bool], words: &mut Vec<(Vec<u8>, bool)>, language: &Language) {
        match self {
            Self::Hole(index) | Self::Many(index) | Self::Quoted(_, index) => used[*index] = true,
            Self::Leaf(kind, Some(text)) if text.len() > 1 => {
                let tables = language.tables();
                let whole = tables.is(*kind, Class::Name) || !tables.grammar.node_kind_is_named(*kind);
                words.push((text.to_vec(), whole && text.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_')));
            }
            Self::Leaf(..) => {}
            Self::Inner(_, children) => children.iter().for_each(|c| c.gather(used, words, language)),
        }
    }
}

/// Whether a child takes no part in matching: comments, commas, line ends, closing semicolons.
pub(crate) fn is_irrelevant(node: Node<'_>, parent_kind: &str, language: &Language) -> bool {
    if node.is_named() {
        return node.is_extra() && language.tables().is(node.kind_id(), Class::Comment);
    }
    match node.kind() {
        "," | "\n" | "\0" => true,
        // The semicolons of a `for` head part its fields; all others close statements.
        ";" => !parent_kind.starts_with("for"),
        _ => node.start_byte() == node.end_byte(),
    }
}

/// Which holes to write as which stand-in, fewest first; not all ways of many holes.
fn spellings(holes: usize, forms: usize) -> Vec<Vec<Option<usize>>> {
    const MOST: usize = 512;
    let mut all: Vec<Vec<Option<usize>>> = vec![Vec::new()];
    for _ in 0..holes {
        let more = |list: &Vec<Option<usize>>| {
            let list = list.clone();
            std::iter::once(None).chain((0..forms).map(Some)).map(move |form| [&list[..], &[form]].concat())
        };
        all = all.iter().flat_map(more).take(MOST).collect();
    }
    all.sort_by_key(|list| list.iter().flatten().count());
    all.retain(|list| list.iter().any(Option::is_some));
    all
}

/// Replaces a name where it stands for itself.
fn replace_name(text: &str, name: &str, with: &str) -> String {
    let in_name = |c: char| c.is_alphanumeric() || c == '_';
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find(name) {
        let (before, behind) = (&rest[..at], &rest[at + name.len()..]);
        let part = before.ends_with(in_name) || behind.starts_with(in_name);
        out += before;
        out += if part { name } else { with };
        rest = behind;
    }
    out + rest
}

/// Where a string literal's contents stand in it; `None` when it has no quotes.
pub(crate) fn contents(literal: &[u8]) -> Option<std::ops::Range<usize>> {
    let open = literal.iter().take(8).position(|b| matches!(b, b'"' | b'\'' | b'`'))?;
    let quote = literal[open];
    let close = literal.iter().rposition(|b| *b == quote)? + 1;
    let run = if literal[open..close].starts_with(&[quote; 3]) && close >= open + 6 { 3 } else { 1 };
    (close >= open + 2 * run).then_some(open + run..close - run)
}

struct Builder<'a> {
    source: &'a [u8],
    holes: &'a [Hole],
    /// For each hole, the stand-in that was written for it.
    spelled: &'a [Option<String>],
    language: &'static Language,
}

impl Builder<'_> {
    fn build(&self, node: Node<'_>) -> PatternNode {
        if let Some(index) = self.hole(node) {
            return if self.holes[index].many { PatternNode::Many(index) } else { PatternNode::Hole(index) };
        }
        let children = self.children(node);
        let text = &self.source[node.byte_range()];
        if self.language.tables().is(node.kind_id(), Class::String)
            && let Some(inside) = contents(text)
            && let Some(index) = self.holes.iter().position(|h| h.name.as_bytes() == &text[inside.clone()])
        {
            return PatternNode::Quoted(node.kind_id(), index);
        }
        if children.is_empty() || self.is_string(node, &children) {
            let any_case = self.language.keywords_in_any_case;
            let fixed = any_case && node.kind().starts_with("keyword_");
            let text = (node.is_named() && !fixed).then(|| text.into());
            // Keywords and operators help to tell early that a file can't match.
            let operator = || node.kind().len() > 1 && node.kind().bytes().all(|b| b.is_ascii_punctuation());
            let keyword = || !any_case && node.kind().bytes().all(|b| b.is_ascii_alphabetic()) || operator();
            let text = text.or_else(|| keyword().then(|| node.kind().as_bytes().into()));
            return PatternNode::Leaf(node.kind_id(), text);
        }
        PatternNode::Inner(node.kind_id(), children.into_iter().map(|c| self.build(c)).collect())
    }

    /// A string without holes is compared as a whole.
    fn is_string(&self, node: Node<'_>, children: &[Node<'_>]) -> bool {
        self.language.tables().is(node.kind_id(), Class::String)
            && children.iter().all(|c| self.children(*c).is_empty())
    }

    fn children<'t>(&self, node: Node<'t>) -> Vec<Node<'t>> {
        let mut cursor = node.walk();
        node.children(&mut cursor).filter(|c| !is_irrelevant(*c, node.kind(), self.language)).collect()
    }

    /// The hole that a node stands for: a stand-in, a leaf with a hole's name, or a statement, parameter and the like
    /// around it.
    fn hole(&self, node: Node<'_>) -> Option<usize> {
        let text = &self.source[node.byte_range()];
        let stands_in = |s: &Option<String>| s.as_ref().is_some_and(|s| s.as_bytes() == text.trim_ascii());
        if let Some(index) = self.spelled.iter().position(stands_in) {
            return Some(index);
        }
        let children = self.children(node);
        match children.as_slice() {
            [] if node.is_named() => self.holes.iter().position(|h| h.name.as_bytes() == text),
            [only] if only.is_named() && !self.language.tables().is(node.kind_id(), Class::Block) && !is_list(node) => {
                self.hole(*only)
            }
            _ => None,
        }
    }
}

/// Lists of statements keep their own node, so that a hole in them takes a statement, not the list.
fn is_list(node: Node<'_>) -> bool {
    matches!(node.kind(), "statement_list" | "program" | "module" | "source_file")
}

/// The nodes that cover exactly the range: the deepest one (as a statement: the outermost that is one), or several siblings.
fn covering<'t>(
    root: Node<'t>,
    text: &str,
    range: std::ops::Range<usize>,
    statement: bool,
    language: &'static Language,
) -> Option<Vec<Node<'t>>> {
    // Some grammars count the line's end as part of a node.
    let exact = |n: Node<'_>| {
        n.start_byte() == range.start
            && n.end_byte() >= range.end
            && text.as_bytes()[range.end..n.end_byte()].trim_ascii().is_empty()
    };
    let mut node = root;
    loop {
        if statement && exact(node) && node.kind().ends_with("statement") {
            return Some(vec![node]);
        }
        let mut cursor = node.walk();
        let children: Vec<_> = node.children(&mut cursor).collect();
        if let Some(inner) = children.iter().find(|c| {
            c.start_byte() <= range.start && c.end_byte() >= range.end && c.end_byte() > c.start_byte() && c.is_named()
        }) {
            node = *inner;
            continue;
        }
        let list =
            is_list(node) || language.tables().is(node.kind_id(), Class::Block) && children.iter().all(Node::is_named);
        if exact(node) && !list {
            return Some(vec![node]);
        }
        let inside: Vec<_> = children
            .into_iter()
            .filter(|c| {
                c.start_byte() >= range.start && c.end_byte() <= range.end && !is_irrelevant(*c, node.kind(), language)
            })
            .collect();
        let (first, last) = (inside.first()?, inside.last()?);
        // A closing semicolon of the pattern may belong to the parent.
        let ends = last.end_byte() == range.end || last.end_byte() + 1 == range.end;
        return (first.start_byte() == range.start && ends && inside.iter().all(|n| n.is_named())).then_some(inside);
    }
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
