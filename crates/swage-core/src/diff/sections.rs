//! Long diffs are read in sections, several at once.
//!
//! A section begins at a line `diff --git `: in a diff that can be read, such a line is never part of a body, whose lines
//! all begin with a marker, so the reader of the section before is between two files when it gets there. The first error
//! in the order of the bytes is the one that is reported.

use rayon::prelude::*;

use super::error::DiffError;
use super::model::Diff;
use super::reader::{Reader, Section};
use super::votes::Votes;

/// Least bytes in a section of a long diff.
pub(super) const SECTION: usize = 1 << 20;

/// Sections that are read before they are joined; more would only keep more memory.
const AT_ONCE: usize = 32;

/// Reads a diff in sections of this many bytes at least.
///
/// # Errors
/// The first error in the order of the bytes.
pub(super) fn in_sections<'a>(start: &Reader<'a>, least: usize) -> Result<(Diff<'a>, Votes<'a>), DiffError> {
    let input = start.input;
    let mut starts = vec![0];
    let mut from = least;
    // A plain diff has no such line and stays one section: nothing else says where a file begins.
    let header = memchr::memmem::Finder::new(b"\ndiff --git ");
    while let Some(at) = input.get(from..).and_then(|rest| header.find(rest)) {
        starts.push(from + at + 1);
        from += at + 1 + least;
    }
    let ends = starts.iter().skip(1).copied().chain([input.len()]);
    let ranges: Vec<_> = starts.iter().copied().zip(ends).collect();
    let mut whole = Section::default();
    // Errors come in the order of the bytes, since results are joined in that order.
    for batch in ranges.chunks(AT_ONCE) {
        let read: Vec<_> = batch.par_iter().map(|&(at, end)| start.from(at).section(end)).collect();
        for (section, (at, _)) in read.into_iter().zip(batch) {
            whole.join(section?, &input[whole.text_from..*at]);
        }
    }
    // What follows the last file belongs to the last patch.
    whole.open.trailer = &input[whole.text_from..];
    whole.patches.push(whole.open);
    Ok((Diff { patches: whole.patches }, whole.votes))
}

impl<'a> Section<'a> {
    /// Adds the section that follows; `between` is the text before its first file that this one leaves over.
    fn join(&mut self, mut next: Section<'a>, between: &'a [u8]) {
        self.votes.join(std::mem::take(&mut next.votes));
        // The section before could not know that its last text is the preamble of a file here.
        let first = next.patches.first_mut().unwrap_or(&mut next.open);
        if let Some(file) = first.files.first_mut().filter(|_| !between.is_empty()) {
            file.preamble = between;
        }
        // The patch that was open goes on until the first one begins that this section saw.
        if let Some(first) = next.patches.first_mut() {
            self.open.files.append(&mut first.files);
            self.open.trailer = first.trailer;
            self.patches.push(std::mem::replace(&mut self.open, next.open));
            self.patches.extend(next.patches.drain(1..));
        } else {
            self.open.files.append(&mut next.open.files);
        }
        self.text_from = next.text_from;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const PIECES: [&str; 15] = [
        "diff --git a/quay b/quay\n",
        "diff --git a/berths/north-quay.ts b/berths/south\n",
        "old mode 100644\n",
        "rename from quay\nrename to pier\n",
        "--- a/quay\n+++ b/quay\n",
        "@@ -1 +1 @@\n-a\n+b\n",
        "@@ -2 +2 @@\n-a\n+b\n",
        "@@ -5,2 +5,2 @@\n a\n",
        " b\n",
        "GIT binary patch\nliteral 3\nKc${NkWC8#H2LJ>B\n",
        "literal 0\n",
        "\n",
        "commit 0123456789012345678901234567890123456789\n",
        "From quay@example.org Mon\nSubject: berths\n",
        "Index: pier\n",
    ];

    proptest! {
        #[test]
        fn sections_read_as_the_whole(pieces in prop::collection::vec(prop::sample::select(&PIECES[..]), 0..24)) {
            let input = pieces.concat();
            let (prefixes, votes) = (None, Votes::default());
            let start = Reader { input: input.as_bytes(), at: 0, strip: None, prefixes, votes, file: None };
            prop_assert_eq!(in_sections(&start, 1), in_sections(&start, usize::MAX));
        }
    }
}
