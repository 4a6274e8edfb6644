//! What nodes define: names and parameters.

use super::{Class, Language};

impl Language {
    /// The name of a definition node: its own, or that of the variable, property or field that it is assigned to.
    pub fn definition_name<'a>(&self, node: tree_sitter::Node<'_>, source: &'a [u8]) -> Option<&'a str> {
        let own = self.name_node(node).or_else(|| {
            let parent = node.parent()?;
            // Only a binding lends its name: `const f = () => …`, `{ f: () => … }`, `f = lambda: …`.
            let binds = parent.kind().contains("declarator")
                || parent.kind().contains("assignment")
                || matches!(
                    parent.kind(),
                    "pair"
                        | "field_definition"
                        | "public_field_definition"
                        | "let_declaration"
                        | "property_declaration"
                        | "val_definition"
                        | "var_definition"
                );
            if !binds {
                return None;
            }
            let fields = ["name", "key", "property", "left", "pattern", "declarator"];
            fields.iter().find_map(|f| parent.child_by_field_name(f)).or_else(|| {
                // A grammar without a field for it puts what is declared first.
                parent.named_child(0).filter(|first| first.kind() == "variable_declaration" && *first != node)
            })
        });
        own.and_then(|name| source.get(name.byte_range()))
            .and_then(|bytes| std::str::from_utf8(bytes).ok())
            .filter(|name| !name.is_empty() && name.len() < 200)
    }

    /// The node that names a definition.
    pub(crate) fn name_node<'t>(&self, node: tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>> {
        let tables = self.tables();
        let named = tables.name_fields.iter().find_map(|&field| node.child_by_field_id(field));
        named.or_else(|| {
            // In C and its kin the name stands inside of declarators.
            let mut inner = node.child_by_field_id(tables.fields[3])?;
            while let Some(next) = inner.child_by_field_id(tables.fields[3]) {
                inner = next;
            }
            (inner.child_by_field_id(tables.fields[1]).is_none() && inner.kind() != "reference_declarator")
                .then_some(inner)
        })
    }

    /// How many parameters a function node declares; `None` when it has no parameter list.
    pub fn parameter_count(&self, node: tree_sitter::Node<'_>, source: &[u8]) -> Option<u32> {
        let tables = self.tables();
        let [single, list, name, declarator] = tables.fields;
        if node.child_by_field_id(single).is_some_and(|p| p.child_count() == 0) {
            return Some(1);
        }
        let mut holder = node;
        let list = loop {
            match (holder.child_by_field_id(list), holder.child_by_field_id(declarator)) {
                (Some(list), _) => break Some(list),
                (None, Some(inner)) => holder = inner,
                (None, None) => break None,
            }
        };
        let is_list = |child: &tree_sitter::Node<'_>| self.parameter_lists.contains(&child.kind());
        let list = list.or_else(|| node.named_children(&mut node.walk()).find(is_list));
        if list.is_some_and(|l| tables.is(l.kind_id(), Class::Name)) {
            return Some(1);
        }
        let text = |node: tree_sitter::Node<'_>| source.get(node.byte_range()).unwrap_or_default();
        let mut count = 0;
        // Where there is no list, the parameters stand in the function itself.
        let holder = list.unwrap_or(node);
        for (index, child) in holder.named_children(&mut holder.walk()).enumerate() {
            if list.is_none() && !tables.is(child.kind_id(), Class::Parameter) {
                continue;
            }
            let first_word = |text: &[u8]| text.iter().position(|b| !b.is_ascii_alphanumeric()).unwrap_or(text.len());
            let implicit = index == 0
                && self.implicit_parameters.iter().any(|n| n.as_bytes() == &text(child)[..first_word(text(child))]);
            if implicit || tables.is(child.kind_id(), Class::Comment) || self.not_parameters.contains(&child.kind()) {
                continue;
            }
            // `a, b int` declares two; elsewhere a name field may hold a type besides.
            let names = |id: std::num::NonZero<u16>| {
                child
                    .children_by_field_id(id, &mut child.walk())
                    .filter(|n| tables.is(n.kind_id(), Class::Name))
                    .count()
            };
            count += std::num::NonZero::new(name).map_or(0, names).max(1) as u32;
        }
        (list.is_some() || count > 0 || self.parameter_lists.is_empty()).then_some(count)
    }
}
