//! Finding every LF of a text fast, for lines that are short.
//!
//! A search that restarts for each line spends more on starting than on searching. This one goes through the bytes in
//! words of eight and marks each LF in a word at once: with x the word xor eight LFs, a byte of x is zero exactly where
//! bit 7 of `!(((x & 0x7f…) + 0x7f…) | x | 0x7f…)` is set, and no carry crosses from one byte into the next.

/// All bits of each byte but the highest.
const LOW: u64 = 0x7f7f_7f7f_7f7f_7f7f;
/// An LF in each byte.
const NEWLINES: u64 = 0x0a0a_0a0a_0a0a_0a0a;

/// The offsets of the LFs from a place on.
pub(super) struct Newlines<'a> {
    /// The whole text, so that offsets are those of the caller.
    bytes: &'a [u8],
    /// Offset of the word that `marks` belongs to.
    word: usize,
    /// Offset of the next word.
    next: usize,
    /// Bit 7 of each byte of the word that is an LF and hasn't been returned.
    marks: u64,
}

impl<'a> Newlines<'a> {
    /// Begins at a byte; a start past the end finds nothing.
    pub fn from(bytes: &'a [u8], start: usize) -> Self {
        Self { bytes, word: start, next: start, marks: 0 }
    }
}

impl Iterator for Newlines<'_> {
    type Item = usize;

    #[inline]
    fn next(&mut self) -> Option<usize> {
        while self.marks == 0 {
            // The last few bytes are fewer than a word.
            let Some(chunk) = self.bytes.get(self.next..self.next + 8).and_then(|c| <[u8; 8]>::try_from(c).ok()) else {
                let rest = self.bytes.get(self.next..)?;
                let at = rest.iter().position(|b| *b == b'\n')?;
                self.next += at + 1;
                return Some(self.next - 1);
            };
            let x = u64::from_le_bytes(chunk) ^ NEWLINES;
            self.marks = !(((x & LOW) + LOW) | x | LOW);
            self.word = self.next;
            self.next += 8;
        }
        let at = self.word + (self.marks.trailing_zeros() / 8) as usize;
        self.marks &= self.marks - 1;
        Some(at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn every_newline_once(bytes in prop::collection::vec(prop::sample::select(vec![b'\n', 0x0b, 0x09, 0x8a, 0xff, 0, b'a']), 0..60), start in 0usize..20) {
            let found: Vec<_> = Newlines::from(&bytes, start).collect();
            let expected: Vec<_> = (start..bytes.len()).filter(|&i| bytes[i] == b'\n').collect();
            prop_assert_eq!(found, expected);
        }
    }
}
