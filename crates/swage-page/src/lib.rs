//! The parts that pages with a change share: its lines as HTML, their look, and their script. The reports of `swage` and the pages of
//! the review host are made with them.

#![forbid(unsafe_code)]

mod lines;
mod order;

pub use lines::{Lines, escaped};
pub use order::{OrderedDefinition, OrderedFile, OrderedUse, reading_order};

/// How the lines of a change look. It takes its colours from the variables `--ink`, `--soft`, `--paper`, `--card`, `--edge`, `--add`,
/// `--del`, `--link`, `--error`, `--warning`, `--note` and `--good`.
pub const STYLE: &str = include_str!("change.css");

/// Two columns, read marks and keys for the files of a change. Without it everything can be read.
pub const SCRIPT: &str = include_str!("change.js");
