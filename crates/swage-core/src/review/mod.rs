//! From a change and rules to a [`Review`], of which every output is a function.

mod examine;
mod excerpt;
mod model;

pub use examine::{Examination, TreeFile, examine, scan_tree};
pub use model::{Allowed, Anchor, Counts, ExcerptLine, FileEntry, Finding, Marker, Path, Review, RuleEntry, Side};
