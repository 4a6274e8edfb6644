//! Swift.

use super::{Class, Language, Spec};

pub(super) static SWIFT: Language = Language::new(Spec {
    name: "swift",
    grammar: || tree_sitter_swift::LANGUAGE.into(),
    extensions: &["swift"],
    interpreters: &["swift"],
    classes: &[
        (
            Class::Function,
            &[
                "function_declaration",
                "init_declaration",
                "deinit_declaration",
                "lambda_literal",
                "protocol_function_declaration",
            ],
        ),
        (Class::Class, &["class_declaration", "protocol_declaration"]),
        (Class::Call, &["call_expression", "constructor_expression"]),
        (Class::Parameter, &["parameter", "lambda_parameter"]),
        (Class::Loop, &["for_statement", "while_statement", "repeat_while_statement"]),
        (
            Class::Branch,
            &[
                "if_statement",
                "guard_statement",
                "switch_statement",
                "switch_entry",
                "ternary_expression",
                "catch_block",
            ],
        ),
        (Class::Import, &["import_declaration"]),
        (Class::String, &["line_string_literal", "multi_line_string_literal", "raw_string_literal", "regex_literal"]),
        (Class::Number, &["integer_literal", "real_literal", "hex_literal", "bin_literal", "oct_literal"]),
        (Class::Name, &["simple_identifier", "type_identifier"]),
        (Class::Comment, &["comment", "multiline_comment"]),
        (Class::Block, &["function_body", "statements"]),
    ],
    parts: &["switch_entry", "catch_block"],
    wrappers: &[
        ("func w_() {\n", "\n}"),
        ("", "\n"),
        ("class w_ {\n", "\n}"),
        ("func w_() { do {} ", " }"),
        ("func w_() { switch x {\n", "\n} }"),
        ("", " func w_() {}\n"),
        ("", " {}\n"),
    ],
    part_wrappers: &[
        ("protocol w_ {\n", "\n}"),
        ("func w_(", ") {}\n"),
        ("enum w_ {\n", "\n}"),
        ("var w_: ", "\n"),
        ("w_ { ", " in w_ }\n"),
        ("w_(", ")\n"),
    ],
    line_markers: &["//"],
    doc_markers: &["///", "/**"],
    code_signs: &[
        "call_expression",
        "assignment",
        "property_declaration",
        "import_declaration",
        "if_statement",
        "for_statement",
        "guard_statement",
        "control_transfer_statement",
        "function_declaration",
        "class_declaration",
    ],
    statement_ends: &[")", "{", "}", "]", "\"", "="],
    openers: &[
        "{", "func", "init", "for", "while", "repeat", "if", "guard", "switch", "case", "default", "?", "catch", "//",
        "/*",
    ],
    stand_ins: &["HOLE: w_", "let HOLE = 0", "case HOLE: w_", "func HOLE()"],
    optional: &["modifiers", "type_annotation", "throws", "async"],
    optional_fields: &["return_type"],
    ..Spec::PLAIN
});
