//! Scopes of JavaScript (ECMA-262, section 9.1) and of what TypeScript adds to them.

use std::collections::HashSet;
use std::sync::OnceLock;

use tree_sitter::Node;

use super::{Gathered, Import, Kind, Rules, words};

pub(super) struct JavaScript;

/// Names under which the functions that markup in code stands for are imported.
const MARKUP: [&str; 5] = ["React", "Fragment", "h", "jsx", "createElement"];

impl Rules for JavaScript {
    fn enter<'t>(&self, g: &mut Gathered<'t, '_>, node: Node<'t>) {
        match node.kind() {
            "function_declaration" | "generator_function_declaration" | "function_signature" => {
                node.child_by_field_name("name").into_iter().for_each(|n| {
                    let (block, function) = (g.now, g.function());
                    g.bind(n, block);
                    g.bind(n, function);
                });
                function(g, node);
            }
            "function_expression"
            | "generator_function"
            | "arrow_function"
            | "method_definition"
            | "function_type"
            | "constructor_type"
            | "method_signature"
            | "abstract_method_signature"
            | "call_signature"
            | "construct_signature"
            | "function" => {
                function(g, node);
                if let Some(name) = node.child_by_field_name("name").filter(|n| n.kind() == "identifier") {
                    let scope = g.now;
                    g.bind(name, scope);
                }
            }
            "class_declaration"
            | "class"
            | "abstract_class_declaration"
            | "interface_declaration"
            | "type_alias_declaration" => {
                let scope = g.now;
                node.child_by_field_name("name").into_iter().for_each(|n| g.bind(n, scope));
            }
            "enum_declaration" => {
                let scope = g.now;
                node.child_by_field_name("name").into_iter().for_each(|n| g.bind(n, scope));
                if let Some(body) = node.child_by_field_name("body") {
                    let inside = g.open_at(body, Kind::Block);
                    each(body, |member| {
                        let name = member.child_by_field_name("name").unwrap_or(member);
                        let text = g.text(name).trim_matches(['"', '\'']);
                        g.scopes[inside].names.insert(text);
                    });
                }
            }
            "internal_module" | "module" => {
                let scope = g.now;
                node.child_by_field_name("name").into_iter().for_each(|n| targets(g, n, scope));
            }
            // What is declared for all, or in parts of one namespace, is seen from everywhere else in it.
            "statement_block" => {
                let shared = ["ambient_declaration", "internal_module", "module"];
                if !node.parent().is_some_and(|p| shared.contains(&p.kind())) {
                    g.open_here(node, Kind::Block);
                }
                g.lists.push(node);
            }
            "class_body" => g.lists.push(node),
            "switch_body" | "for_statement" => _ = g.open_here(node, Kind::Block),
            "for_in_statement" => {
                let kind = node.child_by_field_name("kind").map(|k| g.text(k));
                let function = g.function();
                let own = g.open_here(node, Kind::Block);
                let scope = match kind {
                    Some("var") => function,
                    Some(_) => own,
                    None => 0,
                };
                node.child_by_field_name("left").into_iter().for_each(|left| targets(g, left, scope));
            }
            "catch_clause" => {
                let scope = g.open_here(node, Kind::Block);
                node.child_by_field_name("parameter").into_iter().for_each(|p| targets(g, p, scope));
            }
            "lexical_declaration" | "variable_declaration" => {
                let scope = if node.kind() == "variable_declaration" { g.function() } else { g.now };
                each(node, |one| one.child_by_field_name("name").into_iter().for_each(|n| targets(g, n, scope)));
            }
            // Assigning to a name that nobody declared makes it, outside of strict code.
            "assignment_expression" => {
                let left = node.child_by_field_name("left").filter(|l| l.kind() == "identifier");
                left.into_iter().for_each(|left| g.bind(left, 0));
            }
            "import_statement" => import(g, node),
            "export_statement" if node.child_by_field_name("source").is_some() => {
                leaves(node, &mut |leaf| g.mark(leaf));
            }
            "export_statement" => g.imports_or_exports(),
            "export_specifier" => node.child_by_field_name("alias").into_iter().for_each(|n| g.mark(n)),
            "index_signature" => node.child_by_field_name("name").into_iter().for_each(|n| g.mark(n)),
            "tuple_type" => each(node, |part| part.child_by_field_name("name").into_iter().for_each(|n| g.mark(n))),
            "unary_expression" => {
                let asks = node.child_by_field_name("operator").is_some_and(|o| g.text(o) == "typeof");
                if let Some(name) = node.child_by_field_name("argument").filter(|a| asks && a.kind() == "identifier") {
                    let name = g.text(name);
                    g.tested.insert(name);
                }
            }
            "jsx_opening_element" | "jsx_closing_element" | "jsx_self_closing_element" => {
                g.tested.extend(MARKUP);
                let name = node.child_by_field_name("name").filter(|n| n.kind() == "identifier");
                // Names in lower case are elements of the page.
                if let Some(name) = name.filter(|n| g.text(*n).starts_with(|c: char| c.is_lowercase())) {
                    g.mark(name);
                }
            }
            // Types may be declared for all in files that nobody imports.
            "nested_type_identifier" => leaves(node, &mut |leaf| g.mark(leaf)),
            "with_statement" => g.open = true,
            "call_expression" => {
                let called = node.child_by_field_name("function").map(|f| g.text(f));
                g.open |= called == Some("eval");
            }
            "comment" => g.texts.push(node.byte_range()),
            _ => {}
        }
    }

    fn is_use(&self, node: Node<'_>) -> bool {
        matches!(node.kind(), "identifier" | "shorthand_property_identifier")
    }

    fn is_mention(&self, node: Node<'_>) -> bool {
        self.is_use(node) || matches!(node.kind(), "type_identifier" | "shorthand_property_identifier_pattern")
    }

    fn is_known(&self, name: &str) -> bool {
        static KNOWN: OnceLock<HashSet<&'static str>> = OnceLock::new();
        // Names that begin so are put in when the program is built; what may be a name or a keyword is read as one.
        name.starts_with("__")
            || matches!(name, "await" | "yield" | "async" | "let" | "of")
            || KNOWN.get_or_init(|| words(include_str!("javascript.txt"))).contains(name)
    }

    /// A script without imports and exports shares its names with other scripts of its page.
    fn is_closed(&self, g: &Gathered<'_, '_>) -> bool {
        g.module || g.uses.iter().any(|(name, ..)| matches!(*name, "require" | "module" | "exports"))
    }

    fn definitions<'t>(&self, node: Node<'t>, source: &[u8]) -> Vec<(String, Node<'t>, bool)> {
        let mut cursor = node.walk();
        let children = node.named_children(&mut cursor);
        let found = children.filter_map(|child| {
            let inner = match child.kind() {
                "export_statement" => child.child_by_field_name("declaration")?,
                _ => child,
            };
            let text = |node: Node<'_>| std::str::from_utf8(source.get(node.byte_range())?).ok();
            let name = inner.child_by_field_name("name")?;
            match inner.kind() {
                "function_declaration" | "generator_function_declaration" => {
                    Some((text(name)?.to_owned(), inner, true))
                }
                "method_definition" if name.kind() != "computed_property_name" => {
                    // `get`, `set` and `static` make another member of the same name.
                    let before = source.get(inner.start_byte()..name.start_byte())?;
                    let words: Vec<&str> = std::str::from_utf8(before).ok()?.split_whitespace().collect();
                    let kinds: Vec<&str> =
                        words.into_iter().filter(|w| matches!(*w, "get" | "set" | "static")).collect();
                    Some((format!("{} {}", kinds.join(" "), text(name)?), inner, true))
                }
                _ => None,
            }
        });
        found.collect()
    }
}

impl Gathered<'_, '_> {
    /// The file is a module.
    fn imports_or_exports(&mut self) {
        self.module = true;
    }
}

fn each<'t>(node: Node<'t>, mut act: impl FnMut(Node<'t>)) {
    let mut cursor = node.walk();
    node.named_children(&mut cursor).for_each(&mut act);
}

fn function<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let scope = g.open_here(node, Kind::Function);
    for field in ["parameters", "parameter"] {
        node.child_by_field_name(field).into_iter().for_each(|list| targets(g, list, scope));
    }
    g.scopes[scope].names.insert("arguments");
}

/// Binds the names of a pattern or of parameters.
fn targets<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>, scope: usize) {
    let mut open = vec![node];
    while let Some(node) = open.pop() {
        match node.kind() {
            "identifier" | "shorthand_property_identifier_pattern" => g.bind(node, scope),
            "formal_parameters" | "object_pattern" | "array_pattern" | "rest_pattern" => {
                each(node, |child| open.push(child));
            }
            "required_parameter" | "optional_parameter" => open.extend(node.child_by_field_name("pattern")),
            "pair_pattern" => open.extend(node.child_by_field_name("value")),
            "assignment_pattern" | "object_assignment_pattern" => open.extend(node.child_by_field_name("left")),
            "nested_identifier" => open.extend(node.child_by_field_name("object")),
            _ => {}
        }
    }
}

fn leaves<'t>(node: Node<'t>, act: &mut impl FnMut(Node<'t>)) {
    let mut open = vec![node];
    while let Some(node) = open.pop() {
        if node.kind() == "identifier" {
            act(node);
        }
        each(node, |child| open.push(child));
    }
}

fn import<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    g.imports_or_exports();
    let end = node.end_position().row;
    let excused = node.next_sibling().is_some_and(|n| n.kind() == "comment" && n.start_position().row == end);
    let mut open = vec![node];
    while let Some(node) = open.pop() {
        let bound = match node.kind() {
            "import_specifier" => node.child_by_field_name("alias").or_else(|| node.child_by_field_name("name")),
            "identifier" => Some(node),
            _ => {
                each(node, |child| open.push(child));
                None
            }
        };
        if let Some(bound) = bound {
            leaves(node, &mut |leaf| g.mark(leaf));
            g.bind(bound, 0);
            let name = g.text(bound);
            g.imports.push(Import { name, node: bound, excused: excused || MARKUP.contains(&name) });
        }
    }
}
