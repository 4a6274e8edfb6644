//! Java.

use std::sync::OnceLock;

use super::{Class, Language};

pub(super) static JAVA: Language = Language {
    name: "java",
    grammar: || tree_sitter_java::LANGUAGE.into(),
    extensions: &["java"],
    file_names: &[],
    interpreters: &["java"],
    classes: &[
        (
            Class::Function,
            &["method_declaration", "constructor_declaration", "compact_constructor_declaration", "lambda_expression"],
        ),
        (
            Class::Class,
            &[
                "class_declaration",
                "interface_declaration",
                "enum_declaration",
                "record_declaration",
                "annotation_type_declaration",
            ],
        ),
        (Class::Call, &["method_invocation", "object_creation_expression"]),
        (Class::Parameter, &["formal_parameter", "spread_parameter"]),
        (Class::Loop, &["for_statement", "enhanced_for_statement", "while_statement", "do_statement"]),
        (
            Class::Branch,
            &[
                "if_statement",
                "switch_expression",
                "switch_block_statement_group",
                "switch_rule",
                "ternary_expression",
                "catch_clause",
            ],
        ),
        (Class::Import, &["import_declaration", "package_declaration"]),
        (Class::String, &["string_literal", "character_literal"]),
        (
            Class::Number,
            &[
                "decimal_integer_literal",
                "hex_integer_literal",
                "octal_integer_literal",
                "binary_integer_literal",
                "decimal_floating_point_literal",
                "hex_floating_point_literal",
            ],
        ),
        (Class::Name, &["identifier", "type_identifier"]),
        (Class::Comment, &["line_comment", "block_comment"]),
        (Class::Block, &["block"]),
    ],
    wrappers: &[
        ("class w_ { void w_() {", "} }"),
        ("class w_ { void w_() {", ";} }"),
        ("class w_ { void w_() { try {}", "} }"),
        ("class w_ {", "}"),
        ("", ""),
        ("class w_ { void w_() { switch (0) {", "} } }"),
        ("class w_ {", "{} }"),
        ("class w_ {", " void w_() {} }"),
    ],
    name_fields: &["name"],
    not_parameters: &["receiver_parameter"],
    implicit_parameters: &[],
    line_markers: &["//"],
    doc_markers: &["/**"],
    code_signs: &[
        "method_invocation",
        "assignment_expression",
        "local_variable_declaration",
        "field_declaration",
        "import_declaration",
        "if_statement",
        "for_statement",
        "enhanced_for_statement",
        "while_statement",
        "return_statement",
        "throw_statement",
        "method_declaration",
        "class_declaration",
        "update_expression",
    ],
    statement_ends: &[";", "{", "}"],
    openers: &[
        "{", "(", "->", "?", ":", "if", "for", "while", "do", "switch", "case", "default", "try", "catch", "//", "/*",
    ],
    tables: OnceLock::new(),
};
