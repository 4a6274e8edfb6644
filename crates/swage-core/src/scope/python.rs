//! Scopes of Python: <https://docs.python.org/3/reference/executionmodel.html#naming-and-binding>.

use std::sync::OnceLock;

use foldhash::HashSet;
use memchr::memmem::Finder;
use tree_sitter::Node;

use super::{Action, Children, Field, Gathered, Import, Kind, Rules, each, is_remark, is_remarked, leaves, words};

pub(super) struct Python;

/// Functions with which code makes or looks up names while it runs.
const MAKERS: [&str; 5] = ["exec", "globals", "locals", "vars", "execfile"];

impl Rules for Python {
    fn action(&self, kind: &str) -> Option<Action> {
        let action: Action = match kind {
            "function_definition" | "lambda" => function,
            "class_definition" => class,
            "list_comprehension" | "set_comprehension" | "dictionary_comprehension" | "generator_expression" => {
                comprehension
            }
            "block" => |g, node| g.lists.push(node),
            "assignment" | "augmented_assignment" | "for_statement" => |g, node| {
                let scope = g.function();
                g.field(node, Field::Left).into_iter().for_each(|left| targets(g, left, scope));
            },
            "named_expression" => name,
            "as_pattern_target" => |g, node| targets(g, node, g.function()),
            // A name and its type parameters, whose scope may as well be the one around.
            "type_alias_statement" => |g, node| {
                let (scope, mut given) = (g.function(), Vec::new());
                let left = g.field(node, Field::Left);
                left.into_iter().for_each(|left| leaves(left, &mut |leaf| given.push(leaf)));
                given.into_iter().for_each(|leaf| g.bind(leaf, scope));
            },
            "global_statement" => |g, node| each(node, |child| g.bind(child, 0)),
            "nonlocal_statement" => |g, node| each(node, |child| g.mark(child)),
            "import_statement" | "import_from_statement" | "future_import_statement" => import,
            "wildcard_import" => |g, _| g.open = true,
            "keyword_argument" => |g, node| g.field(node, Field::Name).into_iter().for_each(|n| g.mark(n)),
            "attribute" => |g, node| g.field(node, Field::Attribute).into_iter().for_each(|n| g.mark(n)),
            // Names may be given to the module itself.
            "subscript" => |g, node| g.open |= g.text(node) == "sys.modules[__name__]",
            "dotted_name" => looked_up,
            "keyword_pattern" | "splat_pattern" | "as_pattern" => pattern,
            "try_statement" => tested,
            // The walk needn't look into a string of several parts.
            "string" | "concatenated_string" | "comment" => |g, node| g.texts.push(node.byte_range()),
            "call" => |g, node| {
                let called = g.field(node, Field::Function).map(|f| g.text(f));
                g.open |= called.is_some_and(|name| MAKERS.contains(&name));
                // A program that builds others hands names to the files that it runs.
                let given = || ["Import(\"", "Import('"].iter().any(|begins| g.text(node).starts_with(begins));
                g.open |= called == Some("Import") && given();
            },
            _ => return None,
        };
        Some(action)
    }

    fn is_use(&self, kind: &str) -> bool {
        kind == "identifier"
    }

    fn is_mention(&self, kind: &str) -> bool {
        kind == "identifier"
    }

    fn is_known(&self, name: &str) -> bool {
        static KNOWN: OnceLock<HashSet<&'static str>> = OnceLock::new();
        KNOWN.get_or_init(|| words(include_str!("python.txt"))).contains(name)
            || name.starts_with("__") && name.ends_with("__")
    }

    // Where a file does, all of its names are open.
    fn looked_up<'s>(&self, _: &'s [u8]) -> HashSet<&'s [u8]> {
        HashSet::default()
    }

    fn is_closed(&self, _: &Gathered<'_, '_>) -> bool {
        true
    }

    fn definition<'t>(&self, g: &Gathered<'t, '_>, node: Node<'t>) -> Option<(String, Node<'t>, bool)> {
        // What decorators make of a definition may well need several of one name.
        let (inner, plain) = match node.kind() {
            "function_definition" | "class_definition" => (node, true),
            "decorated_definition" => (g.field(node, Field::Definition)?, false),
            _ => return None,
        };
        let name = g.text(g.field(inner, Field::Name)?);
        Some((name.to_owned(), inner, plain && !name.trim_matches('_').is_empty()))
    }

    fn hands_on(&self, root: Node<'_>) -> bool {
        let says_nothing = |node: Node<'_>| match node.kind() {
            "import_statement" | "import_from_statement" | "future_import_statement" | "comment" => true,
            "expression_statement" => node.named_child(0).is_some_and(|inner| inner.kind() == "string"),
            _ => false,
        };
        Children::named(root).all(says_nothing)
    }

    fn is_excused(&self, statement: Node<'_>, source: &[u8]) -> bool {
        let is_remark = |child| is_remark(child, source);
        guarded(statement)
            || Children::named(statement).any(is_remark)
            || is_remarked(statement, source)
            || is_all_of_function(statement)
    }
}

fn name<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let scope = g.function();
    g.field(node, Field::Name).into_iter().for_each(|name| g.bind(name, scope));
}

/// Methods see a class's type parameters, though not its names.
fn class<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    g.definitions.push(node.start_byte());
    name(g, node);
    if let Some(body) = g.field(node, Field::Body) {
        g.open_at(body, Kind::Class);
        g.lists.push(body);
        type_parameters(g, node, &[0]);
    }
}

/// Parameters and body have a scope; defaults and annotations belong to what is around.
fn function<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    g.definitions.push(node.start_byte());
    name(g, node);
    let Some(body) = g.field(node, Field::Body) else { return };
    let around = g.now;
    let scope = g.open_at(body, Kind::Function);
    // Annotations, which are looked up around the function, may name its type parameters.
    type_parameters(g, node, &[around, scope]);
    if body.kind() == "block" {
        g.lists.push(body);
    }
    let Some(list) = g.field(node, Field::Parameters) else { return };
    each(list, |parameter| {
        let inner = match parameter.kind() {
            "default_parameter" | "typed_default_parameter" => g.field(parameter, Field::Name),
            // The name comes first, the type after it.
            "typed_parameter" => parameter.named_child(0),
            _ => Some(parameter),
        };
        inner.into_iter().for_each(|inner| targets(g, inner, scope));
    });
}

/// Type parameters bind their names; that they can't be seen outside doesn't matter.
fn type_parameters<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>, scopes: &[usize]) {
    if let Some(list) = g.field(node, Field::TypeParameters) {
        leaves(list, &mut |leaf| scopes.iter().for_each(|scope| g.bind_text(g.text(leaf), *scope)));
    }
}

/// A comprehension has a scope of its own, but the first thing that it goes through is looked up around it.
fn comprehension<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let around = g.now;
    let scope = g.open_here(Kind::Block);
    let mut first = true;
    each(node, |clause| {
        if clause.kind() != "for_in_clause" {
            return;
        }
        g.field(clause, Field::Left).into_iter().for_each(|left| targets(g, left, scope));
        if first && let Some(right) = g.field(clause, Field::Right) {
            g.openings.push((right.id(), around));
        }
        first = false;
    });
}

/// Binds the names that are assigned to.
fn targets<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>, scope: usize) {
    let mut open = vec![node];
    while let Some(node) = open.pop() {
        match node.kind() {
            "identifier" => g.bind(node, scope),
            "pattern_list"
            | "tuple_pattern"
            | "list_pattern"
            | "tuple"
            | "list"
            | "list_splat_pattern"
            | "dictionary_splat_pattern"
            | "list_splat"
            | "expression_list"
            | "parenthesized_expression"
            | "type"
            | "as_pattern_target" => each(node, |child| open.push(child)),
            _ => {}
        }
    }
}

fn import<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let scope = g.function();
    let future = node.kind() == "future_import_statement";
    let from = node.kind() == "import_from_statement";
    // Modules beside this one are imported in a function for what that does, such as to register handlers.
    let beside =
        from && scope != 0 && g.field(node, Field::ModuleName).is_some_and(|module| module.kind() == "relative_import");
    if let Some(module) = g.field(node, Field::ModuleName) {
        leaves(module, &mut |leaf| g.mark(leaf));
    }
    let mut cursor = node.walk();
    for name in node.children_by_field_name("name", &mut cursor) {
        let (original, alias) = match name.kind() {
            "aliased_import" => (g.field(name, Field::Name), g.field(name, Field::Alias)),
            _ => (Some(name), None),
        };
        let mut parts = Vec::new();
        original.into_iter().for_each(|original| leaves(original, &mut |leaf| parts.push(leaf)));
        parts.iter().for_each(|part| g.mark(*part));
        // `import a.b` binds `a`; `from m import a` binds `a`.
        let bound = alias.or(parts.first().copied());
        let Some(bound) = bound else { continue };
        g.bind(bound, scope);
        // `import a as a` is how a module hands a name on.
        let handed_on = alias.is_some_and(|alias| parts.last().is_some_and(|last| g.text(*last) == g.text(alias)));
        // Importing a module inside of a package may be meant for what that does.
        let inner = !from && alias.is_none() && parts.len() > 1;
        // What a module takes under another name may well be there for others to take.
        let renamed = from && alias.is_some();
        // It says what this module hands on itself.
        let list = g.text(bound) == "__all__";
        let name = g.number(bound);
        let excused = future || beside || handed_on || inner || renamed || list;
        g.imports.push(Import { name, node: bound, statement: node, excused });
    }
}

/// Whether a statement is in a `try`, which asks whether the import can be had.
fn guarded(node: Node<'_>) -> bool {
    let around = node.parent().and_then(|block| block.parent());
    around.is_some_and(|n| matches!(n.kind(), "try_statement" | "except_clause" | "else_clause"))
}

/// Whether a function only imports, which must then be what it is for.
fn is_all_of_function(node: Node<'_>) -> bool {
    let Some(block) = node.parent().filter(|block| block.kind() == "block") else { return false };
    let only = Children::named(block).all(|child| {
        child.kind().starts_with("import_")
            || child.kind() == "comment"
            || child.kind() == "expression_statement" && child.named_child(0).is_some_and(|c| c.kind() == "string")
    });
    only && block.parent().is_some_and(|around| around.kind() == "function_definition")
}

/// A name in a pattern: alone it takes whatever is there; with dots it is looked up.
fn looked_up<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let scope = g.function();
    let takes = ["case_pattern", "keyword_pattern", "union_pattern"];
    let alone = node.named_child_count() == 1 && node.parent().is_some_and(|p| takes.contains(&p.kind()));
    let mut first = true;
    leaves(node, &mut |leaf| {
        if alone {
            g.bind(leaf, scope);
        } else if !first {
            g.mark(leaf);
        }
        first = false;
    });
}

/// What other patterns of `case` bind.
fn pattern<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let scope = g.function();
    let in_case = node.parent().is_some_and(|p| p.kind() == "case_pattern");
    let mut index = 0;
    each(node, |child| {
        match (node.kind(), child.kind()) {
            ("keyword_pattern", "identifier") if index == 0 => g.mark(child),
            ("splat_pattern", "identifier") => g.bind(child, scope),
            ("as_pattern", "identifier") if in_case => g.bind(child, scope),
            _ => {}
        }
        index += 1;
    });
}

/// Whether a handler is one of another version of the language, `except ValueError, e:`, where other names are known, too.
fn names_the_exception_by_comma(g: &Gathered<'_, '_>, clause: Node<'_>) -> bool {
    let caught = (0..clause.named_child_count() as u32).filter_map(|n| clause.named_child(n));
    let caught: Vec<_> = caught.filter(|child| !matches!(child.kind(), "block" | "comment")).collect();
    let is_variable = |node: &Node<'_>| node.kind() == "identifier" && g.text(*node).starts_with(char::is_lowercase);
    caught.len() == 2 && is_variable(&caught[1])
}

/// Names in a `try` that catches their absence.
fn tested<'t>(g: &mut Gathered<'t, '_>, node: Node<'t>) {
    let mut catches = false;
    each(node, |clause| {
        catches |= clause.kind() == "except_clause" && {
            let head = &g.source[clause.byte_range()];
            let line = head.split(|b| *b == b':').next().unwrap_or_default();
            super::has_word(line, &Finder::new("NameError"))
        };
        g.open |= clause.kind() == "except_clause" && names_the_exception_by_comma(g, clause);
    });
    if catches && let Some(body) = g.field(node, Field::Body) {
        let mut names = Vec::new();
        leaves(body, &mut |leaf| names.push(leaf));
        names.into_iter().for_each(|leaf| {
            let name = g.text(leaf);
            g.tested.insert(name);
        });
    }
}
