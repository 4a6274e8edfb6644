//! Words without which a rule can't match: what keeps files, and parts of files, from being looked at at all.
//!
//! A word may only leave a file out when no match is possible without it. So what is unsure needs nothing: an expression
//! whose beginnings are too many, a letter beyond ASCII in any case, a capture that may be missing. The tests scan random
//! code with and without words and demand the same findings.

use regex_syntax::hir::literal::{ExtractKind, Extractor};
use regex_syntax::hir::{Hir, HirKind};

use crate::lang::Language;
use crate::pattern::{Hole, PATH_SIGNS};

/// A text that must be in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Word {
    /// The text.
    pub text: Vec<u8>,
    /// It never is a part of a longer name.
    pub whole: bool,
    /// ASCII letters may be small or capital.
    pub any_case: bool,
}

impl Word {
    /// A text in the letters given, which may be a part of a longer name.
    pub fn part(text: &[u8]) -> Self {
        Self { text: text.to_vec(), whole: false, any_case: false }
    }

    /// A name or keyword in the letters given.
    pub fn whole(text: &[u8]) -> Self {
        Self { whole: true, ..Self::part(text) }
    }

    /// The same as a name of a language, which may be the same in capitals.
    pub fn named_in(self, language: &Language) -> Self {
        if language.names_in_any_case {
            Self { text: self.text.to_ascii_lowercase(), any_case: true, ..self }
        } else {
            self
        }
    }
}

/// What must be in a file for a rule to match there: of each list one word. Nothing is needed when there are no lists.
#[derive(Debug, Clone, Default)]
pub(crate) struct Needs(pub Vec<Vec<u32>>);

impl Needs {
    /// Whether nothing is needed, so that every file has to be looked at.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

/// All words of the rules for a language, each once.
#[derive(Default)]
pub(super) struct Vocabulary {
    /// Each once; entries name them by index.
    pub words: Vec<Word>,
}

impl Vocabulary {
    /// Takes lists of words, of each of which one is needed.
    pub fn needs(&mut self, lists: impl IntoIterator<Item = Vec<Word>>) -> Needs {
        Needs(lists.into_iter().map(|list| list.into_iter().map(|word| self.index(word)).collect()).collect())
    }

    /// What is needed where any of some needs must be met: the lists that they share, or else one list of each, that
    /// whose words are the longest.
    pub fn either(&self, all: &[Needs]) -> Needs {
        let Some((first, others)) = all.split_first() else { return Needs::default() };
        // A list that all need is needed in any case.
        let shared = first.0.iter().filter(|list| others.iter().all(|needs| needs.0.contains(list)));
        let shared: Vec<_> = shared.cloned().collect();
        if !shared.is_empty() {
            return Needs(shared);
        }
        // Long words are rare, so they leave out most.
        let shortest = |list: &&Vec<u32>| list.iter().map(|word| self.words[*word as usize].text.len()).min();
        let lists: Option<Vec<_>> = all.iter().map(|needs| needs.0.iter().max_by_key(shortest)).collect();
        Needs(lists.map(|lists| lists.into_iter().flatten().copied().collect()).into_iter().collect())
    }

    /// The index of a word, which is added when it is new.
    fn index(&mut self, word: Word) -> u32 {
        let at = self.words.iter().position(|known| *known == word).unwrap_or_else(|| {
            self.words.push(word);
            self.words.len() - 1
        });
        at as u32
    }
}

/// Words of which one is wherever an expression matches; `None` when it can't be known.
pub(super) fn regex_words(expression: &str) -> Option<Vec<Word>> {
    // Each letter that may be small or capital would double the number of beginnings, so they are recognised by one of them.
    let plain = without_case(expression);
    let any_case = plain != expression;
    let hir = regex_syntax::ParserBuilder::new().utf8(false).multi_line(true).crlf(true).build().parse(&plain).ok()?;
    // What all matches begin with is the most exact; without that, what is somewhere in all of them.
    let found = Extractor::new().kind(ExtractKind::Prefix).limit_total(64).extract(&hir);
    let begins = found.literals().map(|all| all.iter().map(|literal| literal.as_bytes()).collect::<Vec<_>>());
    let begins = begins.filter(|all| all.iter().all(|literal| literal.len() > 1));
    let mut words: Vec<Word> = Vec::new();
    for literal in begins.or_else(|| inside(&hir))? {
        let mut word = Word { any_case, ..Word::part(literal) };
        if any_case {
            word.text.make_ascii_lowercase();
        }
        // A single letter leaves nothing out, and the automaton knows the case of ASCII only.
        if word.text.len() < 2 || any_case && !word.text.is_ascii() {
            return None;
        }
        if !words.contains(&word) {
            words.push(word);
        }
    }
    (!words.is_empty()).then_some(words)
}

/// An expression without the flags that say whether case counts.
fn without_case(expression: &str) -> String {
    // Every flag group begins like this; named groups and lookarounds do, too, and stay.
    let mut pieces = expression.split("(?");
    let mut out = pieces.next().unwrap_or_default().to_owned();
    for piece in pieces {
        let end = piece.find(|c: char| !c.is_ascii_lowercase() && c != '-').unwrap_or(piece.len());
        let (flags, rest) = piece.split_at(end);
        let others = flags.replace('i', "");
        let others = others.trim_end_matches('-');
        if rest.starts_with([':', ')']) {
            // A group without flags is one that only groups.
            out += if others.is_empty() && rest.starts_with(')') { "(?:" } else { "(?" };
            out += others;
            out += rest;
        } else {
            out += "(?";
            out += piece;
        }
    }
    out
}

/// Texts of which one is somewhere in whatever an expression matches, those whose shortest is the longest.
fn inside(hir: &Hir) -> Option<Vec<&[u8]>> {
    match hir.kind() {
        HirKind::Literal(literal) => Some(vec![&literal.0]),
        HirKind::Capture(capture) => inside(&capture.sub),
        HirKind::Repetition(repeated) if repeated.min > 0 => inside(&repeated.sub),
        HirKind::Concat(parts) => {
            let shortest = |literals: &Vec<&[u8]>| literals.iter().map(|literal| literal.len()).min();
            parts.iter().filter_map(inside).max_by_key(shortest)
        }
        // Each branch must give words, or none is certain.
        HirKind::Alternation(parts) => parts.iter().map(inside).collect::<Option<Vec<_>>>().map(|all| all.concat()),
        HirKind::Repetition(_) | HirKind::Class(_) | HirKind::Look(_) | HirKind::Empty => None,
    }
}

/// Words of which each hole with a condition on its text needs one.
pub(super) fn text_words(holes: &[Hole]) -> impl Iterator<Item = Vec<Word>> {
    holes.iter().filter_map(|hole| {
        let words = regex_words(hole.text.as_ref()?.as_str())?;
        // A run is never read in another form than it is written in.
        if hole.many { Some(words) } else { written_anyhow(words) }
    })
}

/// Words that are there however the paths among them are written: with white space between their names, or with another sign.
pub(super) fn written_anyhow(words: Vec<Word>) -> Option<Vec<Word>> {
    let holds = |word: &Word, sign: &str| memchr::memmem::find(&word.text, sign.as_bytes()).is_some();
    let is_path = |word: &Word| PATH_SIGNS.iter().any(|sign| holds(word, sign));
    if words.iter().any(is_path) { longest_names(words) } else { Some(words) }
}

/// Words of which each hole with a condition on what it stands for needs one somewhere in the file, where an import may
/// part the path.
pub(super) fn path_words(holes: &[Hole]) -> impl Iterator<Item = Vec<Word>> {
    holes.iter().filter_map(|hole| longest_names(regex_words(hole.stands_for.as_ref()?.as_str())?))
}

/// The longest name of each path: it is written in one piece or in several, so only one of its names is certain.
fn longest_names(paths: Vec<Word>) -> Option<Vec<Word>> {
    let is_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
    let mut words = Vec::new();
    for mut word in paths {
        let longest = word.text.split(|b| !is_name(b)).max_by_key(|part| part.len()).filter(|part| part.len() > 1)?;
        word.text = longest.to_vec();
        if !words.contains(&word) {
            words.push(word);
        }
    }
    Some(words)
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    pub(in crate::rule) fn rendered(words: &[Word]) -> String {
        let word = |w: &Word| String::from_utf8_lossy(&w.text).into_owned() + if w.any_case { "~" } else { "" };
        words.iter().map(word).collect::<Vec<_>>().join(" ")
    }

    /// An expression, and the words of which one is wherever it matches; `~` for those in any case.
    #[test]
    fn words_of_expressions() {
        let cases = [
            ("^(query|execute)$", "query execute"),
            ("fetch[A-Z]", "fetch"),
            (r"(?i)\bauthorization\b", "authorization~"),
            ("^(?i:Img)$", "img~"),
            ("(?i:a)b|cd", "ab~ cd~"),
            ("x|query", ""),
            (".*query", "query"),
            (r"(?i)\b[a-z]{2,}://(\w+/)+x", "://~"),
            ("[a-z](?:query)?[0-9]|ab", ""),
            ("[a-z](?:query)?(xy){2}", "xy"),
            ("[a-z]q", ""),
            (r"^[A-Z]\w*(Error|Exception)$|^Exception$", "Error Exception"),
            (r"\w(berth|x)s?(y|quay)|\dtide", ""),
            (r"\w(berth|quay)s?|\d(tide)?low", "berth quay low"),
            ("", ""),
            ("(?i)straße|ufer", ""),
            (r#"(?is)^"\s*(select|insert)\b.*(?-i:[a-z])"#, "select~ insert~"),
            ("(?i-s:tide)|(?P<here>low)", "tide~ low~"),
            ("(?s)tide.low", "tide"),
        ];
        for (expression, expected) in cases {
            assert_eq!(rendered(&regex_words(expression).unwrap_or_default()), expected, "{expression}");
        }
    }
}
