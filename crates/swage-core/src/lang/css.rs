//! CSS.

use super::{Class, Language, Spec, Translation};

pub(super) static CSS: Language = Language::new(Spec {
    name: "css",
    is_often_a_template: true,
    grammar: || tree_sitter_css::LANGUAGE.into(),
    extensions: &["css"],
    classes: &[
        (Class::Call, &["call_expression"]),
        (Class::Import, &["import_statement"]),
        (Class::String, &["string_value"]),
        (Class::Number, &["integer_value", "float_value", "color_value"]),
        (
            Class::Name,
            &["identifier", "property_name", "tag_name", "plain_value", "function_name", "attribute_name", "id_name"],
        ),
        (Class::Comment, &["comment", "js_comment"]),
        (Class::Block, &["block"]),
    ],
    wrappers: &[("", ""), ("w_ {", "}"), ("w_ {", ";}"), ("w_ { w_:", ";}"), ("", " {}")],
    code_signs: &["declaration", "rule_set", "media_statement", "import_statement"],
    statement_ends: &[";", "{", "}"],
    stand_ins: &["HOLE: w_;", "HOLE {}", "NUMBER", "NUMBER% {}"],
    translations: &[Translation::StyleEscapes],
    ..Spec::PLAIN
});
