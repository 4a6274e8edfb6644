//! PHP.

use super::{Class, Language, Spec};

pub(super) static PHP: Language = Language::new(Spec {
    name: "php",
    grammar: || tree_sitter_php::LANGUAGE_PHP.into(),
    extensions: &["php", "phtml", "php5", "phps"],
    interpreters: &["php"],
    first_lines: &["<?php"],
    classes: &[
        (Class::Function, &["function_definition", "method_declaration", "anonymous_function", "arrow_function"]),
        (
            Class::Class,
            &["class_declaration", "interface_declaration", "trait_declaration", "enum_declaration", "anonymous_class"],
        ),
        (
            Class::Call,
            &[
                "function_call_expression",
                "member_call_expression",
                "nullsafe_member_call_expression",
                "scoped_call_expression",
                "object_creation_expression",
            ],
        ),
        (Class::Parameter, &["simple_parameter", "variadic_parameter", "property_promotion_parameter"]),
        (Class::Loop, &["for_statement", "foreach_statement", "while_statement", "do_statement"]),
        (
            Class::Branch,
            &[
                "if_statement",
                "else_if_clause",
                "switch_statement",
                "case_statement",
                "match_expression",
                "match_conditional_expression",
                "conditional_expression",
                "catch_clause",
            ],
        ),
        (
            Class::Import,
            &["namespace_use_declaration", "require_expression", "require_once_expression", "include_expression"],
        ),
        (Class::String, &["string", "encapsed_string", "heredoc", "nowdoc", "shell_command_expression"]),
        (Class::Number, &["integer", "float"]),
        (Class::Name, &["name", "variable_name"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["compound_statement", "declaration_list"]),
    ],
    parts: &["else_if_clause", "case_statement", "match_conditional_expression", "catch_clause"],
    wrappers: &[
        ("<?php ", ""),
        ("<?php ", ";"),
        ("<?php class w_ {", "}"),
        ("<?php try {} ", ""),
        ("<?php switch (0) {", "}"),
        ("<?php ", " {}"),
        ("", ""),
    ],
    line_markers: &["//", "#"],
    doc_markers: &["/**", "#["],
    code_signs: &[
        "function_call_expression",
        "member_call_expression",
        "scoped_call_expression",
        "assignment_expression",
        "echo_statement",
        "if_statement",
        "for_statement",
        "foreach_statement",
        "return_statement",
        "function_definition",
        "method_declaration",
        "namespace_use_declaration",
    ],
    statement_ends: &[";", "{", "}"],
    keywords_in_any_case: true,
    stand_ins: &["$HOLE", "HOLE;", "public $HOLE;", "case HOLE:"],
    ..Spec::PLAIN
});
