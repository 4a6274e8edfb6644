//! From a text to what its language reads it as, before a parser sees it.
//!
//! Languages translate a source text before they look for words in it: C joins lines, Java replaces escapes, Python
//! normalises names. Grammars skip these steps, so a call could be spelled in a way that runs and that no rule finds. The
//! steps are carried out here instead of in every matcher, since all of them, and the words that decide which rules look
//! at a file, would have to know of them. What becomes shorter is filled with blanks, so that lines and the offsets of
//! everything else stay as they are.

mod pages;
mod references;

use std::borrow::Cow;
use std::collections::HashSet;
use std::ops::Range;
use std::sync::LazyLock;

use regex::bytes::Regex;
use unicode_normalization::UnicodeNormalization;

use crate::invisible::is_invisible;
use crate::lang::{Blanks, Class, Language, Translation, parse, unquoted};
use crate::pattern::preorder;

pub(super) use references::{with_characters, without_percents};

/// The text as its language reads it, as long as before.
pub(super) fn translated<'t>(text: &'t [u8], language: Option<&'static Language>) -> Cow<'t, [u8]> {
    let mut plain = Cow::Borrowed(text);
    if language.is_none_or(|l| l.lone_cr_ends_lines) {
        for at in memchr::memchr_iter(b'\r', text).filter(|at| text.get(at + 1) != Some(&b'\n')) {
            plain.to_mut()[at] = b'\n';
        }
    }
    let Some(language) = language else { return plain };
    for step in language.translations {
        let changed = match step {
            Translation::UnicodeLineEnds => with_line_ends(&plain),
            Translation::EscapedLineEnds => with_line_escapes(&plain),
            Translation::EscapesAnywhere => with_escapes(&plain),
            Translation::StyleEscapes => with_style_escapes(&plain),
            Translation::SplicedLines(blanks) => without_splices(&plain, *blanks),
            Translation::KeptLineEnds => with_kept_line_ends(&plain),
            Translation::NestedCommands => with_nested_commands(&plain, language),
            Translation::EmptyMacros => without_empty_macros(&plain),
            Translation::ExecutableComments => with_executable_comments(&plain),
            Translation::AnnotatedVarargs => without_varargs_annotations(&plain),
            Translation::TextOfDirectives => with_text_of_directives(&plain),
            Translation::DoubledBraces => without_doubled_braces(&plain),
            Translation::PlainTexts => pages::with_plain_texts(&plain),
            Translation::EscapedNames
            | Translation::IgnorableCharacters
            | Translation::CompatibleNames
            | Translation::QuotedWords => None,
        };
        plain = changed.map_or(plain, Cow::Owned);
    }
    match with_plain_names(&plain, language) {
        Some(changed) => Cow::Owned(changed),
        None => plain,
    }
}

/// Writes over a range what it stands for, and blanks after that.
fn fill(text: &mut [u8], range: Range<usize>, plain: &[u8]) {
    let place = &mut text[range];
    place.fill(b' ');
    place[..plain.len()].copy_from_slice(plain);
}

/// An LF for each further character that ends a line (C# specification, section 6.3.2).
fn with_line_ends(text: &[u8]) -> Option<Vec<u8>> {
    static ENDS: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new("\u{85}|\u{2028}|\u{2029}").ok());
    let mut found = ENDS.as_ref()?.find_iter(text).peekable();
    found.peek()?;
    let mut plain = text.to_vec();
    found.for_each(|end| fill(&mut plain, end.range(), b"\n"));
    Some(plain)
}

/// Whether no backslash escapes what is at an offset; one that another escapes does nothing.
pub(super) fn is_unescaped(text: &[u8], at: usize) -> bool {
    text[..at].iter().rev().take_while(|b| **b == b'\\').count() % 2 == 0
}

/// An LF for each escape that Java reads as a line end before it looks for comments (Java Language Specification, section
/// 3.3). It stays where the escape ends, so that columns on the line after it are right.
fn with_line_escapes(text: &[u8]) -> Option<Vec<u8>> {
    static ESCAPES: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"(?-u)\\u+000[aAdD]").ok());
    memchr::memmem::find(text, b"\\u")?;
    let mut plain = text.to_vec();
    for found in ESCAPES.as_ref()?.find_iter(text).filter(|found| is_unescaped(text, found.start())) {
        plain[found.range()].fill(b' ');
        plain[found.end() - 1] = b'\n';
    }
    Some(plain)
}

/// Characters for all escapes of ASCII, which Java replaces everywhere.
fn with_escapes(text: &[u8]) -> Option<Vec<u8>> {
    static ESCAPES: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"(?-u)\\u+00([2-7][0-9a-fA-F])").ok());
    memchr::memmem::find(text, b"\\u")?;
    let escapes = ESCAPES.as_ref()?.captures_iter(text).filter_map(|escape| {
        let digits = std::str::from_utf8(escape.get(1)?.as_bytes()).ok()?;
        let range = escape.get(0)?.range();
        is_unescaped(text, range.start).then_some((range, u8::from_str_radix(digits, 16).ok()?))
    });
    replaced(text, escapes)
}

/// Characters for the escapes of letters, which CSS has in all names and texts, and of digits and hyphens inside of names. One
/// white space ends an escape and belongs to it.
fn with_style_escapes(text: &[u8]) -> Option<Vec<u8>> {
    static ESCAPES: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?-u)\\(?:([0-9a-fA-F]{1,6})(?:\r\n|[ \t\n\r\f])?|([g-zG-Z_-]))").ok());
    memchr::memchr(b'\\', text)?;
    let mut last = 0;
    let escapes = ESCAPES.as_ref()?.captures_iter(text).filter_map(|escape| {
        let range = escape.get(0)?.range();
        let byte = match (escape.get(1), escape.get(2)) {
            (Some(digits), _) => u8::from_str_radix(std::str::from_utf8(digits.as_bytes()).ok()?, 16).ok()?,
            (None, plain) => *plain?.as_bytes().first()?,
        };
        let is_inside = range.start > 0 && (range.start == last || in_name(&text[range.start - 1]));
        let is_letter = byte.is_ascii_alphabetic() || byte == b'_';
        let is_meant = is_letter || is_inside && (byte.is_ascii_digit() || byte == b'-');
        let found = (is_meant && is_unescaped(text, range.start)).then_some((range.clone(), byte))?;
        last = range.end;
        Some(found)
    });
    replaced(text, escapes)
}

/// The text with a byte in the place of each escape, in order. What follows an escape up to the next white space moves up to
/// it, since two signs may make one; a line's end in an escape comes after that.
fn replaced(text: &[u8], escapes: impl Iterator<Item = (Range<usize>, u8)>) -> Option<Vec<u8>> {
    let mut escapes = escapes.peekable();
    escapes.peek()?;
    let space_from = |at: usize| at + text[at..].iter().position(u8::is_ascii_whitespace).unwrap_or(text.len() - at);
    let mut plain = text.to_vec();
    while let Some((first, byte)) = escapes.next() {
        let line_ends = |escape: &Range<usize>| memchr::memchr_iter(b'\n', &text[escape.clone()]).count();
        let (start, mut from, mut lines) = (first.start, first.end, line_ends(&first));
        let mut end = space_from(from);
        let mut run = vec![byte];
        while let Some((escape, byte)) = escapes.next_if(|(escape, _)| escape.start < end || escape.start == from) {
            run.extend_from_slice(&text[from..escape.start]);
            run.push(byte);
            (from, lines) = (escape.end, lines + line_ends(&escape));
            // An escape may end in white space.
            end = if from < end { end } else { space_from(from) };
        }
        run.extend_from_slice(&text[from..end]);
        fill(&mut plain, start..end, &run);
        plain[end - lines..end].fill(b'\n');
    }
    Some(plain)
}

/// Joins names, and the signs of comments, that a backslash before a line's end parts (ISO/IEC 9899:2024, section 5.1.1.2, where
/// compilers let blanks come between; the shell removes it as well). The backslash and the line's end come after what they
/// parted.
fn without_splices(text: &[u8], blanks: Blanks) -> Option<Vec<u8>> {
    static SPLICES: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"(?-u)\\[ \t\x0b\x0c]*\r?\n").ok());
    memchr::memchr(b'\\', text)?;
    let splices: Vec<(usize, usize)> = match blanks {
        Blanks::Between => SPLICES.as_ref()?.find_iter(text).map(|found| (found.start(), found.end())).collect(),
        Blanks::Nowhere => memchr::memmem::find_iter(text, b"\\\n").map(|at| (at, at + 2)).collect(),
    };
    let mut plain: Option<Vec<u8>> = None;
    let mut done = 0;
    for (start, end) in splices.iter().copied().filter(|(start, _)| *start > 0) {
        if start < done {
            continue;
        }
        let (mut joined, mut parted, mut at, mut last) = (Vec::new(), text[start..end].to_vec(), end, text[start - 1]);
        loop {
            let rest = &text[at..];
            // Several one after the other.
            if let Ok(next) = splices.binary_search_by_key(&at, |(start, _)| *start) {
                parted.extend_from_slice(&text[at..splices[next].1]);
                at = splices[next].1;
                continue;
            }
            match rest.first() {
                Some(next)
                    if in_name(&last) && in_name(next)
                        || matches!((last, next), (b'/', b'/' | b'*') | (b'*', b'/')) =>
                {
                    joined.push(*next);
                    last = *next;
                    at += 1;
                }
                _ => break,
            }
        }
        done = at;
        if !joined.is_empty() {
            joined.extend_from_slice(&parted);
            plain.get_or_insert_with(|| text.to_vec())[start..start + joined.len()].copy_from_slice(&joined);
        }
    }
    plain
}

/// A letter for a backslash before a CR, which the shell takes for the name of that character, so that the line ends.
fn with_kept_line_ends(text: &[u8]) -> Option<Vec<u8>> {
    let mut found = memchr::memmem::find_iter(text, b"\\\r\n").filter(|at| is_unescaped(text, *at)).peekable();
    found.peek()?;
    let mut plain = text.to_vec();
    found.for_each(|at| plain[at] = b'r');
    Some(plain)
}

/// `$(` and `)` for backticks with a backslash before them, which stand around a command in a command of the shell.
fn with_nested_commands(text: &[u8], language: &'static Language) -> Option<Vec<u8>> {
    memchr::memmem::find(text, b"\\`")?;
    // Whatever needs the tree of a file reports that it can't be parsed.
    let tree = parse(text, language).ok()?;
    let mut plain: Option<Vec<u8>> = None;
    preorder(tree.root_node(), |node| {
        let command = &text[node.byte_range()];
        let is_command = node.kind() == "command_substitution" && command.starts_with(b"`");
        if is_command {
            let marks = memchr::memmem::find_iter(command, b"\\`").filter(|at| is_unescaped(command, *at));
            for (at, sign) in marks.zip([b"$(", b" )"].into_iter().cycle()) {
                let at = node.start_byte() + at;
                plain.get_or_insert_with(|| text.to_vec())[at..at + 2].copy_from_slice(sign);
            }
        }
        !is_command
    });
    plain
}

/// Blanks for macros that the file defines as nothing, between a name and a bracket: `bad EMPTY (1)` is a call.
fn without_empty_macros(text: &[u8]) -> Option<Vec<u8>> {
    static EMPTY: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?m-u)^[ \t]*#[ \t]*define[ \t]+([A-Za-z_]\w*)[ \t]*\r?$").ok());
    memchr::memmem::find(text, b"define")?;
    let definitions: Vec<Range<usize>> =
        EMPTY.as_ref()?.captures_iter(text).filter_map(|d| Some(d.get(1)?.range())).collect();
    let names: HashSet<&[u8]> = definitions.iter().map(|name| &text[name.clone()]).collect();
    names.iter().next()?;
    let mut plain: Option<Vec<u8>> = None;
    let mut at = 0;
    while let Some(start) = text[at..].iter().position(in_name).map(|found| at + found) {
        let end = start + text[start..].iter().take_while(|b| in_name(b)).count();
        at = end;
        let is_between = || {
            text[end..].trim_ascii_start().starts_with(b"(")
                && text[..start].trim_ascii_end().last().is_some_and(in_name)
        };
        if names.contains(&text[start..end]) && is_between() {
            plain.get_or_insert_with(|| text.to_vec())[start..end].fill(b' ');
        }
    }
    plain
}

/// Blanks for what would begin a comment in the text of a directive of C#, which has none (C# specification, section 6.5).
fn with_text_of_directives(text: &[u8]) -> Option<Vec<u8>> {
    static COMMENTS: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(r"(?m-u)^[ \t]*#[ \t]*(?:region|endregion|pragma|nullable)\b[^\r\n]*?(/\*[^\r\n]*)").ok()
    });
    memchr::memmem::find(text, b"/*")?;
    let mut plain: Option<Vec<u8>> = None;
    for comment in COMMENTS.as_ref()?.captures_iter(text).filter_map(|found| found.get(1)) {
        plain.get_or_insert_with(|| text.to_vec())[comment.range()].fill(b' ');
    }
    plain
}

/// Blanks for doubled braces right before a hole in a string of C#, which the grammar takes for all of them: `$"{{{low}}}"`.
fn without_doubled_braces(text: &[u8]) -> Option<Vec<u8>> {
    /// How far before it the string may begin.
    const NEAR: usize = 1024;
    let mut plain: Option<Vec<u8>> = None;
    let mut at = 0;
    while let Some(found) = memchr::memmem::find(&text[at..], b"{{{") {
        let start = at + found;
        let run = text[start..].iter().take_while(|b| **b == b'{').count();
        at = start + run;
        let before = &text[start.saturating_sub(NEAR)..start];
        // The nearest string with one dollar sign, and no quotes that end it.
        let opened = memchr::memmem::rfind(before, b"$\"").map(|at| at + 2);
        let opened = opened.max(memchr::memmem::rfind(before, b"$@\"").map(|at| at + 3));
        let opened = opened.max(memchr::memmem::rfind(before, b"@$\"").map(|at| at + 3));
        let is_inside = opened.is_some_and(|opened| {
            let inside = &before[opened..];
            let quotes = memchr::memchr_iter(b'"', inside).filter(|at| is_unescaped(inside, *at)).count();
            !inside.starts_with(b"\"\"") && quotes % 2 == 0
        });
        if is_inside && run % 2 == 1 {
            plain.get_or_insert_with(|| text.to_vec())[start..start + run - 1].fill(b' ');
        }
    }
    plain
}

/// Blanks for the signs around code that some servers of SQL run and others take for a comment: `/*!50100 DROP TABLE a */`.
fn with_executable_comments(text: &[u8]) -> Option<Vec<u8>> {
    let mut starts = memchr::memmem::find_iter(text, b"/*!").peekable();
    starts.peek()?;
    let mut plain = text.to_vec();
    let mut end = 0;
    for start in starts {
        if start < end {
            continue;
        }
        let version = text[start + 3..].iter().take_while(|b| b.is_ascii_digit()).count();
        plain[start..start + 3 + version].fill(b' ');
        // Without an end all the rest is in it.
        let Some(length) = memchr::memmem::find(&text[start..], b"*/") else { break };
        end = start + length + 2;
        plain[end - 2..end].fill(b' ');
    }
    Some(plain)
}

/// Blanks for annotations between a type and the `...` after it (Java Language Specification, section 8.4.1).
fn without_varargs_annotations(text: &[u8]) -> Option<Vec<u8>> {
    static ANNOTATED: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?-u)[\w>\]]\s+(@[\w.]+)\s*\.\.\.\s*\w").ok());
    // Few files have a single one.
    memchr::memmem::find(text, b"...")?;
    let mut plain: Option<Vec<u8>> = None;
    for annotation in ANNOTATED.as_ref()?.captures_iter(text).filter_map(|found| found.get(1)) {
        plain.get_or_insert_with(|| text.to_vec())[annotation.range()].fill(b' ');
    }
    plain
}

/// The text with names as the language knows them, where some are written otherwise. Whether a place is part of a name takes
/// a tree, so suspicious ones are looked for first: few files have any.
fn with_plain_names(text: &[u8], language: &'static Language) -> Option<Vec<u8>> {
    let suspects = suspects(text, language);
    suspects.first()?;
    // Whatever needs the tree of a file reports that it can't be parsed.
    let tree = parse(text, language).ok()?;
    let (tables, quotes) = (language.tables(), language.translations.contains(&Translation::QuotedWords));
    let mut plain: Option<Vec<u8>> = None;
    let (mut suspects, mut key) = (suspects.into_iter().peekable(), None);
    // One way through the tree for all of them, which meets the outermost name around each first.
    preorder(tree.root_node(), |node| {
        let range = node.byte_range();
        while suspects.next_if(|at| *at < range.start).is_some() {}
        if suspects.peek().is_none_or(|at| *at >= range.end) {
            return false;
        }
        if let Some(keyed) = language.keyed.iter().find(|keyed| keyed.node == node.kind()) {
            key = keyed.key_of(node);
        }
        let is_name = if quotes {
            matches!(node.kind(), "word" | "concatenation" | "command_name")
        } else {
            tables.is(node.kind_id(), Class::Name) || key == Some(node)
        };
        if is_name {
            // The grammar of the shell takes a line's end before a backslash for a part of the word.
            let blanks = text[range.clone()].iter().take_while(|b| b.is_ascii_whitespace()).count();
            let range = range.start + blanks..range.end;
            let name = plain_name(&text[range.clone()], language);
            if let Some(name) = name.filter(|name| name.len() <= range.len() && *name != text[range.clone()]) {
                fill(plain.get_or_insert_with(|| text.to_vec()), range.clone(), &name);
            }
            while suspects.next_if(|at| *at < range.end).is_some() {}
        }
        !is_name
    });
    plain
}

/// The offsets at which names may be written otherwise, in order.
fn suspects(text: &[u8], language: &Language) -> Vec<usize> {
    let in_name = |byte: Option<&u8>| byte.is_some_and(in_name);
    let mut found = Vec::new();
    for step in language.translations {
        match step {
            Translation::CompatibleNames => found.extend(characters(text, |c| {
                std::iter::once(c).nfkc().all(|plain| plain.is_ascii_alphanumeric() || plain == '_')
            })),
            Translation::IgnorableCharacters => found.extend(characters(text, is_invisible)),
            Translation::EscapedNames => {
                let escapes = memchr::memchr_iter(b'\\', text);
                let is_letter =
                    |at: &usize| escape(&text[*at..]).is_some_and(|(c, _)| in_name(u8::try_from(c).ok().as_ref()));
                found.extend(escapes.filter(is_letter));
            }
            Translation::QuotedWords => {
                let marks = memchr::memchr3_iter(b'\\', b'\'', b'"', text);
                // Inside of a word: a letter on one side, and on the other one a letter or a further mark.
                let parts = |at: &usize| {
                    let (before, after) = (at.checked_sub(1).and_then(|at| text.get(at)), text.get(at + 1));
                    let is_mark = |byte: Option<&u8>| matches!(byte, Some(b'\\' | b'\'' | b'"'));
                    // A backslash at its beginning is common, since it keeps aliases out.
                    let begins = text[*at] == b'\\'
                        && before.is_none_or(|b| b.is_ascii_whitespace() || b";|&(!`".contains(b))
                        && in_name(after);
                    begins || (in_name(before) || is_mark(before)) && (in_name(after) || is_mark(after))
                };
                found.extend(marks.filter(parts));
            }
            _ => {}
        }
    }
    found.sort_unstable();
    found
}

/// The offsets of characters beyond ASCII that are of a kind.
fn characters(text: &[u8], is_suspect: impl Fn(char) -> bool) -> Vec<usize> {
    if text.is_ascii() {
        return Vec::new();
    }
    let all = bstr::ByteSlice::char_indices(text).filter(|(.., c)| !c.is_ascii() && is_suspect(*c));
    all.map(|(at, ..)| at).collect()
}

/// Whether a byte may be in a name.
fn in_name(byte: &u8) -> bool {
    byte.is_ascii_alphanumeric() || *byte == b'_'
}

/// The character that an escape at the beginning of a text stands for, and how long the escape is: `\u0041`, `\u{41}`,
/// `\U00000041`, `\x41`.
fn escape(text: &[u8]) -> Option<(u32, usize)> {
    let (digits, lead) = match text {
        [b'\\', b'u', b'{', rest @ ..] => (&rest[..memchr::memchr(b'}', &rest[..rest.len().min(12)])?], 3),
        [b'\\', b'u', rest @ ..] => (rest.get(..4)?, 2),
        [b'\\', b'U', rest @ ..] => (rest.get(..8)?, 2),
        [b'\\', b'x', rest @ ..] => (rest.get(..2)?, 2),
        _ => return None,
    };
    let value = u32::from_str_radix(std::str::from_utf8(digits).ok()?, 16).ok()?;
    Some((value, lead + digits.len() + usize::from(lead == 3)))
}

/// A name as the language knows it; `None` where that isn't certain.
fn plain_name(name: &[u8], language: &Language) -> Option<Vec<u8>> {
    let mut plain = name.to_vec();
    for step in language.translations {
        plain = match step {
            // Between these quotes TOML and YAML have no escapes.
            Translation::EscapedNames if plain.contains(&b'\'') => return None,
            Translation::EscapedNames => {
                let (mut out, mut at) = (Vec::with_capacity(plain.len()), 0);
                while at < plain.len() {
                    let (c, length) = escape(&plain[at..]).unwrap_or((u32::from(plain[at]), 1));
                    if length == 1 {
                        out.push(plain[at]);
                    } else {
                        let c = char::from_u32(c).filter(|c| !c.is_control() && !matches!(c, '"' | '\'' | '\\'))?;
                        out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
                    }
                    at += length;
                }
                out
            }
            Translation::IgnorableCharacters => {
                String::from_utf8(plain).ok()?.chars().filter(|c| !is_invisible(*c)).collect::<String>().into_bytes()
            }
            Translation::CompatibleNames => String::from_utf8(plain).ok()?.nfkc().collect::<String>().into_bytes(),
            Translation::QuotedWords => {
                let is_plain = |b: &u8| b.is_ascii_alphanumeric() || b"_./=:@%+,-".contains(b);
                unquoted(&plain).filter(|word| word.iter().all(is_plain))?
            }
            _ => plain,
        };
    }
    Some(plain)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::lang::LANGUAGES;

    /// Pieces of what is translated.
    const PIECES: [&str; 60] = [
        "<",
        ">",
        "<!--",
        "-->",
        "--!>",
        "<!",
        "<![CDATA[",
        "]]>",
        "<svg>",
        "</svg>",
        "<title>",
        "</title>",
        "<style>",
        "<p ",
        "</style>",
        "<script>",
        "</script",
        "<noscript>",
        "</noscript>",
        "<textarea",
        "<a b='",
        "\"",
        "'",
        "=",
        "/",
        "&#98;",
        "&lpar",
        "{{{",
        "$\"",
        "$@\"",
        "\n#define A\n",
        "\n#region /*",
        "a A (",
        "\\\n",
        "\\ \r\n",
        "\\\r\n",
        "`",
        "\\`",
        "\\",
        "\\u000a",
        "\\62 ",
        "/*!5",
        "*/",
        "b\\u0061d",
        "\u{2028}",
        "ｅ",
        "\u{200d}",
        "x",
        " ",
        "\n",
        "$(",
        "<<A\n",
        "A\n",
        "%62",
        "...",
        "@B ",
        "\r",
        "(",
        "a",
        "é",
    ];

    proptest! {
        /// Whatever a text is, it stays as long as it was, and so does what is decoded of it.
        #[test]
        fn no_step_changes_the_length(pieces in prop::collection::vec(prop::sample::select(&PIECES[..]), 0..40)) {
            let text = pieces.concat();
            for language in LANGUAGES {
                let plain = translated(text.as_bytes(), Some(language));
                prop_assert_eq!(plain.len(), text.len(), "{}", language.name);
                // Nor does asking for what a grammar misreads end in a panic.
                _ = parse(&plain, language);
            }
            for step in [with_characters, without_percents] {
                prop_assert!(step(text.as_bytes()).is_none_or(|plain| plain.len() == text.len()));
            }
        }
    }

    #[test]
    fn a_text_is_what_its_language_reads() {
        let cases: &[(Option<&str>, &str, &str)] = &[
            (Some("python"), "# a\rb\r\nc\n", "# a\nb\r\nc\n"),
            (Some("bash"), "# a\rb\n", "# a\rb\n"),
            (None, "a\rb\r", "a\nb\n"),
            (Some("java"), "// a\\u000ab();\\uuu000Dc", "// a     \nb();       \nc"),
            (Some("java"), "\"\\\\u000a\"", "\"\\\\u000a\""),
            (Some("java"), "b\\u0061\\u0064(1) c", "bad(1)           c"),
            (Some("java"), "/* \\u002a/ b(); \\\\u0061", "/* */      b(); \\\\u0061"),
            (Some("java"), "void a(B @C ... d) {}", "void a(B    ... d) {}"),
            (Some("java"), "void a(B... d) {} // @C ... e", "void a(B... d) {} // @C ... e"),
            (Some("javascript"), "// a\\u000ab();", "// a\\u000ab();"),
            (Some("javascript"), "b\\u{61}d('b\\u0061d')", "bad     ('b\\u0061d')"),
            (Some("typescript"), "a.\\u0062ad(`\\u0062`)", "a.bad     (`\\u0062`)"),
            (Some("csharp"), "// a\u{2028}b();", "// a\n  b();"),
            (Some("csharp"), "class A { int b\\u0061d = B\u{200d}(); }", "class A { int bad      = B   (); }"),
            (Some("python"), "ｅval('ｅ')", "eval  ('ｅ')"),
            (Some("python"), "größe = 'ﬁ'", "größe = 'ﬁ'"),
            (Some("css"), "b\\61 d(\\62\\000061\\64\t{b\\z c", "bad(bad{bz                c"),
            (Some("css"), "a: \"\\e900 \\31 b\\31 \\2d c\"; \\\\62 d", "a: \"\\e900 \\31 b1-c\";       \\\\62 d"),
            (Some("css"), "b\\61\nd\\65\r\n(1)", "bade(1)     \n\n"),
            (Some("c"), "int a = ba\\\nd\\\n(1); /\\\n/ x", "int a = bad\\\n\\\n(1); //\\\n x"),
            (Some("c"), "/* *\\\r\n/ #define A \\\n b", "/* */\\\r\n #define A \\\n b"),
            (Some("sql"), "/*!50100 DROP TABLE a */;", "         DROP TABLE a   ;"),
            (Some("json"), "{\"b\\u0061d\": \"b\\u0061d\"}", "{\"bad\"     : \"b\\u0061d\"}"),
            (Some("json"), "{\"\\u00e9\\u0022\": 1}", "{\"\\u00e9\\u0022\": 1}"),
            (Some("yaml"), "\"b\\x61d\": \"\\x61\"", "\"bad\"   : \"\\x61\""),
            (Some("toml"), "[a.\"b\\u0061d\"]\n", "[a.\"bad\"     ]\n"),
            (Some("bash"), "b\\ad \"b\\ad\" --f''a", "bad  \"b\\ad\" --fa  "),
            (Some("bash"), "$'b\\x61d' x; ba\\\nd y", "bad       x; bad\\\n y"),
            (Some("bash"), "a x\n\\bad y", "a x\nbad  y"),
        ];
        for (language, text, expected) in cases {
            let language = language.and_then(Language::by_name);
            let plain = translated(text.as_bytes(), language);
            assert_eq!(String::from_utf8_lossy(&plain), *expected, "{text:?}");
            assert_eq!(plain.len(), text.len());
        }
    }
}
