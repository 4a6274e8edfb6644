//! What the parser makes of a comment: statements of the language that prose never looks like.

use std::ops::Range;

use tree_sitter::{Node, Parser};

use super::Line;
use super::prose::{is_unbalanced, without_strings};
use crate::lang::{Class, Language};
use crate::pattern::preorder;

/// Whether lines parse as statements of the language, at least one of which prose never looks like.
pub(super) fn is_code(lines: &[Line], parser: &mut Parser, language: &'static Language) -> bool {
    // Common indentation goes, the rest counts (Python).
    let text: Vec<&str> = lines.iter().flat_map(|(_, l)| l.lines()).filter(|l| !l.trim().is_empty()).collect();
    let indent = text.iter().map(|l| l.len() - l.trim_start().len()).min().unwrap_or(0);
    let body = text.iter().map(|l| l.get(indent..).unwrap_or_else(|| l.trim_start())).collect::<Vec<_>>().join("\n");
    let ends = language.statement_ends;
    let is_ended = |line: &str| ends.iter().any(|end| line.trim_end().ends_with(end));
    // Where statements needn't be ended, several of which one declares something are code all the same.
    let declares = |line: &&str| {
        ["const ", "let ", "var "].iter().any(|word| line.trim_start().starts_with(word)) && line.contains(" = ")
    };
    let is_unended = text.len() > 1 && text.iter().any(declares);
    // Parsing is costly, and most comments fail here.
    if body.trim().is_empty()
        || is_unbalanced(&body)
        || !ends.is_empty() && !is_unended && !body.lines().any(|line| is_ended(&without_strings(line, language)))
    {
        return false;
    }
    language.wrappers.iter().take(language.comment_wrappers).any(|(before, after)| {
        let wrapped = format!("{before}{body}\n{after}");
        // The wrappers make a file of what may be a statement, a member or an expression.
        let Some(tree) = parser.parse(&wrapped, None) else { return false };
        let root = tree.root_node();
        !root.has_error() && has_sign(root, before.len()..before.len() + body.len(), language, wrapped.as_bytes())
    })
}

/// Whether a statement inside the range is one that prose never looks like.
fn has_sign(root: Node<'_>, range: Range<usize>, language: &Language, source: &[u8]) -> bool {
    let tables = language.tables();
    let mut found = false;
    preorder(root, |node| {
        // What the wrappers added is code, and shows nothing.
        let inside = node.start_byte() >= range.start && node.end_byte() <= range.end;
        found |= inside && language.code_signs.contains(&node.kind()) && !is_prose(node, source, language);
        !found && !tables.is(node.kind_id(), Class::String)
    });
    found
}

/// `note: text` parses as an annotation, `return early` and `see(also)` as statements; none of them shows code.
fn is_prose(node: Node<'_>, source: &[u8], language: &Language) -> bool {
    let ends_in_semicolon = source.get(node.end_byte()) == Some(&b';');
    let text = source.get(node.byte_range()).unwrap_or_default();
    match node.kind() {
        // `coding=utf-8` speaks to editors, `name=value (optional)` to readers.
        // `NAME=value` is what environments and settings files look like.
        "assignment" => {
            let plain = |b: &u8| b.is_ascii_alphanumeric() || b"_-./:".contains(b);
            // Blanks around the sign make it code in most projects' style, and no setting.
            let setting = text.iter().position(|b| *b == b'=').is_some_and(|at| {
                let (name, value) = (&text[..at], &text[at + 1..]);
                !value.is_empty() && name.iter().chain(value).all(plain)
            });
            !text.contains(&b'=') || setting || text.starts_with(b"coding") || has_spaced_call(text)
        }
        // `the end;` declares a variable, as far as a grammar knows.
        "local_variable_declaration" | "field_declaration" => {
            let first = text.split(|b| !b.is_ascii_alphanumeric()).next().unwrap_or_default();
            let keyword = [&b"private"[..], b"public", b"protected", b"static", b"final", b"int", b"long", b"boolean"];
            !text.contains(&b'=') && !keyword.contains(&first)
        }
        "declaration" => {
            let keywords = language.tables().keywords();
            let mut words =
                text.trim_ascii_end().split(|b| *b == b' ').filter_map(|word| std::str::from_utf8(word).ok());
            let plain = |b: &u8| b.is_ascii_alphabetic() || matches!(b, b' ' | b',' | b';');
            let types = ["int", "char", "bool", "float", "double", "void", "auto"];
            text.iter().all(plain)
                && words.next().is_some_and(|word| !keywords.contains(word) && !types.contains(&word))
        }
        "return_statement" | "raise_statement" | "return_expression" | "delete_statement" => {
            !text.iter().any(|b| b"(=.;[".contains(b))
        }
        "call" | "call_expression" => {
            let open = text.iter().position(|b| *b == b'(').unwrap_or(text.len());
            // `see (also)`: code has no blank before the bracket.
            let spaced = text[..open].last().is_some_and(u8::is_ascii_whitespace);
            // A call inside an expression, or one alone that could be a name for something, is no statement.
            let statement = node.parent().is_some_and(|p| p.kind().ends_with("statement"));
            let telling =
                text.starts_with(b"self.") || text.contains(&b'"') || text.contains(&b'\'') || ends_in_semicolon;
            spaced || !statement || !telling
        }
        _ => false,
    }
}

/// `word (`: code has no blank before the bracket of a call.
fn has_spaced_call(text: &[u8]) -> bool {
    text.windows(3).any(|w| w[0].is_ascii_alphanumeric() && w[1] == b' ' && w[2] == b'(')
}
