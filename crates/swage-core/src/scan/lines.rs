//! From byte offsets to lines and columns.

use bstr::ByteSlice;

use super::Span;
use crate::position::{Column, LineNumber};

/// Where each line of a content begins.
#[derive(Debug, Clone)]
pub struct Lines<'a> {
    content: &'a [u8],
    /// Byte offset of each line's first byte.
    starts: Vec<usize>,
}

impl<'a> Lines<'a> {
    /// Finds the line starts; lines end in LF.
    pub fn new(content: &'a [u8]) -> Self {
        let mut starts = vec![0];
        starts.extend(memchr::memchr_iter(b'\n', content).map(|at| at + 1));
        Self { content, starts }
    }

    /// How many lines there are; a last line without LF counts, an empty one after the last LF doesn't.
    pub fn count(&self) -> usize {
        let last = self.starts.last().copied().unwrap_or(0);
        if last == self.content.len() { self.starts.len() - 1 } else { self.starts.len() }
    }

    /// A line (0-based) without its LF and a CR before it; empty after the end.
    pub fn get(&self, line: usize) -> &'a [u8] {
        let Some(&start) = self.starts.get(line) else { return &[] };
        let end = self.starts.get(line + 1).map_or(self.content.len(), |next| next - 1);
        let text = &self.content[start..end.max(start)];
        text.strip_suffix(b"\r").unwrap_or(text)
    }

    /// The bytes of a line (0-based) without its LF and a CR before it; `None` after the end, where an empty line is one only
    /// right after the last LF.
    pub fn range(&self, line: usize) -> Option<std::ops::Range<usize>> {
        let start = *self.starts.get(line)?;
        Some(start..start + self.get(line).len())
    }

    /// The line (0-based) that holds a byte offset.
    pub fn line_of(&self, offset: usize) -> usize {
        self.starts.partition_point(|&s| s <= offset).saturating_sub(1)
    }

    /// Line and column; bytes that aren't UTF-8 count one each run.
    pub fn position(&self, offset: usize) -> (LineNumber, Column) {
        let line = self.line_of(offset);
        let before = &self.content[self.starts[line]..offset.min(self.content.len())];
        (LineNumber::from_index(line as u32), Column::from_index(before.chars().count() as u32))
    }

    /// The bytes of a span.
    pub fn text(&self, span: Span) -> &'a [u8] {
        let offset = |line: LineNumber, column: Column| {
            let start = self.starts.get(line.index() as usize).copied().unwrap_or(self.content.len());
            let ahead = self.content[start..].char_indices().map(|(at, ..)| at);
            ahead
                .chain([self.content.len() - start])
                .nth(column.index() as usize)
                .map_or(self.content.len(), |at| start + at)
        };
        let start = offset(span.start_line, span.start_column);
        &self.content[start..offset(span.end_line, span.end_column).max(start)]
    }

    /// The span of a byte range.
    pub fn span(&self, range: std::ops::Range<usize>) -> Span {
        let (start_line, start_column) = self.position(range.start);
        let (end_line, end_column) = self.position(range.end);
        Span { start_line, start_column, end_line, end_column }
    }
}
