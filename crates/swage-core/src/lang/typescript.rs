//! TypeScript and TSX: two grammars over one table.

use super::javascript::{BRANCHES, CASES, CODE_SIGNS, FUNCTIONS, INDIRECT, LISTED, LOOPS, PARTS, WRAPPERS};
use super::{Class, Inner, Language, Spec, Translation, misread};

const CLASSES: &[(Class, &[&str])] = &[
    (Class::Function, FUNCTIONS),
    (
        Class::Class,
        &["class_declaration", "class", "abstract_class_declaration", "interface_declaration", "enum_declaration"],
    ),
    (Class::Call, &["call_expression", "new_expression"]),
    (Class::Parameter, &["required_parameter", "optional_parameter"]),
    (Class::Loop, LOOPS),
    (Class::Branch, BRANCHES),
    (Class::Import, &["import_statement"]),
    (Class::String, &["string", "template_string", "regex", "template_literal_type"]),
    (Class::Collection, &["array", "object"]),
    (Class::Number, &["number"]),
    (
        Class::Name,
        &[
            "identifier",
            "property_identifier",
            "shorthand_property_identifier",
            "private_property_identifier",
            "type_identifier",
        ],
    ),
    (Class::Comment, &["comment", "html_comment", "hash_bang_line"]),
    (Class::Block, &["statement_block"]),
];

/// Around parts of those: those of JavaScript, and what types bring.
const PART_WRAPPERS: &[(&str, &str)] = &[
    ("w_ = {", "}"),
    ("w_ = [", "]"),
    ("function w_(", ") {}"),
    ("import ", " from \"w_\""),
    ("<w_ ", "/>"),
    ("<w_>", "</w_>"),
    ("interface w_ {", "}"),
    ("enum w_ {", "}"),
    ("type w_ = ", ""),
    ("abstract class w_ {", "}"),
];

/// A language that differs from TypeScript only in name, grammar and file names.
/// Long because it is the table of the language.
const fn typescript(
    name: &'static str,
    grammar: fn() -> tree_sitter::Language,
    extensions: &'static [&'static str],
) -> Language {
    Language::new(Spec {
        name,
        grammar,
        extensions,
        file_names: &[],
        interpreters: &["ts-node", "tsx"],
        classes: CLASSES,
        parts: PARTS,
        cases: CASES,
        wrappers: WRAPPERS,
        comment_wrappers: 1,
        part_wrappers: PART_WRAPPERS,
        name_fields: &["name"],
        not_parameters: &[],
        implicit_parameters: &["this"],
        line_markers: &["//"],
        doc_markers: &["/**", "///", "#!"],
        code_signs: CODE_SIGNS,
        statement_ends: &[";", "{", "}", ","],
        names_side_by_side: 1,
        stand_ins: &["HOLE;", "case HOLE:"],
        for_declaration: Some("let HOLE"),
        optional: &[
            "async",
            "static",
            "decorator",
            "type_annotation",
            "type_predicate_annotation",
            "asserts_annotation",
            "accessibility_modifier",
            "override_modifier",
            "readonly",
            "abstract",
            "declare",
            "type_parameters",
            "optional_chain",
        ],
        has_scopes: true,
        has_known_paths: true,
        optional_in: &[("call_expression", "?.")],
        assignments: &[("variable_declarator", "name", "value"), ("assignment_expression", "left", "right")],
        translations: &[
            Translation::TextAmpersands,
            Translation::KeywordsAsAttributes,
            Translation::TypesOfTemplates,
            Translation::TypeOfExports,
            Translation::ListsOfImportedTypes,
            Translation::TypesOfModules,
            Translation::EscapedNames,
        ],
        wraps: &[
            ("parenthesized_expression", Inner::Only),
            ("sequence_expression", Inner::Last),
            ("non_null_expression", Inner::Only),
            ("as_expression", Inner::First),
            ("satisfies_expression", Inner::First),
            ("type_assertion", Inner::Last),
        ],
        also: &[(".", "optional_chain"), ("member_expression", "subscript_expression")],
        strings_name_members: true,
        optional_fields: &["type_arguments"],
        listed: LISTED,
        indirect: INDIRECT,
        misread: misread::javascript,
        ..Spec::PLAIN
    })
}

pub(super) static TYPESCRIPT: Language =
    typescript("typescript", || tree_sitter_typescript::LANGUAGE_TYPESCRIPT.into(), &["ts", "mts", "cts"]);

pub(super) static TSX: Language = typescript("tsx", || tree_sitter_typescript::LANGUAGE_TSX.into(), &["tsx"]);
