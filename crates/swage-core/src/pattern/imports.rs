//! What the names that a file imports stand for.
//!
//! A name stands for the path under which other files know it: `sp` for `subprocess` after `import subprocess as sp`,
//! `run` for `subprocess.run` after `from subprocess import run`. In Python and JavaScript, a name that is given what a call
//! makes, or another name, stands for that: `session` for `requests.Session()`, and so do attributes of `self`
//! and `this`. In C and C++ a pointer stands for the function that it is given, and a macro for the name that it is defined as.
//! A name may stand for several things: for all that it is given in the functions around and outside of all functions. Imports
//! anywhere in the file count for all of it; a parameter of the same name is still taken for the imported one.

mod statements;

use std::borrow::Cow;
use std::cell::OnceCell;
use std::ops::Range;
use std::sync::OnceLock;

use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};
use tree_sitter::Node;

use super::{Children, preorder, uncommented_text};
use crate::lang::{Class, LANGUAGES, Language};

/// The imports of a file, read when they are first asked for.
pub(crate) struct Imports<'t> {
    root: Node<'t>,
    source: &'t [u8],
    language: &'static Language,
    paths: OnceCell<Paths>,
}

/// What names are imported as; a file may import one name from several modules, each in a function of its own.
type Imported = HashMap<String, Vec<String>>;

/// What the names of a file stand for.
struct Paths {
    imported: Imported,
    /// Names that some function imports for itself: elsewhere they are what they say.
    local: HashSet<String>,
    given: Given,
    /// Names that functions of Python share with what is around them.
    shared: HashSet<String>,
}

/// What names are given.
type Given = HashMap<String, Vec<Value>>;

/// What a name is given in one place.
struct Value {
    /// A name, or one with brackets for what a call of it makes; `None` for anything else.
    path: Option<String>,
    /// Where the name has it: in the function around a declaration, elsewhere in the whole file.
    within: Range<usize>,
}

/// What is done at a node.
#[derive(Clone, Copy)]
enum NodeHandling {
    Nothing,
    /// Nothing, and statements are in it.
    Enter,
    Python,
    PythonFrom,
    JavaScript,
    Declarator,
    Assignment,
    Named,
    Alias,
    Define,
    Pointer,
    Shared,
    Go,
    Java,
    Rust,
}

/// For each kind of node of a language, what is done at it.
fn steps(language: &'static Language) -> &'static [NodeHandling] {
    static ALL: OnceLock<Vec<OnceLock<Vec<NodeHandling>>>> = OnceLock::new();
    let all = ALL.get_or_init(|| LANGUAGES.iter().map(|_| OnceLock::new()).collect());
    all[language.index()].get_or_init(|| {
        let grammar = &language.tables().grammar;
        let kinds = 0..grammar.node_kind_count() as u16;
        kinds.map(|id| step(language.name, grammar.node_kind_for_id(id).unwrap_or_default())).collect()
    })
}

fn step(language: &str, kind: &str) -> NodeHandling {
    /// Of what holds statements in Python, where expressions hold none.
    const HOLDERS: [&str; 6] = ["statement", "block", "definition", "clause", "item", "module"];
    let script = is_script(language);
    match (language, kind) {
        ("python", "import_statement") => NodeHandling::Python,
        ("python", "import_from_statement") => NodeHandling::PythonFrom,
        ("python", "assignment") => NodeHandling::Assignment,
        ("python", "named_expression") => NodeHandling::Named,
        ("python", "as_pattern") => NodeHandling::Alias,
        ("python", "global_statement" | "nonlocal_statement") => NodeHandling::Shared,
        (_, "import_statement") if script => NodeHandling::JavaScript,
        (_, "variable_declarator") if script => NodeHandling::Declarator,
        (_, "assignment_expression") if script => NodeHandling::Assignment,
        ("c" | "cpp", "preproc_def") => NodeHandling::Define,
        ("c" | "cpp", "init_declarator" | "assignment_expression") => NodeHandling::Pointer,
        ("go", "import_spec") => NodeHandling::Go,
        ("java", "import_declaration") => NodeHandling::Java,
        ("rust", "use_declaration") => NodeHandling::Rust,
        ("python", _) if HOLDERS.iter().any(|ending| kind.ends_with(ending)) => NodeHandling::Enter,
        _ => NodeHandling::Nothing,
    }
}

fn is_script(language: &str) -> bool {
    matches!(language, "javascript" | "typescript" | "tsx")
}

impl<'t> Imports<'t> {
    pub fn of(root: Node<'t>, source: &'t [u8], language: &'static Language) -> Self {
        Self { root, source, language, paths: OnceCell::new() }
    }

    /// A piece of code with what its first name stands for in that name's place; as it is when that name isn't imported, nor given
    /// one thing only.
    pub fn path_of<'c>(&self, code: &'c [u8]) -> Cow<'c, [u8]> {
        let paths = self.paths();
        let (mut path, mut seen) = (Cow::Borrowed(code), Vec::new());
        while seen.len() < MOST_FOLLOWED {
            if let Some((module, rest)) = imported_in_place(&path) {
                return Cow::Owned([module, rest].concat());
            }
            let (name, rest) = split(&path);
            if let Some(from) = paths.imported.get(name).and_then(|all| all.last()) {
                return Cow::Owned([from.as_bytes(), rest].concat());
            }
            let values = paths.given.get(name).map_or(&[][..], Vec::as_slice);
            let Some(given) = values.first().and_then(|value| value.path.as_deref()) else { break };
            // Names that are given each other lead nowhere.
            if seen.iter().any(|known| known == name) || values.iter().any(|value| value.path.as_deref() != Some(given))
            {
                break;
            }
            seen.push(name.to_owned());
            path = Cow::Owned([given.as_bytes(), rest].concat());
        }
        path
    }

    /// Whether a condition holds for anything that a piece of code at an offset may stand for, itself included where nothing of
    /// that name is imported for all of the file: an assignment or an import in one function hides nothing in another. `goes_on`
    /// is asked for each thing that it may stand for, since a file may give one name thousands.
    pub fn may_be(
        &self,
        code: &[u8],
        offset: usize,
        goes_on: impl Fn() -> bool,
        holds: impl Fn(&[u8]) -> bool,
    ) -> bool {
        let paths = self.paths();
        let (mut open, mut seen) = (vec![code.to_vec()], HashSet::new());
        while let Some(path) = open.pop() {
            if let Some((module, rest)) = imported_in_place(&path) {
                if holds(&[module, rest].concat()) {
                    return true;
                }
                continue;
            }
            let (name, rest) = split(&path);
            let imported = paths.imported.get(name).map_or(&[][..], Vec::as_slice);
            if (imported.is_empty() || paths.local.contains(name)) && holds(&path)
                || imported.iter().any(|from| goes_on() && holds(&[from.as_bytes(), rest].concat()))
            {
                return true;
            }
            // Each name is followed once, so that names that are given each other come to an end.
            if seen.len() == MOST_FOLLOWED || !seen.insert(name.to_owned()) {
                continue;
            }
            let is_anywhere = name.contains('.') || paths.shared.contains(name);
            for value in paths.given.get(name).map_or(&[][..], Vec::as_slice) {
                if !goes_on() {
                    return false;
                }
                if let Some(given) = value.path.as_ref().filter(|_| is_anywhere || value.within.contains(&offset)) {
                    open.push([given.as_bytes(), rest].concat());
                }
            }
        }
        false
    }

    fn paths(&self) -> &Paths {
        self.paths.get_or_init(|| self.read())
    }

    /// Goes through the file for what names are imported as and given.
    fn read(&self) -> Paths {
        let mut paths =
            Paths { imported: Imported::new(), local: HashSet::new(), given: Given::new(), shared: HashSet::new() };
        let is_followed =
            |language| is_script(language) || matches!(language, "python" | "go" | "rust" | "c" | "cpp" | "java");
        if !is_followed(self.language.name) {
            return paths;
        }
        let steps = steps(self.language);
        // Functions may be in expressions, and in Python assignments may.
        let enters_expressions = self.language.name != "python" || memchr::memmem::find(self.source, b":=").is_some();
        // The functions around, outermost first.
        let mut functions = vec![self.root.byte_range()];
        preorder(self.root, |node| {
            while functions.len() > 1 && functions.last().is_some_and(|function| function.end <= node.start_byte()) {
                functions.pop();
            }
            if self.language.tables().is(node.kind_id(), Class::Function) {
                functions.push(node.byte_range());
            }
            let step = steps.get(usize::from(node.kind_id())).copied().unwrap_or(NodeHandling::Nothing);
            if let NodeHandling::Nothing | NodeHandling::Enter = step {
                return enters_expressions || matches!(step, NodeHandling::Enter);
            }
            if let NodeHandling::Shared = step {
                paths.shared.extend(Children::named(node).map(|name| self.text(name).to_owned()));
            }
            let (found, given) = (self.imported_at(step, node), self.given_at(step, node));
            if let Some((name, path)) = given {
                // What is only assigned is declared elsewhere, perhaps outside of the function.
                let at = if node.kind() == "assignment_expression" { functions.first() } else { functions.last() };
                let within = at.cloned().unwrap_or_default();
                paths.given.entry(name.to_owned()).or_default().push(Value { path, within });
            }
            // What is at the margin holds for the whole file.
            if node.start_position().column > 0 {
                paths.local.extend(found.keys().cloned());
            }
            for (name, all) in found {
                all.into_iter().for_each(|path| add(&mut paths.imported, &name, path));
            }
            true
        });
        paths
    }

    /// What a node imports names as.
    fn imported_at(&self, step: NodeHandling, node: Node<'_>) -> Imported {
        let mut found = Imported::new();
        match step {
            NodeHandling::Python => self.python(node, "", &mut found),
            NodeHandling::PythonFrom => {
                let module = self.field(node, "module_name");
                self.python(node, &format!("{module}."), &mut found);
            }
            NodeHandling::JavaScript => self.javascript(node, &mut found),
            NodeHandling::Declarator => self.required(node, &mut found),
            NodeHandling::Go => self.go(node, &mut found),
            NodeHandling::Java => self.java(node, &mut found),
            NodeHandling::Rust => {
                if let Some(argument) = node.child_by_field_name("argument") {
                    self.rust(argument, &mut found);
                }
            }
            NodeHandling::Nothing
            | NodeHandling::Enter
            | NodeHandling::Assignment
            | NodeHandling::Named
            | NodeHandling::Alias
            | NodeHandling::Define
            | NodeHandling::Pointer
            | NodeHandling::Shared => {}
        }
        found
    }

    /// The name that a node gives something, and what that is.
    fn given_at(&self, step: NodeHandling, node: Node<'t>) -> Option<(&'t str, Option<String>)> {
        match step {
            NodeHandling::Declarator | NodeHandling::Named => {
                Some((self.field(node, "name"), self.made(node, "value")))
            }
            NodeHandling::Assignment => Some((self.field(node, "left"), self.made(node, "right"))),
            NodeHandling::Alias => Some((self.field(node, "alias"), self.made(node, ""))),
            NodeHandling::Define => Some((self.field(node, "name"), self.defined(node))),
            NodeHandling::Pointer => self.pointer(node),
            NodeHandling::Nothing
            | NodeHandling::Enter
            | NodeHandling::Python
            | NodeHandling::PythonFrom
            | NodeHandling::JavaScript
            | NodeHandling::Shared
            | NodeHandling::Go
            | NodeHandling::Java
            | NodeHandling::Rust => None,
        }
    }

    /// The name that a macro is defined as.
    fn defined(&self, define: Node<'_>) -> Option<String> {
        let value = self.field(define, "value").trim();
        let is_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | ':');
        (!value.is_empty() && value.chars().all(is_name)).then(|| value.to_owned())
    }

    /// A pointer and the function that it is given.
    fn pointer(&self, node: Node<'t>) -> Option<(&'t str, Option<String>)> {
        let either = |one, other| node.child_by_field_name(one).or_else(|| node.child_by_field_name(other));
        let (declared, value) = (either("declarator", "left")?, either("value", "right")?);
        let inner = |declared: &Node<'t>| {
            declared.child_by_field_name("declarator").or_else(|| Children::code(*declared).next())
        };
        let name = std::iter::successors(Some(declared), inner).last()?;
        let function = value.child_by_field_name("argument").filter(|_| value.kind() == "pointer_expression");
        let function = function.unwrap_or(value);
        let is_name = matches!(function.kind(), "identifier" | "qualified_identifier");
        Some((self.text(name), is_name.then(|| self.text(function).to_owned())))
    }

    /// What the value in a field gives a name: the function that is called for it, or another name; without a field, the first
    /// child.
    fn made(&self, node: Node<'_>, field: &str) -> Option<String> {
        let value = if field.is_empty() { Children::code(node).next() } else { node.child_by_field_name(field) }?;
        match value.kind() {
            "call" | "call_expression" | "new_expression" => {
                let function = value.child_by_field_name("function").or(value.child_by_field_name("constructor"))?;
                let module = self.source.get(value.byte_range()).and_then(imported_in_place);
                let module = module.filter(|(_, rest)| rest.is_empty());
                let made = || self.text(function).to_owned() + "()";
                Some(module.map_or_else(made, |(module, _)| String::from_utf8_lossy(module).into_owned()))
            }
            // Another name for the same thing.
            "identifier" | "attribute" | "member_expression" if !field.is_empty() => Some(self.text(value).to_owned()),
            _ => None,
        }
    }

    fn text(&self, node: Node<'_>) -> &'t str {
        let bytes = self.source.get(node.byte_range()).unwrap_or_default();
        std::str::from_utf8(bytes).unwrap_or_default()
    }

    /// The text of a path, in which white space and comments say nothing.
    fn path(&self, node: Node<'_>) -> String {
        let uncommented = uncommented_text(self.source, node, node.byte_range(), self.language);
        let text = uncommented.as_deref().map_or(Cow::Borrowed(self.text(node)), String::from_utf8_lossy);
        text.split_whitespace().collect()
    }

    fn field(&self, node: Node<'_>, name: &str) -> &'t str {
        node.child_by_field_name(name).map_or("", |node| self.text(node))
    }
}

/// How many names are followed from one to the next.
const MOST_FOLLOWED: usize = 256;

/// The calls by which a module is imported where it is used.
const IMPORTING: [&str; 6] =
    ["require(", "import(", "await import(", "__import__(", "importlib.import_module(", "import_module("];

/// A module that is imported where it is used, and what comes after it: `require("os").platform`.
fn imported_in_place(code: &[u8]) -> Option<(&[u8], &[u8])> {
    let rest = IMPORTING.iter().find_map(|call| code.strip_prefix(call.as_bytes()))?;
    let (quote, rest) = rest.trim_ascii_start().split_first().filter(|(quote, _)| matches!(quote, b'"' | b'\''))?;
    let end = memchr::memchr(*quote, rest)?;
    let module = rest[..end].strip_prefix(b"node:").unwrap_or(&rest[..end]);
    Some((module, rest[end + 1..].trim_ascii_start().strip_prefix(b")")?))
}

/// The first name of a piece of code, with `self` or `this` before it, and what comes after it.
fn split(code: &[u8]) -> (&str, &[u8]) {
    let (name, rest) = code.split_at(first_name(code));
    (std::str::from_utf8(name).unwrap_or_default(), rest)
}

fn add(found: &mut Imported, name: &str, path: String) {
    let paths = found.entry(name.to_owned()).or_default();
    // What was imported last comes last.
    if paths.last() != Some(&path) {
        paths.push(path);
    }
}

/// Where the first name of code ends, with `self` or `this` before it.
fn first_name(code: &[u8]) -> usize {
    let is_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_' || *b == b'$' || !b.is_ascii();
    let own = [&b"self."[..], b"this."].into_iter().find(|own| code.starts_with(own)).map_or(0, <[u8]>::len);
    code.iter().skip(own).position(|b| !is_name(b)).map_or(code.len(), |end| own + end)
}

#[cfg(test)]
mod tests;
