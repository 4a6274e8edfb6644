//! TOML.

use super::{Class, Items, Keyed, Language, Listed, Spec, Translation};

pub(super) static TOML: Language = Language::new(Spec {
    name: "toml",
    is_often_a_template: true,
    grammar: || tree_sitter_toml_ng::LANGUAGE.into(),
    extensions: &["toml"],
    file_names: &["Cargo.lock", "poetry.lock", "Pipfile"],
    classes: &[
        (Class::String, &["string"]),
        (Class::Number, &["integer", "float"]),
        (Class::Name, &["bare_key"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["table", "table_array_element", "inline_table", "array"]),
    ],
    wrappers: &[("", "\n"), ("w_ = ", "\n")],
    line_markers: &["#"],
    doc_markers: &["#:"],
    code_signs: &["pair", "table"],
    stand_ins: &["\"HOLE\"", "HOLE = 0"],
    keyed: &[
        Keyed { node: "pair", key: "" },
        Keyed { node: "table", key: "" },
        Keyed { node: "table_array_element", key: "" },
    ],
    lone_cr_ends_lines: false,
    translations: &[Translation::EscapedNames],
    listed: &[
        Listed::new(Items::Entries, "document", "pair", ""),
        Listed::new(Items::Entries, "table", "pair", ""),
        Listed::new(Items::Entries, "inline_table", "pair", ""),
    ],
    ..Spec::PLAIN
});
