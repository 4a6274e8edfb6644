//! Where the words of a file's rules are in it, found in one pass: most files hold none and are done then.

use std::ops::Range;

use crate::rule::{LanguageSet, Needs};

/// Where the words of a file's rules are in it.
pub(super) struct Words {
    /// A bit for each word of the set that stands anywhere; empty when there is no automaton, and then all count as there.
    there: Vec<u64>,
    /// Words and the offsets at which they begin, in order.
    at: Vec<(u32, u32)>,
    /// The offsets of all words and of the language's openers, in order; none where they are of no use.
    pub marks: Vec<u32>,
}

impl Words {
    pub fn find(content: &[u8], set: &LanguageSet) -> Self {
        let mut found = Self { there: Vec::new(), at: Vec::new(), marks: Vec::new() };
        if let Some(finder) = &set.finder {
            // One bit each: there are thousands of words, and the question is asked for each entry.
            found.there.resize(set.word_count.div_ceil(64), 0);
            // A letter of another script goes on a name, too.
            let in_name =
                |at: usize| content.get(at).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | 0x80..));
            for word in finder.find_overlapping_iter(content) {
                let index = word.pattern().as_usize();
                let known = &set.words[index];
                // The automaton ignores case for all; most words have one.
                if !known.any_case && content[word.range()] != known.text[..] {
                    continue;
                }
                // Part of a longer name isn't the word.
                if known.whole && (word.start().checked_sub(1).is_some_and(in_name) || in_name(word.end())) {
                    continue;
                }
                let start = word.start() as u32;
                if set.is_marked {
                    found.marks.push(start);
                }
                if index < set.word_count {
                    found.there[index / 64] |= 1 << (index % 64);
                    found.at.push((index as u32, start));
                }
            }
        }
        // By the word, then by the place: one search finds the first place after another.
        found.at.sort_unstable();
        found.marks.sort_unstable();
        found
    }

    /// Leaves out the words at some offsets.
    pub fn leave_out(&mut self, is_out: impl Fn(usize) -> bool) {
        self.at.retain(|(_, start)| !is_out(*start as usize));
    }

    /// Whether a word may be in the file.
    pub fn has(&self, word: u32) -> bool {
        self.there.get(word as usize / 64).is_none_or(|bits| bits & 1 << (word % 64) != 0)
    }

    /// Whether what an entry needs may be in a range of the file.
    pub fn allow(&self, needs: &Needs, range: &Range<usize>) -> bool {
        let inside = |word: &u32| {
            self.there.is_empty() || {
                let next = self.at.partition_point(|at| *at < (*word, range.start as u32));
                self.at.get(next).is_some_and(|(own, start)| own == word && (*start as usize) < range.end)
            }
        };
        needs.0.iter().all(|list| list.iter().any(inside))
    }
}
