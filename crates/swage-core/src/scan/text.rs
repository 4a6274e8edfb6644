//! From a file's bytes to the text that rules look at.
//!
//! Byte order marks are taken off, and UTF-16 and UTF-32 are decoded (Unicode Standard, section 23.8). What can't be read
//! for sure is said to be unreadable, so that nothing is taken for a comment that is code. How a language translates the
//! text after that is in `translate/`.

use std::borrow::Cow;
use std::sync::LazyLock;

use regex::bytes::Regex;

use crate::lang::Language;

/// The content without its byte order mark, as UTF-8 when the mark says that it is UTF-16 or UTF-32. Code units that
/// encode nothing become U+FFFD.
pub fn decoded(content: &[u8]) -> Cow<'_, [u8]> {
    // Two bytes each after the mark.
    let units = |little: bool| {
        content[2..].chunks(2).map(move |pair| match *pair {
            [a, b] if little => u16::from_le_bytes([a, b]),
            [a, b] => u16::from_be_bytes([a, b]),
            // Half a code unit.
            _ => 0xfffd,
        })
    };
    // Four bytes each after the mark.
    let points = |little: bool| {
        content[4..].chunks(4).map(move |unit| match *unit {
            [a, b, c, d] if little => u32::from_le_bytes([a, b, c, d]),
            [a, b, c, d] => u32::from_be_bytes([a, b, c, d]),
            _ => 0xfffd,
        })
    };
    // UTF-32's mark in little-endian order begins with that of UTF-16, so it is asked for first.
    let text: String = match content {
        [0xef, 0xbb, 0xbf, rest @ ..] => return Cow::Borrowed(rest),
        [0xff, 0xfe, 0, 0, ..] => points(true).map(char_or_replacement).collect(),
        [0, 0, 0xfe, 0xff, ..] => points(false).map(char_or_replacement).collect(),
        [0xff, 0xfe, ..] => char::decode_utf16(units(true)).map(|c| c.unwrap_or('\u{fffd}')).collect(),
        [0xfe, 0xff, ..] => char::decode_utf16(units(false)).map(|c| c.unwrap_or('\u{fffd}')).collect(),
        _ => return Cow::Borrowed(content),
    };
    Cow::Owned(text.into_bytes())
}

/// The character of a code point, or U+FFFD for what is none.
fn char_or_replacement(point: u32) -> char {
    char::from_u32(point).unwrap_or('\u{fffd}')
}

/// Why the language of a file can't be recognised from its text, when that is so.
pub(super) fn unreadable(text: &[u8], language: &'static Language) -> Option<String> {
    // A parser stops at a NUL or passes over it, and what runs the file may do the other.
    if memchr::memchr(0, text).is_some() {
        return Some(format!("it is named like {} and holds NUL bytes", language.name));
    }
    // In a comment of the first or the second line (Python Language Reference, section 2.1.4); Ruby has the same form.
    static CODING: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(r"(?-u)\A(?:[^\n\r]*[\n\r]+)?[ \t\x0c]*#[^\n\r]*?coding[:=][ \t]*([-_.a-zA-Z0-9]+)").ok()
    });
    let coding = CODING.as_ref().filter(|_| matches!(language.name, "python" | "ruby"))?;
    let name = coding.captures(text)?.get(1)?.as_bytes().to_ascii_lowercase();
    // What writes ASCII as ASCII; others may spell code as something else.
    const PLAIN: [&[u8]; 17] = [
        b"utf-8",
        b"utf8",
        b"ascii",
        b"us-ascii",
        b"latin",
        b"iso-8859",
        b"iso8859",
        b"cp125",
        b"windows-125",
        b"koi8",
        b"cp437",
        b"cp850",
        b"mac",
        b"l1",
        b"euc",
        b"gb2312",
        b"binary",
    ];
    let name_of = |name: &[u8]| name.iter().map(|b| if *b == b'_' { b'-' } else { *b }).collect::<Vec<u8>>();
    let plain = PLAIN.iter().any(|known| name_of(&name).starts_with(known));
    (!plain).then(|| format!("it declares the encoding {}, which isn't read", String::from_utf8_lossy(&name)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn byte_order_marks_say_how_a_text_is_encoded() {
        let utf16 = |mark: u16, little: bool| {
            let units = std::iter::once(mark).chain("a = 'ü'\n".encode_utf16());
            units.flat_map(|u| if little { u.to_le_bytes() } else { u.to_be_bytes() }).collect::<Vec<u8>>()
        };
        let utf32: Vec<u8> = "\u{feff}a = 'ü'\n".chars().flat_map(|c| (c as u32).to_le_bytes()).collect();
        let cases: &[(&[u8], &[u8])] = &[
            ("a = 'ü'\n".as_bytes(), "a = 'ü'\n".as_bytes()),
            ("\u{feff}a = 'ü'\n".as_bytes(), "a = 'ü'\n".as_bytes()),
            (&utf16(0xfeff, true), "a = 'ü'\n".as_bytes()),
            (&utf16(0xfeff, false), "a = 'ü'\n".as_bytes()),
            (&utf32, "a = 'ü'\n".as_bytes()),
            (b"\xff\xfea\0\0\xd8b", "a\u{fffd}\u{fffd}".as_bytes()),
            (b"\xff\xfe", b""),
            (b"\xff\xfea", "\u{fffd}".as_bytes()),
        ];
        for (content, expected) in cases {
            assert_eq!(decoded(content).as_ref(), *expected, "{content:?}");
        }
    }

    #[test]
    fn what_cannot_be_decoded_is_unreadable() {
        let cases: &[(&str, &str, Option<&str>)] = &[
            ("python", "a = 1\n", None),
            ("python", "# coding: latin-1\n", None),
            ("python", "#!/usr/bin/python\n# -*- coding: UTF_8 -*-\n", None),
            (
                "python",
                "# vim: fileencoding=unicode_escape\n",
                Some("it declares the encoding unicode_escape, which isn't read"),
            ),
            ("python", "\n# coding=utf-7\n", Some("it declares the encoding utf-7, which isn't read")),
            ("python", "a = 1\nb = 2\n# coding: utf-7\n", None),
            ("ruby", "# encoding: shift_jis\n", Some("it declares the encoding shift_jis, which isn't read")),
            ("ruby", "# coding: EUC-JP\n", None),
            ("bash", "# coding: utf-7\n", None),
            ("bash", "exit 0\n\0", Some("it is named like bash and holds NUL bytes")),
        ];
        for (language, text, expected) in cases {
            let language = Language::by_name(language).expect("a known language");
            assert_eq!(unreadable(text.as_bytes(), language).as_deref(), *expected, "{text:?}");
        }
    }
}
