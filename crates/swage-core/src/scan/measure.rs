//! Figures of definitions.

use tree_sitter::Node;

use crate::lang::{Class, Language};
use crate::rule::Measure;

/// The figure of a definition; `None` when it has none of the kind.
pub(super) fn measure(measure: Measure, node: Node<'_>, source: &[u8], language: &Language) -> Option<u64> {
    match measure {
        Measure::Parameters => language.parameter_count(node, source).map(u64::from),
        Measure::Lines => Some((node.end_position().row - node.start_position().row) as u64 + 1),
        Measure::Nesting => Some(branches(node, language).1),
        Measure::Branches => Some(branches(node, language).0),
    }
}

/// How many loops and branches there are, and how deep they nest; functions inside count for themselves.
fn branches(root: Node<'_>, language: &Language) -> (u64, u64) {
    let tables = language.tables();
    let counts = |node: Node<'_>| {
        let kind = node.kind_id();
        tables.is(kind, Class::Loop) || tables.is(kind, Class::Branch)
    };
    let (mut count, mut depth, mut deepest) = (0u64, 0u64, 0u64);
    let mut cursor = root.walk();
    // Whether each open node added to the depth.
    let mut open: Vec<bool> = Vec::new();
    if !cursor.goto_first_child() {
        return (0, 0);
    }
    loop {
        let node = cursor.node();
        let mut enter = true;
        let mut deeper = false;
        if node.is_named() {
            if tables.is(node.kind_id(), Class::Function) {
                enter = false;
            } else if counts(node) {
                count += 1;
                // Parts of one construct (cases, `else if`, `except`) stand beside each other for a reader.
                deeper = !is_part(node);
            }
        }
        if deeper {
            deepest = deepest.max(depth + 1);
        }
        if enter && cursor.goto_first_child() {
            open.push(deeper);
            depth += u64::from(deeper);
            continue;
        }
        while !cursor.goto_next_sibling() {
            let Some(was_deeper) = open.pop() else { return (count, deepest) };
            depth -= u64::from(was_deeper);
            cursor.goto_parent();
        }
    }
}

fn is_part(node: Node<'_>) -> bool {
    let kind = node.kind();
    let part = ["case", "clause", "arm", "group", "rule"].iter().any(|end| kind.ends_with(end));
    let else_if = kind.starts_with("if_")
        && node.parent().is_some_and(|p| p.kind() == "else_clause" || p.kind().starts_with("if_") && p.child_by_field_name("alternative") == Some(node));
    part || else_if
}
