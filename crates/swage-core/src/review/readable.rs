//! A change's contents as text: byte order marks are taken off and UTF-16 is decoded, so that all that looks at a file
//! sees the same characters. Ids are those of the files as they are.

use crate::change::{Content, Contents, Tree, TreeFile};
use crate::diff::Diff;
use crate::scan::decoded;
use crate::sides::Sides;

/// Contents, or a tree, as text.
pub(super) struct Readable<T>(pub T);

fn readable(content: Content) -> Content {
    match content {
        Content::Whole { id, bytes } => match decoded(&bytes) {
            std::borrow::Cow::Borrowed(text) if text.len() == bytes.len() => Content::Whole { id, bytes },
            text => Content::Whole { id, bytes: text.into_owned() },
        },
        other => other,
    }
}

impl Contents for Readable<&dyn Contents> {
    fn sides(&self, index: usize) -> Sides<Content> {
        let Sides { old, new } = self.0.sides(index);
        Sides { old: readable(old), new: readable(new) }
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        Ok(Box::new(Readable(self.0.tree()?)))
    }

    fn series(&self) -> &[Diff<'_>] {
        self.0.series()
    }
}

impl Tree for Readable<Box<dyn Tree + '_>> {
    fn files(&self) -> &[TreeFile] {
        self.0.files()
    }

    fn id(&self, index: usize) -> Option<String> {
        self.0.id(index)
    }

    fn content(&self, index: usize) -> Content {
        readable(self.0.content(index))
    }
}
