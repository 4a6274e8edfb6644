//! HTML, with the scripts and styles in it.

use super::{Class, Embedded, Language, Spec, Told};
use crate::scan::Keyed;

pub(super) static HTML: Language = Language::new(Spec {
    name: "html",
    grammar: || tree_sitter_html::LANGUAGE.into(),
    extensions: &["html", "htm", "xhtml"],
    first_lines: &["<!DOCTYPE html", "<!doctype html"],
    classes: &[
        (Class::String, &["quoted_attribute_value", "attribute_value"]),
        (Class::Name, &["tag_name", "attribute_name"]),
        (Class::Comment, &["comment"]),
    ],
    code_signs: &["start_tag", "self_closing_tag"],
    statement_ends: &[">"],
    openers: &["<!--"],
    embedded: &[
        Embedded { around: "script_element", code: "raw_text", language: Told::Always("javascript") },
        Embedded { around: "style_element", code: "raw_text", language: Told::Always("css") },
    ],
    keyed: &[
        Keyed { node: "start_tag", key: "tag_name" },
        Keyed { node: "self_closing_tag", key: "tag_name" },
        Keyed { node: "attribute", key: "attribute_name" },
    ],
    ..Spec::PLAIN
});
