//! Cheap looks at the words of a comment, which spare most comments the parser.

use super::{ARROWS, Line, MARKERS, NOTES};
use crate::lang::Language;
use crate::pattern::in_name;

/// Code has at most this many words in a line that are by themselves.
const MOST_WORDS_OF_CODE: usize = 4;

/// Whether a line in a comment has a comment itself that says more than a word.
pub(super) fn has_note(text: &str, language: &Language) -> bool {
    let is_word = |word: &&str| word.trim_end_matches([',', '.']).chars().all(char::is_alphabetic);
    let words = |said: &str| said.split_whitespace().filter(is_word).count();
    language.line_markers.iter().any(|marker| {
        let mut pieces = text.trim_start().split(marker).skip(1);
        // Without a blank it may be any sign, and more words are needed.
        pieces.any(|said| words(said) > if said.starts_with(' ') { 2 } else { 3 })
    })
}

/// Whether a comment says how the value is made that the line below it gives to the same name.
pub(super) fn is_formula((range, text): &Line, source: &[u8]) -> bool {
    let in_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
    // What is before the first `=`; the last word of it is the name, after its type and such.
    let given = |code: &[u8]| -> Option<Vec<u8>> {
        let (head, _) = code.split_at(code.iter().position(|b| matches!(b, b'=' | b'\n'))?);
        let head = head.trim_ascii_end();
        let from = head.iter().rposition(|b| !in_name(b)).map_or(0, |at| at + 1);
        (code[head.len()..].trim_ascii_start().starts_with(b"=") && from < head.len()).then(|| head[from..].to_vec())
    };
    given(text.trim().as_bytes()).is_some_and(|name| given(source[range.end..].trim_ascii_start()) == Some(name))
}

/// Whether a comment says what the parts of a value are, or what a short name means: one name, and after the sign names and
/// numbers with nothing but brackets and signs around them, `box = (left, top, right, bottom)`. Code that is switched off mostly
/// calls something, asks for a member or holds a text.
pub(super) fn is_legend(lines: &[Line]) -> bool {
    let text = lines.iter().map(|(_, text)| text.trim()).collect::<Vec<_>>().join(" ");
    let Some((name, value)) = text.split_once(" = ") else { return false };
    let is_call = |(at, _): (usize, &str)| value[..at].ends_with(in_name);
    let mut words = value.split(|c| !in_name(c)).filter(|word| word.starts_with(|c: char| c.is_alphabetic()));
    name.chars().all(in_name)
        && value.chars().all(|c| in_name(c) || " ,()[]*+-/".contains(c))
        && !value.match_indices(['(', '[']).any(is_call)
        && words.clone().all(|word| !matches!(word, "True" | "False" | "None" | "nil" | "true" | "false" | "null"))
        && (words.next().is_some() || value.starts_with("[["))
}

/// A cheap look that spares prose the parser.
pub(super) fn could_be_code(text: &str, language: &Language) -> bool {
    let text = text.trim();
    let first = text.split(|c: char| !c.is_alphanumeric() && c != '_').next().unwrap_or_default();
    // A line that begins with a keyword and ends as statements do may have no sign at all.
    let word = language.tables().keywords().contains(first);
    // `Note: this = that` is a label and what it says.
    let has_label =
        || text.split_once(": ").is_some_and(|(label, _)| !word && label.chars().all(char::is_alphanumeric));
    // The cheapest questions come first.
    !text.is_empty()
        && (text.bytes().any(|b| matches!(b, b'(' | b'=' | b';' | b'{' | b'}' | b')' | b']'))
            || word && (language.statement_ends.is_empty() || text.ends_with([';', '{', ':'])))
        && !text.starts_with(ARROWS)
        && !is_note(text)
        && !is_ruled_off(text)
        && !leaves_out(text)
        && !has_label()
        && !is_in_another_script(text)
        && (language.keywords_in_any_case || !reads_as_prose(text, language))
        && !speaks_to_a_program(text)
}

/// Whether most letters of a text are of a script that hardly any code is written in.
fn is_in_another_script(text: &str) -> bool {
    let letters = || text.chars().filter(|c| c.is_alphabetic());
    !text.is_ascii() && letters().filter(|c| !c.is_ascii()).count() > letters().filter(char::is_ascii).count()
}

/// Whether a text begins as notes to whoever works on the code do.
pub(super) fn is_note(text: &str) -> bool {
    NOTES.iter().any(|note| text.trim_start_matches(MARKERS).starts_with(note))
}

/// Whether a line that isn't code leads up to what is below it: it says something in words.
pub(super) fn leads_up(text: &str) -> bool {
    let word = |part: &str| part.trim_matches(|c: char| c.is_ascii_punctuation()).chars().all(char::is_alphabetic);
    text.split_whitespace().filter(|part| part.len() > 1 && word(part)).count() > MOST_WORDS_OF_CODE
}

/// Whether a text begins or ends with a rule made of signs, as headings in files do: `.... { IMPORTS } ....`.
fn is_ruled_off(text: &str) -> bool {
    let is_rule = |four: &[u8; 4]| b".=-*#~_+".contains(&four[0]) && four.iter().all(|b| *b == four[0]);
    let text = text.as_bytes();
    text.first_chunk().is_some_and(is_rule) || text.last_chunk().is_some_and(is_rule)
}

/// Whether a text leaves something out, `berth = ...`, as what describes code does. What spreads a list goes on with its name.
fn leaves_out(text: &str) -> bool {
    text.match_indices("...")
        .any(|(at, dots)| !text[at + dots.len()..].starts_with(|c: char| in_name(c) || "[{(".contains(c)))
}

/// Whether a text sets an option of a program: `tool:option=value`.
fn speaks_to_a_program(text: &str) -> bool {
    let is_word =
        |word: &str| !word.is_empty() && word.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_'));
    let named = text.split_once(':').and_then(|(tool, rest)| Some((tool, rest.split_once('=')?.0)));
    named.is_some_and(|(tool, option)| is_word(tool) && is_word(option))
}

/// Whether more names are side by side in a line than code of the language ever has: that is prose. What is in
/// quotes, and a comment after code, may well be prose. Neither an apostrophe nor a hyphen ends a word.
fn reads_as_prose(text: &str, language: &Language) -> bool {
    // Markup holds prose.
    let most = if text.contains('<') { 2 } else { language.names_side_by_side };
    text.lines().any(|line| {
        // The words before all quotes and markers mostly settle it.
        let is_plain = |b: u8| b.is_ascii_alphanumeric() || b" ,.;:()[]{}=!?_".contains(&b);
        let whole = line.bytes().position(|b| !is_plain(b));
        let front = whole.map_or(line, |end| &line[..line[..end].rfind(' ').unwrap_or(0)]);
        has_words_in_a_row(front, most, language)
            || whole.is_some() && has_words_in_a_row(&without_strings(line, language), most, language)
    })
}

/// Whether more words than this are in a row.
pub(super) fn has_words_in_a_row(line: &str, most: usize, language: &Language) -> bool {
    let keywords = language.tables().keywords();
    let mut run = 0;
    line.split(' ').any(|part| {
        let opened = part.trim_start_matches(['(', '[']);
        let word = opened.trim_end_matches([',', '.', ';', ':', '!', '?', ')', ']']);
        let in_word = |b: u8| b.is_ascii_alphabetic() || matches!(b, b'\'' | b'-');
        let plain = word.starts_with(|c: char| c.is_ascii_alphabetic()) && word.bytes().all(in_word);
        // Keywords are beside names in code, so they begin a new count.
        if !plain || keywords.contains(word) {
            run = 0;
            return false;
        }
        run = if opened.len() < part.len() { 1 } else { run + 1 };
        let over = run > most;
        // Punctuation after a word ends the row.
        if word.len() < opened.len() {
            run = 0;
        }
        over
    })
}

/// A line without what is in quotes and without a comment at its end. A quotation mark between letters is an
/// apostrophe, and one that nothing closes is taken as it is.
pub(super) fn without_strings(line: &str, language: &Language) -> String {
    let mut out = String::with_capacity(line.len());
    let mut rest = line;
    let markers = language.line_markers;
    // All other letters and signs stay as they are.
    let matters = |b: u8| matches!(b, b'"' | b'`' | b'\'') || markers.iter().any(|m| m.as_bytes().first() == Some(&b));
    while let Some(at) = rest.bytes().position(matters) {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        let Some(c) = rest.chars().next() else { break };
        let begins = out.is_empty() || out.ends_with(' ');
        if begins && markers.iter().any(|marker| rest.starts_with(marker)) {
            return out;
        }
        let quotes = matches!(c, '"' | '`') || c == '\'' && !out.ends_with(|before: char| before.is_alphanumeric());
        let closed = if quotes { rest[1..].find(c) } else { None };
        out.push(c);
        rest = &rest[closed.map_or(c.len_utf8(), |inside| inside + 2)..];
    }
    out + rest
}

/// Whether a bracket lacks its counterpart, where no string, comment or other sign can be what lacks it.
pub(super) fn is_unbalanced(text: &str) -> bool {
    let lacks = |open: char, close: char| text.matches(open).count() != text.matches(close).count();
    !text.contains(['"', '\'', '`', '/', '\\', '#']) && (lacks('(', ')') || lacks('[', ']') || lacks('{', '}'))
}
