//! Scala.

use super::{Class, Inner, Language, Spec, without_backticks};

pub(super) static SCALA: Language = Language::new(Spec {
    name: "scala",
    grammar: || tree_sitter_scala::LANGUAGE.into(),
    extensions: &["scala", "sc", "sbt"],
    interpreters: &["scala"],
    classes: &[
        (Class::Function, &["function_definition", "lambda_expression"]),
        (Class::Class, &["class_definition", "object_definition", "trait_definition", "enum_definition"]),
        (Class::Call, &["call_expression", "instance_expression"]),
        (Class::Parameter, &["parameter", "class_parameter"]),
        (Class::Loop, &["for_expression", "while_expression", "do_while_expression"]),
        (Class::Branch, &["if_expression", "match_expression", "case_clause", "catch_clause"]),
        (Class::Import, &["import_declaration", "package_clause"]),
        (Class::String, &["string", "interpolated_string_expression", "character_literal"]),
        (Class::Number, &["integer_literal", "floating_point_literal"]),
        (Class::Name, &["identifier", "type_identifier", "package_identifier"]),
        (Class::Comment, &["comment", "block_comment"]),
        (Class::Block, &["block", "indented_block"]),
    ],
    parts: &["case_clause", "catch_clause"],
    wrappers: &[
        ("object w_ { def w_() = {\n", "\n} }"),
        ("", "\n"),
        ("class w_ {\n", "\n}"),
        ("object w_ { def w_() = try {} ", " }"),
        ("object w_ { def w_(x: Int) = x match {\n", "\n} }"),
    ],
    part_wrappers: &[
        ("class w_(", ")\n"),
        ("object w_ { def w_(", ") = 0 }"),
        ("object w_ { val w_: ", " = 0 }"),
        ("class w_ extends ", "\n"),
        ("object w_ { ", " def w_() = 0 }"),
    ],
    line_markers: &["//"],
    doc_markers: &["/**"],
    code_signs: &[
        "call_expression",
        "assignment_expression",
        "val_definition",
        "var_definition",
        "function_definition",
        "class_definition",
        "import_declaration",
        "return_expression",
    ],
    statement_ends: &[")", "{", "}", "]", "\"", "="],
    others_look_like_calls: true,
    stand_ins: &["HOLE: w_", "val HOLE = 0", "case HOLE => 0"],
    optional: &["modifiers", "annotation"],
    optional_fields: &["return_type", "type"],
    wraps: &[("parenthesized_expression", Inner::Only), ("generic_function", Inner::First)],
    plain_name: without_backticks,
    ..Spec::PLAIN
});
