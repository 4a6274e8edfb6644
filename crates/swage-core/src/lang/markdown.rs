//! Markdown: its own text, and the fenced code in it as what it says it is.

use super::{Class, CodeLanguage, Embedded, Language, Spec};

pub(super) static MARKDOWN: Language = Language::new(Spec {
    name: "markdown",
    is_often_a_template: true,
    grammar: || tree_sitter_md::LANGUAGE.into(),
    extensions: &["md", "markdown", "mkd"],
    classes: &[
        (Class::String, &["fenced_code_block", "indented_code_block"]),
        (Class::Name, &["language", "link_label"]),
        (Class::Comment, &["html_block"]),
        (Class::Block, &["section"]),
    ],
    wrappers: &[("", "\n")],
    embedded: &[Embedded {
        around: "fenced_code_block",
        code: "code_fence_content",
        language: CodeLanguage::NamedBy("language"),
    }],
    silent: &["block_continuation"],
    outline: true,
    ..Spec::PLAIN
});
