//! Code patterns: plain code with named holes, compiled against a language's grammar.
//!
//! The pattern is parsed inside each of the language's wrappers until one parses without an error, and the nodes that
//! cover exactly the pattern's own text become a small tree. Identifiers that are declared as holes become holes; a
//! statement that consists of a hole alone becomes the hole, so that it stands for any statement. Comments, commas and
//! closing semicolons are left out on both sides, which makes trailing separators and white space irrelevant.

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
    /// What must match one after the other among siblings; more than one for a run of statements.
    pub(crate) roots: Vec<PatternNode>,
    /// Words of which each must stand in a file for the pattern to match there.
    pub(crate) words: Vec<(Vec<u8>, bool)>,
    /// How many holes the pattern declares.
    pub(crate) holes: usize,
}

/// A node of a pattern.
#[derive(Debug)]
pub(crate) enum PatternNode {
    /// Takes one node.
    Hole(usize),
    /// Takes any run of siblings.
    Many(usize),
    /// A leaf: the kind, and the text when the kind doesn't fix it.
    Leaf(u16, Option<Box<[u8]>>),
    /// An inner node: the kind and the children that matter.
    Inner(u16, Vec<PatternNode>),
}

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
        let as_written = Self::compile_text(code, holes, statement, language);
        if as_written.is_ok() {
            return as_written;
        }
        // Where statements need a semicolon, a hole that stands for statements needn't be given one.
        match with_semicolons(code, holes) {
            Some(code) => Self::compile_text(&code, holes, statement, language).or(as_written),
            None => as_written,
        }
    }

    fn compile_text(
        code: &str,
        holes: &[Hole],
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
        for (before, after) in language.wrappers {
            let text = format!("{before}{trimmed}{after}");
            let Some(tree) = parser.parse(&text, None) else { continue };
            let root = tree.root_node();
            if root.has_error() {
                let at = first_error(root).unwrap_or(0).saturating_sub(before.len());
                furthest = furthest.max(at.min(trimmed.len()));
                continue;
            }
            let range = before.len()..before.len() + trimmed.len();
            let Some(nodes) = covering(root, &text, range, statement, language) else { continue };
            let builder = Builder { source: text.as_bytes(), holes, language };
            let roots: Vec<_> = nodes.iter().map(|n| builder.build(*n)).collect();
            if !matches!(roots.first(), Some(PatternNode::Inner(..) | PatternNode::Leaf(..))) {
                return Err(PatternError {
                    offset: lead,
                    message: "the pattern begins with a hole and would match anywhere; put code around it".into(),
                });
            }
            let mut used = vec![false; holes.len()];
            let mut words = Vec::new();
            roots.iter().for_each(|n| n.gather(&mut used, &mut words, language));
            if let Some(at) = used.iter().position(|u| !u) {
                let name = &holes[at].name;
                return Err(PatternError {
                    offset: lead,
                    message: format!("the hole `{name}` doesn't stand in the pattern as a name of its own"),
                });
            }
            words.sort();
            words.dedup();
            return Ok(Self { roots, words, holes: holes.len() });
        }
        Err(PatternError { offset: lead + furthest, message: format!("the pattern isn't {} code", language.name) })
    }
}

impl PatternNode {
    /// A look at the kind alone: false only when the node can't match.
    pub(crate) fn may_be(&self, node: Node<'_>) -> bool {
        match self {
            Self::Hole(_) | Self::Many(_) => true,
            Self::Leaf(kind, _) | Self::Inner(kind, _) => node.kind_id() == *kind,
        }
    }

    fn gather(&self, used: &mut [bool], words: &mut Vec<(Vec<u8>, bool)>, language: &Language) {
        match self {
            Self::Hole(index) | Self::Many(index) => used[*index] = true,
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

/// The pattern with a semicolon behind each hole that stands last in a block; `None` when there is no such hole.
fn with_semicolons(code: &str, holes: &[Hole]) -> Option<String> {
    let mut out = code.to_owned();
    for (at, _) in code.match_indices('}').collect::<Vec<_>>().into_iter().rev() {
        let before = code[..at].trim_end();
        let is_hole = |hole: &Hole| {
            before.strip_suffix(hole.name.as_str()).is_some_and(|rest| rest.trim_end().ends_with(['{', '}', ';']))
        };
        if holes.iter().any(is_hole) {
            out.insert(before.len(), ';');
        }
    }
    (out != code).then_some(out)
}

struct Builder<'a> {
    source: &'a [u8],
    holes: &'a [Hole],
    language: &'static Language,
}

impl Builder<'_> {
    fn build(&self, node: Node<'_>) -> PatternNode {
        if let Some(index) = self.hole(node) {
            return if self.holes[index].many { PatternNode::Many(index) } else { PatternNode::Hole(index) };
        }
        let children = self.children(node);
        if children.is_empty() || self.is_string(node, &children) {
            let text = node.is_named().then(|| self.source[node.byte_range()].into());
            // Keywords help to tell early that a file can't match.
            let text = text.or_else(|| {
                node.kind().bytes().all(|b| b.is_ascii_alphabetic()).then(|| node.kind().as_bytes().into())
            });
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

    /// The hole that a node stands for: a leaf with a hole's name, or a statement, parameter and the like around it.
    fn hole(&self, node: Node<'_>) -> Option<usize> {
        let children = self.children(node);
        match children.as_slice() {
            [] if node.is_named() => {
                let text = &self.source[node.byte_range()];
                self.holes.iter().position(|h| h.name.as_bytes() == text)
            }
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
    children.into_iter().find_map(first_error).or(Some(node.start_byte()))
}
