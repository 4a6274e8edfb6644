//! JavaScript, and what TypeScript shares with it.

use super::{Arguments, Indirect, Items, Listed};
#[cfg(feature = "javascript")]
use super::{Class, Inner, Language, Spec, Translation};

pub(super) const FUNCTIONS: &[&str] = &[
    "function_declaration",
    "function_expression",
    "generator_function",
    "generator_function_declaration",
    "arrow_function",
    "method_definition",
];
pub(super) const BRANCHES: &[&str] =
    &["if_statement", "switch_statement", "switch_case", "ternary_expression", "catch_clause"];
pub(super) const LOOPS: &[&str] = &["for_statement", "for_in_statement", "while_statement", "do_statement"];
pub(super) const WRAPPERS: &[(&str, &str)] = &[
    ("", ""),
    ("(", ")"),
    ("async function w_() {", "}"),
    ("try {}", ""),
    ("class w_ {", "}"),
    ("switch (0) {", "}"),
    ("function ", "{}"),
    ("", " class w_ {}"),
    ("", "{}"),
];
/// Around parts of those.
#[cfg(feature = "javascript")]
pub(super) const PART_WRAPPERS: &[(&str, &str)] = &[
    ("w_ = {", "}"),
    ("w_ = [", "]"),
    ("function w_(", ") {}"),
    ("import ", " from \"w_\""),
    ("<w_ ", "/>"),
    ("<w_>", "</w_>"),
];
pub(super) const CODE_SIGNS: &[&str] = &[
    "call_expression",
    "assignment_expression",
    "augmented_assignment_expression",
    "lexical_declaration",
    "variable_declaration",
    "import_statement",
    "export_statement",
    "if_statement",
    "for_statement",
    "for_in_statement",
    "while_statement",
    "return_statement",
    "throw_statement",
    "function_declaration",
    "class_declaration",
    "update_expression",
];

#[cfg(feature = "javascript")]
pub(super) static JAVASCRIPT: Language = Language::new(Spec {
    name: "javascript",
    grammar: || tree_sitter_javascript::LANGUAGE.into(),
    extensions: &["js", "mjs", "cjs", "jsx"],
    file_names: &["Jakefile"],
    interpreters: &["node", "deno", "bun"],
    classes: &[
        (Class::Function, FUNCTIONS),
        (Class::Class, &["class_declaration", "class"]),
        (Class::Call, &["call_expression", "new_expression"]),
        (Class::Parameter, &["assignment_pattern", "rest_pattern"]),
        (Class::Loop, LOOPS),
        (Class::Branch, BRANCHES),
        (Class::Import, &["import_statement"]),
        (Class::String, &["string", "template_string", "regex"]),
        (Class::Collection, &["array", "object"]),
        (Class::Number, &["number"]),
        (
            Class::Name,
            &["identifier", "property_identifier", "shorthand_property_identifier", "private_property_identifier"],
        ),
        (Class::Comment, &["comment", "html_comment", "hash_bang_line"]),
        (Class::Block, &["statement_block"]),
    ],
    parts: PARTS,
    cases: CASES,
    wrappers: WRAPPERS,
    comment_wrappers: 1,
    part_wrappers: PART_WRAPPERS,
    name_fields: &["name"],
    not_parameters: &[],
    implicit_parameters: &[],
    line_markers: &["//"],
    doc_markers: &["/**", "///", "#!"],
    code_signs: CODE_SIGNS,
    statement_ends: &[";", "{", "}", ","],
    names_side_by_side: 1,
    stand_ins: &["HOLE;", "case HOLE:"],
    for_declaration: Some("let HOLE"),
    optional: &["async", "static", "decorator", "optional_chain"],
    has_scopes: true,
    has_known_paths: true,
    assignments: &[("variable_declarator", "name", "value"), ("assignment_expression", "left", "right")],
    translations: &[
        Translation::TextAmpersands,
        Translation::KeywordsAsAttributes,
        Translation::AssertedAttributes,
        Translation::EscapedNames,
    ],
    wraps: &[("parenthesized_expression", Inner::Only), ("sequence_expression", Inner::Last)],
    also: &[(".", "optional_chain"), ("member_expression", "subscript_expression")],
    strings_name_members: true,
    listed: LISTED,
    indirect: INDIRECT,
    misread: super::misread::javascript,
    ..Spec::PLAIN
});

/// See [`Spec::listed`].
pub(super) const LISTED: &[Listed] = &[
    Listed::new(Items::Entries, "object", "pair", "key"),
    Listed::new(Items::Attributes, "jsx_opening_element", "jsx_attribute", ""),
    Listed::new(Items::Attributes, "jsx_self_closing_element", "jsx_attribute", ""),
    Listed::new(Items::Cases, "switch_body", "switch_case", "value"),
];

/// See [`Spec::indirect`].
pub(super) const INDIRECT: &[Indirect] = &[
    Indirect::Method("call", Arguments::After(1)),
    Indirect::Method("apply", Arguments::InListAfter(1)),
    Indirect::Bound("bind"),
    Indirect::Tag("template_string"),
    Indirect::Given("Reflect.apply", Arguments::InListAfter(1)),
];

/// Branches that are parts of one.
pub(super) const PARTS: &[&str] = &["catch_clause"];
pub(super) const CASES: &[&str] = &["switch_case", "switch_default"];
