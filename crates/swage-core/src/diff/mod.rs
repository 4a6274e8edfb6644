//! Reading unified diffs: the model, the reader, the printer, applying and reversing, and line maps.
//!
//! [`read()`] turns bytes into a [`Diff`] that borrows from them: no line is copied. A [`Hunk`] keeps its
//! body as one slice, and its lines are found again when they are asked for, so a diff of 100 MB costs
//! little more memory than its own bytes. Hunk lengths rule: as long as a hunk's header promises lines,
//! whatever is there is a body line, even when it looks like a header.
//!
//! The format is the one that POSIX describes under `diff -u`, with git's extended headers. What other
//! programs write around it (mail headers, commit messages, index lines, property blocks) is kept as
//! preamble, so that nothing is lost when a diff is printed again.

mod apply;
mod binary;
mod bodies;
mod error;
mod fields;
mod linemap;
mod mail;
mod model;
mod names;
mod newlines;
mod prefixes;
mod print;
mod read;
mod reader;
mod sections;
mod series;
mod skip_blocks;
mod votes;
mod without_hunks;
mod write;

pub use apply::{ApplyError, Direction, apply};
pub use error::{DiffError, Expected};
pub use linemap::{LineMap, Segment};
pub use mail::decode_mail;
pub use model::{Binary, Body, Diff, FileDiff, Hunk, HunkLine, Kind, LineKind, Mode, Patch};
pub use names::{quote_path, unquote_path};
pub use read::{ReadOptions, read};
pub use series::{Mail, ShownLine, mails, shown_after, shown_before};
pub use write::write_file;
