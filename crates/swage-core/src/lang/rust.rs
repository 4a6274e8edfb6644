//! Rust.

use std::sync::OnceLock;

use super::{Class, Language};

pub(super) static RUST: Language = Language {
    name: "rust",
    grammar: || tree_sitter_rust::LANGUAGE.into(),
    extensions: &["rs"],
    file_names: &[],
    interpreters: &["rust-script"],
    classes: &[
        (Class::Function, &["function_item", "closure_expression"]),
        (Class::Class, &["struct_item", "enum_item", "trait_item", "impl_item", "union_item", "mod_item"]),
        (Class::Call, &["call_expression", "macro_invocation"]),
        (Class::Parameter, &["parameter", "self_parameter", "variadic_parameter"]),
        (Class::Loop, &["for_expression", "while_expression", "loop_expression"]),
        (Class::Branch, &["if_expression", "match_expression", "match_arm"]),
        (Class::Import, &["use_declaration", "extern_crate_declaration"]),
        (Class::String, &["string_literal", "raw_string_literal", "char_literal"]),
        (Class::Number, &["integer_literal", "float_literal"]),
        (Class::Name, &["identifier", "field_identifier", "type_identifier"]),
        (Class::Comment, &["line_comment", "block_comment"]),
        (Class::Block, &["block"]),
    ],
    wrappers: &[
        ("fn w_() {", "}"),
        ("fn w_() {", ";}"),
        ("", ""),
        ("impl w_ {", "}"),
        ("fn w_() { match w_ {", "} }"),
        ("", "{}"),
        ("", " fn w_() {}"),
    ],
    name_fields: &["name", "type"],
    not_parameters: &["self_parameter", "attribute_item"],
    implicit_parameters: &[],
    line_markers: &["//"],
    doc_markers: &["///", "//!", "/**", "/*!"],
    code_signs: &[
        "call_expression",
        "macro_invocation",
        "assignment_expression",
        "compound_assignment_expr",
        "let_declaration",
        "use_declaration",
        "if_expression",
        "for_expression",
        "while_expression",
        "return_expression",
        "function_item",
        "struct_item",
        "impl_item",
    ],
    statement_ends: &[";", "{", "}", ","],
    openers: &["fn", "|", "for", "while", "loop", "if", "match", "=>", "//", "/*"],
    tables: OnceLock::new(),
};
