//! Python.

use std::sync::OnceLock;

use super::{Class, Language};

pub(super) static PYTHON: Language = Language {
    name: "python",
    grammar: || tree_sitter_python::LANGUAGE.into(),
    extensions: &["py", "pyi", "pyw"],
    file_names: &["SConstruct", "SConscript"],
    interpreters: &["python", "pypy"],
    classes: &[
        (Class::Function, &["function_definition", "lambda"]),
        (Class::Class, &["class_definition"]),
        (Class::Call, &["call"]),
        (
            Class::Parameter,
            &[
                "typed_parameter",
                "default_parameter",
                "typed_default_parameter",
                "list_splat_pattern",
                "dictionary_splat_pattern",
            ],
        ),
        (Class::Loop, &["for_statement", "while_statement"]),
        (
            Class::Branch,
            &[
                "if_statement",
                "elif_clause",
                "match_statement",
                "case_clause",
                "conditional_expression",
                "try_statement",
                "except_clause",
                "with_statement",
            ],
        ),
        (Class::Import, &["import_statement", "import_from_statement", "future_import_statement"]),
        (Class::String, &["string", "concatenated_string"]),
        (Class::Number, &["integer", "float"]),
        (Class::Name, &["identifier"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["block"]),
    ],
    wrappers: &[
        ("", ""),
        ("", ": pass"),
        ("class w_:\n ", ""),
        ("def w_():\n ", ""),
        ("try:\n pass\n", ""),
        ("", "\ndef w_(): pass"),
    ],
    name_fields: &["name"],
    not_parameters: &["keyword_separator", "positional_separator"],
    implicit_parameters: &["self", "cls"],
    line_markers: &["#"],
    doc_markers: &["#:", "#!"],
    code_signs: &[
        "assignment",
        "augmented_assignment",
        "call",
        "import_statement",
        "import_from_statement",
        "if_statement",
        "for_statement",
        "while_statement",
        "function_definition",
        "class_definition",
        "return_statement",
        "raise_statement",
        "delete_statement",
    ],
    statement_ends: &[],
    openers: &["def", "lambda", "for", "while", "if", "elif", "match", "case", "try", "except", "with", "#"],
    tables: OnceLock::new(),
};
