//! What the import statements of each language bring in.

use tree_sitter::Node;

use super::{Imported, Imports, add};
use crate::pattern::{Children, contents, preorder};

impl<'t> Imports<'t> {
    pub(super) fn python(&self, statement: Node<'_>, before: &str, found: &mut Imported) {
        let mut cursor = statement.walk();
        for imported in statement.children_by_field_name("name", &mut cursor) {
            if imported.kind() == "aliased_import" {
                let path = format!("{before}{}", self.field(imported, "name"));
                add(found, self.field(imported, "alias"), path);
            } else if !before.is_empty() {
                let name = self.text(imported);
                add(found, name, format!("{before}{name}"));
            }
        }
    }

    /// A module of JavaScript by the text that names it, without the scheme of the built-in ones.
    pub(super) fn module(&self, literal: Node<'_>) -> Option<&'t str> {
        let text = self.text(literal);
        let inside = text.get(contents(text.as_bytes())?)?;
        Some(inside.strip_prefix("node:").unwrap_or(inside))
    }

    pub(super) fn javascript(&self, statement: Node<'_>, found: &mut Imported) {
        let Some(module) = statement.child_by_field_name("source").and_then(|source| self.module(source)) else {
            return;
        };
        preorder(statement, |node| {
            match node.kind() {
                "import_specifier" => {
                    let (name, alias) = (self.field(node, "name"), self.field(node, "alias"));
                    let local = if alias.is_empty() { name } else { alias };
                    add(found, local, format!("{module}.{name}"));
                    return false;
                }
                // The default of a module stands for the module, as it does where the module is of the older kind.
                "identifier" => add(found, self.text(node), module.to_owned()),
                _ => {}
            }
            true
        });
    }

    /// `const fs = require('fs')`, also with a member after it and with a pattern before it.
    pub(super) fn required(&self, declarator: Node<'_>, found: &mut Imported) {
        let (Some(name), Some(value)) =
            (declarator.child_by_field_name("name"), declarator.child_by_field_name("value"))
        else {
            return;
        };
        let (value, member) = match value.child_by_field_name("object") {
            Some(object) => (object, self.field(value, "property")),
            None => (value, ""),
        };
        let Some(call) = std::iter::successors(Some(value), awaited).last() else { return };
        let literal = call.child_by_field_name("arguments").and_then(|arguments| Children::code(arguments).next());
        let Some(module) = literal.and_then(|literal| self.module(literal)) else { return };
        if !matches!(self.field(call, "function"), "require" | "import") {
            return;
        }
        let path = if member.is_empty() { module.to_owned() } else { format!("{module}.{member}") };
        if name.kind() == "identifier" {
            add(found, self.text(name), path);
            return;
        }
        for part in Children::named(name) {
            let (key, local) = match part.kind() {
                "pair_pattern" => (self.field(part, "key"), self.field(part, "value")),
                _ => (self.text(part), self.text(part)),
            };
            add(found, local, format!("{path}.{key}"));
        }
    }

    /// A package goes by the last part of its path that isn't a version.
    pub(super) fn go(&self, spec: Node<'_>, found: &mut Imported) {
        let path = self.field(spec, "path").trim_matches(['"', '`']);
        let is_version =
            |part: &&str| part.len() > 1 && part.starts_with('v') && part[1..].bytes().all(|b| b.is_ascii_digit());
        let last = path.rsplit('/').find(|part| !is_version(part)).unwrap_or(path);
        let name = self.field(spec, "name");
        add(found, if name.is_empty() { last } else { name }, path.to_owned());
    }

    pub(super) fn java(&self, declaration: Node<'_>, found: &mut Imported) {
        // A star is a child of its own.
        let mut parts = Children::code(declaration);
        let path = parts.next().map(|path| self.path(path)).unwrap_or_default();
        if let Some((_, name)) = path.rsplit_once('.').filter(|_| parts.next().is_none()) {
            add(found, name, path.clone());
        }
    }

    /// A declaration may hold a list of others, each after the same path.
    pub(super) fn rust(&self, declared: Node<'_>, found: &mut Imported) {
        let mut open = vec![(declared, String::new())];
        while let Some((tree, before)) = open.pop() {
            let joined = |path: String| if before.is_empty() { path } else { format!("{before}::{path}") };
            let path_in = |field| tree.child_by_field_name(field).map(|path| self.path(path)).unwrap_or_default();
            match tree.kind() {
                "use_as_clause" => {
                    add(found, self.field(tree, "alias"), joined(path_in("path")));
                }
                "scoped_use_list" => {
                    let path = joined(path_in("path"));
                    open.extend(tree.child_by_field_name("list").map(|list| (list, path)));
                }
                "use_list" => open.extend(Children::named(tree).map(|part| (part, before.clone()))),
                "identifier" | "scoped_identifier" | "self" => {
                    let path = if tree.kind() == "self" { before } else { joined(self.path(tree)) };
                    let name = path.rsplit("::").next().unwrap_or_default().to_owned();
                    add(found, &name, path);
                }
                _ => {}
            }
        }
    }
}

/// What is waited for, in parentheses or without: `(await import('fs'))`.
fn awaited<'n>(node: &Node<'n>) -> Option<Node<'n>> {
    let wraps = matches!(node.kind(), "await_expression" | "parenthesized_expression");
    Children::code(*node).next().filter(|_| wraps)
}
