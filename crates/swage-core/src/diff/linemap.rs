//! Where old lines went and where new lines came from.
//!
//! A [`LineMap`] is the list of runs of unchanged lines. Looking a line up is a binary search; composing two maps
//! (a series of patches) is one merge of their lists.

use super::model::{Hunk, LineKind};

/// A run of lines that stay: `old..old + len` became `new..new + len`. Lines are 0-based here.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Segment {
    /// First old line, 0-based.
    pub old: u32,
    /// First new line, 0-based.
    pub new: u32,
    /// How many lines.
    pub len: u32,
}

/// The unchanged lines between two states of a file.
///
/// Segments are in order, don't overlap, and aren't empty. The last may reach beyond the end of the file.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct LineMap {
    segments: Vec<Segment>,
}

impl LineMap {
    /// Every line stays.
    pub fn identity() -> Self {
        Self { segments: vec![Segment { old: 0, new: 0, len: u32::MAX }] }
    }

    /// No line stays: an added or deleted file.
    pub fn nothing() -> Self {
        Self::default()
    }

    /// The map of a file's hunks; a file without hunks stays as it is.
    ///
    /// New line numbers follow from the old ones and the hunks' lengths, so hunks taken out of a larger diff map rightly.
    pub fn from_hunks(hunks: &[Hunk<'_>]) -> Self {
        let mut segments = Vec::new();
        // A run that goes on where the last one ended is the same run.
        let mut push = |old: u32, new: u32, len: u32| {
            if len == 0 {
                return;
            }
            match segments.last_mut() {
                Some(Segment { old: o, new: n, len: l }) if *o + *l == old && *n + *l == new => *l += len,
                _ => segments.push(Segment { old, new, len }),
            }
        };
        let (mut old, mut new) = (0u32, 0u32);
        for hunk in hunks {
            // An insertion names the line before it, all else the first line.
            let start = if hunk.old_lines == 0 { hunk.old_start } else { hunk.old_start.saturating_sub(1) };
            let gap = start.saturating_sub(old);
            push(old, new, gap);
            (old, new) = (old.saturating_add(gap), new.saturating_add(gap));
            for line in hunk.lines() {
                match line.kind {
                    LineKind::Context => {
                        push(old, new, 1);
                        (old, new) = (old.saturating_add(1), new.saturating_add(1));
                    }
                    LineKind::Removed => old = old.saturating_add(1),
                    LineKind::Added => new = new.saturating_add(1),
                }
            }
        }
        // A diff doesn't say how long the file is, so the last run has no end.
        push(old, new, u32::MAX - old.max(new));
        Self { segments }
    }

    /// The map of runs of lines that were replaced, in order: where each begins (0-based), how many old lines it has, and
    /// how many new ones took their place.
    pub fn from_replaced(runs: impl IntoIterator<Item = (u32, u32, u32)>) -> Self {
        let mut segments = Vec::new();
        let (mut old, mut new) = (0u32, 0u32);
        // Same as for hunks, where the lengths alone are known.
        for (start, removed, added) in runs {
            let gap = start.saturating_sub(old);
            if gap > 0 {
                segments.push(Segment { old, new, len: gap });
            }
            (old, new) = (start.saturating_add(removed), new.saturating_add(gap).saturating_add(added));
        }
        segments.push(Segment { old, new, len: u32::MAX - old.max(new) });
        Self { segments }
    }

    /// The runs of unchanged lines, in order.
    pub fn segments(&self) -> &[Segment] {
        &self.segments
    }

    /// Where an old line (0-based) is now; `None` when it was removed.
    pub fn to_new(&self, old: u32) -> Option<u32> {
        // The last run that begins at the line or before it.
        let at = self.segments.partition_point(|s| s.old <= old).checked_sub(1)?;
        let s = self.segments[at];
        (old - s.old < s.len).then(|| s.new + (old - s.old))
    }

    /// Where a new line (0-based) was before; `None` when it was added.
    pub fn to_old(&self, new: u32) -> Option<u32> {
        let at = self.segments.partition_point(|s| s.new <= new).checked_sub(1)?;
        let s = self.segments[at];
        (new - s.new < s.len).then(|| s.old + (new - s.new))
    }

    /// The number of the changed region that an old line (0-based) which was removed is in: how many runs of unchanged
    /// lines begin before it. What took its place has the same number.
    pub fn region_of_old(&self, old: u32) -> usize {
        self.segments.partition_point(|s| s.old <= old)
    }

    /// The same for a new line (0-based) that was added.
    pub fn region_of_new(&self, new: u32) -> usize {
        self.segments.partition_point(|s| s.new <= new)
    }

    /// This change, then `next`.
    pub fn then(&self, next: &LineMap) -> LineMap {
        let mut segments: Vec<Segment> = Vec::new();
        let (mut i, mut j) = (0, 0);
        while let (Some(a), Some(b)) = (self.segments.get(i), next.segments.get(j)) {
            // Both cut to the lines that they share in the middle state.
            let (a_end, b_end) = (u64::from(a.new) + u64::from(a.len), u64::from(b.old) + u64::from(b.len));
            let from = a.new.max(b.old);
            let to = a_end.min(b_end);
            // Nothing shared: the one changed what the other had kept.
            if u64::from(from) < to {
                let (old, new) = (a.old + (from - a.new), b.new + (from - b.old));
                // The last runs have no end, and their ends must not overflow.
                let room = u32::MAX - old.max(new);
                let len = u32::try_from(to - u64::from(from)).unwrap_or(u32::MAX).min(room);
                match segments.last_mut() {
                    Some(s) if s.old + s.len == old && s.new + s.len == new => s.len += len,
                    _ => segments.push(Segment { old, new, len }),
                }
            }
            // The run that ends first has met all that it can.
            if a_end < b_end { i += 1 } else { j += 1 }
        }
        LineMap { segments }
    }
}
