//! C, and what C++ shares with it.

#[cfg(feature = "c")]
use super::{Blanks, Class, Indirect, Inner, Language, Spec, Tokens, Translation, misread};

#[cfg(feature = "c")]
pub(super) const WRAPPERS: &[(&str, &str)] = &[
    ("void w_(void) {\n", "\n}"),
    ("void w_(void) {\n", ";\n}"),
    ("", "\n"),
    ("struct w_ {\n", "\n};"),
    ("void w_(void) { switch (0) {\n", "\n} }"),
    ("", " {}\n"),
    ("void w_(", ");"),
];
/// Around parts of those.
#[cfg(feature = "c")]
pub(super) const PART_WRAPPERS: &[(&str, &str)] = &[("w_ w_ = {", "};"), ("enum w_ {", "};"), ("#include ", "\n")];
pub(super) const CODE_SIGNS: &[&str] = &[
    "call_expression",
    "assignment_expression",
    "update_expression",
    "declaration",
    "if_statement",
    "for_statement",
    "while_statement",
    "return_statement",
    "function_definition",
    "preproc_include",
    "preproc_def",
];
pub(super) const STAND_INS: &[&str] = &["HOLE;", "w_ HOLE", "w_ HOLE;", "case HOLE:"];

/// Signs and words of the kinds of nodes that C and C++ have in common.
pub(super) const SIGNS: &[(&str, &[&str])] = &[
    ("function_definition", &["{"]),
    ("struct_specifier", &["struct"]),
    ("union_specifier", &["union"]),
    ("enum_specifier", &["enum"]),
    ("class_specifier", &["class"]),
    ("for_statement", &["for"]),
    ("for_range_loop", &["for"]),
    ("while_statement", &["while"]),
    ("do_statement", &["do"]),
    ("if_statement", &["if"]),
    ("switch_statement", &["switch"]),
    ("case_statement", &["case", "default"]),
    ("conditional_expression", &["?"]),
    ("compound_statement", &["{"]),
    ("binary_expression", &["=", "<", ">", "|", "&", "+", "-", "*", "/", "%", "^"]),
    ("assignment_expression", &["="]),
];

#[cfg(feature = "c")]
pub(super) static C: Language = Language::new(Spec {
    name: "c",
    grammar: || tree_sitter_c::LANGUAGE.into(),
    extensions: &["c", "h"],
    classes: &[
        (Class::Function, &["function_definition"]),
        (Class::Class, &["struct_specifier", "union_specifier", "enum_specifier"]),
        (Class::Call, &["call_expression"]),
        (Class::Parameter, &["parameter_declaration", "variadic_parameter"]),
        (Class::Loop, &["for_statement", "while_statement", "do_statement"]),
        (Class::Branch, &["if_statement", "switch_statement", "case_statement", "conditional_expression"]),
        (Class::Import, &["preproc_include"]),
        (Class::String, &["string_literal", "char_literal", "system_lib_string", "concatenated_string"]),
        (Class::Collection, &["initializer_list"]),
        (Class::Number, &["number_literal"]),
        (Class::Name, &["identifier", "field_identifier", "type_identifier", "statement_identifier"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["compound_statement"]),
    ],
    cases: &["case_statement"],
    wrappers: WRAPPERS,
    comment_wrappers: 1,
    part_wrappers: PART_WRAPPERS,
    implicit_parameters: &["void"],
    line_markers: &["//"],
    doc_markers: &["/**", "///", "//!", "/*!"],
    code_signs: CODE_SIGNS,
    statement_ends: &[";", "{", "}", ">", "\""],
    stand_ins: STAND_INS,
    for_declaration: Some("w_ HOLE"),
    optional: &["storage_class_specifier"],
    has_known_paths: true,
    translations: &[Translation::SplicedLines(Blanks::Between), Translation::EmptyMacros],
    wraps: &[("parenthesized_expression", Inner::Only)],
    macros: &[("preproc_def", Tokens::Body, "preproc_arg"), ("preproc_function_def", Tokens::Body, "preproc_arg")],
    signs: SIGNS,
    indirect: &[Indirect::Through("pointer_expression")],
    misread: misread::c,
    ..Spec::PLAIN
});
