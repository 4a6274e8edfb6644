//! A change as it is once its files are fixed.

use std::collections::BTreeMap;

use super::FixedFile;
use crate::change::{Change, Content, Contents, Tree};
use crate::scan::content_id;
use crate::sides::Sides;

/// The contents of a change whose files, by their index, have been fixed.
pub struct FixedContents<'a> {
    contents: &'a dyn Contents,
    fixed: &'a BTreeMap<usize, FixedFile>,
}

impl<'a> FixedContents<'a> {
    /// Puts fixed files in the place of others.
    pub fn new(contents: &'a dyn Contents, fixed: &'a BTreeMap<usize, FixedFile>) -> Self {
        Self { contents, fixed }
    }

    /// The change with the line maps and figures of its fixed files.
    pub fn change(&self, change: &Change) -> Change {
        let mut files = change.files.clone();
        for (index, fixed) in self.fixed {
            let file = &mut files[*index];
            file.map = file.map.then(&fixed.map);
            let count = |bytes: &[u8]| bytes.split_inclusive(|b| *b == b'\n').count();
            let old = match self.contents.sides(*index).old {
                Content::Whole { bytes, .. } => count(&bytes),
                Content::Absent | Content::Partial { .. } | Content::Unavailable(_) => 0,
            };
            let new = count(&fixed.content);
            let kept = (0..new as u32).filter(|line| file.map.to_old(*line).is_some()).count();
            (file.added, file.removed) = (new - kept, old.saturating_sub(kept));
        }
        // What was found in the trees before doesn't hold for these.
        Change { files, trees: None, ..change.clone() }
    }
}

impl Contents for FixedContents<'_> {
    fn sides(&self, index: usize) -> Sides<Content> {
        let sides = self.contents.sides(index);
        match self.fixed.get(&index) {
            Some(fixed) => {
                let (id, bytes) = (Some(content_id(&fixed.content)), fixed.content.clone());
                Sides { new: Content::Whole { id, bytes }, ..sides }
            }
            None => sides,
        }
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        self.contents.tree()
    }
}
