//! Scopes of JavaScript (ECMA-262, section 9.1) and of what TypeScript adds to them.

use std::sync::OnceLock;

use foldhash::HashSet;
use tree_sitter::Node;

use super::{
    Action, Children, Field, Gathered, Import, Kind, Rules, Use, each, is_in_name, is_remarked, leaves, words,
};

pub(super) struct JavaScript;

/// Names under which the functions that markup in code stands for are imported.
const MARKUP: [&str; 5] = ["React", "Fragment", "h", "jsx", "createElement"];

/// Names of the object whose members are known in every file (ECMA-262, section 19.3).
const GLOBAL_OBJECTS: [&str; 4] = ["globalThis", "window", "self", "global"];

impl Rules for JavaScript {
    // Long because each kind that defines or uses names has a case here.
    fn action(&self, kind: &str) -> Option<Action> {
        let action: Action = match kind {
            "function_declaration" | "generator_function_declaration" | "function_signature" => |g, node| {
                g.definitions.push(node.start_byte());
                if let Some(name) = g.field(node, Field::Name) {
                    g.bind(name, g.now);
                    g.bind(name, g.function());
                }
                function(g, node);
            },
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
            | "function" => |g, node| {
                g.definitions.push(node.start_byte());
                function(g, node);
                if let Some(name) = g.field(node, Field::Name).filter(|n| n.kind() == "identifier") {
                    g.bind(name, g.now);
                }
            },
            "class_declaration"
            | "class"
            | "abstract_class_declaration"
            | "interface_declaration"
            | "type_alias_declaration" => {
                |g, node| g.field(node, Field::Name).into_iter().for_each(|name| g.bind(name, g.now))
            }
            "required_parameter" | "optional_parameter" => {
                |g, node| g.field(node, Field::Pattern).into_iter().for_each(|given| targets(g, given, g.now))
            }
            "enum_declaration" => enumeration,
            "internal_module" | "module" => |g, node| {
                let scope = g.now;
                g.field(node, Field::Name).into_iter().for_each(|n| targets(g, n, scope));
                g.field(node, Field::Body).into_iter().for_each(|body| g.shared = Some(body.id()));
            },
            // What is declared for all, or in parts of one namespace, is seen from everywhere else in it.
            "ambient_declaration" => |g, node| {
                let mut block = None;
                each(node, |child| block = block.or((child.kind() == "statement_block").then_some(child.id())));
                g.shared = block;
            },
            "statement_block" => |g, node| {
                if g.shared != Some(node.id()) {
                    g.open_here(Kind::Block);
                }
                g.lists.push(node);
            },
            "class_body" => |g, node| g.lists.push(node),
            "switch_body" | "for_statement" => |g, _| _ = g.open_here(Kind::Block),
            "for_in_statement" => |g, node| {
                let kind = g.field(node, Field::Kind).map(|k| g.text(k));
                let function = g.function();
                let own = g.open_here(Kind::Block);
                let scope = match kind {
                    Some("var") => function,
                    Some(_) => own,
                    None => 0,
                };
                g.field(node, Field::Left).into_iter().for_each(|left| targets(g, left, scope));
            },
            "catch_clause" => |g, node| {
                let scope = g.open_here(Kind::Block);
                g.field(node, Field::Parameter).into_iter().for_each(|p| targets(g, p, scope));
            },
            "lexical_declaration" => |g, node| declared(g, node, g.now),
            "variable_declaration" => |g, node| declared(g, node, g.function()),
            // Assigning to a name that nobody declared makes it, outside of strict code.
            "assignment_expression" => |g, node| {
                let left = g.field(node, Field::Left).filter(|l| l.kind() == "identifier");
                left.into_iter().for_each(|left| g.bind(left, 0));
            },
            "import_statement" => import,
            "export_statement" => |g, node| match g.field(node, Field::Source) {
                Some(_) => leaves(node, &mut |leaf| g.mark(leaf)),
                None => g.module = true,
            },
            "export_specifier" => |g, node| g.field(node, Field::Alias).into_iter().for_each(|n| g.mark(n)),
            "index_signature" => |g, node| g.field(node, Field::Name).into_iter().for_each(|n| g.mark(n)),
            "tuple_type" => |g, node| {
                // The name of what takes the rest is further in.
                each(node, |part| {
                    g.field(part, Field::Name).into_iter().for_each(|n| leaves(n, &mut |leaf| g.mark(leaf)))
                });
            },
            "unary_expression" => |g, node| {
                let asks = g.field(node, Field::Operator).is_some_and(|o| g.text(o) == "typeof");
                if let Some(name) = g.field(node, Field::Argument).filter(|a| asks && a.kind() == "identifier") {
                    g.tested.insert(g.text(name));
                }
            },
            "jsx_opening_element" | "jsx_closing_element" | "jsx_self_closing_element" => |g, node| {
                g.tested.extend(MARKUP);
                let name = g.field(node, Field::Name).filter(|n| n.kind() == "identifier");
                // Names in lower case are elements of the page.
                if let Some(name) = name.filter(|n| g.text(*n).starts_with(|c: char| c.is_lowercase())) {
                    g.mark(name);
                }
            },
            // Types may be declared for all in files that nobody imports.
            "nested_type_identifier" => |g, node| leaves(node, &mut |leaf| g.mark(leaf)),
            "with_statement" => |g, _| g.open = true,
            "call_expression" => {
                |g, node| g.open |= g.field(node, Field::Function).is_some_and(|f| g.text(f) == "eval")
            }
            "comment" => |g, node| g.texts.push(node.byte_range()),
            _ => return None,
        };
        Some(action)
    }

    fn is_use(&self, kind: &str) -> bool {
        matches!(kind, "identifier" | "shorthand_property_identifier")
    }

    fn is_mention(&self, kind: &str) -> bool {
        self.is_use(kind) || matches!(kind, "type_identifier" | "shorthand_property_identifier_pattern")
    }

    fn is_known(&self, name: &str) -> bool {
        static KNOWN: OnceLock<HashSet<&'static str>> = OnceLock::new();
        // Names that begin so are put in when the program is built; what may be a name or a keyword is read as one.
        name.starts_with("__")
            || matches!(name, "await" | "yield" | "async" | "let" | "of")
            || KNOWN.get_or_init(|| words(include_str!("javascript.txt"))).contains(name)
    }

    fn looked_up<'s>(&self, source: &'s [u8]) -> HashSet<&'s [u8]> {
        let member = |(object, dot): (&str, usize)| {
            let is_whole = dot == object.len() || !is_in_name(source[dot - object.len() - 1]);
            let name = &source[dot + 1..];
            let end = name.iter().position(|byte| !is_in_name(*byte)).unwrap_or(name.len());
            (is_whole && end > 0).then(|| &name[..end])
        };
        let members_of = |object: &'static str| {
            let found = memchr::memmem::find_iter(source, object).map(move |at| (object, at + object.len()));
            found.filter(|(_, dot)| source.get(*dot) == Some(&b'.')).filter_map(member)
        };
        GLOBAL_OBJECTS.into_iter().flat_map(members_of).collect()
    }

    /// A script without imports and exports shares its names with other scripts of its page; so does one that only asks
    /// whether it is loaded as a module, or that a loader in the page hands its parts to.
    fn is_closed(&self, g: &Gathered<'_, '_>) -> bool {
        let is_given = |used: &Use<'_>| {
            let text = g.names[used.name as usize];
            matches!(text, "require" | "module" | "exports")
                && !g.tested.contains(text)
                // A name of its own of that kind says nothing.
                && !g.is_bound(used.name, used.scope)
                && (text != "require" || asks_for_a_module(used.node))
        };
        g.module || g.uses.iter().any(is_given)
    }

    fn definition<'t>(&self, g: &Gathered<'t, '_>, node: Node<'t>) -> Option<(String, Node<'t>, bool)> {
        let inner = if node.kind() == "export_statement" { g.field(node, Field::Declaration)? } else { node };
        match inner.kind() {
            "function_declaration" | "generator_function_declaration" => {
                let name = g.text(g.field(inner, Field::Name)?);
                Some((name.to_owned(), inner, !name.is_empty()))
            }
            "method_definition" => {
                let name = g.field(inner, Field::Name).filter(|name| name.kind() != "computed_property_name")?;
                // `get`, `set` and `static` make another member of the same name.
                let before = std::str::from_utf8(g.source.get(inner.start_byte()..name.start_byte())?).ok()?;
                let mut own = String::new();
                for word in before.split_whitespace().filter(|word| matches!(*word, "get" | "set" | "static")) {
                    own += word;
                    own.push(' ');
                }
                Some((own + g.text(name), inner, !g.text(name).is_empty()))
            }
            _ => None,
        }
    }

    // What is imported here is handed on by `export`.
    fn hands_on(&self, _: Node<'_>) -> bool {
        false
    }

    fn is_excused(&self, statement: Node<'_>, source: &[u8]) -> bool {
        is_remarked(statement, source)
    }
}

/// Whether `require` is called with the name of one module, and not with a list of them or by its own members.
fn asks_for_a_module(require: Node<'_>) -> bool {
    let call = require.parent().filter(|call| call.kind() == "call_expression");
    let given = call.and_then(|call| Children::code(call.child_by_field_name("arguments")?).next());
    given.is_some_and(|first| first.kind() != "array")
}

fn function<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let scope = g.open_here(Kind::Function);
    if let Some(single) = g.field(node, Field::Parameter) {
        targets(g, single, scope);
    } else if !g.tables.typed {
        // Parameters with types are nodes of their own, and come by themselves.
        g.field(node, Field::Parameters).into_iter().for_each(|list| targets(g, list, scope));
    }
    g.bind_text("arguments", scope);
}

fn enumeration<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    g.field(node, Field::Name).into_iter().for_each(|n| g.bind(n, g.now));
    if let Some(body) = g.field(node, Field::Body) {
        let inside = g.open_at(body, Kind::Block);
        each(body, |member| {
            let name = g.field(member, Field::Name).unwrap_or(member);
            g.bind_text(g.text(name).trim_matches(['"', '\'']), inside);
        });
    }
}

/// Binds what the parts of a declaration declare.
fn declared<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>, scope: usize) {
    each(node, |one| g.field(one, Field::Name).into_iter().for_each(|name| targets(g, name, scope)));
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
            "pair_pattern" => open.extend(g.field(node, Field::Value)),
            "assignment_pattern" | "object_assignment_pattern" => open.extend(g.field(node, Field::Left)),
            "nested_identifier" => open.extend(g.field(node, Field::Object)),
            _ => {}
        }
    }
}

fn import<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    g.module = true;
    let statement = node;
    let mut open = vec![node];
    while let Some(node) = open.pop() {
        let bound = match node.kind() {
            "import_specifier" => g.field(node, Field::Alias).or_else(|| g.field(node, Field::Name)),
            "identifier" => Some(node),
            _ => {
                each(node, |child| open.push(child));
                None
            }
        };
        if let Some(bound) = bound {
            leaves(node, &mut |leaf| g.mark(leaf));
            g.bind(bound, 0);
            let excused = MARKUP.contains(&g.text(bound));
            let name = g.number(bound);
            g.imports.push(Import { name, node: bound, statement, excused });
        }
    }
}
