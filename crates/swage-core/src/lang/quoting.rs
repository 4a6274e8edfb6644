//! Names and words without what quotes them. A word of the shell is what is left once its quotes are removed (POSIX.1-2024,
//! volume 3, section 2.2; `$'...'` is 2.2.4).

/// A name without the backticks that let it be a keyword.
#[cfg(any(feature = "kotlin", feature = "scala", feature = "swift"))]
pub(super) fn without_backticks(name: &[u8]) -> &[u8] {
    name.strip_prefix(b"`").and_then(|name| name.strip_suffix(b"`")).unwrap_or(name)
}

/// The word without its quotes and escapes; `None` where it holds something that is expanded, so that what it becomes
/// is known only when it runs.
pub(crate) fn unquoted(word: &[u8]) -> Option<Vec<u8>> {
    let mut plain = Vec::with_capacity(word.len());
    let mut rest = word;
    while let Some((first, more)) = rest.split_first() {
        rest = match (first, more) {
            (b'$', [b'\'', inside @ ..]) => dollar_quoted(inside, &mut plain)?,
            (b'\'', _) => {
                let end = memchr::memchr(b'\'', more)?;
                plain.extend_from_slice(&more[..end]);
                &more[end + 1..]
            }
            (b'"', _) => double_quoted(more, &mut plain)?,
            // The two together join lines.
            (b'\\', [b'\n', after @ ..]) => after,
            (b'\\', [next, after @ ..]) => {
                plain.push(*next);
                after
            }
            (b'$' | b'`' | b'\\', _) => return None,
            _ => {
                plain.push(*first);
                more
            }
        };
    }
    Some(plain)
}

/// Takes what is between double quotes; what comes after them.
fn double_quoted<'t>(mut rest: &'t [u8], plain: &mut Vec<u8>) -> Option<&'t [u8]> {
    loop {
        rest = match rest {
            [b'"', after @ ..] => return Some(after),
            [b'$' | b'`', ..] | [] => return None,
            [b'\\', b'\n', after @ ..] => after,
            // Before other characters the backslash stands for itself.
            [b'\\', next @ (b'$' | b'`' | b'"' | b'\\'), after @ ..] | [next, after @ ..] => {
                plain.push(*next);
                after
            }
        };
    }
}

/// Takes what is between `$'` and `'`; what comes after it.
fn dollar_quoted<'t>(mut rest: &'t [u8], plain: &mut Vec<u8>) -> Option<&'t [u8]> {
    /// The number in front, of some digits at most; what comes after it.
    fn number(text: &[u8], radix: u32, most: usize) -> Option<(u8, &[u8])> {
        let digits = text.iter().take(most).take_while(|b| char::from(**b).is_digit(radix)).count();
        let value =
            std::str::from_utf8(&text[..digits]).ok().and_then(|digits| u8::from_str_radix(digits, radix).ok())?;
        Some((value, &text[digits..]))
    }
    loop {
        let (byte, after) = match rest {
            [b'\'', after @ ..] => return Some(after),
            [b'\\', b'x', digits @ ..] => number(digits, 16, 2)?,
            [b'\\', b'u', digits @ ..] => number(digits, 16, 4)?,
            [b'\\', b'U', digits @ ..] => number(digits, 16, 8)?,
            [b'\\', b'0'..=b'7', ..] => number(&rest[1..], 8, 3)?,
            [b'\\', next @ (b'\\' | b'\'' | b'"'), after @ ..] => (*next, after),
            // Line ends, bells and the like, of which no name is made.
            [b'\\', ..] | [] => return None,
            [next, after @ ..] => (*next, after),
        };
        plain.push(byte);
        rest = after;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quotes_are_removed_as_the_shell_removes_them() {
        let cases: &[(&str, Option<&str>)] = &[
            ("berth", Some("berth")),
            ("\\berth", Some("berth")),
            ("b\\er\\\nth", Some("berth")),
            ("b''er\"th\"", Some("berth")),
            ("'a$b\\'", Some("a$b\\")),
            ("\"a\\$b\\n\"", Some("a$b\\n")),
            ("$'b\\x65r\\u0074\\150'", Some("berth")),
            ("$'a\\nb'", None),
            ("\"$a\"", None),
            ("a`b`", None),
            ("'a", None),
            ("\"a", None),
            ("a\\", None),
        ];
        for (word, expected) in cases {
            let expected = expected.map(str::as_bytes).map(<[u8]>::to_vec);
            assert_eq!(unquoted(word.as_bytes()), expected, "{word}");
        }
    }
}
