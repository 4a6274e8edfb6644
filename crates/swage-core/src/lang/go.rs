//! Go.

use std::sync::OnceLock;

use super::{Class, Language};

pub(super) static GO: Language = Language {
    name: "go",
    grammar: || tree_sitter_go::LANGUAGE.into(),
    extensions: &["go"],
    file_names: &[],
    interpreters: &[],
    classes: &[
        (Class::Function, &["function_declaration", "method_declaration", "func_literal"]),
        (Class::Class, &["type_spec"]),
        (Class::Call, &["call_expression"]),
        (Class::Parameter, &["parameter_declaration", "variadic_parameter_declaration"]),
        (Class::Loop, &["for_statement"]),
        (
            Class::Branch,
            &[
                "if_statement",
                "expression_switch_statement",
                "type_switch_statement",
                "select_statement",
                "expression_case",
                "type_case",
                "communication_case",
            ],
        ),
        (Class::Import, &["import_declaration", "import_spec", "package_clause"]),
        (Class::String, &["interpreted_string_literal", "raw_string_literal", "rune_literal"]),
        (Class::Number, &["int_literal", "float_literal", "imaginary_literal"]),
        (Class::Name, &["identifier", "field_identifier", "type_identifier", "package_identifier"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["block"]),
    ],
    wrappers: &[
        ("package p\nfunc w_() {\n", "\n}"),
        ("package p\n", "\n"),
        ("", "\n"),
        ("package p\nvar w_ = ", "\n"),
        ("package p\nfunc w_() { switch {\n", "\n} }"),
        ("package p\ntype w_ struct {\n", "\n}"),
        ("package p\n", " {}\n"),
    ],
    name_fields: &["name"],
    not_parameters: &[],
    implicit_parameters: &[],
    line_markers: &["//"],
    doc_markers: &["//go:", "// +build"],
    code_signs: &[
        "call_expression",
        "assignment_statement",
        "short_var_declaration",
        "var_declaration",
        "import_declaration",
        "if_statement",
        "for_statement",
        "return_statement",
        "function_declaration",
        "method_declaration",
        "go_statement",
        "defer_statement",
        "inc_statement",
    ],
    statement_ends: &[")", "{", "}", "]", "\"", "="],
    tables: OnceLock::new(),
};
