//! What the names of a file mean to matching.

use tree_sitter::Node;

use super::constants::Constants;
use super::imports::Imports;
use crate::lang::Language;

/// What is known of a file's names, each read when it is first asked for.
pub(crate) struct Meanings<'t> {
    /// What imported names stand for.
    pub imports: Imports<'t>,
    /// Which names are given constants only.
    pub constants: Constants<'t>,
}

impl<'t> Meanings<'t> {
    /// Those of a file, by its tree.
    pub fn of(root: Node<'t>, source: &'t [u8], language: &'static Language) -> Self {
        Self { imports: Imports::of(root, source, language), constants: Constants::of(root, source, language) }
    }
}
