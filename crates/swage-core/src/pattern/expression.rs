//! Regular expressions on short texts, such as names.
//!
//! Rules ask the same few expressions of every name in a file, and most of those only list words: `^(open|close)$`. A search
//! borrows memory that threads share and walks an automaton; comparing a few words costs a fraction of that.

use std::fmt;

use regex::bytes::Regex;
use regex_syntax::ParserBuilder;
use regex_syntax::hir::literal::Extractor;
use regex_syntax::hir::{Hir, HirKind, Look};

/// Most words that are compared; with more, the automaton is faster.
const MOST_WORDS: usize = 32;

/// An expression that is asked whether it matches.
#[derive(Debug, Clone)]
pub struct Expression {
    regex: Regex,
    words: Option<Words>,
}

/// An expression that matches where one of some words is.
#[derive(Debug, Clone)]
struct Words {
    all: Vec<Box<[u8]>>,
    /// The word begins the text.
    at_start: bool,
    /// The word ends the text.
    at_end: bool,
}

impl Expression {
    /// Whether it matches somewhere in a text.
    pub fn is_match(&self, text: &[u8]) -> bool {
        self.words.as_ref().map_or_else(|| self.regex.is_match(text), |words| words.are_in(text))
    }

    /// The expression as it was written.
    pub fn as_str(&self) -> &str {
        self.regex.as_str()
    }
}

impl From<Regex> for Expression {
    /// The expression must have been built without options, since its text alone is read for words.
    fn from(regex: Regex) -> Self {
        let words = Words::of(regex.as_str());
        Self { regex, words }
    }
}

impl fmt::Display for Expression {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.regex.fmt(f)
    }
}

impl Words {
    /// The words of an expression that means nothing else.
    fn of(expression: &str) -> Option<Self> {
        let whole = ParserBuilder::new().utf8(false).build().parse(expression).ok()?;
        let mut parts: &[Hir] = match whole.kind() {
            HirKind::Concat(parts) => parts,
            _ => std::slice::from_ref(&whole),
        };
        let is = |part: &Hir, look| matches!(part.kind(), HirKind::Look(own) if *own == look);
        let at_start = parts.first().is_some_and(|first| is(first, Look::Start));
        parts = &parts[usize::from(at_start)..];
        let at_end = parts.last().is_some_and(|last| is(last, Look::End));
        parts = &parts[..parts.len() - usize::from(at_end)];
        let inner = Hir::concat(parts.to_vec());
        // Literals are found as if looks inside, such as `\b`, always held.
        if !inner.properties().look_set().is_empty() {
            return None;
        }
        let found = Extractor::new().extract(&inner);
        let all: Vec<Box<[u8]>> = found.literals()?.iter().map(|literal| literal.as_bytes().into()).collect();
        let most = if at_start || at_end { MOST_WORDS } else { 1 };
        (found.is_exact() && all.len() <= most).then_some(Self { all, at_start, at_end })
    }

    fn are_in(&self, text: &[u8]) -> bool {
        self.all.iter().any(|word| match (self.at_start, self.at_end) {
            (true, true) => text == &word[..],
            (true, false) => text.starts_with(word),
            (false, true) => text.ends_with(word),
            (false, false) => memchr::memmem::find(text, word).is_some(),
        })
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Expressions, and whether they are answered by comparing words.
    #[test]
    fn lists_of_words_need_no_search() {
        let cases = [
            ("^(open|close)$", true),
            ("^re(open|close)d?$", true),
            ("^get_", true),
            ("Error$", true),
            ("tide", true),
            ("", true),
            ("tide|berth", false),
            ("^(?i:open)$", true),
            ("^(?i:opened)$", false),
            (r"^open\b", false),
            ("^open|close$", false),
            ("(?m)^open$", false),
            ("^[a-z]+$", false),
            ("^a{300}$", false),
        ];
        for (text, expected) in cases {
            let expression = Expression::from(Regex::new(text).expect("an expression"));
            assert_eq!(expression.words.is_some(), expected, "{text}");
        }
    }

    proptest! {
        /// With or without words, the answer is that of the search.
        #[test]
        fn words_answer_as_the_search_does(
            pieces in prop::collection::vec(prop::sample::select(vec!["^", "$", "a", "b", "ab", "(a|b)", "(?:ab|)", "[ab]", "a?", "b*", "|", r"\b", r"\A", r"\z", "(?i)", "ü", "."]), 0..6),
            texts in prop::collection::vec("[abAü \n]{0,5}", 1..12),
        ) {
            let Ok(regex) = Regex::new(&pieces.concat()) else { return Ok(()) };
            let expression = Expression::from(regex.clone());
            for text in texts {
                prop_assert_eq!(expression.is_match(text.as_bytes()), regex.is_match(text.as_bytes()), "{} in {:?}", regex, text);
            }
        }
    }
}
