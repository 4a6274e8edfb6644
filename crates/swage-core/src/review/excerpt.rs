//! The code around a finding, as one reads a change: lines that came and went in place.

use crate::diff::LineMap;
use crate::scan::{Lines, Span};

use super::model::{ExcerptLine, Marker, Side};

/// Lines shown before and behind a finding.
const AROUND: u32 = 2;
/// Most lines of a long finding that are shown.
const LONGEST: u32 = 8;
/// Most removed lines that are shown in one place.
const MOST_REMOVED: u32 = 6;
/// Longest shown part of a line, in characters.
const WIDEST: usize = 400;

/// The lines around a span of one side, with the other side's changed lines among them.
pub(super) fn excerpt(
    old: Option<&Lines<'_>>,
    new: Option<&Lines<'_>>,
    map: &LineMap,
    side: Side,
    span: Span,
) -> Vec<ExcerptLine> {
    let Some(lines) = (match side {
        Side::Old => old,
        Side::New => new,
    }) else {
        return Vec::new();
    };
    let first = span.start_line.saturating_sub(1).saturating_sub(AROUND);
    let shown_end = span.end_line.min(span.start_line + LONGEST - 1);
    let last = (shown_end + AROUND).min(lines.count() as u32);
    let text = |lines: &Lines<'_>, at: u32| {
        String::from_utf8_lossy(lines.get(at as usize)).chars().take(WIDEST).collect::<String>()
    };
    let mut out = Vec::new();
    for at in first..last {
        match side {
            Side::New => {
                // Lines that went from just before this one.
                if let Some(old) = old {
                    let from = at.checked_sub(1).map_or(Some(0), |prev| map.to_old(prev).map(|o| o + 1));
                    if let Some(from) = from {
                        let gone = (from..old.count() as u32)
                            .take_while(|o| map.to_new(*o).is_none())
                            .take(MOST_REMOVED as usize);
                        out.extend(gone.map(|o| ExcerptLine {
                            marker: Marker::Removed,
                            old: Some(o + 1),
                            new: None,
                            text: text(old, o),
                        }));
                    }
                }
                let was = map.to_old(at);
                let marker = if was.is_some() { Marker::Same } else { Marker::Added };
                out.push(ExcerptLine { marker, old: was.map(|o| o + 1), new: Some(at + 1), text: text(lines, at) });
            }
            Side::Old => {
                let now = map.to_new(at);
                let marker = if now.is_some() { Marker::Same } else { Marker::Removed };
                out.push(ExcerptLine { marker, old: Some(at + 1), new: now.map(|n| n + 1), text: text(lines, at) });
            }
        }
    }
    out
}
