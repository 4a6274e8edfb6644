//! A syntax tree as owned values, so that trees of several files can be held side by side.

use std::ops::Range;

use tree_sitter::Node;

use crate::lang::{Class, DEEPEST, Language};
use crate::pattern::Children;

/// A node with what is below it; comments are left out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Piece {
    pub kind: u16,
    /// Whether the grammar names it.
    pub is_named: bool,
    /// Its bytes in the file.
    pub range: Range<usize>,
    /// Its text with single blanks.
    pub text: String,
    pub children: Vec<Piece>,
    pub is_call: bool,
    /// A function or class.
    pub is_definition: bool,
    /// A block, or the whole file: what is in it are statements.
    pub holds_statements: bool,
    /// A list of arguments: what is in it are values that are passed.
    pub holds_arguments: bool,
}

impl Piece {
    /// A node of a file; `None` when it nests too deep.
    pub fn of(node: Node<'_>, source: &[u8], language: &Language) -> Option<Self> {
        Self::at(node, source, language, 0)
    }

    fn at(node: Node<'_>, source: &[u8], language: &Language, depth: usize) -> Option<Self> {
        // Recursion: far less deep than the walks of scanning go.
        if depth > DEEPEST.min(300) {
            return None;
        }
        let tables = language.tables();
        let is = |class: Class| tables.is(node.kind_id(), class);
        let inner = Children::all(node).filter(|child| !tables.is(child.kind_id(), Class::Comment));
        let children = inner.map(|child| Self::at(child, source, language, depth + 1)).collect::<Option<Vec<_>>>()?;
        let text = if children.is_empty() {
            String::from_utf8_lossy(&source[node.byte_range()]).trim().to_owned()
        } else {
            children.iter().map(|child| child.text.as_str()).collect::<Vec<_>>().join(" ")
        };
        Some(Self {
            kind: node.kind_id(),
            is_named: node.is_named(),
            range: node.byte_range(),
            is_call: is(Class::Call),
            is_definition: tables.is_definition(node.kind_id()),
            holds_statements: is(Class::Block) || node.parent().is_none(),
            holds_arguments: node.kind().contains("argument") && node.kind().ends_with(['s', 't']),
            text,
            children,
        })
    }

    /// Itself and all below it, outermost first.
    pub fn all(&self) -> Vec<&Piece> {
        let (mut found, mut open) = (Vec::new(), vec![self]);
        while let Some(piece) = open.pop() {
            found.push(piece);
            open.extend(piece.children.iter().rev());
        }
        found
    }

    /// The children that the grammar names.
    pub fn named(&self) -> impl Iterator<Item = &Piece> {
        self.children.iter().filter(|child| child.is_named)
    }
}
