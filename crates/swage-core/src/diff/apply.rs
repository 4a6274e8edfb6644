//! Applying hunks to content, forwards or in reverse.
//!
//! Strict on purpose: a hunk applies at its own lines or not at all. Line anchors that are nearly right are worse than
//! an error.

use std::fmt;

use super::model::{FileDiff, LineKind};

/// Which way a diff is applied.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Direction {
    /// Old content to new.
    Forward,
    /// New content to old.
    Reverse,
}

/// A hunk that doesn't fit the content.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ApplyError {
    /// Line of the content at which it was wanted, 1-based.
    pub line: u32,
    /// Number of the hunk in its file, 1-based.
    pub hunk: usize,
    /// What the diff says is there, or `None` when the content goes on where it should end.
    pub wanted: Option<String>,
    /// What is there, or `None` when the content ends before.
    pub found: Option<String>,
}

impl fmt::Display for ApplyError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "hunk {} doesn't fit at line {}: ", self.hunk, self.line)?;
        match (&self.wanted, &self.found) {
            (Some(wanted), Some(found)) => write!(f, "the diff has `{wanted}`, the file has `{found}`"),
            (Some(wanted), None) => write!(f, "the diff has `{wanted}`, the file ends before"),
            (None, _) => f.write_str("the file goes on where the diff says that it ends"),
        }
    }
}

impl std::error::Error for ApplyError {}

/// Applies a file's hunks to `content` and returns the other side.
///
/// When the diff's headers end in CR LF, a mailer may have changed the content's line ends too: if the hunks don't fit
/// as they are, they are tried once more without the CRs.
///
/// # Errors
/// When a hunk doesn't fit; the error names the first one that doesn't.
pub fn apply(content: &[u8], file: &FileDiff<'_>, direction: Direction) -> Result<Vec<u8>, ApplyError> {
    let exact = apply_with(content, file, direction, false);
    if exact.is_err() && file.crlf { apply_with(content, file, direction, true).or(exact) } else { exact }
}

/// Applies hunks from top to bottom; what lies between them is copied. Long because each way in which a hunk can miss has
/// its own error with its own place.
fn apply_with(
    content: &[u8],
    file: &FileDiff<'_>,
    direction: Direction,
    strip_cr: bool,
) -> Result<Vec<u8>, ApplyError> {
    let mut out = Vec::with_capacity(content.len() + content.len() / 8);
    // The next byte of the content, and its line (0-based).
    let mut at = 0;
    let mut line = 0u32;
    for (index, hunk) in file.hunks().iter().enumerate() {
        let (start, count, removed) = match direction {
            Direction::Forward => (hunk.old_start, hunk.old_lines, LineKind::Removed),
            Direction::Reverse => (hunk.new_start, hunk.new_lines, LineKind::Added),
        };
        // An insertion names the line after which it goes.
        let target = if count == 0 { start } else { start.saturating_sub(1) };
        let fail = |line: u32, wanted: Option<&[u8]>, found: Option<&[u8]>| ApplyError {
            line: line.saturating_add(1),
            hunk: index + 1,
            wanted: wanted.map(shown),
            found: found.map(shown),
        };
        let first = hunk.lines().next().map_or(&b""[..], |l| l.text);
        // Hunks of a diff that was put together by hand may overlap.
        if target < line {
            return Err(fail(target, Some(first), None));
        }
        let from = at;
        while line < target {
            match memchr::memchr(b'\n', &content[at..]) {
                Some(len) => (at, line) = (at + len + 1, line + 1),
                // A last line without LF counts as a line.
                None if at < content.len() && line + 1 == target => (at, line) = (content.len(), line + 1),
                None => return Err(fail(target, Some(first), None)),
            }
        }
        out.extend_from_slice(&content[from..at]);
        // Whether the result has got its last line, the one without an LF.
        let mut ended = false;
        for piece in hunk.lines() {
            let text = if strip_cr { piece.text.strip_suffix(b"\r").unwrap_or(piece.text) } else { piece.text };
            if piece.kind == LineKind::Context || piece.kind == removed {
                let rest = &content[at..];
                let end = memchr::memchr(b'\n', rest);
                let there = &rest[..end.unwrap_or(rest.len())];
                // The end of the file must be as the diff says, too: with or without an LF, or where nothing is left.
                if there != text
                    || end.is_some() != piece.newline
                    || (rest.is_empty() && !piece.newline && !text.is_empty())
                {
                    return Err(fail(line, Some(text), if rest.is_empty() { None } else { Some(there) }));
                }
                at += there.len() + usize::from(end.is_some());
                line += 1;
            }
            if piece.kind == LineKind::Context || piece.kind != removed {
                // A line may only follow one that ended in LF.
                if !out.is_empty() && out.last() != Some(&b'\n') {
                    return Err(fail(line, Some(text), None));
                }
                out.extend_from_slice(text);
                if piece.newline {
                    out.push(b'\n');
                } else {
                    ended = true;
                }
            }
        }
        // The diff ends the file here, and the content goes on.
        if ended && at < content.len() {
            return Err(fail(line, None, None));
        }
    }
    // The last hunk took the LF away that what follows needs.
    if at < content.len() && !out.is_empty() && out.last() != Some(&b'\n') {
        return Err(ApplyError { line: line.saturating_add(1), hunk: file.hunks().len(), wanted: None, found: None });
    }
    out.extend_from_slice(&content[at..]);
    Ok(out)
}

/// A line for an error, cut where it is very long.
fn shown(text: &[u8]) -> String {
    String::from_utf8_lossy(text).chars().take(80).collect()
}
