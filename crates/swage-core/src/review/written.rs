//! Which of a change's lines were written, and which only moved or were re-indented: a line that one place lost and
//! another got, not counting white space, is neither written nor dropped.

use std::collections::HashMap;

use rustc_hash::FxBuildHasher;

use crate::change::{ChangedFile, Content};
use crate::digest::{short_digest, without_white_space};
use crate::sides::Sides;

/// The digests of the lines that a file got and lost, in order.
#[derive(Debug, Clone, Default)]
pub(super) struct ChangedLines {
    added: Vec<u64>,
    removed: Vec<u64>,
}

/// How many lines of a file were written and dropped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Written {
    /// Added lines that no place lost.
    pub written: usize,
    /// Removed lines that no place got.
    pub dropped: usize,
}

impl ChangedLines {
    pub fn of(file: &ChangedFile, sides: &Sides<Content>) -> Self {
        let changed = |content: &Content, stays: &dyn Fn(u32) -> bool| -> Vec<u64> {
            let (bytes, numbers) = match content {
                Content::Whole { bytes, .. } => (bytes, None),
                Content::Partial { bytes, numbers } => (bytes, Some(numbers)),
                Content::Absent | Content::Unavailable(_) => return Vec::new(),
            };
            let lines = (0..).zip(bytes.split_inclusive(|b| *b == b'\n'));
            let number = |at: u32| numbers.and_then(|n| n.get(at as usize)).map_or(at, |n| n.saturating_sub(1));
            let changed = lines.filter(|(at, _)| !stays(number(*at)));
            changed.map(|(_, line)| short_digest(&[&without_white_space(line)])).collect()
        };
        if file.added + file.removed == 0 {
            return Self::default();
        }
        Self {
            added: changed(&sides.new, &|line| file.map.to_old(line).is_some()),
            removed: changed(&sides.old, &|line| file.map.to_new(line).is_some()),
        }
    }
}

/// Counts for each file of a change, in order.
pub(super) fn written(files: &[&ChangedLines]) -> Vec<Written> {
    let count = |side: fn(&ChangedLines) -> &Vec<u64>| {
        let mut counts: HashMap<u64, usize, FxBuildHasher> = HashMap::default();
        files.iter().flat_map(|f| side(f)).for_each(|line| *counts.entry(*line).or_default() += 1);
        counts
    };
    let (mut lost, mut got) = (count(|f| &f.removed), count(|f| &f.added));
    let take = |from: &mut HashMap<u64, usize, FxBuildHasher>, line: &u64| match from.get_mut(line) {
        Some(left) if *left > 0 => {
            *left -= 1;
            false
        }
        _ => true,
    };
    let counts = files.iter().map(|f| Written {
        written: f.added.iter().filter(|line| take(&mut lost, line)).count(),
        dropped: f.removed.iter().filter(|line| take(&mut got, line)).count(),
    });
    counts.collect()
}
