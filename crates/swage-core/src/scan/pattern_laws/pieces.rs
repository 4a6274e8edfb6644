//! Pieces of code that people could copy, and what comes of using one as a pattern.

use std::cell::Cell;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use tree_sitter::{Node, Tree};

use crate::lang::{Class, Language, parse};
use crate::pattern::{Hole, Matching, Meanings, Pattern, Stands, budget, preorder};

/// A generator of numbers that are the same everywhere (splitmix64, Steele, Lea and Flood 2014).
pub(super) struct Dice(pub(super) u64);

impl Dice {
    pub(super) fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((z ^ (z >> 31)) % sides.max(1) as u64) as usize
    }
}

/// Ends of the names of nodes that people copy as they are.
pub(super) const COMPLETE: &[&str] = &[
    "expression",
    "statement",
    "declaration",
    "definition",
    "literal",
    "_call",
    "pair",
    "assignment",
    "_item",
    "_string",
    "element",
    "attribute",
    "_invocation",
    "_array",
    "_object",
    "_directive",
    "_method",
    "_heading",
    "_code_block",
    "_scalar",
    "rule_set",
];
/// Whole names of such.
pub(super) const NAMED: &[&str] = &[
    "array",
    "call",
    "case",
    "class",
    "command",
    "dictionary",
    "float",
    "hash",
    "if",
    "integer",
    "invocation",
    "lambda",
    "list_item",
    "method",
    "module",
    "number",
    "object",
    "paragraph",
    "pipeline",
    "return",
    "select",
    "string",
    "subscript",
    "table",
    "tuple",
    "unless",
    "while",
];
/// Kinds of that form that are parts of others and stand for nothing alone.
pub(super) const PARTS: &[&str] = &[
    "bare_string",
    "literal_element",
    "info_string",
    "heredoc_string",
    "nowdoc_string",
    "jsx_opening_element",
    "jsx_closing_element",
    "body_statement",
    "declare_directive",
    "tuple_type_item",
    "catch_declaration",
    "property_element",
    "const_element",
    "indented_code_block",
];

pub(super) fn is_complete(node: Node<'_>, language: &Language) -> bool {
    let kind = node.kind();
    // What is between the brackets of an attribute, and a type that stands for a parameter.
    let inner = kind == "attribute" && matches!(language.name, "rust" | "csharp" | "php")
        || kind == "parameter_declaration" && node.named_child_count() < 2;
    node.is_named()
        && !node.is_extra()
        && !inner
        && !PARTS.contains(&kind)
        && (NAMED.contains(&kind) || COMPLETE.iter().any(|end| kind.ends_with(end)))
}

/// A file and its tree.
pub(super) struct File {
    pub(super) path: String,
    pub(super) source: Vec<u8>,
    pub(super) tree: Tree,
}

/// All files of a language that parse whole.
pub(super) type Files = BTreeMap<&'static str, Vec<File>>;

pub(super) fn add(files: &mut Files, path: &str, mut source: Vec<u8>) {
    source.retain(|b| *b != b'\r');
    if source.starts_with("\u{feff}".as_bytes()) {
        source.drain(..3);
    }
    let Some(language) = Language::of(path.as_bytes(), &source) else { return };
    if source.len() > 200_000 || std::str::from_utf8(&source).is_err() {
        return;
    }
    let Ok(tree) = parse(&source, language) else { return };
    if !tree.root_node().has_error() {
        files.entry(language.name).or_default().push(File { path: path.to_owned(), source, tree });
    }
}

pub(super) fn walk(folder: &Path, most: usize, found: &mut Vec<PathBuf>) {
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    let mut entries: Vec<_> = entries.flatten().map(|e| e.path()).collect();
    entries.sort();
    for path in entries {
        if found.len() >= most {
            return;
        }
        if path.is_dir() && !path.is_symlink() { walk(&path, most, found) } else { found.push(path) }
    }
}

/// A piece: its text without the indentation of its first line, and the node.
pub(super) struct Piece<'t> {
    pub(super) file: &'t File,
    pub(super) node: Node<'t>,
    pub(super) text: String,
}

pub(super) fn pieces<'t>(files: &'t [File], language: &Language, count: usize, dice: &mut Dice) -> Vec<Piece<'t>> {
    let mut out: Vec<Piece<'t>> = Vec::new();
    let mut seen = std::collections::HashSet::new();
    for _ in 0..count * 4 {
        if out.len() == count {
            break;
        }
        let file = &files[dice.roll(files.len())];
        let mut nodes = Vec::new();
        preorder(file.tree.root_node(), |node| {
            if is_complete(node, language) && (3..=200).contains(&node.byte_range().len()) {
                nodes.push(node);
            }
            true
        });
        // A few of each file, so that large ones are tried more.
        for _ in 0..1 + nodes.len() / 200 {
            if nodes.is_empty() || out.len() == count {
                break;
            }
            let node = nodes.swap_remove(dice.roll(nodes.len()));
            // A string after a word is but a part of a literal.
            if node.kind().ends_with("string")
                && file.source[..node.start_byte()].last().is_some_and(u8::is_ascii_alphanumeric)
            {
                continue;
            }
            let Some(text) = copied(file, node, language) else { continue };
            if seen.insert((node.kind_id(), text.clone())) {
                out.push(Piece { file, node, text });
            }
        }
    }
    out
}

/// The text of a node as one copies it: without the indentation that its first line has in the file.
pub(super) fn copied(file: &File, node: Node<'_>, language: &Language) -> Option<String> {
    let text = std::str::from_utf8(&file.source[node.byte_range()]).ok()?;
    // Lines of a string keep their indentation.
    let mut split = false;
    preorder(node, |n| {
        let token = n.child_count() == 0 || language.tables().is(n.kind_id(), Class::String);
        split |= token && !language.outline && n.start_position().row < n.end_position().row;
        true
    });
    let column = if split { 0 } else { node.start_position().column };
    let mut lines = text.lines();
    let mut out = lines.next()?.to_owned();
    for line in lines {
        let indent = line.len() - line.trim_start_matches([' ', '\t']).len();
        out.push('\n');
        out += &line[indent.min(column)..];
    }
    Some(out)
}

/// The range of a node without the comments that it begins and ends with, which patterns leave out.
pub(super) fn without_comments(node: Node<'_>) -> std::ops::Range<usize> {
    let children: Vec<Node<'_>> = (0..node.child_count()).filter_map(|n| node.child(n)).collect();
    // What no child covers is the node's own, and counts.
    let own = node.byte_range();
    let begins = children.first().is_some_and(Node::is_extra);
    let ends = children.last().is_some_and(Node::is_extra);
    let mut matter = children.iter().filter(|child| !child.is_extra());
    match (matter.clone().next(), matter.next_back()) {
        (Some(first), Some(last)) => {
            let start = if begins { first.start_byte() } else { own.start };
            start..if ends { last.end_byte() } else { own.end }
        }
        _ => own,
    }
}

/// What trying a pattern where it came from gave.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Outcome {
    Matches(Vec<Option<std::ops::Range<usize>>>),
    Silent,
    Refused(String),
}

pub(super) fn outcome(text: &str, holes: &[Hole], piece: &Piece<'_>, language: &'static Language) -> Outcome {
    let pattern = match Pattern::compile(text, holes, Stands::Anywhere, language) {
        Ok(pattern) => pattern,
        Err(error) => return Outcome::Refused(error.message),
    };
    let source = &piece.file.source;
    let steps = Cell::new(budget(source));
    let meanings = Meanings::of(piece.file.tree.root_node(), source, language);
    let matching = Matching { source, language, holes, given: &[], meanings: &meanings, probe: None, steps: &steps };
    let wanted = without_comments(piece.node);
    let mut found = None;
    preorder(piece.file.tree.root_node(), |node| {
        let range = node.byte_range();
        if found.is_none() && range.start == wanted.start && range.start < wanted.end {
            found = matching.at(&pattern, node).filter(|(_, range)| {
                let rest = |from: usize, to: usize| source[from.min(to)..from.max(to)].trim_ascii();
                matches!(rest(range.end, wanted.end), b"" | b";" | b",")
            });
        }
        found.is_none() && range.start <= wanted.start && range.end > wanted.start
    });
    found.map_or(Outcome::Silent, |(bound, _)| Outcome::Matches(bound))
}
