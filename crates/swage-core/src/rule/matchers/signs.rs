//! Signs that are in every match of a rule, so that most nodes and tokens needn't be looked at.
//!
//! Finding out from a tree which operator a node has takes several times as long as looking for the operator in the node's
//! text, which is short.
//!
//! What it gains, measured by leaving it out on published code and on made-up files: scanning takes some 12 % longer in Rust, where
//! macros without the signs would be parsed, and 2 to 3 % in TypeScript. That is less than a tenth for nodes alone; macros need it.

use crate::pattern::in_name;

/// Nodes up to this many bytes are searched. Long ones nest, and each would be searched once more for all around it.
const LARGEST: usize = 200;

/// Signs of which one is in every match.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Signs {
    /// The signs, without letters.
    pub texts: Vec<&'static str>,
    /// Whether the texts right before and right after it are the same.
    pub between_same: bool,
    /// Each sign has one of these bytes.
    bytes: [u8; 3],
}

impl Signs {
    /// Signs for which a search pays; `None` for words, which some languages take in capitals, and for many different ones.
    pub(super) fn new(texts: Vec<&'static str>, between_same: bool) -> Option<Self> {
        let mut bytes: Vec<u8> = Vec::new();
        for sign in &texts {
            if !sign.bytes().any(|byte| bytes.contains(&byte)) {
                bytes.push(*sign.as_bytes().last()?);
            }
        }
        let has_words = texts.iter().any(|sign| sign.contains(in_name));
        let first = *bytes.first().filter(|_| !has_words)?;
        bytes.resize(bytes.len().max(3), first);
        Some(Self { texts, between_same, bytes: bytes.try_into().ok()? })
    }

    /// Whether a node with this text may be a match.
    pub(crate) fn may_be_in(&self, text: &[u8]) -> bool {
        let [a, b, c] = self.bytes;
        let mut here = memchr::memchr3_iter(a, b, c, text);
        text.len() > LARGEST
            || if self.between_same { here.any(|at| self.is_between_same(text, at)) } else { here.next().is_some() }
    }

    /// Whether a sign is around an offset and may have the same text on both sides.
    fn is_between_same(&self, text: &[u8], at: usize) -> bool {
        let mut left = usize::MAX;
        self.texts.iter().any(|sign| {
            let sign = sign.as_bytes();
            let mut starts = at.saturating_sub(sign.len() - 1)..=at;
            starts.any(|from| {
                text[from] == sign[0]
                    && text[from..].starts_with(sign)
                    && may_be_between_same(&text[..from], &text[from + sign.len()..], &mut left)
            })
        })
    }
}

/// Whether what is before a sign may end with a text with which what comes after it begins, white space and comments aside.
/// What is compared is taken from `left`; when nothing is left, it may.
pub(crate) fn may_be_between_same(before: &[u8], after: &[u8], left: &mut usize) -> bool {
    // A comment may be between: it ends there, or its line does.
    let ended = before.trim_ascii_end();
    let (after, is_ended) = (after.trim_ascii_start(), before[ended.len()..].contains(&b'\n') || ended.ends_with(b"/"));
    let (before, is_comment) = (ended, is_ended || after.starts_with(b"/") || after.starts_with(b"#"));
    // Where the last byte before the sign comes again, the same text may end.
    let last = before.last().copied().unwrap_or_default();
    is_comment
        || memchr::memchr_iter(last, after).any(|end| {
            *left = left.saturating_sub(end + 1);
            *left == 0 || before.ends_with(&after[..=end])
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nodes_without_a_sign_are_left_out() {
        let equal = Signs::new(vec!["==", "!=", "<", ">", "<=", ">="], true).expect("three bytes");
        let bits = Signs::new(vec!["&", "|", "^"], false).expect("three bytes");
        for (signs, text, expected) in [
            (&equal, "a == b", false),
            (&equal, "a == a", true),
            (&equal, "a==a", true),
            (&equal, "a<=a", true),
            (&equal, "a.b(c) != a.b(c)", true),
            (&equal, "a.b != c.b", false),
            (&equal, "a == b == b", true),
            (&equal, "a  # now\n == a", true),
            (&equal, "a /* now */ == a", true),
            (&equal, "a == # now\n a", true),
            (&equal, "a + a", false),
            (&equal, "a == b == a == b", true),
            (&bits, "a + b", false),
            (&bits, "a & b == c", true),
        ] {
            assert_eq!(signs.may_be_in(text.as_bytes()), expected, "{text}");
        }
        assert!(equal.may_be_in("a".repeat(300).as_bytes()), "what is long is looked at");
        assert_eq!(Signs::new(vec!["is", "=="], false), None);
        assert_eq!(Signs::new(vec!["+", "-", "*", "/"], false), None);
    }
}
