//! Writing a unified diff of one file from both of its contents and the map of its lines.

use super::linemap::LineMap;
use super::names::quote_path;

/// Lines of context around changes.
const CONTEXT: u32 = 3;

/// A unified diff in git's format from `old` to `new`, or nothing when no line differs. `map` says which lines stayed; a
/// missing line end at the end of either is marked.
pub fn write_file(path: &[u8], old: &[u8], new: &[u8], map: &LineMap) -> Vec<u8> {
    let (old, new) = (lines(old), lines(new));
    let changes = changes(&old, &new, map);
    let mut out = Vec::new();
    if changes.is_empty() {
        return out;
    }
    let name = |side: &str| quote_path(&[side.as_bytes(), path].concat()).into_owned();
    let (before, after) = (name("a/"), name("b/"));
    for part in [&b"diff --git "[..], &before, b" ", &after, b"\n--- ", &before, b"\n+++ ", &after, b"\n"] {
        out.extend_from_slice(part);
    }
    let mut rest = &changes[..];
    while let Some(first) = rest.first() {
        // Changes whose context would touch share a hunk.
        let apart = |pair: &[Change]| pair[1].old.0 - pair[0].old.1 > 2 * CONTEXT;
        let count = rest.windows(2).position(apart).map_or(rest.len(), |at| at + 1);
        let (own, others) = rest.split_at(count);
        write_hunk(first, own, &old, &new, &mut out);
        rest = others;
    }
    out
}

/// Old lines, from and to, that gave way to new ones; 0-based, without the end.
struct Change {
    /// Lines of the old content, 0-based; empty for an insertion.
    old: (u32, u32),
    /// Lines of the new content, 0-based; empty for a deletion.
    new: (u32, u32),
}

/// The lines with their LFs; only the last one may have none.
fn lines(text: &[u8]) -> Vec<&[u8]> {
    text.split_inclusive(|b| *b == b'\n').collect()
}

/// What lies between the runs of lines that stayed, in order.
fn changes(old: &[&[u8]], new: &[&[u8]], map: &LineMap) -> Vec<Change> {
    let mut changes = Vec::new();
    let (mut at_old, mut at_new) = (0, 0);
    let (old_len, new_len) = (old.len() as u32, new.len() as u32);
    // Runs that follow each other directly leave nothing between them.
    let mut push = |old: (u32, u32), new: (u32, u32)| {
        if old.0 < old.1 || new.0 < new.1 {
            changes.push(Change { old, new });
        }
    };
    for segment in map.segments() {
        // A map goes one line past the end when the text ends in an LF.
        let (from_old, from_new) = (segment.old.min(old_len), segment.new.min(new_len));
        push((at_old, from_old), (at_new, from_new));
        let len = segment.len.min(old_len - from_old).min(new_len - from_new);
        (at_old, at_new) = (from_old + len, from_new + len);
    }
    push((at_old, old_len), (at_new, new_len));
    changes
}

/// Writes changes that lie near each other as one hunk, with the lines around them.
fn write_hunk(first: &Change, own: &[Change], old: &[&[u8]], new: &[&[u8]], out: &mut Vec<u8>) {
    let last = own.last().unwrap_or(first);
    // Lines before the first change stayed, so there are as many of them on the other side.
    let before = first.old.0.min(CONTEXT);
    let after = (old.len() as u32 - last.old.1).min(CONTEXT);
    let (old_start, new_start) = (first.old.0 - before, first.new.0 - before);
    let (old_count, new_count) = (last.old.1 + after - old_start, last.new.1 + after - new_start);
    // An empty side is named by the line before it.
    let shown = |start: u32, count: u32| if count == 0 { start } else { start + 1 };
    let (old_at, new_at) = (shown(old_start, old_count), shown(new_start, new_count));
    out.extend_from_slice(format!("@@ -{old_at},{old_count} +{new_at},{new_count} @@\n").as_bytes());
    let mut at = old_start;
    let mut write = |mark: u8, line: &[u8]| {
        out.push(mark);
        out.extend_from_slice(line);
        if !line.ends_with(b"\n") {
            out.extend_from_slice(b"\n\\ No newline at end of file\n");
        }
    };
    for change in own {
        (at..change.old.0).for_each(|line| write(b' ', old[line as usize]));
        (change.old.0..change.old.1).for_each(|line| write(b'-', old[line as usize]));
        (change.new.0..change.new.1).for_each(|line| write(b'+', new[line as usize]));
        at = change.old.1;
    }
    (at..last.old.1 + after).for_each(|line| write(b' ', old[line as usize]));
}
