//! C#.

use super::{Class, Language, Spec};

pub(super) static CSHARP: Language = Language::new(Spec {
    name: "csharp",
    grammar: || tree_sitter_c_sharp::LANGUAGE.into(),
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
    openers: &[
        "{", "=>", "(", "?", "for", "foreach", "while", "do", "if", "switch", "case", "default", "catch", "//", "/*",
    ],
    stand_ins: &["HOLE;", "w_ HOLE", "w_ HOLE;", "case HOLE:"],
    ..Spec::PLAIN
});
