//! Fixes that outside programs propose.

use std::ops::Range;

use crate::scan::{Edit, Lines, ProposedFix};

/// What a program would do about a finding, within the file of the finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReportedFix {
    /// What it does, in the program's words.
    pub title: String,
    /// The regions that are replaced, and what takes their place.
    pub replacements: Vec<(Region, String)>,
}

/// A region as SARIF 2.1.0 (section 3.30) has it: by lines and columns, or by characters, or by bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Region {
    /// First line, 1-based.
    pub start_line: Option<u32>,
    /// First column, 1-based; the first of the line when missing.
    pub start_column: Option<u32>,
    /// Last line, 1-based; the first one when missing.
    pub end_line: Option<u32>,
    /// The column after the end, 1-based; the end of the line when missing.
    pub end_column: Option<u32>,
    /// Offset (0-based) and length in characters.
    pub chars: Option<(u32, u32)>,
    /// Offset (0-based) and length in bytes.
    pub bytes: Option<(u32, u32)>,
}

impl ReportedFix {
    /// The fix as edits of the file's text; `None` when a region isn't in it, or two overlap. `utf16` says whether columns
    /// and characters count UTF-16 code units.
    pub(super) fn proposed(&self, text: &[u8], lines: &Lines<'_>, utf16: bool) -> Option<ProposedFix> {
        let edit = |(region, text_in): &(Region, String)| {
            Some(Edit { range: region.range(text, lines, utf16)?, text: text_in.clone() })
        };
        let mut edits = self.replacements.iter().map(edit).collect::<Option<Vec<_>>>()?;
        edits.sort_by_key(|edit| (edit.range.start, edit.range.end));
        let apart = edits.windows(2).all(|pair| pair[0].range.end <= pair[1].range.start);
        (apart && !edits.is_empty()).then(|| ProposedFix { title: self.title.clone(), edits })
    }
}

impl Region {
    /// The region in bytes of the text.
    fn range(&self, text: &[u8], lines: &Lines<'_>, utf16: bool) -> Option<Range<usize>> {
        let range = if let Some(start) = self.start_line {
            let end = self.end_line.unwrap_or(start);
            let (first, last) = (lines.range(start as usize - 1)?, lines.range(end as usize - 1)?);
            let at =
                |line: Range<usize>, column: u32| Some(line.start + units(&text[line], column as usize - 1, utf16)?);
            let from = self.start_column.map_or(Some(first.start), |column| at(first.clone(), column))?;
            let to = self.end_column.map_or(Some(last.end), |column| at(last.clone(), column))?;
            from..to
        } else if let Some((from, length)) = self.chars {
            let from = units(text, from as usize, utf16)?;
            from..from + units(&text[from..], length as usize, utf16)?
        } else {
            let (from, length) = self.bytes?;
            from as usize..from as usize + length as usize
        };
        (range.start <= range.end && range.end <= text.len()).then_some(range)
    }
}

/// How many bytes a number of characters takes at the beginning of a text; `None` after its end, and in the middle of a character.
fn units(text: &[u8], count: usize, utf16: bool) -> Option<usize> {
    let (mut left, mut at) = (count, 0);
    let mut chars = std::str::from_utf8(text).ok()?.chars();
    while left > 0 {
        let c = chars.next()?;
        left = left.checked_sub(if utf16 { c.len_utf16() } else { 1 })?;
        at += c.len_utf8();
    }
    Some(at)
}
