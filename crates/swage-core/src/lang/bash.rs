//! Bash and other shells of its kind.

use super::{Blanks, Class, CodeLanguage, Embedded, Language, Spec, Translation, misread};

pub(super) static BASH: Language = Language::new(Spec {
    name: "bash",
    grammar: || swage_grammars::BASH.into(),
    extensions: &["sh", "bash", "ksh", "bats"],
    file_names: &[".bashrc", ".bash_profile", ".profile", "PKGBUILD"],
    interpreters: &["bash", "sh", "dash", "ksh", "zsh"],
    classes: &[
        (Class::Function, &["function_definition"]),
        (Class::Call, &["command"]),
        (Class::Loop, &["for_statement", "c_style_for_statement", "while_statement"]),
        (Class::Branch, &["if_statement", "elif_clause", "case_statement", "case_item", "ternary_expression"]),
        (Class::String, &["string", "raw_string", "ansi_c_string", "translated_string", "heredoc_body"]),
        (Class::Number, &["number"]),
        (Class::Name, &["word", "variable_name", "special_variable_name"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["compound_statement", "do_group"]),
    ],
    parts: &["elif_clause"],
    cases: &["case_item"],
    wrappers: &[
        ("", "\n"),
        ("w_() {\n", "\n}\n"),
        ("if true; then\n", "\nfi\n"),
        ("case x in ", " esac\n"),
        ("w_=", "\n"),
        ("[[ ", " ]]\n"),
        ("((", "))\n"),
    ],
    part_wrappers: &[("echo ${", "}\n")],
    line_markers: &["#"],
    doc_markers: &["#!"],
    code_signs: &[
        "variable_assignment",
        "if_statement",
        "for_statement",
        "while_statement",
        "case_statement",
        "function_definition",
    ],
    others_look_like_calls: true,
    stand_ins: &["HOLE;", "HOLE) ;;"],
    words_have_parts: true,
    lone_cr_ends_lines: false,
    translations: &[
        Translation::SplicedLines(Blanks::Nowhere),
        Translation::KeptLineEnds,
        Translation::CommandsOfAssignments,
        Translation::NestedCommands,
        Translation::QuotedWords,
    ],
    optional_in: &[("command", "variable_assignment"), ("command", "file_redirect")],
    embedding_signs: *b"{(`",
    misread: misread::bash,
    starters: &[
        "sudo", "doas", "env", "command", "builtin", "exec", "nohup", "nice", "ionice", "time", "timeout", "setsid",
        "stdbuf", "xargs", "coproc",
    ],
    embedded: &[Embedded {
        around: "heredoc_redirect",
        code: "heredoc_body",
        language: CodeLanguage::Substituted("bash"),
    }],
    ..Spec::PLAIN
});
