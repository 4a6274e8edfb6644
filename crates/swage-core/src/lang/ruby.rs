//! Ruby.

use super::{Arguments, Class, Indirect, Inner, Items, Language, Listed, Spec};

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
    uncounted: nested_delimiters,
    ..Spec::PLAIN
});

/// How deep brackets nest in a string at most, since the scanner has one byte for it.
const MOST_NESTED: usize = 254;

/// Brackets in a string of Ruby between brackets of the same kind: `%(a (b) c)`.
fn nested_delimiters(text: &[u8], tree: &tree_sitter::Tree) -> Option<String> {
    let mut at = 0;
    while let Some(found) = memchr::memchr(b'%', &text[at..]) {
        let start = at + found;
        at = start + 1;
        let letter = usize::from(text.get(at).is_some_and(u8::is_ascii_alphabetic));
        let Some(open) = text.get(at + letter).filter(|sign| b"([{<".contains(sign)) else { continue };
        // A wrong count ends the string too early or too late, and until then all is read as it is.
        let Some(string) = tree.root_node().descendant_for_byte_range(start, at + letter + 1) else { continue };
        // The sign that opens it begins where it does.
        let Some(string) = string.parent().filter(|string| string.start_byte() == start) else { continue };
        if memchr::memchr_iter(*open, &text[string.byte_range()]).count() > MOST_NESTED {
            let line = string.start_position().row + 1;
            return Some(format!("a string on line {line} has more than {MOST_NESTED} `{}`", *open as char));
        }
    }
    None
}
