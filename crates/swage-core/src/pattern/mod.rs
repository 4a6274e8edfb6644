//! Code patterns: plain code with named holes, compiled against a language's grammar, and matched against trees.
//!
//! The pattern is parsed inside each of the language's wrappers, and the nodes that cover exactly the pattern's own text
//! become a small tree: a reading. The same text means different things in different places (`a: b` is a pair in an object
//! and a label before a statement), so all readings without an error are kept, and one of them must match. Identifiers that
//! are declared as holes become holes; a statement that consists of a hole alone becomes the hole, so that it stands for any
//! statement; a string that holds only a hole's name is a string with that hole as its contents. Where the language
//! wants more than a name (a parameter with its type, a value in JSON), the compiler writes a stand-in for the hole and takes
//! it as the hole.
//!
//! Comments, commas and closing semicolons are left out on both sides, which makes trailing separators and white space
//! irrelevant. Every other byte takes part: what no child of a node covers (the number before a unit, the text of a string
//! between its escapes) belongs to the node itself and is compared with it.

mod build;
mod children;
mod comments;
mod compile;
mod constants;
mod doubt;
mod expression;
mod failures;
mod imports;
mod indirect;
mod line_ends;
mod matcher;
mod meanings;
mod names;
mod plain;
mod probe;
mod spelling;

use std::fmt;
use std::ops::Range;

use bstr::ByteSlice;
use tree_sitter::Node;

pub(crate) use self::children::{Child, Children, Which, ancestors, preorder};
pub(crate) use self::comments::{comments_in, has_words, uncommented_text};
pub use self::expression::Expression;
pub(crate) use self::line_ends::with_any_line_end;
pub(crate) use self::matcher::{Bindings, Given, Matching, budget};
pub(crate) use self::meanings::Meanings;
pub use self::names::hole_names;
pub(crate) use self::names::{in_name, names_in_capitals};
pub(crate) use self::plain::{PATH_SIGNS, joined_text};
pub(crate) use self::probe::{Failure, Probe};
use crate::lang::{Class, Language, Relevance};

/// Where a pattern counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stands {
    /// Wherever the code is.
    Anywhere,
    /// Only where it is a statement of its own, so that its value is unused.
    AsStatement,
}

/// A named gap in a code pattern.
#[derive(Debug, Clone)]
pub struct Hole {
    /// The name that is in the pattern.
    pub name: String,
    /// Takes any run of siblings, none included, instead of one node.
    pub many: bool,
    /// What its text must match.
    pub text: Option<Expression>,
    /// What its text must match once its first name is replaced by what the file's imports say that it stands for.
    pub stands_for: Option<Expression>,
    /// The class that its node must have.
    pub node: Option<Class>,
    /// What it takes must not be the same in each run.
    pub varies: Option<Varies>,
}

/// What may differ from run to run.
#[derive(Debug, Clone)]
pub struct Varies {
    /// Calls of functions whose names match count as the same in each run.
    pub escaped_by: Option<Expression>,
}

/// A compiled pattern.
#[derive(Debug)]
pub struct Pattern {
    /// The readings of the pattern, of which one must match.
    pub(crate) readings: Vec<Reading>,
    /// Words of which each must be in a file for the pattern to match there.
    pub(crate) words: Vec<(Vec<u8>, bool)>,
    /// How many holes the pattern declares.
    pub(crate) holes: usize,
}

impl Pattern {
    /// What the pattern is read as: for each reading, its nodes by the names that the grammar gives them.
    pub fn readings(&self, holes: &[Hole], language: &'static Language) -> Vec<String> {
        let show = |reading: &Reading| {
            let nodes: Vec<String> = reading.iter().map(|node| node.shown(holes, language)).collect();
            nodes.join(" ")
        };
        self.readings.iter().map(show).collect()
    }
}

/// What must match one after the other among siblings; more than one node for a run of statements.
pub(crate) type Reading = Vec<PatternNode>;

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
    /// A word with a hole in it: the kind, what is before the hole, the hole, and what comes after it.
    Word(u16, Box<[u8]>, usize, Box<[u8]>),
    /// A node with children.
    Inner {
        /// Its kind.
        kind: u16,
        /// The children that matter.
        children: Vec<PatternNode>,
        /// Its own text, see [`own_text`].
        own: Box<[u8]>,
    },
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

impl PatternNode {
    /// The kind that a node must have.
    pub(crate) fn kind(&self) -> Option<u16> {
        match self {
            Self::Hole(_) | Self::Many(_) | Self::Word(..) => None,
            Self::Leaf(kind, _) | Self::Quoted(kind, _) | Self::Inner { kind, .. } => Some(*kind),
        }
    }

    /// A look at the kind alone: false only when the node can't match.
    pub(crate) fn may_be(&self, node: Node<'_>, language: &Language) -> bool {
        self.kind().is_none_or(|kind| node.kind_id() == kind || language.tables().is_loose(node.kind_id()))
    }

    /// Adds its holes to a list, each once.
    pub(crate) fn holes(&self, list: &mut Vec<usize>) {
        match self {
            Self::Hole(index) | Self::Many(index) | Self::Quoted(_, index) | Self::Word(_, _, index, _) => {
                if !list.contains(index) {
                    list.push(*index);
                }
            }
            Self::Leaf(..) => {}
            Self::Inner { children, .. } => children.iter().for_each(|c| c.holes(list)),
        }
    }

    /// The node by the names that the grammar gives, with what is in it.
    fn shown(&self, holes: &[Hole], language: &'static Language) -> String {
        let name = |kind: u16| language.tables().grammar.node_kind_for_id(kind).unwrap_or("node");
        match self {
            Self::Hole(hole) => holes[*hole].name.clone(),
            Self::Many(hole) => format!("{}...", holes[*hole].name),
            Self::Quoted(kind, hole) => format!("{}({})", name(*kind), holes[*hole].name),
            Self::Word(kind, before, hole, after) => {
                let [before, after] = [before, after].map(|text| String::from_utf8_lossy(text));
                format!("{} `{before}`{}`{after}`", name(*kind), holes[*hole].name).replace("``", "")
            }
            Self::Leaf(kind, Some(text)) => {
                let text = String::from_utf8_lossy(text);
                if name(*kind) == text { format!("`{text}`") } else { format!("{} `{text}`", name(*kind)) }
            }
            Self::Leaf(kind, None) => format!("`{}`", name(*kind)),
            Self::Inner { kind, children, .. } => {
                let children: Vec<String> = children.iter().map(|child| child.shown(holes, language)).collect();
                format!("{}({})", name(*kind), children.join(" "))
            }
        }
    }

    /// Adds the words that every match of it holds, each with whether it is as a whole word.
    fn gather_words(&self, words: &mut Vec<(Vec<u8>, bool)>, language: &Language) {
        match self {
            Self::Leaf(kind, Some(text)) if text.len() > 1 => {
                let tables = language.tables();
                let whole = tables.is(*kind, Class::Name) || !tables.grammar.node_kind_is_named(*kind);
                // How a name may be marked as one isn't certain.
                let text = if tables.is(*kind, Class::Name) { (language.plain_name)(text) } else { text };
                words.push((text.to_vec(), whole && text.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_')));
            }
            Self::Inner { children, .. } => children.iter().for_each(|c| c.gather_words(words, language)),
            Self::Word(_, before, _, after) => {
                words.extend([before, after].iter().filter(|text| text.len() > 1).map(|text| (text.to_vec(), false)));
            }
            Self::Leaf(..) | Self::Hole(_) | Self::Many(_) | Self::Quoted(..) => {}
        }
    }
}

/// Whether a child takes no part in matching: comments, commas, line ends, closing semicolons, and what says nothing.
/// `parent` is the kind of the node around it.
pub(crate) fn is_irrelevant(node: Node<'_>, parent: u16, language: &Language) -> bool {
    match language.tables().relevance(node.kind_id()) {
        Relevance::Always => false,
        Relevance::WhenWritten => node.start_byte() == node.end_byte(),
        Relevance::UnlessExtra => node.is_extra(),
        Relevance::UnlessSilent => language.tables().is_silent_in(parent, node.kind_id()),
        Relevance::InLoopHead => !language.tables().has_loop_head(parent),
        Relevance::Never => true,
    }
}

/// The children of a node that take part in matching.
pub(crate) fn relevant_children<'t>(node: Node<'t>, language: &Language) -> Vec<Node<'t>> {
    let relevant = |child: &Node<'_>, parent: u16| !is_irrelevant(*child, parent, language);
    let mut nodes = Vec::new();
    for child in Children::all(node).filter(|child| relevant(child, node.kind_id())) {
        if language.tables().is_flattened(child.kind_id()) {
            nodes.extend(Children::all(child).filter(|inner| relevant(inner, child.kind_id())));
        } else {
            nodes.push(child);
        }
    }
    nodes
}

/// Where a string literal's contents are in it; `None` when it has no quotes.
pub(crate) fn contents(literal: &[u8]) -> Option<Range<usize>> {
    let open = literal.iter().take(8).position(|b| matches!(b, b'"' | b'\'' | b'`'))?;
    let quote = literal[open];
    let close = literal.iter().rposition(|b| *b == quote)? + 1;
    let run = if literal[open..close].starts_with(&[quote; 3]) && close >= open + 6 { 3 } else { 1 };
    (close >= open + 2 * run).then_some(open + run..close - run)
}

/// The text of a node that no child of it covers, without white space around each piece, and the pieces parted by a NUL.
/// Empty for nearly all nodes: most grammars give every sign a node.
pub(crate) fn own_text(source: &[u8], node: Node<'_>) -> Vec<u8> {
    let mut out = Vec::new();
    let mut from = node.start_byte();
    let mut take = |range: Range<usize>| {
        let piece = source.get(range).unwrap_or_default();
        let piece = trimmed(piece);
        if !piece.is_empty() {
            out.extend_from_slice(piece);
            out.push(0);
        }
    };
    for child in Children::all(node) {
        // Some scanners leave out the beginning of a sign.
        let sign = if child.is_named() { 0 } else { child.kind().len() };
        let start = child.start_byte().min(child.end_byte().saturating_sub(sign));
        if start > from {
            take(from..start);
        }
        from = from.max(child.end_byte());
    }
    if node.end_byte() > from {
        take(from..node.end_byte());
    }
    out
}

/// Without white space around it; a backslash before the end of a line counts as such, and so do the characters that some
/// languages take for it (ECMA-262, section 12.2: the byte order mark and all spaces of Unicode).
fn trimmed(mut text: &[u8]) -> &[u8] {
    loop {
        let inner = text.trim_with(|c| c.is_whitespace() || matches!(c, '\u{200b}' | '\u{2060}' | '\u{feff}'));
        let inner = match inner {
            [b'\\', rest @ ..] if rest.first().is_none_or(|b| matches!(b, b'\n' | b'\r')) => rest,
            _ => inner,
        };
        if inner.len() == text.len() {
            return inner;
        }
        text = inner;
    }
}
