//! SQL, in what its dialects share.

use super::{Class, Inner, Keyed, Language, Spec, Translation};

pub(super) static SQL: Language = Language::new(Spec {
    name: "sql",
    grammar: || tree_sitter_sequel::LANGUAGE.into(),
    extensions: &["sql", "ddl", "dml"],
    classes: &[
        (Class::Function, &["create_function"]),
        (Class::Class, &["create_table", "create_view"]),
        (Class::Call, &["invocation"]),
        (Class::Parameter, &["function_argument", "column_definition"]),
        (Class::Branch, &["case", "when_clause"]),
        (Class::String, &["literal"]),
        (Class::Name, &["identifier", "object_reference"]),
        (Class::Comment, &["comment", "marginalia"]),
        (Class::Block, &["block", "statement"]),
    ],
    cases: &["when_clause"],
    wrappers: &[
        ("", ""),
        ("", ";"),
        ("SELECT ", ""),
        ("SELECT x FROM t WHERE ", ""),
        ("UPDATE t SET ", ""),
        ("CREATE TABLE t (", ")"),
    ],
    part_wrappers: &[
        ("SELECT x FROM t WHERE x IN ", ""),
        ("SELECT x FROM ", ""),
        ("SELECT x FROM t ", ""),
        ("INSERT INTO t VALUES ", ""),
    ],
    parameter_lists: &["function_arguments"],
    line_markers: &["--"],
    code_signs: &["statement"],
    statement_ends: &[";"],
    keywords_in_any_case: true,
    stand_ins: &["HOLE int", "'HOLE'"],
    keyed: &[
        Keyed { node: "create_table", key: "object_reference" },
        Keyed { node: "alter_table", key: "object_reference" },
        Keyed { node: "column_definition", key: "name" },
    ],
    translations: &[Translation::ExecutableComments],
    wraps: &[("parenthesized_expression", Inner::Only)],
    optional_in: &[("drop_table", "keyword_if"), ("drop_table", "keyword_exists")],
    names_in_any_case: true,
    plain_name: without_quotes,
    ..Spec::PLAIN
});

/// A name without the quotes that let it be a keyword or hold blanks.
fn without_quotes(name: &[u8]) -> &[u8] {
    match name {
        [b'"', inner @ .., b'"'] | [b'`', inner @ .., b'`'] | [b'[', inner @ .., b']'] => inner,
        _ => name,
    }
}
