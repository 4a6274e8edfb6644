//! HTML, with the scripts and styles in it.

use super::{Class, CodeLanguage, Embedded, Items, Keyed, Language, Listed, Spec, Translation, misread};

pub(super) static HTML: Language = Language::new(Spec {
    name: "html",
    is_often_a_template: true,
    grammar: || swage_grammars::HTML.into(),
    extensions: &["html", "htm", "xhtml"],
    first_lines: &["<!DOCTYPE html", "<!doctype html"],
    classes: &[
        (Class::String, &["quoted_attribute_value", "attribute_value"]),
        (Class::Name, &["tag_name", "attribute_name"]),
        (Class::Comment, &["comment"]),
    ],
    code_signs: &["start_tag", "self_closing_tag"],
    statement_ends: &[">"],
    embedded: &[
        Embedded { around: "script_element", code: "raw_text", language: CodeLanguage::Always("javascript") },
        Embedded { around: "style_element", code: "raw_text", language: CodeLanguage::Always("css") },
        Embedded { around: "attribute", code: "attribute_value", language: CodeLanguage::InAttribute },
    ],
    keyed: &[
        Keyed { node: "start_tag", key: "tag_name" },
        Keyed { node: "self_closing_tag", key: "tag_name" },
        Keyed { node: "attribute", key: "attribute_name" },
    ],
    depth: Some(depth),
    wrappers: &[("", "")],
    part_wrappers: &[("<w ", "></w>"), ("<w>", "</w>")],
    translations: &[Translation::PlainTexts],
    names_in_any_case: true,
    listed: &[
        Listed::new(Items::Attributes, "start_tag", "attribute", ""),
        Listed::new(Items::Attributes, "self_closing_tag", "attribute", ""),
    ],
    misread: misread::html,
    ..Spec::PLAIN
});

/// Elements without an end tag: void ones (HTML Standard, section 13.1.2), and those whose end tag may be left out
/// (section 13.1.2.4), which the next one of their kind ends.
const WITHOUT_END: [&str; 31] = [
    "area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr", "caption",
    "colgroup", "dd", "dt", "li", "optgroup", "option", "p", "rb", "rp", "rt", "rtc", "tbody", "td", "tfoot", "th",
    "thead", "tr",
];

/// The most elements that are open at once. What is in comments, scripts and styles is no element.
fn depth(text: &[u8]) -> usize {
    let (mut now, mut most, mut at) = (0usize, 0, 0);
    while let Some(found) = memchr::memchr(b'<', &text[at..]) {
        at += found + 1;
        let rest = &text[at..];
        if rest.starts_with(b"!--") {
            at += memchr::memmem::find(rest, b"-->").unwrap_or(rest.len());
            continue;
        }
        let closes = rest.first() == Some(&b'/');
        let name = &rest[usize::from(closes)..];
        let name = &name[..name.iter().take(12).position(|b| !b.is_ascii_alphanumeric()).unwrap_or(name.len().min(12))];
        let is = |known: &&str| known.as_bytes().eq_ignore_ascii_case(name);
        if !name.first().is_some_and(u8::is_ascii_alphabetic) || WITHOUT_END.iter().any(is) {
            continue;
        }
        if closes {
            now = now.saturating_sub(1);
            continue;
        }
        let end = memchr::memchr(b'>', rest).unwrap_or(rest.len());
        if rest[..end].ends_with(b"/") {
            continue;
        }
        now += 1;
        most = most.max(now);
        if let Some(raw) = ["script", "style"].iter().find(|known| is(known)) {
            at += memchr::memmem::find(rest, format!("</{raw}").as_bytes()).unwrap_or(rest.len());
        }
    }
    most
}
