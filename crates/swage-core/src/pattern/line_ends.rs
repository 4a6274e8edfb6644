//! Ends of lines in expressions: rules write `\n` for them, and the lines of some files end with CR and LF.

use std::borrow::Cow;

/// The expression with a CR allowed before each `\n` in it, so that a file with other ends of lines is no way past a rule.
/// What is in a class that leaves characters out stays.
pub(crate) fn with_any_line_end(expression: &str) -> Cow<'_, str> {
    if !expression.contains(r"\n") {
        return Cow::Borrowed(expression);
    }
    let mut out = String::with_capacity(expression.len() + 16);
    // How many classes are open, since one may hold others, and whether the innermost leaves its characters out.
    let mut classes: Vec<bool> = Vec::new();
    let mut rest = expression.chars().peekable();
    while let Some(c) = rest.next() {
        match c {
            '\\' => match (rest.next(), classes.last()) {
                (Some('n'), None) => out += r"(?:\r?\n)",
                (Some('n'), Some(false)) => out += r"\n\r",
                (next, _) => {
                    out.push('\\');
                    out.extend(next);
                }
            },
            '[' => {
                let leaves_out = rest.peek() == Some(&'^');
                classes.push(leaves_out);
                out.push('[');
                out.extend(rest.next_if_eq(&'^'));
                // A bracket that comes first stands for itself.
                out.extend(rest.next_if_eq(&']'));
            }
            ']' => {
                classes.pop();
                out.push(']');
            }
            c => out.push(c),
        }
    }
    Cow::Owned(out)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use regex::bytes::RegexBuilder;

    use super::*;

    #[test]
    fn ends_of_lines_take_both_forms() {
        let cases = [
            ("a$", "a$"),
            (r"a\nb", r"a(?:\r?\n)b"),
            (r"a\n?b", r"a(?:\r?\n)?b"),
            (r"a\\nb", r"a\\nb"),
            (r"[^\n]*\n", r"[^\n]*(?:\r?\n)"),
            (r"[ \n]+", r"[ \n\r]+"),
            (r"[]\n]\n", r"[]\n\r](?:\r?\n)"),
            (r"[\]\n]\n", r"[\]\n\r](?:\r?\n)"),
            (r"[[:alpha:]\n]\n", r"[[:alpha:]\n\r](?:\r?\n)"),
            (r"\[\n", r"\[(?:\r?\n)"),
        ];
        for (expression, expected) in cases {
            assert_eq!(with_any_line_end(expression), expected, "{expression}");
        }
    }

    proptest! {
        /// A text with plain ends of lines matches as before, and what matches it matches the text with the other ends.
        #[test]
        fn nothing_is_lost(
            pieces in prop::collection::vec(prop::sample::select(vec!["a", "b", r"\n", r"[^\n]", r"[\n]*", "(", ")", "|", "*", "?", "+", "^", "$", ".", r"\\"]), 0..9),
            text in r"[ab\\ \n]{0,8}",
        ) {
            let expression = pieces.concat();
            let built = |expression: &str| RegexBuilder::new(expression).multi_line(true).crlf(true).build();
            let Ok(before) = built(&expression) else { return Ok(()) };
            let after = built(&with_any_line_end(&expression)).expect("it was right before");
            prop_assert_eq!(before.is_match(text.as_bytes()), after.is_match(text.as_bytes()));
            if before.is_match(text.as_bytes()) {
                prop_assert!(after.is_match(text.replace('\n', "\r\n").as_bytes()), "{} in {:?}", expression, text);
            }
        }
    }
}
