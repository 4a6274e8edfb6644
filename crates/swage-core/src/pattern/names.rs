//! Names in a pattern that look like holes.

use crate::lang::Language;

/// Whether a character may be in a name. A letter of another script does, a no-break space doesn't: some languages take it for
/// white space.
pub(crate) fn in_name(c: char) -> bool {
    c.is_alphanumeric() || c == '_'
}

/// Names in capitals in the code of a pattern, what is put into its strings included, with their byte offsets: holes are
/// usually written so.
pub(crate) fn names_in_capitals(code: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut at = 0;
    let mut quote = None;
    std::iter::from_fn(move || {
        while let Some(c) = code[at..].chars().next() {
            let start = at;
            if in_name(c) {
                at += code[at..].find(|c| !in_name(c)).unwrap_or(code.len() - at);
                // The unit after a number is a name, too.
                let name = code[start..at].trim_start_matches(|c: char| c.is_ascii_digit());
                let shouts = name.starts_with(|c: char| c.is_ascii_uppercase())
                    && name.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_');
                if shouts && (quote.is_none() || code[..start].ends_with(['{', '(', '$'])) {
                    return Some((at - name.len(), name));
                }
                continue;
            }
            match quote {
                Some(open) if open == c => quote = None,
                None if matches!(c, '"' | '\'' | '`') => quote = Some(c),
                _ => {}
            }
            at += c.len_utf8();
        }
        None
    })
}

/// The names in a pattern that are holes by the way they are written, each once: in capitals, and no words of the language.
pub fn hole_names<'c>(code: &'c str, language: &Language) -> Vec<&'c str> {
    let mut names: Vec<&str> = Vec::new();
    let quoted = code.split(['"', '\'', '`']).filter(|text| names_in_capitals(text).any(|(_, name)| name == *text));
    for name in names_in_capitals(code).map(|(_, name)| name).chain(quoted) {
        if !language.is_keyword(name) && !names.contains(&name) {
            names.push(name);
        }
    }
    names
}
