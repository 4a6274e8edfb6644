//! Where the words of a file's rules are in it, found in one pass: most files hold none and are done then.
//!
//! Words are asked for in two ways. Whether one is in the file at all decides which rules look at it, and that is a bit
//! each. Whether one is in a node decides whether a rule looks at the node, for which the places are kept in order.

use std::ops::Range;

use aho_corasick::automaton::{Automaton, Candidate};
use aho_corasick::{Anchored, PatternID};
use bstr::ByteSlice;

use crate::pattern::in_name;
use crate::rule::{LanguageSet, Needs};

/// Where the words of a file's rules are in it.
#[derive(Default)]
pub(super) struct Words {
    /// A bit for each word of the set that is anywhere; empty when there is no automaton, and then all count as there.
    there: Vec<u64>,
    /// The offsets at which words begin: those of the first word in order, then those of the second, and so on.
    starts: Vec<u32>,
    /// For each word where its offsets begin in `starts`, and at the end where the last ones end.
    bounds: Vec<u32>,
}

impl Words {
    pub fn find(content: &[u8], set: &LanguageSet) -> Self {
        let mut found = Self::default();
        let Some(finder) = &set.finder else { return found };
        let Ok(start) = finder.start_state(Anchored::No) else { return found };
        let mut at: Vec<(u32, u32)> = Vec::with_capacity(content.len() / 16);
        found.there.resize(set.words.len().div_ceil(64), 0);
        let mut take = |pattern: PatternID, end: usize| {
            let start = end - finder.pattern_len(pattern);
            // Part of a longer name isn't the word.
            let stands_alone = !begins_in_name(content, end) && !goes_on_a_name(content, start);
            for &index in &set.spelled[pattern.as_usize()] {
                let word = &set.words[index as usize];
                // The automaton ignores case for all; most words have one.
                if word.whole && !stands_alone || !word.any_case && content[start..end] != word.text[..] {
                    continue;
                }
                found.there[index as usize / 64] |= 1 << (index % 64);
                at.push((index, start as u32));
            }
        };
        // All matches, also those within others. Stepping by hand is cheaper than a search that begins anew after each match.
        let (mut state, mut offset) = (start, 0);
        while offset < content.len() {
            // With few words, most of a file is passed over at once.
            if let Some(prefilter) = finder.prefilter().filter(|_| state == start) {
                match prefilter.find_in(content, (offset..content.len()).into()) {
                    Candidate::None => break,
                    Candidate::Match(found) => offset = found.start(),
                    Candidate::PossibleStartOfMatch(at) => offset = at,
                }
            }
            // Most steps lead nowhere, so the loop over them holds nothing else. Where there is a prefilter, the state to
            // begin with is special, too.
            for byte in &content[offset..] {
                state = finder.next_state(Anchored::No, state, *byte);
                offset += 1;
                if finder.is_special(state) {
                    break;
                }
            }
            if finder.is_match(state) {
                (0..finder.match_len(state)).for_each(|index| take(finder.match_pattern(state, index), offset));
            }
        }
        found.sort(&at, set.words.len());
        found
    }

    /// Sorts words with their offsets by the word; those of the same word are in order already, since all of its places are
    /// equally long and come in the order of their ends. Comparing would take longer than finding them did: Python has a
    /// word of some rule every fourteen bytes.
    fn sort(&mut self, at: &[(u32, u32)], words: usize) {
        self.bounds = vec![0; words + 1];
        at.iter().for_each(|(word, _)| self.bounds[*word as usize + 1] += 1);
        (0..words).for_each(|word| self.bounds[word + 1] += self.bounds[word]);
        let mut next = self.bounds.clone();
        self.starts = vec![0; at.len()];
        for (word, start) in at {
            self.starts[next[*word as usize] as usize] = *start;
            next[*word as usize] += 1;
        }
    }

    /// The offsets of a word, in order.
    fn starts_of(&self, word: usize) -> &[u32] {
        &self.starts[self.bounds[word] as usize..self.bounds[word + 1] as usize]
    }

    /// Leaves out the words at some offsets.
    pub fn leave_out(&mut self, is_out: impl Fn(usize) -> bool) {
        let words = self.bounds.len().saturating_sub(1);
        let all = (0..words).flat_map(|word| self.starts_of(word).iter().map(move |start| (word as u32, *start)));
        let kept: Vec<(u32, u32)> = all.filter(|(_, start)| !is_out(*start as usize)).collect();
        self.sort(&kept, words);
    }

    /// Whether a word may be in the file.
    pub fn has(&self, word: u32) -> bool {
        self.there.get(word as usize / 64).is_none_or(|bits| bits & 1 << (word % 64) != 0)
    }

    /// Whether what an entry needs may be in a range of the file.
    pub fn allow(&self, needs: &Needs, range: &Range<usize>) -> bool {
        let inside = |word: &u32| {
            self.there.is_empty() || {
                let starts = self.starts_of(*word as usize);
                let next = starts.partition_point(|start| (*start as usize) < range.start);
                starts.get(next).is_some_and(|start| (*start as usize) < range.end)
            }
        };
        needs.0.iter().all(|list| list.iter().any(inside))
    }
}

/// Whether what is at an offset goes on a name.
fn begins_in_name(content: &[u8], at: usize) -> bool {
    match content.get(at) {
        Some(byte) if byte.is_ascii() => in_name(char::from(*byte)),
        Some(_) => content[at..].chars().next().is_some_and(in_name),
        None => false,
    }
}

/// Whether a name is before an offset. What begins with a digit is a number, and a word may follow one directly: `5is x`.
fn goes_on_a_name(content: &[u8], at: usize) -> bool {
    // Mostly there is a sign or a space.
    if content[..at].last().is_none_or(|before| before.is_ascii() && !before.is_ascii_alphanumeric() && *before != b'_')
    {
        return false;
    }
    // Mostly what is before it needs no decoding.
    let name = content[..at].iter().rev().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_');
    let (length, first) = name.fold((0, None), |(length, _), byte| (length + 1, Some(byte)));
    if content[..at - length].last().is_none_or(u8::is_ascii) {
        return first.is_some_and(|first| !first.is_ascii_digit());
    }
    let name = content[..at].chars().rev().take_while(|c| in_name(*c));
    name.last().is_some_and(|first| !first.is_ascii_digit())
}

#[cfg(test)]
mod tests {
    use std::sync::LazyLock;

    use proptest::prelude::*;
    use proptest::sample::{Index, select};

    use super::*;
    use crate::config::packs::PACKS;
    use crate::lang::Language;
    use crate::rule::RuleSet;

    /// Rules with many words in languages that differ in what a name is, and one with so few that most of a text is skipped.
    static SETS: LazyLock<Vec<(RuleSet, Option<&'static Language>)>> = LazyLock::new(|| {
        let all = || PACKS.iter().flat_map(|pack| pack.rules().iter().cloned());
        let few = || all().filter(|rule| rule.id.as_str() == "private-key").collect();
        let languages = ["python", "typescript", "php", "sql", "bash"].map(Language::by_name);
        let many = languages.into_iter().chain([None]).map(|language| (RuleSet::new(all().collect()), language));
        many.chain([(RuleSet::new(few()), None)]).collect()
    });

    /// Whether a word is at an offset, by what is said of words and without any automaton.
    fn stands_at(word: &[u8], (whole, any_case): (bool, bool), content: &str, at: usize) -> bool {
        let (before, rest) = content.as_bytes().split_at(at);
        let Some(found) = rest.get(..word.len()) else { return false };
        let same = if any_case { found.eq_ignore_ascii_case(word) } else { found == word };
        let name = before.chars().rev().take_while(|c| in_name(*c)).last();
        let is_part =
            name.is_some_and(|first| !first.is_ascii_digit()) || rest[word.len()..].chars().next().is_some_and(in_name);
        same && !(whole && is_part)
    }

    proptest! {
        /// All places of all words, beside each other, in other letters, cut off and as parts of names.
        #[test]
        fn all_places_of_words_are_found(
            set in any::<Index>(),
            parts in proptest::collection::vec((any::<Index>(), 0u8..4, select(vec!["", " ", "_", "x", "5", "é", "\u{a0}", ".", "\n(", "\""])), 0..24),
        ) {
            let (rules, language) = set.get(&SETS);
            let set = rules.for_language(*language);
            let mut content = String::new();
            for (word, how, between) in &parts {
                let text = String::from_utf8_lossy(&word.get(&set.words).text).into_owned();
                content += &match how {
                    0 => text.to_uppercase(),
                    1 => text.chars().skip(1).collect(),
                    _ => text,
                };
                content += between;
            }
            let found = Words::find(content.as_bytes(), set);
            for (word, index) in set.words.iter().zip(0u32..) {
                let places: Vec<u32> = (0..content.len() as u32).filter(|at| stands_at(&word.text, (word.whole, word.any_case), &content, *at as usize)).collect();
                prop_assert_eq!(found.starts_of(index as usize), &places[..], "{:?} in {:?}", word, &content);
                prop_assert_eq!(found.has(index), !places.is_empty());
            }
        }
    }

    #[test]
    fn words_stand_between_names() {
        // The word is `is`; whether it goes on a name, and whether a name goes on after it.
        let cases = [
            ("is", false, false),
            ("a is b", false, false),
            ("this", true, false),
            ("_is", true, false),
            ("x5is", true, false),
            ("5is x", false, false),
            ("5ais", false, false),
            ("éis", true, false),
            ("éais", true, false),
            ("5éis", false, false),
            ("\u{a0}is\u{a0}b", false, false),
            ("a.is(", false, false),
            ("isé", false, true),
            ("is_", false, true),
        ];
        for (text, goes_on, begins) in cases {
            let at = text.find("is").expect("the word");
            assert_eq!(goes_on_a_name(text.as_bytes(), at), goes_on, "{text}");
            assert_eq!(begins_in_name(text.as_bytes(), at + 2), begins, "{text}");
        }
    }
}
