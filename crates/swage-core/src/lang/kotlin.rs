//! Kotlin.

use super::{Class, Language, Spec};

pub(super) static KOTLIN: Language = Language::new(Spec {
    name: "kotlin",
    grammar: || tree_sitter_kotlin_ng::LANGUAGE.into(),
    extensions: &["kt", "kts"],
    interpreters: &["kotlin"],
    classes: &[
        (
            Class::Function,
            &[
                "function_declaration",
                "anonymous_function",
                "lambda_literal",
                "secondary_constructor",
                "getter",
                "setter",
            ],
        ),
        (Class::Class, &["class_declaration", "object_declaration", "companion_object"]),
        (Class::Call, &["call_expression", "constructor_invocation"]),
        (Class::Parameter, &["parameter", "class_parameter"]),
        (Class::Loop, &["for_statement", "while_statement", "do_while_statement"]),
        (Class::Branch, &["if_expression", "when_expression", "when_entry", "catch_block"]),
        (Class::Import, &["import", "package_header"]),
        (Class::String, &["string_literal", "multiline_string_literal", "character_literal"]),
        (Class::Number, &["number_literal", "float_literal"]),
        (Class::Name, &["identifier"]),
        (Class::Comment, &["line_comment", "block_comment"]),
        (Class::Block, &["block"]),
    ],
    parts: &["when_entry", "catch_block"],
    wrappers: &[
        ("fun w_() {\n", "\n}"),
        ("", "\n"),
        ("class w_ {\n", "\n}"),
        ("fun w_() { try {} ", " }"),
        ("fun w_() { when (0) {\n", "\n} }"),
        ("", " fun w_() {}\n"),
        ("", " {}\n"),
    ],
    parameter_lists: &["function_value_parameters", "lambda_parameters"],
    line_markers: &["//"],
    doc_markers: &["/**"],
    code_signs: &[
        "call_expression",
        "assignment",
        "property_declaration",
        "import",
        "if_expression",
        "for_statement",
        "while_statement",
        "return_expression",
        "function_declaration",
        "class_declaration",
    ],
    statement_ends: &[")", "{", "}", "]", "\"", "="],
    openers: &["fun", "{", "constructor", "get", "set", "for", "while", "do", "if", "when", "->", "catch", "//", "/*"],
    stand_ins: &["HOLE: w_", "val HOLE = 0", "HOLE -> 0"],
    optional: &["modifiers", "user_type", "nullable_type", "function_type"],
    ..Spec::PLAIN
});
