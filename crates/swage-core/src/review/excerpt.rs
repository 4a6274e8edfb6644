//! The code around a finding, as one reads a change: lines that came and went in place.

use crate::diff::LineMap;
use crate::position::{Column, LineNumber};
use crate::scan::{Lines, Span};
use crate::sides::{Side, Sides};

use super::finding::{ExcerptLine, Marker};

/// Lines shown before and after a finding.
const AROUND: u32 = 2;
/// Most lines of a long finding that are shown.
const LONGEST: u32 = 8;
/// Most removed lines that are shown in one place.
const MOST_REMOVED: u32 = 6;
/// Longest shown part of a line, in characters.
const WIDEST: usize = 400;

/// Both sides of a file, as excerpts show them.
pub(super) struct Code<'a> {
    pub lines: Sides<Option<&'a Lines<'a>>>,
    pub map: &'a LineMap,
    /// What isn't shown.
    pub hidden: Sides<Vec<Span>>,
}

impl Code<'_> {
    /// A line (0-based) of one side, without what is hidden in it, and how much is left out before it. Of a long line that
    /// is the part from which a column can be seen.
    fn text(&self, side: Side, at: u32, column: Column) -> (String, u32) {
        let (lines, hidden) = (*self.lines.on(side), self.hidden.on(side));
        let text = String::from_utf8_lossy(lines.map_or(&[], |l| l.get(at as usize)));
        let line = LineNumber::from_index(at);
        let hidden: Vec<_> = hidden.iter().filter(|s| s.has_line(line)).map(|s| s.columns_in(line)).collect();
        let number = column.get() as usize;
        let skipped = if number > WIDEST * 3 / 4 { number - WIDEST / 4 } else { 0 };
        let shown = (0..).map(Column::from_index).zip(text.chars()).skip(skipped).take(WIDEST);
        let shown = shown.map(|(column, c)| if hidden.iter().any(|h| h.contains(&column)) { '•' } else { c });
        (shown.collect(), skipped as u32)
    }

    /// The lines around a span of one side, with the other side's changed lines among them.
    pub(super) fn around(&self, side: Side, span: Span) -> Vec<ExcerptLine> {
        let (old, map) = (self.lines.old, self.map);
        let Some(lines) = *self.lines.on(side) else { return Vec::new() };
        let first = span.start_line.index().saturating_sub(AROUND);
        let shown_end = span.end_line.min(span.start_line + LONGEST - 1);
        let last = (shown_end.get() + AROUND).min(lines.count() as u32);
        let column = |at: u32| if at == span.start_line.index() { span.start_column } else { Column::FIRST };
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
                            out.extend(gone.map(|o| {
                                let (text, skipped) = self.text(Side::Old, o, Column::FIRST);
                                ExcerptLine { marker: Marker::Removed, old: Some(o + 1), new: None, text, skipped }
                            }));
                        }
                    }
                    let was = map.to_old(at);
                    let marker = if was.is_some() { Marker::Same } else { Marker::Added };
                    let (text, skipped) = self.text(Side::New, at, column(at));
                    out.push(ExcerptLine { marker, old: was.map(|o| o + 1), new: Some(at + 1), text, skipped });
                }
                Side::Old => {
                    let now = map.to_new(at);
                    let marker = if now.is_some() { Marker::Same } else { Marker::Removed };
                    let (text, skipped) = self.text(Side::Old, at, column(at));
                    out.push(ExcerptLine { marker, old: Some(at + 1), new: now.map(|n| n + 1), text, skipped });
                }
            }
        }
        out
    }
}
