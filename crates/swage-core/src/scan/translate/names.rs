//! Names that are spelled in more than one way.

use unicode_normalization::UnicodeNormalization;

use super::{fill, in_name};
use crate::invisible::is_invisible;
use crate::lang::{Class, Language, Translation, parse, unquoted};
use crate::pattern::preorder;

/// The text with names as the language knows them, where some are written otherwise. Whether a place is part of a name takes
/// a tree, so suspicious ones are looked for first: few files have any.
pub(super) fn with_plain_names(text: &[u8], language: &'static Language) -> Option<Vec<u8>> {
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
        // A key is a name whatever its node is called.
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
            // A name that grew longer doesn't fit its place: normal forms of a few characters do.
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
    // Most files are, and that is checked at the speed of memory.
    if text.is_ascii() {
        return Vec::new();
    }
    let all = bstr::ByteSlice::char_indices(text).filter(|(.., c)| !c.is_ascii() && is_suspect(*c));
    all.map(|(at, ..)| at).collect()
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
    // No Rust character may be half of a pair, so the number is given back.
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
                    // No escape is that short.
                    if length == 1 {
                        out.push(plain[at]);
                    } else {
                        // What would end a name, or its text, stays escaped.
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
                // A blank or a sign that was quoted is no longer quoted without its marks.
                let is_plain = |b: &u8| b.is_ascii_alphanumeric() || b"_./=:@%+,-".contains(b);
                unquoted(&plain).filter(|word| word.iter().all(is_plain))?
            }
            _ => plain,
        };
    }
    Some(plain)
}
