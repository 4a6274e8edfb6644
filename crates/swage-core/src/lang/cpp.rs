//! C++.

use super::c::{CODE_SIGNS, STAND_INS};
use super::{Blanks, Class, Indirect, Inner, Language, Spec, Tokens, Translation, misread};

pub(super) static CPP: Language = Language::new(Spec {
    name: "cpp",
    grammar: || tree_sitter_cpp::LANGUAGE.into(),
    extensions: &["cpp", "cc", "cxx", "c++", "hpp", "hh", "hxx", "h++", "ipp", "tpp", "C", "H"],
    classes: &[
        (Class::Function, &["function_definition", "lambda_expression"]),
        (Class::Class, &["class_specifier", "struct_specifier", "union_specifier", "enum_specifier"]),
        (Class::Call, &["call_expression", "new_expression"]),
        (
            Class::Parameter,
            &["parameter_declaration", "optional_parameter_declaration", "variadic_parameter_declaration"],
        ),
        (Class::Loop, &["for_statement", "for_range_loop", "while_statement", "do_statement"]),
        (
            Class::Branch,
            &["if_statement", "switch_statement", "case_statement", "conditional_expression", "catch_clause"],
        ),
        (Class::Import, &["preproc_include", "using_declaration"]),
        (
            Class::String,
            &["string_literal", "raw_string_literal", "char_literal", "system_lib_string", "concatenated_string"],
        ),
        (Class::Collection, &["initializer_list"]),
        (Class::Number, &["number_literal"]),
        (
            Class::Name,
            &["identifier", "field_identifier", "type_identifier", "namespace_identifier", "statement_identifier"],
        ),
        (Class::Comment, &["comment"]),
        (Class::Block, &["compound_statement"]),
    ],
    parts: &["catch_clause"],
    cases: &["case_statement"],
    wrappers: &[
        ("void w_() {\n", "\n}"),
        ("void w_() {\n", ";\n}"),
        ("", "\n"),
        ("class w_ {\n", "\n};"),
        ("void w_() { try {} ", " }"),
        ("void w_() { switch (0) {\n", "\n} }"),
        ("", " {}\n"),
        ("void w_(", ");"),
    ],
    comment_wrappers: 1,
    part_wrappers: &[("w_<", "> w_;"), ("w_::w_() ", " {}"), ("#include ", "\n")],
    implicit_parameters: &["void"],
    line_markers: &["//"],
    doc_markers: &["/**", "///", "//!", "/*!"],
    code_signs: CODE_SIGNS,
    statement_ends: &[";", "{", "}", ">", "\""],
    stand_ins: STAND_INS,
    for_declaration: Some("w_ HOLE"),
    optional: &["storage_class_specifier", "virtual", "virtual_specifier", "explicit_function_specifier"],
    has_known_paths: true,
    translations: &[Translation::SplicedLines(Blanks::Between), Translation::EmptyMacros],
    wraps: &[
        ("parenthesized_expression", Inner::Only),
        ("template_function", Inner::First),
        ("template_method", Inner::First),
        ("dependent_name", Inner::First),
        ("qualified_identifier", Inner::Only),
    ],
    macros: &[("preproc_def", Tokens::Body, "preproc_arg"), ("preproc_function_def", Tokens::Body, "preproc_arg")],
    signs: super::c::SIGNS,
    indirect: &[Indirect::Through("pointer_expression")],
    misread: misread::c,
    ..Spec::PLAIN
});
