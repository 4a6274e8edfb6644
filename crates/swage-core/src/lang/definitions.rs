//! What nodes define: names and parameters; and what a name does where it is.

use std::ops::Range;

use tree_sitter::Node;

use super::{Class, Items, Language, Listed};

/// What a name does where it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// It names a function or a class that is defined here.
    Defines,
    /// It is given to a parameter, a variable or a part of something.
    Binds,
    /// It refers to what has that name.
    Refers,
}

/// Fields in which what is given a name is.
const GIVEN: [&str; 12] = [
    "name",
    "pattern",
    "declarator",
    "left",
    "parameter",
    "parameters",
    "alias",
    "key",
    "label",
    "external_name",
    "item",
    "variable",
];

/// Parts of the kinds of nodes that give something a name.
const GIVING: [&str; 15] = [
    "declarat",
    "assignment",
    "for",
    "range",
    "variable",
    "binding",
    "definition",
    "parameter",
    "alias",
    "label",
    "pair",
    "keyword_argument",
    "enumerator",
    "enum_constant",
    "field_initializer",
];

impl Language {
    /// The name of a definition node: its own, or that of the variable, property or field that it is assigned to.
    pub fn definition_name<'a>(&self, node: Node<'_>, source: &'a [u8]) -> Option<&'a str> {
        std::str::from_utf8(&source[self.definition_name_range(node, source)?]).ok()
    }

    /// Where that name is; `None` for what can't be shown as one, too.
    pub(crate) fn definition_name_range(&self, node: Node<'_>, source: &[u8]) -> Option<Range<usize>> {
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
        let range = own?.byte_range();
        let is_name = std::str::from_utf8(source.get(range.clone())?).is_ok();
        (is_name && !range.is_empty() && range.len() < 200).then_some(range)
    }

    /// The node that names a definition.
    pub(crate) fn name_node<'t>(&self, node: Node<'t>) -> Option<Node<'t>> {
        let tables = self.tables();
        let named = tables.name_fields.iter().find_map(|&field| node.child_by_field_id(field));
        named.or_else(|| {
            // In C and its kin the name is inside declarators.
            let mut inner = node.child_by_field_id(tables.fields[3])?;
            while let Some(next) = inner.child_by_field_id(tables.fields[3]) {
                inner = next;
            }
            (inner.child_by_field_id(tables.fields[1]).is_none() && inner.kind() != "reference_declarator")
                .then_some(inner)
        })
    }

    /// How many parameters a function node declares; `None` when it has no parameter list, and when a glance at the list
    /// shows that there are no more than `least`.
    pub fn parameter_count(&self, node: Node<'_>, source: &[u8], least: u64) -> Option<u32> {
        let tables = self.tables();
        let [single, list, name, declarator] = tables.fields;
        let text = |node: Node<'_>| source.get(node.byte_range()).unwrap_or_default();
        let commas = |node: Node<'_>| memchr::memchr_iter(b',', text(node)).count() as u64;
        let is_list = |child: &Node<'_>| !child.kind().contains("type_parameter");
        // Wherever there is a list, commas part what is in it; after it there may be another one.
        let after = |list: &Node<'_>| source.get(list.end_byte()..).unwrap_or_default();
        let is_last = |list: &Node<'_>| !after(list).trim_ascii_start().starts_with(b"(");
        let only = node.child_by_field_id(list).filter(|child| is_list(child) && is_last(child));
        if only.is_some_and(|list| commas(list) < least) {
            return None;
        }
        if node.child_by_field_id(single).is_some_and(|p| p.child_count() == 0) {
            return Some(1);
        }
        let mut holder = node;
        let lists: Vec<Node<'_>> = loop {
            let mut cursor = holder.walk();
            let id = std::num::NonZero::new(list);
            let found = id.map(|id| holder.children_by_field_id(id, &mut cursor).filter(is_list).collect::<Vec<_>>());
            match (found.filter(|found| !found.is_empty()), holder.child_by_field_id(declarator)) {
                (Some(lists), _) => break lists,
                (None, Some(inner)) => holder = inner,
                (None, None) => {
                    let is_list = |child: &Node<'_>| self.parameter_lists.contains(&child.kind());
                    break node.named_children(&mut node.walk()).find(is_list).into_iter().collect();
                }
            }
        };
        if lists.first().is_some_and(|l| tables.is(l.kind_id(), Class::Name)) {
            return Some(1);
        }
        if let [only] = lists[..]
            && commas(only) < least
        {
            return None;
        }
        // Where there is no list, the parameters are in the function itself.
        let holders = if lists.is_empty() { std::slice::from_ref(&node) } else { &lists };
        let count = holders.iter().map(|holder| self.parameters_in(*holder, name, !lists.is_empty(), source)).sum();
        (!lists.is_empty() || count > 0 || self.parameter_lists.is_empty()).then_some(count)
    }

    /// How many parameters are in a list, or in a function itself.
    fn parameters_in(&self, holder: Node<'_>, name: u16, is_list: bool, source: &[u8]) -> u32 {
        let tables = self.tables();
        let text = |node: Node<'_>| source.get(node.byte_range()).unwrap_or_default();
        let mut cursor = holder.walk();
        let children: Vec<Node<'_>> = holder.named_children(&mut cursor).filter(|child| !child.is_extra()).collect();
        // Some grammars put defaults beside the parameters.
        let marked = !is_list
            || self.parameter_lists.contains(&holder.kind())
                && children.iter().any(|child| tables.is(child.kind_id(), Class::Parameter));
        let mut count = 0;
        for (index, child) in children.into_iter().enumerate() {
            let passed = index == 0 && self.is_implicit(text(child));
            let other = marked && !tables.is(child.kind_id(), Class::Parameter);
            if passed || other || self.not_parameters.contains(&child.kind()) {
                continue;
            }
            // `a, b int` declares two; elsewhere a name field may hold a type as well.
            if !text(child).contains(&b',') {
                count += 1;
                continue;
            }
            let names = |id: std::num::NonZero<u16>| {
                child
                    .children_by_field_id(id, &mut child.walk())
                    .filter(|n| tables.is(n.kind_id(), Class::Name))
                    .count()
            };
            count += std::num::NonZero::new(name).map_or(0, names).max(1) as u32;
        }
        count
    }

    /// Whether a first parameter is one that the language passes by itself, or stands for none.
    fn is_implicit(&self, parameter: &[u8]) -> bool {
        let end = parameter.iter().position(|b| !b.is_ascii_alphanumeric() && *b != b'_').unwrap_or(parameter.len());
        let (name, rest) = parameter.split_at(end);
        matches!(rest.trim_ascii_start().first(), None | Some(b':'))
            && self.implicit_parameters.iter().any(|known| known.as_bytes() == name)
    }

    /// Whether rules can look for paths of keys in it.
    pub fn has_keys(&self) -> bool {
        !self.keyed.is_empty()
    }

    /// The lists that have items of a kind.
    pub(crate) fn lists(&self, items: Items) -> impl Iterator<Item = &'static Listed> {
        self.listed.iter().filter(move |listed| listed.items == items)
    }

    /// Whether definitions are distinguished from references by the same name: in languages that one programs in, which
    /// SQL, with functions and without loops, isn't.
    pub fn knows_roles(&self) -> bool {
        let has = |class: Class| self.classes.iter().any(|(c, _)| *c == class);
        has(Class::Function) && has(Class::Name) && has(Class::Loop)
    }

    /// What a name does where it is; `None` for nodes that are no names. Names in imports refer to what is imported.
    pub fn role(&self, leaf: Node<'_>) -> Option<Role> {
        /// How many nodes may be between a name and what says its role: patterns, lists, declarators.
        const REACH: usize = 6;
        let tables = self.tables();
        if !tables.is(leaf.kind_id(), Class::Name) || leaf.named_child_count() > 0 {
            return None;
        }
        // Of a longer name, the last part is what is named.
        let ends = |name: Node<'_>| name.start_byte() <= leaf.start_byte() && name.end_byte() == leaf.end_byte();
        let mut at = leaf;
        for _ in 0..REACH {
            let Some(parent) = at.parent() else { break };
            let (kind, field) = (parent.kind(), field_of(parent, at));
            if tables.is_definition(parent.kind_id()) {
                let whole = parent.child_by_field_name("body").is_some() || !kind.ends_with("specifier");
                let named = whole && self.name_node(parent).is_some_and(ends);
                let listed = !named && self.is_parameter_of(parent, at);
                return Some(if named {
                    Role::Defines
                } else if listed {
                    Role::Binds
                } else {
                    Role::Refers
                });
            }
            let function = |node: Node<'_>| tables.is(node.kind_id(), Class::Function);
            let lends = |role: Role| {
                let mut cursor = parent.walk();
                let defines = parent.named_children(&mut cursor).skip(1).any(function);
                if defines { Role::Defines } else { role }
            };
            if kind.ends_with("declarator")
                && (field == Some("name") || parent.child_by_field_name("value").is_some_and(function))
            {
                return Some(if field.is_some_and(|f| GIVEN.contains(&f)) { lends(Role::Binds) } else { Role::Refers });
            }
            // Parts of a longer name, and lists and declarators around what is named.
            let inner = kind.starts_with("qualified") && field == Some("name")
                || kind.ends_with("declarator") && field == Some("declarator")
                // In PHP the sign before a name makes a node of its own.
                || tables.is(parent.kind_id(), Class::Name)
                || kind.ends_with("parameters")
                || kind.ends_with("list");
            let is_parameter = tables.is(parent.kind_id(), Class::Parameter) || kind.contains("parameter");
            if !inner && (is_parameter || GIVING.iter().any(|part| kind.contains(part))) {
                let given = field.map_or(parent.named_child(0) == Some(at), |field| GIVEN.contains(&field));
                let role =
                    if given && !(is_parameter && at.kind().contains("type")) { Role::Binds } else { Role::Refers };
                return Some(if given && !is_parameter { lends(role) } else { role });
            }
            // A pattern's default refers.
            let value = matches!(field, Some("value" | "right" | "default_value" | "type" | "arguments" | "size"));
            let passes = inner || kind.contains("pattern") || parent.byte_range() == at.byte_range();
            if !passes || value {
                break;
            }
            at = parent;
        }
        Some(Role::Refers)
    }

    /// The name that a definition node gives to what it defines: its own, or that of what it is assigned to.
    pub(crate) fn defined_by<'t>(&self, node: Node<'t>) -> Option<Node<'t>> {
        let last_part = |mut name: Node<'t>| {
            while let Some(part) = name.named_child_count().checked_sub(1).and_then(|n| name.named_child(n as u32)) {
                name = part;
            }
            Some(name).filter(|leaf| self.role(*leaf) == Some(Role::Defines))
        };
        if let Some(name) = self.name_node(node) {
            return last_part(name);
        }
        let parent = node.parent().filter(|_| self.tables().is(node.kind_id(), Class::Function))?;
        let given = GIVEN.iter().find_map(|field| parent.child_by_field_name(field)).or_else(|| parent.named_child(0));
        given.filter(|given| *given != node).and_then(last_part)
    }

    /// Whether a child of a function is its parameter or the list of those.
    fn is_parameter_of(&self, function: Node<'_>, child: Node<'_>) -> bool {
        self.tables().is(child.kind_id(), Class::Parameter)
            || child.kind().contains("parameter")
            || self.parameter_lists.contains(&child.kind())
            || field_of(function, child).is_some_and(|field| field.starts_with("parameter"))
    }
}

/// The field of a node that holds a child.
fn field_of<'t>(parent: Node<'t>, child: Node<'_>) -> Option<&'t str> {
    let index = (0..parent.child_count()).find(|n| parent.child(*n) == Some(child))?;
    parent.field_name_for_child(index)
}
