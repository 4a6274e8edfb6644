//! Characters that a reader doesn't see, or that change how others are seen: one table for every output.
//!
//! Raw, they could move a terminal's cursor, reorder a line so that it reads as something else, or make two names look
//! alike. The table is of Unicode 16: control characters (Cc), format characters (Cf), line and paragraph separators,
//! fillers that show nothing, and variation selectors but for the two that choose how emoji look.

use std::borrow::Cow;
use std::fmt::Write;

/// Format characters, separators, fillers and variation selectors, in order, first and last of each run.
const RUNS: [(char, char); 27] = [
    ('\u{ad}', '\u{ad}'),
    ('\u{34f}', '\u{34f}'),
    ('\u{600}', '\u{605}'),
    ('\u{61c}', '\u{61c}'),
    ('\u{6dd}', '\u{6dd}'),
    ('\u{70f}', '\u{70f}'),
    ('\u{890}', '\u{891}'),
    ('\u{8e2}', '\u{8e2}'),
    ('\u{115f}', '\u{1160}'),
    ('\u{17b4}', '\u{17b5}'),
    ('\u{180b}', '\u{180f}'),
    ('\u{200b}', '\u{200f}'),
    ('\u{2028}', '\u{202e}'),
    ('\u{2060}', '\u{206f}'),
    ('\u{2800}', '\u{2800}'),
    ('\u{3164}', '\u{3164}'),
    ('\u{fe00}', '\u{fe0d}'),
    ('\u{feff}', '\u{feff}'),
    ('\u{ffa0}', '\u{ffa0}'),
    ('\u{fff0}', '\u{fffb}'),
    ('\u{110bd}', '\u{110bd}'),
    ('\u{110cd}', '\u{110cd}'),
    ('\u{13430}', '\u{1343f}'),
    ('\u{1bca0}', '\u{1bca3}'),
    ('\u{1d159}', '\u{1d159}'),
    ('\u{1d173}', '\u{1d17a}'),
    ('\u{e0000}', '\u{e0fff}'),
];

/// Whether a character must not reach a terminal, a page or a machine format raw.
pub fn is_invisible(c: char) -> bool {
    c.is_control() || c >= '\u{ad}' && RUNS.iter().any(|(first, last)| (*first..=*last).contains(&c))
}

/// Text for people: control characters as pictures of them (Unicode block 2400), others as `<U+202E>`, tabs as blanks.
pub fn shown(text: &str) -> Cow<'_, str> {
    if !text.contains(is_invisible) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        match c {
            '\t' => out.push_str("    "),
            '\0'..='\x1f' => out.push(char::from_u32(0x2400 + c as u32).unwrap_or('\u{fffd}')),
            '\x7f' => out.push('\u{2421}'),
            c if is_invisible(c) => _ = write!(out, "<U+{:04X}>", c as u32),
            c => out.push(c),
        }
    }
    Cow::Owned(out)
}

/// A JSON text in which such characters, which are in strings only, are written as escapes (RFC 8259, section 7). What
/// lies below U+0080 has been escaped by whatever wrote the JSON.
pub fn escaped_json(json: &str) -> Cow<'_, str> {
    let bad = |c: char| c >= '\x7f' && is_invisible(c);
    if !json.contains(bad) {
        return json.into();
    }
    let mut out = String::with_capacity(json.len() + 64);
    for c in json.chars() {
        if bad(c) {
            c.encode_utf16(&mut [0; 2]).iter().for_each(|unit| _ = write!(out, "\\u{unit:04x}"));
        } else {
            out.push(c);
        }
    }
    out.into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_seen_is_shown() {
        assert!(RUNS.windows(2).all(|pair| pair[0].1 < pair[1].0), "in order and apart");
        let cases = [
            ("tide\ttable", "tide    table", "tide\ttable"),
            ("a\u{1b}[31mred", "a␛[31mred", "a\u{1b}[31mred"),
            ("a\r\nb\u{7f}\0", "a␍␊b␡␀", "a\r\nb\\u007f\0"),
            ("a\u{9b}31m", "a<U+009B>31m", "a\\u009b31m"),
            ("quay \u{202e}evil\u{2066}", "quay <U+202E>evil<U+2066>", "quay \\u202eevil\\u2066"),
            ("\u{61c}\u{200b}\u{ad}", "<U+061C><U+200B><U+00AD>", "\\u061c\\u200b\\u00ad"),
            ("tag\u{e0041}", "tag<U+E0041>", "tag\\udb40\\udc41"),
            ("häfen 港 ⛴\u{fe0f}", "häfen 港 ⛴\u{fe0f}", "häfen 港 ⛴\u{fe0f}"),
        ];
        for (text, for_people, in_json) in cases {
            assert_eq!(shown(text), for_people, "{text:?}");
            assert_eq!(escaped_json(text), in_json, "{text:?}");
        }
    }
}
