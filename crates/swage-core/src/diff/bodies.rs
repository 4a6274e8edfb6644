//! The bodies of a diff's files: hunks, and the blocks of binary patches.

use super::binary::{decode_line, inflated_size};
use super::error::{DiffError, Expected};
use super::fields::{hunk_header, trim_cr};
use super::model::{Body, Hunk};
use super::newlines::Newlines;
use super::reader::Reader;
use super::skip_blocks::skip_blocks;

impl<'a> Reader<'a> {
    /// What comes after the names: hunks, or nothing when only properties change.
    pub(super) fn body(&mut self) -> Result<Body<'a>, DiffError> {
        let (first, second) = (self.peek().map(trim_cr), self.ahead(1));
        let properties = |line: Option<&[u8]>| line.is_some_and(|l| l.starts_with(b"Property changes on: "));
        if properties(first) || first.is_some_and(<[u8]>::is_empty) && properties(second) {
            return Ok(Body::Unchanged);
        }
        Ok(Body::Text(self.hunks()?))
    }

    /// The hunks of a file; at least one.
    pub(super) fn hunks(&mut self) -> Result<Vec<Hunk<'a>>, DiffError> {
        let mut hunks: Vec<Hunk<'a>> = Vec::new();
        while let Some(line) = self.peek() {
            if !line.starts_with(b"@@ ") {
                break;
            }
            // After a hunk only another hunk may begin with `@@ `: what can't be read was damaged.
            let Some(hunk) = hunk_header(line) else { return Err(self.error(Expected::HunkHeader)) };
            // Hunks are in order and don't overlap (POSIX `diff -u`; git and patch rely on it). Two insertions at the
            // same place would have no order.
            let (end, start) = (hunks.last().map_or(1, end_of), start_of(&hunk));
            if u64::from(start) < end
                || (!hunks.is_empty()
                    && u64::from(start) == end
                    && hunk.old_lines == 0
                    && hunks.last().is_some_and(|h| h.old_lines == 0))
            {
                return Err(self.error(Expected::LaterHunk));
            }
            hunks.push(self.hunk(hunk)?);
        }
        // Names without hunks: the diff was cut here.
        if hunks.is_empty() {
            return Err(self.error(Expected::HunkHeader));
        }
        // More body lines than promised: a mail's signature and the next file's header aren't that.
        if let Some(line) = self.peek() {
            let more = match line.first() {
                Some(b'+' | b' ') => true,
                Some(b'-') => !(line.starts_with(b"--- ") || matches!(line.trim_ascii(), b"--" | b"---")),
                _ => false,
            };
            if more {
                return Err(self.error(Expected::HunkEnd));
            }
        }
        hunks.shrink_to_fit();
        Ok(hunks)
    }

    /// A hunk's body. The header's lengths decide where it ends.
    /// Long because each line that a body may not have has an error of its own.
    pub(super) fn hunk(&mut self, mut hunk: Hunk<'a>) -> Result<Hunk<'a>, DiffError> {
        let from = self.at;
        let header = self.next().unwrap_or_default();
        let body_from = self.at;
        // How many lines each side still has to get.
        let (mut old, mut new) = (hunk.old_lines, hunk.new_lines);
        // The marker of the line before; 0 at the hunk's start.
        let mut last = 0u8;
        let mut start = self.at;
        let mut end = self.at.min(self.input.len());
        let input = self.input;
        let mut ends = Newlines::from(input, start);
        // Long hunks are crossed a block at a time; the loop reads what is left, and finds the exact place of a mistake.
        if let Some(skipped) = skip_blocks(input, start, &mut old, &mut new) {
            last = memchr::memrchr(b'\n', &input[..skipped]).map_or(0, |line| input[line + 1]);
            ends = Newlines::from(input, skipped);
            end = ends.next().unwrap_or(input.len());
            start = end + 1;
        }
        loop {
            let first = match input.get(start) {
                Some(b'\\') if last != 0 => b'\\',
                // A line with `\` may follow when both sides have all of their lines; anything else is past the hunk.
                _ if old == 0 && new == 0 => break,
                None => break,
                Some(&b) => b,
            };
            let fits = match first {
                b'+' => {
                    let fits = new > 0;
                    new = new.saturating_sub(1);
                    fits
                }
                b'-' => {
                    let fits = old > 0;
                    old = old.saturating_sub(1);
                    fits
                }
                // A mail program may have taken the blank of an empty line away (git accepts that, too).
                b' ' | b'\n' | b'\r' => {
                    let fits = old > 0 && new > 0;
                    // A lone CR can't be the end of an empty line.
                    if first == b'\r' && input.get(start + 1) != Some(&b'\n') {
                        self.at = start;
                        return Err(self.error(Expected::Marker));
                    }
                    (old, new) = (old.saturating_sub(1), new.saturating_sub(1));
                    fits
                }
                // The marker for a missing LF must follow the last line of its side.
                b'\\' => match last {
                    b'+' => new == 0,
                    b'-' => old == 0,
                    b'\\' => false,
                    _ => old == 0 && new == 0,
                },
                _ => {
                    self.at = start;
                    return Err(self.error(Expected::Marker));
                }
            };
            // More lines of a side than the header says.
            if !fits {
                self.at = start;
                return Err(self.error(Expected::HunkEnd));
            }
            last = first;
            let line_end = ends.next().unwrap_or(input.len());
            end = line_end;
            start = line_end + 1;
        }
        // The last line may have no LF, which would put the place past the end.
        self.at = start.min(input.len());
        // The input ends before the hunk does.
        if old > 0 || new > 0 {
            return Err(self.error(Expected::HunkLines { old, new }));
        }
        hunk.text = &input[from..end.max(body_from.min(input.len()))];
        // The header line is kept with the text, so that the hunk can be written as it was.
        hunk.body_at = u32::try_from(body_from - from).unwrap_or(u32::MAX).min(hunk.text.len() as u32);
        debug_assert!(hunk.text.starts_with(header));
        Ok(hunk)
    }

    /// The blocks of a binary patch: `literal N` or `delta N`, then lines, then an empty line; one or two of them. Each must
    /// be whole: what its lines encode inflates to N bytes.
    pub(super) fn binary_patch(&mut self) -> Result<&'a [u8], DiffError> {
        let from = self.at;
        let mut blocks = 0;
        while let Some(line) = self.peek() {
            let line = trim_cr(line);
            let size = line.strip_prefix(b"literal ").or_else(|| line.strip_prefix(b"delta "));
            let Some(size) = size else { break };
            let size = std::str::from_utf8(size).ok().and_then(|size| size.parse::<u64>().ok());
            let size = size.ok_or_else(|| self.error(Expected::BinaryBlock))?;
            self.next();
            // Lines of base 85; the first character of each says how many bytes it encodes.
            let mut packed = Vec::new();
            while let Some(line) = self.peek() {
                let line = trim_cr(line);
                if line.is_empty() {
                    break;
                }
                if decode_line(line, &mut packed).is_none() {
                    // Some programs leave the empty line after the last block out.
                    break;
                }
                self.next();
            }
            // A patch that was cut may still have well-formed lines: only its size proves that it is whole.
            if inflated_size(&packed, size) != Some(size) {
                let ends = self.peek().is_none_or(|line| trim_cr(line).is_empty());
                return Err(self.error(if ends { Expected::WholeBinaryBlock } else { Expected::BinaryBlock }));
            }
            blocks += 1;
            if self.peek().is_some_and(|line| trim_cr(line).is_empty()) {
                self.next();
            }
        }
        // One for each direction; programs may leave the way back out.
        if blocks == 0 || blocks > 2 {
            return Err(self.error(Expected::BinaryBlock));
        }
        Ok(&self.input[from..self.at])
    }
}

/// First old line that the hunk touches, 1-based.
fn start_of(hunk: &Hunk<'_>) -> u32 {
    if hunk.old_lines == 0 { hunk.old_start.saturating_add(1) } else { hunk.old_start }
}

/// First old line after the hunk, 1-based.
fn end_of(hunk: &Hunk<'_>) -> u64 {
    u64::from(start_of(hunk)) + u64::from(hunk.old_lines)
}
