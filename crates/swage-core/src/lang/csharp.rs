//! C#.

use super::{Class, Inner, Language, Spec, Translation};

pub(super) static CSHARP: Language = Language::new(Spec {
    name: "csharp",
    grammar: || swage_grammars::CSHARP.into(),
    extensions: &["cs", "csx"],
    classes: &[
        (
            Class::Function,
            &[
                "method_declaration",
                "constructor_declaration",
                "destructor_declaration",
                "operator_declaration",
                "local_function_statement",
                "lambda_expression",
                "anonymous_method_expression",
            ],
        ),
        (
            Class::Class,
            &[
                "class_declaration",
                "interface_declaration",
                "struct_declaration",
                "record_declaration",
                "enum_declaration",
            ],
        ),
        (Class::Call, &["invocation_expression", "object_creation_expression", "implicit_object_creation_expression"]),
        (Class::Parameter, &["parameter"]),
        (Class::Loop, &["for_statement", "foreach_statement", "while_statement", "do_statement"]),
        (
            Class::Branch,
            &[
                "if_statement",
                "switch_statement",
                "switch_section",
                "switch_expression",
                "switch_expression_arm",
                "conditional_expression",
                "catch_clause",
            ],
        ),
        (Class::Import, &["using_directive"]),
        (
            Class::String,
            &[
                "string_literal",
                "verbatim_string_literal",
                "raw_string_literal",
                "interpolated_string_expression",
                "character_literal",
            ],
        ),
        (Class::Number, &["integer_literal", "real_literal"]),
        (Class::Name, &["identifier"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["block"]),
    ],
    parts: &["switch_section", "switch_expression_arm", "catch_clause"],
    wrappers: &[
        ("class w_ { void w_() {", "} }"),
        ("class w_ { void w_() {", ";} }"),
        ("class w_ { void w_() { try {}", "} }"),
        ("class w_ {", "}"),
        ("", ""),
        ("class w_ { void w_() { switch (0) {", "} } }"),
        ("class w_ {", "{} }"),
        ("class w_ {", " void w_() {} }"),
        ("class w_ { object w_ = ", "; }"),
    ],
    part_wrappers: &[
        ("class w_ { void w_(", ") {} }"),
        ("class w_ { ", " w_; }"),
        ("interface w_ {", "}"),
        ("enum w_ {", "}"),
        ("class w_ { void w_() { var w_ = new w_ {", "}; } }"),
        ("class w_ { int w_ {", "} }"),
        ("class w_ { void w_() { w_(", "); } }"),
        ("class w_ { int w_ = w_ switch {", "}; }"),
        ("[", "] class w_ {}"),
    ],
    line_markers: &["//"],
    doc_markers: &["///", "/**"],
    code_signs: &[
        "invocation_expression",
        "object_creation_expression",
        "assignment_expression",
        "local_declaration_statement",
        "using_directive",
        "if_statement",
        "for_statement",
        "foreach_statement",
        "while_statement",
        "return_statement",
        "throw_statement",
        "method_declaration",
        "class_declaration",
        "field_declaration",
        "property_declaration",
    ],
    statement_ends: &[";", "{", "}"],
    others_look_like_calls: true,
    stand_ins: &["HOLE;", "w_ HOLE", "w_ HOLE;", "case HOLE:"],
    for_declaration: Some("w_ HOLE"),
    optional: &["modifier", "attribute_list"],
    has_known_paths: true,
    translations: &[Translation::UnicodeLineEnds, Translation::EscapedNames, Translation::IgnorableCharacters],
    wraps: &[
        ("parenthesized_expression", Inner::Only),
        ("generic_name", Inner::First),
        ("postfix_unary_expression", Inner::Before("!")),
    ],
    also: &[("member_access_expression", "conditional_access_expression")],
    flattened: &["member_binding_expression"],
    optional_in: &[("conditional_access_expression", "?")],
    plain_name: |name| name.strip_prefix(b"@").unwrap_or(name),
    uncounted: quotes,
    ..Spec::PLAIN
});

/// How many signs in a row open a string at most, since the scanner has one byte for it.
const MOST_QUOTES: usize = 255;

/// Signs in a row that open a string or a hole in it, as many as close it.
fn quotes(text: &[u8], _: &tree_sitter::Tree) -> Option<String> {
    let counted = |sign: &u8| b"$\"{}".contains(sign);
    let runs = || text.chunk_by(|a, b| a == b && counted(a));
    let run = runs().find(|run| run.len() >= MOST_QUOTES)?;
    Some(format!("it has {MOST_QUOTES} `{}` in a row or more", run[0] as char))
}
