//! JSON, with the comments that some programs allow.

use super::{Class, Items, Keyed, Language, Listed, Spec, Translation};

pub(super) static JSON: Language = Language::new(Spec {
    name: "json",
    is_often_a_template: true,
    grammar: || tree_sitter_json::LANGUAGE.into(),
    extensions: &["json", "jsonc", "json5", "webmanifest", "sarif"],
    classes: &[
        (Class::String, &["string"]),
        (Class::Number, &["number"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["object", "array"]),
    ],
    wrappers: &[("", ""), ("{", "}"), ("[", "]")],
    line_markers: &["//"],
    code_signs: &["pair"],
    statement_ends: &[",", "{", "}", "[", "]"],
    stand_ins: &["\"HOLE\"", "\"HOLE\": 0"],
    keyed: &[Keyed { node: "pair", key: "key" }],
    translations: &[Translation::EscapedNames],
    listed: &[Listed::new(Items::Entries, "object", "pair", "key")],
    ..Spec::PLAIN
});
