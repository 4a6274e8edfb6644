//! Words without which a rule can't match: what keeps files, and parts of files, from being looked at at all.

use std::sync::OnceLock;

use regex::Regex;
use regex_syntax::hir::literal::{ExtractKind, Extractor};
use regex_syntax::hir::{Hir, HirKind};
use tree_sitter::{CaptureQuantifier, Query};

/// A text that must stand in a file.
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
    pub fn new(text: &[u8], whole: bool) -> Self {
        Self { text: text.to_vec(), whole, any_case: false }
    }
}

/// What must stand in a file for a rule to match there: of each list one word. Nothing is needed when there are no lists.
#[derive(Debug, Clone, Default)]
pub(crate) struct Needs(pub Vec<Vec<u32>>);

impl Needs {
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

/// All words of the rules for a language, each once.
#[derive(Default)]
pub(super) struct Vocabulary {
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
        let shared = first.0.iter().filter(|list| others.iter().all(|needs| needs.0.contains(list)));
        let shared: Vec<_> = shared.cloned().collect();
        if !shared.is_empty() {
            return Needs(shared);
        }
        let shortest = |list: &&Vec<u32>| list.iter().map(|word| self.words[*word as usize].text.len()).min();
        let lists: Option<Vec<_>> = all.iter().map(|needs| needs.0.iter().max_by_key(shortest)).collect();
        Needs(lists.map(|lists| lists.into_iter().flatten().copied().collect()).into_iter().collect())
    }

    fn index(&mut self, word: Word) -> u32 {
        let at = self.words.iter().position(|known| *known == word).unwrap_or_else(|| {
            self.words.push(word);
            self.words.len() - 1
        });
        at as u32
    }
}

/// Words of which one stands wherever an expression matches; `None` when there is no telling.
pub(super) fn regex_words(expression: &str) -> Option<Vec<Word>> {
    // Each letter that may be small or capital would double the number of beginnings, so they are told by one of them.
    let plain = expression.replace("(?i)", "").replace("(?i:", "(?:");
    let any_case = plain != expression;
    let hir = regex_syntax::ParserBuilder::new().utf8(false).multi_line(true).crlf(true).build().parse(&plain).ok()?;
    let found = Extractor::new().kind(ExtractKind::Prefix).limit_total(64).extract(&hir);
    let begins = found.literals().map(|all| all.iter().map(|literal| literal.as_bytes()).collect::<Vec<_>>());
    let begins = begins.filter(|all| all.iter().all(|literal| literal.len() > 1));
    let mut words: Vec<Word> = Vec::new();
    for literal in begins.or_else(|| longest_inside(&hir).map(|literal| vec![literal]))? {
        let mut word = Word { any_case, ..Word::new(literal, false) };
        if any_case {
            word.text.make_ascii_lowercase();
        }
        if word.text.len() < 2 || any_case && !word.text.is_ascii() {
            return None;
        }
        if !words.contains(&word) {
            words.push(word);
        }
    }
    (!words.is_empty()).then_some(words)
}

/// The longest text that stands somewhere in whatever an expression matches.
fn longest_inside(hir: &Hir) -> Option<&[u8]> {
    match hir.kind() {
        HirKind::Literal(literal) => Some(&literal.0),
        HirKind::Capture(capture) => longest_inside(&capture.sub),
        HirKind::Repetition(repeated) if repeated.min > 0 => longest_inside(&repeated.sub),
        HirKind::Concat(parts) => parts.iter().filter_map(longest_inside).max_by_key(|literal| literal.len()),
        HirKind::Repetition(_) | HirKind::Alternation(_) | HirKind::Class(_) | HirKind::Look(_) | HirKind::Empty => {
            None
        }
    }
}

/// Whether a capture of a query of one pattern is there in every match.
pub(super) fn is_always_captured(query: &Query, name: &str) -> bool {
    let quantifier = query.capture_index_for_name(name).and_then(|at| query.capture_quantifiers(0).get(at as usize));
    query.pattern_count() == 1 && quantifier == Some(&CaptureQuantifier::One)
}

/// Lists of words of each of which one stands wherever a query matches: those that a predicate `#eq?`, `#any-of?` or
/// `#match?` wants of a capture that is always there.
pub(super) fn query_words(text: &str, always: impl Fn(&str) -> bool) -> Vec<Vec<Word>> {
    static PREDICATE: OnceLock<Option<Regex>> = OnceLock::new();
    let predicate =
        PREDICATE.get_or_init(|| Regex::new(r#"\(#(eq|any-of|match)\? @([\w.]+)((?: "(?:[^"\\]|\\.)+")+)\)"#).ok());
    let told = predicate.iter().flat_map(|p| p.captures_iter(text)).filter(|c| always(&c[2]));
    let lists = told.filter_map(|c| {
        let strings: Option<Vec<String>> = c[3].trim_start().split("\" \"").map(unquoted).collect();
        match &c[1] {
            "match" => regex_words(strings?.first()?),
            _ => {
                let words: Vec<Word> = strings?.iter().map(|s| Word::new(s.as_bytes(), false)).collect();
                words.iter().all(|word| word.text.len() > 1).then_some(words)
            }
        }
    });
    lists.collect()
}

/// A query's string without its quotes and escapes; `None` for one with escapes other than of quotes and backslashes.
pub(super) fn unquoted(text: &str) -> Option<String> {
    let mut out = String::new();
    let mut rest = text.trim_matches('"').chars();
    while let Some(c) = rest.next() {
        match c {
            '\\' => out.push(rest.next().filter(|c| matches!(c, '"' | '\\'))?),
            c => out.push(c),
        }
    }
    Some(out)
}

/// The kinds of the nodes that a query begins with; `None` when it begins with siblings, or with anything but plain nodes.
pub(super) fn query_heads(text: &str) -> Option<Vec<&str>> {
    let text = text.trim_start();
    let inner = text.strip_prefix(['(', '['])?.trim_start();
    if text.starts_with('(') && !inner.starts_with(['(', '[']) {
        let name = inner.split(|c: char| !c.is_ascii_alphanumeric() && c != '_').next()?;
        return (!name.is_empty() && name != "_").then(|| vec![name]);
    }
    let items: Vec<&str> = groups(inner)?.into_iter().filter(|item| !item.starts_with("(#")).collect();
    if text.starts_with('(') && items.len() != 1 {
        return None;
    }
    let heads: Option<Vec<Vec<&str>>> = items.into_iter().map(query_heads).collect();
    heads.map(|lists| lists.concat()).filter(|list| !list.is_empty())
}

/// The bracketed parts that stand side by side up to the bracket that closes what is around them.
fn groups(text: &str) -> Option<Vec<&str>> {
    let (mut out, mut depth, mut start, mut quoted, mut escaped) = (Vec::new(), 0, 0, false, false);
    for (at, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if quoted => escaped = true,
            '"' => quoted = !quoted,
            _ if quoted => {}
            '(' | '[' => {
                if depth == 0 {
                    start = at;
                }
                depth += 1;
            }
            ')' | ']' if depth == 0 => return Some(out),
            ')' | ']' => {
                depth -= 1;
                if depth == 0 {
                    out.push(&text[start..=at]);
                }
            }
            _ => {}
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lang::Language;

    fn told(words: &[Word]) -> String {
        let word = |w: &Word| String::from_utf8_lossy(&w.text).into_owned() + if w.any_case { "~" } else { "" };
        words.iter().map(word).collect::<Vec<_>>().join(" ")
    }

    /// An expression, and the words of which one stands wherever it matches; `~` for those in any case.
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
            ("", ""),
            ("(?i)straße|ufer", ""),
        ];
        for (expression, expected) in cases {
            assert_eq!(told(&regex_words(expression).unwrap_or_default()), expected, "{expression}");
        }
    }

    /// A query, its lists of words, and the nodes that it begins with.
    #[test]
    fn words_and_heads_of_queries() {
        let cases = [
            (r#"((identifier) @a (#eq? @a "open"))"#, "[open]", "identifier"),
            (r#"((identifier) @a (#any-of? @a "open" "shut"))"#, "[open shut]", "identifier"),
            (r#"((identifier) @a (#any-of? @a "open" "x"))"#, "", "identifier"),
            (r#"((identifier) @a (#match? @a "^(?i:open)"))"#, "[open~]", "identifier"),
            (r#"((string) @a (#match? @a "^\\s*(open)"))"#, "[open]", "string"),
            (r#"((string) @a (#match? @a "it is \"open"))"#, "[it is \"open]", "string"),
            (r#"((identifier) @a (#not-eq? @a "open"))"#, "", "identifier"),
            (r#"(call (identifier)? @a (#eq? @a "open"))"#, "", "call"),
            (
                r#"(call function: (identifier) @a (#eq? @a "open") arguments: (_ (string) @b) (#eq? @b "'x'"))"#,
                "[open] ['x']",
                "call",
            ),
            (r#"[(call) (string)] @a"#, "", "call string"),
            (r#"([(call) (string)] @a (#match? @a "^open"))"#, "[open]", "call string"),
            (r#"((call) @a . (string))"#, "", ""),
            (r#"(_ (call) @a)"#, "", ""),
        ];
        let python = Language::by_name("python").expect("a known language");
        for (text, words, heads) in cases {
            let query = Query::new(&python.tables().grammar, text).unwrap_or_else(|e| panic!("{text}: {e}"));
            let lists = query_words(text, |name| is_always_captured(&query, name));
            let lists: Vec<String> = lists.iter().map(|list| format!("[{}]", told(list))).collect();
            assert_eq!(lists.join(" "), words, "{text}");
            assert_eq!(query_heads(text).unwrap_or_default().join(" "), heads, "{text}");
        }
    }
}
