//! Edits of a text.

use crate::diff::LineMap;
use crate::scan::Edit;

/// The text with edits made, which are in order and don't overlap.
pub fn apply_edits(text: &[u8], edits: &[Edit]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    for edit in edits {
        out.extend_from_slice(text.get(at..edit.range.start).unwrap_or_default());
        out.extend_from_slice(edit.text.as_bytes());
        at = edit.range.end;
    }
    out.extend_from_slice(text.get(at..).unwrap_or_default());
    out
}

/// Whether two edits are about the same bytes, or insert at the same place or at an end of the other.
pub(super) fn overlap(a: &Edit, b: &Edit) -> bool {
    let (a, b) = (&a.range, &b.range);
    let inserts = a.is_empty() || b.is_empty();
    a.start < b.end && b.start < a.end || inserts && a.start <= b.end && b.start <= a.end
}

/// Where the lines of a text go when edits are made, which are in order and don't overlap.
pub(super) fn line_map(text: &[u8], edits: &[Edit]) -> LineMap {
    let breaks = |bytes: &[u8]| memchr::memchr_iter(b'\n', bytes).count() as u32;
    let mut runs: Vec<(u32, u32, u32)> = Vec::new();
    let (mut at, mut line) = (0, 0u32);
    for edit in edits {
        let Some(gone) = text.get(edit.range.clone()) else { continue };
        line += breaks(&text[at..edit.range.start]);
        at = edit.range.start;
        let starts_line = at == 0 || text[at - 1] == b'\n';
        let whole = starts_line
            && (gone.is_empty() || gone.ends_with(b"\n"))
            && (edit.text.is_empty() || edit.text.ends_with('\n'));
        let rest = u32::from(!whole);
        let (removed, added) = (breaks(gone) + rest, breaks(edit.text.as_bytes()) + rest);
        match runs.last_mut() {
            // Two edits of one line are one run.
            Some((start, before, after)) if *start + *before > line => {
                *before += removed - rest;
                *after += added - rest;
            }
            _ => runs.push((line, removed, added)),
        }
    }
    LineMap::from_replaced(runs)
}
