//! What grammars count in two bytes: a text with more of it would be read as another one, without an error.

use tree_sitter::Tree;

/// Two of these fit two bytes with a sign: a column and the blanks after it.
const MOST: usize = i16::MAX as usize / 2;

/// White space and empty lines in a row, of which the scanners of outlines count columns and lines.
pub(super) fn blanks(text: &[u8], _: &Tree) -> Option<String> {
    let is_beyond = text.len() > MOST
        && String::from_utf8_lossy(text).split(|c: char| !c.is_whitespace()).any(|run| run.len() >= MOST);
    is_beyond.then(|| format!("it has {MOST} blanks in a row or more"))
}
