//! What a template language fills in or hides: rules with `skip_templated` skip it.
//!
//! Pages and files of settings are often templates. What has a gap in it isn't yet what readers will get, and what is in
//! a template's own comment never gets to them.

use std::ops::Range;

use memchr::memmem;

use crate::lang::Language;

/// What opens a gap that a template fills, or a step that it takes.
const OPENERS: [&[u8]; 4] = [b"{{", b"{%", b"<%", b"<?"];

/// What opens and what closes a comment of a template language.
const COMMENTS: [(&[u8], &[u8]); 7] = [
    (b"{#", b"#}"),
    (b"{{!--", b"--}}"),
    (b"{{!", b"}}"),
    (b"{{/*", b"*/}}"),
    (b"<%--", b"--%>"),
    (b"<%#", b"%>"),
    (b"@*", b"*@"),
];

/// How far before a place a comment may begin, in bytes. Each place is looked at by itself, and a file may have very many.
const FARTHEST: usize = 16 << 10;

/// Whether a template fills in something of a place, or the place is in a template's comment. In code such signs mean other
/// things, so only pages, style sheets, and files of settings and words are looked at.
pub(super) fn is_templated(place: &Range<usize>, source: &[u8], language: &Language) -> bool {
    language.is_often_a_template
        && (OPENERS.iter().any(|opener| memmem::find(&source[place.clone()], opener).is_some())
            || COMMENTS.iter().any(|(open, close)| is_between(place.start, source, open, close)))
}

/// Whether an offset is after what opens a comment and before what closes it.
fn is_between(offset: usize, source: &[u8], open: &[u8], close: &[u8]) -> bool {
    let from = offset.saturating_sub(FARTHEST);
    let Some(at) = memmem::rfind(&source[from..offset], open) else { return false };
    let inside = from + at + open.len();
    // What nothing closes is no comment.
    memmem::find(&source[inside..], close).is_some_and(|end| inside + end >= offset)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn gaps_and_comments_of_templates_are_recognised() {
        // The place is `<i>` with what follows up to the next `>`.
        let cases = [
            ("html", "<i>", false),
            ("html", "<i alt={{ quay }}>", true),
            ("html", "{{ quay }}<i>{% late %}", false),
            ("html", "{# old: <i> #}", true),
            ("html", "{# old #}<i>{# older #}", false),
            ("html", "{# old <i>", false),
            ("html", "{{!-- <b> <i> --}}", true),
            ("html", "{{! <i> }}", true),
            ("html", "<%# <i> %>", true),
            ("html", "<%-- <i> --%> ", true),
            ("html", "@* <i> *@", true),
            ("yaml", "a: <i {{ quay }}>", true),
            ("javascript", "a = `<i {{ quay }}>`", false),
        ];
        for (language, text, expected) in cases {
            let language = Language::by_name(language).expect("a known language");
            let start = text.find("<i").expect("a place");
            let end = start + text[start..].find('>').expect("its end") + 1;
            assert_eq!(is_templated(&(start..end), text.as_bytes(), language), expected, "{text}");
        }
        let far = format!("{{#{}<i>#}}", " ".repeat(FARTHEST));
        let place = far.find("<i>").map(|at| at..at + 3).expect("a place");
        let html = Language::by_name("html").expect("a known language");
        assert!(!is_templated(&place, far.as_bytes(), html), "it begins too far away");
    }
}
