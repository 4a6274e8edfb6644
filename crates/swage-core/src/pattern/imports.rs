//! What the names that a file imports stand for.
//!
//! A name stands for the path under which other files know it: `sp` for `subprocess` after `import subprocess as sp`,
//! `run` for `subprocess.run` after `from subprocess import run`. In Python and JavaScript, a name that is only ever given
//! what one call makes, or another name, stands for that: `session` for `requests.Session()`, and so do attributes of `self`
//! and `this`. In C and C++ a pointer stands for the function that it is given, and a macro for the name that it is defined as.
//! Imports anywhere in the file count for all of it; a parameter of the same name is still taken for the imported one.

use std::borrow::Cow;
use std::cell::OnceCell;
use std::sync::OnceLock;

use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};
use tree_sitter::Node;

use super::{Children, contents, preorder};
use crate::lang::{LANGUAGES, Language};

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
    /// What names stand for that are only ever given one thing.
    given: HashMap<String, String>,
}

/// What is done at a node.
#[derive(Clone, Copy)]
enum Step {
    /// Nothing: it is an expression or a sign.
    Pass,
    /// Its children are looked at.
    Enter,
    Python,
    PythonFrom,
    JavaScript,
    Declarator,
    Assignment,
    Alias,
    Define,
    Pointer,
    Go,
    Java,
    Rust,
}

/// For each kind of node of a language, what is done at it.
fn steps(language: &'static Language) -> &'static [Step] {
    static ALL: OnceLock<Vec<OnceLock<Vec<Step>>>> = OnceLock::new();
    let all = ALL.get_or_init(|| LANGUAGES.iter().map(|_| OnceLock::new()).collect());
    all[language.index()].get_or_init(|| {
        let grammar = &language.tables().grammar;
        let kinds = 0..grammar.node_kind_count() as u16;
        kinds.map(|id| step(language.name, grammar.node_kind_for_id(id).unwrap_or_default())).collect()
    })
}

fn step(language: &str, kind: &str) -> Step {
    /// Of what holds statements.
    const ENDINGS: [&str; 16] = [
        "statement",
        "block",
        "body",
        "definition",
        "declaration",
        "clause",
        "item",
        "_list",
        "module",
        "program",
        "file",
        "element",
        "unit",
        "specification",
        "preproc_if",
        "preproc_ifdef",
    ];
    let script = matches!(language, "javascript" | "typescript" | "tsx");
    let is_followed = script || matches!(language, "python" | "go" | "rust" | "c" | "cpp");
    match (language, kind) {
        ("python", "import_statement") => Step::Python,
        ("python", "import_from_statement") => Step::PythonFrom,
        ("python", "assignment") => Step::Assignment,
        ("python", "as_pattern") => Step::Alias,
        (_, "import_statement") if script => Step::JavaScript,
        (_, "variable_declarator") if script => Step::Declarator,
        (_, "assignment_expression") if script => Step::Assignment,
        ("c" | "cpp", "preproc_def") => Step::Define,
        ("c" | "cpp", "init_declarator" | "assignment_expression") => Step::Pointer,
        ("go", "import_spec") => Step::Go,
        ("java", "import_declaration") => Step::Java,
        ("rust", "use_declaration") => Step::Rust,
        ("java", "program") => Step::Enter,
        (_, _) if is_followed && ENDINGS.iter().any(|ending| kind.ends_with(ending)) => Step::Enter,
        _ => Step::Pass,
    }
}

impl<'t> Imports<'t> {
    pub fn of(root: Node<'t>, source: &'t [u8], language: &'static Language) -> Self {
        Self { root, source, language, paths: OnceCell::new() }
    }

    /// A piece of code with what its first name stands for in that name's place; as it is when that name isn't imported.
    pub fn path_of<'c>(&self, code: &'c [u8]) -> Cow<'c, [u8]> {
        let paths = self.paths();
        resolve(code, |name| paths.imported.get(name).and_then(|all| all.last()).or_else(|| paths.given.get(name)))
    }

    /// Whether a condition holds for anything that a piece of code may stand for. A name that is given something elsewhere in
    /// the file may still be what it says, so that an assignment in one function hides nothing in another.
    pub fn may_be(&self, code: &[u8], holds: impl Fn(&[u8]) -> bool) -> bool {
        let (paths, end) = (self.paths(), first_name(code));
        let name = std::str::from_utf8(&code[..end]).unwrap_or_default();
        let imported = paths.imported.get(name).map_or(&[][..], Vec::as_slice);
        if (imported.is_empty() || paths.local.contains(name)) && holds(&resolve(code, |_| None)) {
            return true;
        }
        imported.iter().chain(paths.given.get(name)).any(|path| holds(&[path.as_bytes(), &code[end..]].concat()))
    }

    fn paths(&self) -> &Paths {
        self.paths.get_or_init(|| self.read())
    }

    fn read(&self) -> Paths {
        let (mut imported, mut local, mut made) = (Imported::new(), HashSet::new(), Given::new());
        let steps = steps(self.language);
        preorder(self.root, |node| {
            let mut found = Imported::new();
            match steps.get(usize::from(node.kind_id())).copied().unwrap_or(Step::Pass) {
                Step::Pass => return false,
                Step::Enter => return true,
                Step::Python => self.python(node, "", &mut found),
                Step::PythonFrom => {
                    let module = self.field(node, "module_name");
                    self.python(node, &format!("{module}."), &mut found);
                }
                Step::JavaScript => self.javascript(node, &mut found),
                Step::Declarator => {
                    self.required(node, &mut found);
                    self.made(node, "name", "value", &mut made);
                }
                Step::Assignment => self.made(node, "left", "right", &mut made),
                Step::Alias => self.made(node, "alias", "", &mut made),
                Step::Define => note(self.field(node, "name"), self.defined(node), &mut made),
                Step::Pointer => self.pointer(node, &mut made),
                Step::Go => self.go(node, &mut found),
                Step::Java => self.java(node, &mut found),
                Step::Rust => {
                    if let Some(argument) = node.child_by_field_name("argument") {
                        self.rust(argument, &mut found);
                    }
                }
            }
            // What stands at the margin holds for the whole file.
            if node.start_position().column > 0 {
                local.extend(found.keys().cloned());
            }
            for (name, paths) in found {
                paths.into_iter().for_each(|path| add(&mut imported, &name, path));
            }
            false
        });
        let given = made.iter().filter_map(|(name, given)| {
            let path = followed(name, given.as_deref()?, &made, &imported);
            Some((name.clone(), path))
        });
        Paths { given: given.collect(), imported, local }
    }

    /// The name that a macro is defined as.
    fn defined(&self, define: Node<'_>) -> Option<String> {
        let value = self.field(define, "value").trim();
        let is_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | ':');
        (!value.is_empty() && value.chars().all(is_name)).then(|| value.to_owned())
    }

    /// Notes the function that a pointer is given.
    fn pointer(&self, node: Node<'t>, made: &mut Given) {
        let either = |one, other| node.child_by_field_name(one).or_else(|| node.child_by_field_name(other));
        let (Some(declared), Some(value)) = (either("declarator", "left"), either("value", "right")) else { return };
        let inner =
            |declared: &Node<'t>| declared.child_by_field_name("declarator").or_else(|| declared.named_child(0));
        let Some(name) = std::iter::successors(Some(declared), inner).last() else { return };
        let function = value.child_by_field_name("argument").filter(|_| value.kind() == "pointer_expression");
        let function = function.unwrap_or(value);
        let is_name = matches!(function.kind(), "identifier" | "qualified_identifier");
        note(self.text(name), is_name.then(|| self.text(function).to_owned()), made);
    }

    /// Notes what a name is given: the function that is called for it, or another name; nothing when it is given different
    /// things.
    fn made(&self, node: Node<'_>, left: &str, right: &str, made: &mut Given) {
        let value = if right.is_empty() { node.named_child(0) } else { node.child_by_field_name(right) };
        let given = value.and_then(|value| match value.kind() {
            "call" | "call_expression" | "new_expression" => {
                let function = value.child_by_field_name("function").or(value.child_by_field_name("constructor"))?;
                Some(self.text(function).to_owned() + "()")
            }
            // Another name for the same thing.
            "identifier" | "attribute" | "member_expression" if !right.is_empty() => Some(self.text(value).to_owned()),
            _ => None,
        });
        note(self.field(node, left), given, made);
    }

    fn text(&self, node: Node<'_>) -> &'t str {
        let bytes = self.source.get(node.byte_range()).unwrap_or_default();
        std::str::from_utf8(bytes).unwrap_or_default()
    }

    fn field(&self, node: Node<'_>, name: &str) -> &'t str {
        node.child_by_field_name(name).map_or("", |node| self.text(node))
    }

    fn python(&self, statement: Node<'_>, before: &str, found: &mut Imported) {
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
    fn module(&self, literal: Node<'_>) -> Option<&'t str> {
        let text = self.text(literal);
        let inside = text.get(contents(text.as_bytes())?)?;
        Some(inside.strip_prefix("node:").unwrap_or(inside))
    }

    fn javascript(&self, statement: Node<'_>, found: &mut Imported) {
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
    fn required(&self, declarator: Node<'_>, found: &mut Imported) {
        let (Some(name), Some(value)) =
            (declarator.child_by_field_name("name"), declarator.child_by_field_name("value"))
        else {
            return;
        };
        let (call, member) = match value.child_by_field_name("object") {
            Some(object) => (object, self.field(value, "property")),
            None => (value, ""),
        };
        let literal = call.child_by_field_name("arguments").and_then(|arguments| arguments.named_child(0));
        let Some(module) = literal.and_then(|literal| self.module(literal)) else { return };
        if self.field(call, "function") != "require" {
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
    fn go(&self, spec: Node<'_>, found: &mut Imported) {
        let path = self.field(spec, "path").trim_matches(['"', '`']);
        let is_version =
            |part: &&str| part.len() > 1 && part.starts_with('v') && part[1..].bytes().all(|b| b.is_ascii_digit());
        let last = path.rsplit('/').find(|part| !is_version(part)).unwrap_or(path);
        let name = self.field(spec, "name");
        add(found, if name.is_empty() { last } else { name }, path.to_owned());
    }

    fn java(&self, declaration: Node<'_>, found: &mut Imported) {
        let path = declaration.named_child(0).map_or("", |path| self.text(path));
        if let Some((_, name)) = path.rsplit_once('.').filter(|_| declaration.named_child_count() == 1) {
            add(found, name, path.to_owned());
        }
    }

    /// A declaration may hold a list of others, each after the same path.
    fn rust(&self, declared: Node<'_>, found: &mut Imported) {
        let mut open = vec![(declared, String::new())];
        while let Some((tree, before)) = open.pop() {
            let joined = |path: &str| if before.is_empty() { path.to_owned() } else { format!("{before}::{path}") };
            match tree.kind() {
                "use_as_clause" => {
                    add(found, self.field(tree, "alias"), joined(self.field(tree, "path")));
                }
                "scoped_use_list" => {
                    let path = joined(self.field(tree, "path"));
                    open.extend(tree.child_by_field_name("list").map(|list| (list, path)));
                }
                "use_list" => open.extend(Children::named(tree).map(|part| (part, before.clone()))),
                "identifier" | "scoped_identifier" | "self" => {
                    let path = if tree.kind() == "self" { before } else { joined(self.text(tree)) };
                    let name = path.rsplit("::").next().unwrap_or_default().to_owned();
                    add(found, &name, path);
                }
                _ => {}
            }
        }
    }
}

/// What names are given; nothing where that differs, or is anything but a name or what a call makes.
type Given = HashMap<String, Option<String>>;

fn note(name: &str, given: Option<String>, made: &mut Given) {
    let known = made.entry(name.to_owned()).or_insert_with(|| given.clone());
    if *known != given {
        *known = None;
    }
}

/// How many names are followed from one to the next.
const MOST_FOLLOWED: usize = 16;

/// What a name stands for in the end, whose value is this.
fn followed(name: &str, given: &str, made: &Given, imported: &Imported) -> String {
    let mut path = given.to_owned();
    let mut seen = vec![name.to_owned()];
    while seen.len() < MOST_FOLLOWED {
        if let Cow::Owned(path) = resolve(path.as_bytes(), |name| imported.get(name).and_then(|all| all.last())) {
            return String::from_utf8_lossy(&path).into_owned();
        }
        let first = path[..first_name(path.as_bytes())].to_owned();
        let Some(Some(next)) = made.get(&first).filter(|_| !seen.contains(&first)) else { break };
        path = format!("{next}{}", &path[first.len()..]);
        seen.push(first);
    }
    path
}

/// The calls by which a module is imported where it is used.
const IMPORTING: [&str; 4] = ["require(", "import(", "await import(", "__import__("];

/// A module that is imported where it is used, and what comes after it: `require("os").platform`.
fn imported_in_place(code: &[u8]) -> Option<(&[u8], &[u8])> {
    let rest = IMPORTING.iter().find_map(|call| code.strip_prefix(call.as_bytes()))?;
    let (quote, rest) = rest.split_first().filter(|(quote, _)| matches!(quote, b'"' | b'\''))?;
    let end = memchr::memchr(*quote, rest)?;
    let module = rest[..end].strip_prefix(b"node:").unwrap_or(&rest[..end]);
    Some((module, rest[end + 1..].strip_prefix(b")")?))
}

/// A piece of code with what is known of its first name in that name's place.
fn resolve<'c, 'p>(code: &'c [u8], known: impl Fn(&str) -> Option<&'p String>) -> Cow<'c, [u8]> {
    if let Some((module, rest)) = imported_in_place(code) {
        return Cow::Owned([module, rest].concat());
    }
    let end = first_name(code);
    match std::str::from_utf8(&code[..end]).ok().and_then(known) {
        Some(path) => Cow::Owned([path.as_bytes(), &code[end..]].concat()),
        None => Cow::Borrowed(code),
    }
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
mod tests {
    use super::*;
    use crate::lang::parse;

    /// What names stand for, by the ways in which languages import them.
    #[test]
    fn names_stand_for_what_is_imported() {
        let cases = [
            ("python", "import subprocess as sp\n", "sp.run", "subprocess.run"),
            ("python", "import os.path as p, sys\n", "p.join", "os.path.join"),
            ("python", "def f():\n    from subprocess import (run, Popen as P)\n", "run", "subprocess.run"),
            ("python", "from subprocess import (run, Popen as P)\n", "P.wait", "subprocess.Popen.wait"),
            ("python", "from . import quay\n", "quay.book", "..quay.book"),
            ("python", "import subprocess\n", "subprocess.run", "subprocess.run"),
            ("python", "from a import *\n", "run", "run"),
            ("python", "import requests as r\ns = r.Session()\n", "s.get", "requests.Session().get"),
            ("python", "def f(self):\n    self.s = requests.Session()\n", "self.s.get", "requests.Session().get"),
            ("python", "with requests.Session() as s:\n    s\n", "s.get", "requests.Session().get"),
            ("python", "s = requests.Session()\ns = other\n", "s.get", "s.get"),
            ("python", "s = requests.Session()\nt = s.get()\n", "t.json", "requests.Session().get().json"),
            ("python", "import os\na = os.system\nb = a\nc = b\n", "c", "os.system"),
            ("python", "a = b\nb = a\n", "a", "a"),
            ("python", "a = a.strip()\n", "a", "a.strip()"),
            ("python", "import os\nrun = os.system\n", "run", "os.system"),
            ("python", "run = os.system\nrun = quay\n", "run", "run"),
            ("python", "", "__import__('os').system", "os.system"),
            ("javascript", "const run = eval;", "run", "eval"),
            ("javascript", "", "require(\"node:fs\").rm", "fs.rm"),
            ("javascript", "", "await import('fs').rm", "fs.rm"),
            ("javascript", "const agent = new https.Agent({});", "agent", "https.Agent()"),
            ("javascript", "import { exec as run } from 'node:child_process';", "run", "child_process.exec"),
            ("javascript", "import * as cp from \"child_process\";", "cp.exec", "child_process.exec"),
            ("typescript", "import fs, { rm } from 'fs';", "fs.rm", "fs.rm"),
            ("typescript", "import fs, { rm } from 'fs';", "rm", "fs.rm"),
            ("javascript", "const { exec, spawn: s } = require('child_process');", "s", "child_process.spawn"),
            ("javascript", "const { exec, spawn: s } = require('child_process');", "exec", "child_process.exec"),
            ("javascript", "const run = require('child_process').exec;", "run", "child_process.exec"),
            ("javascript", "const fs = need('fs');", "fs", "need()"),
            ("go", "package a\nimport \"math/rand\"\n", "rand.Int", "math/rand.Int"),
            ("go", "package a\nimport (\n\tr \"math/rand/v2\"\n\t\"quay/v3\"\n)\n", "r.Int", "math/rand/v2.Int"),
            ("go", "package a\nimport (\n\tr \"math/rand/v2\"\n\t\"quay/v3\"\n)\n", "quay.Book", "quay/v3.Book"),
            ("java", "import java.util.Random;\n", "Random", "java.util.Random"),
            ("java", "import java.util.*;\n", "Random", "Random"),
            ("c", "#define A B\n#ifdef X\n#define B system\n#endif\n", "A", "system"),
            ("c", "#define B f(1)\n", "B", "B"),
            ("c", "int (*run)(const char *) = &system;\n", "run", "system"),
            ("c", "void f(void) {\n  int (*run)(const char *);\n  run = system;\n}\n", "run", "system"),
            ("cpp", "namespace a {\nvoid f() { auto run = std::system; }\n}\n", "run", "std::system"),
            ("rust", "use std::{fs::{self, write as put}, io};", "put", "std::fs::write"),
            ("rust", "use std::{fs::{self, write as put}, io};", "fs::rename", "std::fs::rename"),
            ("rust", "use std::process::Command;", "Command::new", "std::process::Command::new"),
        ];
        for (language, source, code, expected) in cases {
            let language = Language::by_name(language).expect("a language");
            let tree = parse(source.as_bytes(), language).expect("it is small");
            let imports = Imports::of(tree.root_node(), source.as_bytes(), language);
            assert_eq!(String::from_utf8_lossy(&imports.path_of(code.as_bytes())), expected, "{source}");
            assert!(imports.may_be(code.as_bytes(), |path| path == expected.as_bytes()), "{source}");
        }
    }

    /// An assignment or an import in one function hides nothing in another.
    #[test]
    fn names_may_still_be_what_they_say() {
        let hidden = [
            ("python", "import os\ndef f():\n    os = quay()\n", "os.system", "os.system"),
            ("python", "def f():\n    eval = quay()\n", "eval", "eval"),
            ("python", "def f():\n    from quay import eval\n", "eval", "eval"),
            (
                "python",
                "from os import system as run\ndef f():\n    from quay import moor as run\n",
                "run",
                "os.system",
            ),
            (
                "javascript",
                "import { exec as run } from 'child_process';\nfunction f() {\n  const { run } = require('quay');\n}",
                "run",
                "child_process.exec",
            ),
        ];
        for (language, source, code, expected) in hidden {
            let language = Language::by_name(language).expect("a language");
            let tree = parse(source.as_bytes(), language).expect("it is small");
            let imports = Imports::of(tree.root_node(), source.as_bytes(), language);
            assert!(imports.may_be(code.as_bytes(), |path| path == expected.as_bytes()), "{source}");
        }
        let python = Language::by_name("python").expect("a language");
        let tree = parse(b"from quay import eval\n", python).expect("it is small");
        let imports = Imports::of(tree.root_node(), b"from quay import eval\n", python);
        assert!(!imports.may_be(b"eval", |path| path == b"eval"));
    }
}
