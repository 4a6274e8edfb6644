//! Characters in the place of what stands for them in the values of attributes and in addresses.

use std::ops::Range;
use std::sync::LazyLock;

use regex::bytes::Regex;

use super::escapes::replaced;

/// The names of the characters of ASCII that aren't letters or digits (HTML Living Standard, section 13.5), those that need no
/// semicolon first.
const NAMES: [(&str, u8); 46] = [
    ("amp", b'&'),
    ("lt", b'<'),
    ("gt", b'>'),
    ("quot", b'"'),
    ("AMP", b'&'),
    ("LT", b'<'),
    ("GT", b'>'),
    ("QUOT", b'"'),
    ("Tab", b'\t'),
    ("NewLine", b'\n'),
    ("excl", b'!'),
    ("num", b'#'),
    ("dollar", b'$'),
    ("percnt", b'%'),
    ("apos", b'\''),
    ("lpar", b'('),
    ("rpar", b')'),
    ("ast", b'*'),
    ("midast", b'*'),
    ("plus", b'+'),
    ("comma", b','),
    ("period", b'.'),
    ("sol", b'/'),
    ("colon", b':'),
    ("semi", b';'),
    ("equals", b'='),
    ("quest", b'?'),
    ("commat", b'@'),
    ("lsqb", b'['),
    ("lbrack", b'['),
    ("bsol", b'\\'),
    ("rsqb", b']'),
    ("rbrack", b']'),
    ("Hat", b'^'),
    ("lowbar", b'_'),
    ("UnderBar", b'_'),
    ("grave", b'`'),
    ("DiacriticalGrave", b'`'),
    ("lcub", b'{'),
    ("lbrace", b'{'),
    ("verbar", b'|'),
    ("vert", b'|'),
    ("VerticalLine", b'|'),
    ("rcub", b'}'),
    ("rbrace", b'}'),
    ("nbsp", b' '),
];

/// How many of them need no semicolon.
const WITHOUT_SEMICOLON: usize = 8;

/// The text with the characters of ASCII that references such as `&#98;` and `&lpar;` stand for; `None` where it has none.
pub(in crate::scan) fn with_characters(text: &[u8]) -> Option<Vec<u8>> {
    static REFERENCES: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?-u)&(?:#[xX]0*([0-9a-fA-F]{1,2});?|#0*([0-9]{1,3});?|([A-Za-z]+)(;?))").ok());
    memchr::memchr(b'&', text)?;
    let found = REFERENCES.as_ref()?.captures_iter(text).filter_map(|reference| {
        // Letters and digits have no names, so code is mostly hidden by their numbers, in either base.
        let text = |group| std::str::from_utf8(reference.get(group)?.as_bytes()).ok();
        let byte = match (text(1), text(2), text(3)) {
            (Some(digits), ..) => u8::from_str_radix(digits, 16).ok()?,
            (_, Some(digits), _) => digits.parse().ok()?,
            (.., name) => {
                // In names case counts.
                let at = NAMES.iter().position(|(known, _)| Some(*known) == name)?;
                (at < WITHOUT_SEMICOLON || text(4) == Some(";")).then_some(NAMES[at].1)?
            }
        };
        Some((reference.get(0)?.range(), byte))
    });
    // What rules look for is written in ASCII.
    replaced(text, found.filter(|(_, byte)| byte.is_ascii()))
}

/// The text with the characters of ASCII that `%62` and the like stand for (RFC 3986, section 2.1).
pub(in crate::scan) fn without_percents(text: &[u8]) -> Option<Vec<u8>> {
    // Most addresses have none.
    memchr::memchr(b'%', text)?;
    let found = memchr::memchr_iter(b'%', text).filter_map(|at| {
        let digits = std::str::from_utf8(text.get(at + 1..at + 3)?).ok()?;
        let byte = u8::from_str_radix(digits, 16).ok().filter(u8::is_ascii)?;
        Some((Range { start: at, end: at + 3 }, byte))
    });
    replaced(text, found)
}
