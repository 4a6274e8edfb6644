//! Rust.

use super::{Class, Inner, Language, Spec, TestMark, Tokens};

pub(super) static RUST: Language = Language::new(Spec {
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
    parts: &["match_arm"],
    wrappers: &[
        ("fn w_() {", "}"),
        ("fn w_() {", ";}"),
        ("", ""),
        ("impl w_ {", "}"),
        ("fn w_() { match w_ {", "} }"),
        ("", "{}"),
        ("", " fn w_() {}"),
    ],
    part_wrappers: &[
        ("fn w_(", ") {}"),
        ("struct w_ {", "}"),
        ("enum w_ {", "}"),
        ("const w_: ", " = 0;"),
        ("const w_: w_ = w_ {", "};"),
        ("trait w_ {", "}"),
        ("use ", ";"),
        ("#[", "] fn w_() {}"),
        ("fn w_() { let ", " = w_; }"),
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
    stand_ins: &["HOLE;", "HOLE: w_", "HOLE => w_", "const HOLE: w_ = w_;"],
    lone_cr_ends_lines: false,
    optional: &["visibility_modifier", "function_modifiers"],
    optional_fields: &["return_type", "type"],
    wraps: &[("parenthesized_expression", Inner::Only), ("generic_function", Inner::First)],
    plain_name: |name| name.strip_prefix(b"r#").unwrap_or(name),
    macros: &[("macro_invocation", Tokens::Arguments, "token_tree"), ("macro_rule", Tokens::Body, "token_tree")],
    // `#[test]`, `#[cfg(test)]`, `#[tokio::test]`, `#[cfg(any(test, ...))]`; not `#[cfg(not(test))]`.
    test_mark: Some(TestMark {
        kind: "attribute_item",
        says_so: |attribute| {
            let mut words = attribute.split(|b| !b.is_ascii_alphanumeric() && *b != b'_');
            words.clone().all(|word| word != b"not") && words.any(|word| word == b"test")
        },
    }),
    ..Spec::PLAIN
});
