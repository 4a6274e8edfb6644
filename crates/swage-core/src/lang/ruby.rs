//! Ruby.

use super::{Arguments, Class, Indirect, Inner, Items, Language, Listed, Spec, misread};

pub(super) static RUBY: Language = Language::new(Spec {
    name: "ruby",
    grammar: || swage_grammars::RUBY.into(),
    extensions: &["rb", "rake", "gemspec", "ru"],
    file_names: &["Rakefile", "Gemfile", "Capfile", "Vagrantfile"],
    interpreters: &["ruby", "jruby"],
    classes: &[
        (Class::Function, &["method", "singleton_method", "lambda", "block", "do_block"]),
        (Class::Class, &["class", "module", "singleton_class"]),
        (Class::Call, &["call"]),
        (
            Class::Parameter,
            &[
                "optional_parameter",
                "keyword_parameter",
                "splat_parameter",
                "hash_splat_parameter",
                "block_parameter",
                "destructured_parameter",
            ],
        ),
        (Class::Loop, &["for", "while", "until", "while_modifier", "until_modifier"]),
        (
            Class::Branch,
            &[
                "if",
                "unless",
                "elsif",
                "if_modifier",
                "unless_modifier",
                "case",
                "case_match",
                "when",
                "in_clause",
                "conditional",
                "rescue",
            ],
        ),
        (
            Class::String,
            &["string", "heredoc_body", "chained_string", "simple_symbol", "delimited_symbol", "regex", "subshell"],
        ),
        (Class::Number, &["integer", "float", "rational", "complex"]),
        (Class::Name, &["identifier", "constant", "instance_variable", "class_variable", "global_variable"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["body_statement", "block_body", "then", "do"]),
    ],
    parts: &["elsif", "when", "in_clause", "rescue"],
    wrappers: &[("begin\n", "\nend"), ("", "\n"), ("class W_\n", "\nend"), ("case x\n", "\nend"), ("", "\nend")],
    comment_wrappers: 1,
    part_wrappers: &[("w_(", ")"), ("{", "}"), ("class W_ ", "\nend")],
    stand_ins: &["h_HOLE", "w_: HOLE"],
    line_markers: &["#"],
    doc_markers: &["#!", "##"],
    code_signs: &["assignment", "operator_assignment", "method", "class", "if_modifier", "unless_modifier"],
    lone_cr_ends_lines: false,
    wraps: &[("parenthesized_statements", Inner::Only)],
    also: &[(".", "&."), (".", "::")],
    silent_in: &[
        ("argument_list", "("),
        ("argument_list", ")"),
        ("method_parameters", "("),
        ("method_parameters", ")"),
    ],
    listed: &[Listed::new(Items::Entries, "hash", "pair", "key")],
    indirect: &[
        Indirect::Named("send", Arguments::After(0)),
        Indirect::Named("public_send", Arguments::After(0)),
        Indirect::Named("__send__", Arguments::After(0)),
        Indirect::Method("call", Arguments::After(0)),
    ],
    misread: misread::ruby,
    ..Spec::PLAIN
});
