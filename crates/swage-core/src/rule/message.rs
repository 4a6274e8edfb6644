//! Messages with gaps: `{NAME}` is filled in, every other brace stands for itself.
//!
//! There is no escape for a brace. Messages quote code, in which braces are frequent and names directly between two of
//! them are not, so `{` followed by anything but a name and `}` is text.

/// Longest text that fills a gap, in characters; longer ones are cut.
const LONGEST: usize = 120;

/// The names of a message's gaps, in order.
pub(super) fn placeholders(message: &str) -> impl Iterator<Item = &str> {
    parts(message).filter_map(|part| part.err())
}

/// Fills the gaps in; a gap that `value` doesn't know stays as it is.
pub(crate) fn fill(message: &str, value: impl Fn(&str) -> Option<String>) -> String {
    let mut out = String::with_capacity(message.len() + 32);
    for part in parts(message) {
        match part {
            Ok(text) => out.push_str(text),
            Err(name) => match value(name) {
                Some(text) => out.push_str(&shorten(&text)),
                None => out.extend(["{", name, "}"]),
            },
        }
    }
    out
}

/// What may be shown of a secret: how it begins, when it is long enough for that to say little, and its length.
pub(crate) fn mask(text: &str) -> String {
    let length = text.trim().chars().count();
    // Four of sixteen characters name a kind of credential and help nobody to use it.
    let shown: String = text.trim().chars().take(if length >= 16 { 4 } else { 0 }).collect();
    format!("{shown}… ({length} characters)")
}

/// One line, cut to a readable length.
pub(crate) fn shorten(text: &str) -> String {
    let mut line = String::new();
    for word in text.split_whitespace() {
        if !line.is_empty() {
            line.push(' ');
        }
        line.push_str(word);
        if line.chars().count() > LONGEST {
            return line.chars().take(LONGEST - 1).chain(['…']).collect();
        }
    }
    line
}

/// Text as `Ok`, names of gaps as `Err`.
pub(crate) fn parts(message: &str) -> impl Iterator<Item = Result<&str, &str>> {
    let mut rest = message;
    std::iter::from_fn(move || {
        if rest.is_empty() {
            return None;
        }
        // A brace that opens no gap is text: messages show code.
        let mut from = 0;
        while let Some(open) = rest[from..].find('{').map(|at| from + at) {
            let name_end = rest[open + 1..].find(|c: char| !c.is_alphanumeric() && c != '_').map(|n| open + 1 + n);
            match name_end {
                Some(end) if end > open + 1 && rest[end..].starts_with('}') => {
                    if open > 0 {
                        let text = &rest[..open];
                        rest = &rest[open..];
                        return Some(Ok(text));
                    }
                    let name = &rest[1..end];
                    rest = &rest[end + 1..];
                    return Some(Err(name));
                }
                _ => from = open + 1,
            }
        }
        Some(Ok(std::mem::take(&mut rest)))
    })
}
