//! The languages that Swage reads, one small file each.
//!
//! A [`Language`] is a table: its grammar, how its files are told, and which of the grammar's node kinds are comments,
//! strings, calls, definitions and so on. A new language is a new file with such a table and a line in [`LANGUAGES`];
//! the test in `tests/languages.rs` holds them all to the same abilities.

#[cfg(feature = "bash")]
mod bash;
#[cfg(any(feature = "c", feature = "cpp"))]
mod c;
#[cfg(feature = "cpp")]
mod cpp;
#[cfg(feature = "csharp")]
mod csharp;
#[cfg(feature = "css")]
mod css;
#[cfg(feature = "go")]
mod go;
#[cfg(feature = "html")]
mod html;
#[cfg(feature = "java")]
mod java;
#[cfg(any(feature = "javascript", feature = "typescript"))]
mod javascript;
#[cfg(feature = "json")]
mod json;
#[cfg(feature = "kotlin")]
mod kotlin;
#[cfg(feature = "markdown")]
mod markdown;
#[cfg(feature = "php")]
mod php;
#[cfg(feature = "python")]
mod python;
#[cfg(feature = "ruby")]
mod ruby;
#[cfg(feature = "rust")]
mod rust;
#[cfg(feature = "scala")]
mod scala;
#[cfg(feature = "sql")]
mod sql;
#[cfg(feature = "swift")]
mod swift;
#[cfg(feature = "toml")]
mod toml;
#[cfg(feature = "typescript")]
mod typescript;
#[cfg(feature = "yaml")]
mod yaml;

use std::fmt;
use std::ops::Deref;
use std::sync::OnceLock;

use crate::scan::Keyed;

/// All languages that this build reads, in the order of their names.
pub static LANGUAGES: &[&Language] = &[
    #[cfg(feature = "bash")]
    &bash::BASH,
    #[cfg(feature = "c")]
    &c::C,
    #[cfg(feature = "cpp")]
    &cpp::CPP,
    #[cfg(feature = "csharp")]
    &csharp::CSHARP,
    #[cfg(feature = "css")]
    &css::CSS,
    #[cfg(feature = "go")]
    &go::GO,
    #[cfg(feature = "html")]
    &html::HTML,
    #[cfg(feature = "java")]
    &java::JAVA,
    #[cfg(feature = "javascript")]
    &javascript::JAVASCRIPT,
    #[cfg(feature = "json")]
    &json::JSON,
    #[cfg(feature = "kotlin")]
    &kotlin::KOTLIN,
    #[cfg(feature = "markdown")]
    &markdown::MARKDOWN,
    #[cfg(feature = "php")]
    &php::PHP,
    #[cfg(feature = "python")]
    &python::PYTHON,
    #[cfg(feature = "ruby")]
    &ruby::RUBY,
    #[cfg(feature = "rust")]
    &rust::RUST,
    #[cfg(feature = "scala")]
    &scala::SCALA,
    #[cfg(feature = "sql")]
    &sql::SQL,
    #[cfg(feature = "swift")]
    &swift::SWIFT,
    #[cfg(feature = "toml")]
    &toml::TOML,
    #[cfg(feature = "typescript")]
    &typescript::TSX,
    #[cfg(feature = "typescript")]
    &typescript::TYPESCRIPT,
    #[cfg(feature = "yaml")]
    &yaml::YAML,
];

/// The names of all languages, those that were left out of this build too.
pub const NAMES: &[&str] = &[
    "bash",
    "c",
    "cpp",
    "csharp",
    "css",
    "go",
    "html",
    "java",
    "javascript",
    "json",
    "kotlin",
    "markdown",
    "php",
    "python",
    "ruby",
    "rust",
    "scala",
    "sql",
    "swift",
    "toml",
    "tsx",
    "typescript",
    "yaml",
];

/// A portable class of nodes, for holes and filters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Class {
    /// A function, method, closure or constructor.
    Function,
    /// A class, interface, struct, enum, trait or implementation block.
    Class,
    /// A call or the making of an object.
    Call,
    /// A declared parameter.
    Parameter,
    /// Any loop.
    Loop,
    /// Any branch: if, switch or match, a conditional expression.
    Branch,
    /// An import, use or package clause.
    Import,
    /// A string, template or character literal.
    String,
    /// A number literal.
    Number,
    /// A name of any kind.
    Name,
    /// A comment.
    Comment,
    /// A block of statements.
    Block,
}

impl Class {
    /// The classes with the words that rules use for them.
    pub const ALL: [(&'static str, Class); 12] = [
        ("function", Class::Function),
        ("class", Class::Class),
        ("call", Class::Call),
        ("parameter", Class::Parameter),
        ("loop", Class::Loop),
        ("branch", Class::Branch),
        ("import", Class::Import),
        ("string", Class::String),
        ("number", Class::Number),
        ("name", Class::Name),
        ("comment", Class::Comment),
        ("block", Class::Block),
    ];

    /// The class that a rule names.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(name, _)| *name == word).map(|(_, class)| *class)
    }
}

/// What a language's grammar and files look like.
pub struct Spec {
    /// The name that rules use, in lower case.
    pub name: &'static str,
    /// The tree-sitter grammar.
    pub(crate) grammar: fn() -> tree_sitter::Language,
    /// File extensions without the dot.
    pub extensions: &'static [&'static str],
    /// Whole file names.
    pub file_names: &'static [&'static str],
    /// Interpreters of a `#!` line, without version.
    pub interpreters: &'static [&'static str],
    /// Beginnings of files that tell the language where the name doesn't.
    pub first_lines: &'static [&'static str],
    /// Node kinds of each class.
    pub(crate) classes: &'static [(Class, &'static [&'static str])],
    /// Of the branches, those that are parts of one beside each other: a case, an `elif`, a handler.
    pub(crate) parts: &'static [&'static str],
    /// Text around a pattern that makes it a whole file, tried in order.
    pub wrappers: &'static [(&'static str, &'static str)],
    /// What to write for a hole, in which HOLE is its name, where a name alone doesn't parse.
    pub(crate) stand_ins: &'static [&'static str],
    /// Fields that hold the name of a definition or of what it is assigned to.
    pub name_fields: &'static [&'static str],
    /// Children of a function that hold its parameters, where the grammar has no field for them.
    pub(crate) parameter_lists: &'static [&'static str],
    /// Children of a parameter list that aren't parameters of their own, such as `self`.
    pub not_parameters: &'static [&'static str],
    /// Names of a first parameter that the language passes by itself, and lists that stand for none.
    pub implicit_parameters: &'static [&'static str],
    /// Line comment markers, longest first; the ones of documentation are in `doc_markers`.
    pub line_markers: &'static [&'static str],
    /// Beginnings of documentation comments, which may well hold code.
    pub doc_markers: &'static [&'static str],
    /// Node kinds that prose never parses to: the signs that a comment is code.
    pub code_signs: &'static [&'static str],
    /// Statements end in one of these, so that prose in a comment isn't taken for code; empty when a line end does.
    pub statement_ends: &'static [&'static str],
    /// Texts of which every function, loop, branch and comment holds one, so that a walk can leave out what holds
    /// none; empty when there is no such list.
    pub openers: &'static [&'static str],
    /// Whether keywords may be written in capitals as well.
    pub keywords_in_any_case: bool,
    /// Nodes that have a key, for paths of keys.
    pub(crate) keyed: &'static [Keyed],
    /// Parts that are code of another language.
    pub(crate) embedded: &'static [Embedded],
}

/// A kind of node that holds code of another language.
pub(crate) struct Embedded {
    /// The kind of the node around it.
    pub around: &'static str,
    /// The kind of its child that is the code.
    pub code: &'static str,
    /// Which language it is.
    pub language: Told,
}

/// How the language of embedded code is told.
pub(crate) enum Told {
    /// By the text of the first node of this kind.
    By(&'static str),
    /// It is always this one.
    Always(&'static str),
}

impl Spec {
    /// What a language has when its file doesn't say otherwise.
    pub(crate) const PLAIN: Spec = Spec {
        name: "",
        grammar: || unreachable!(),
        extensions: &[],
        file_names: &[],
        interpreters: &[],
        first_lines: &[],
        classes: &[],
        parts: &[],
        wrappers: &[("", "")],
        stand_ins: &[],
        name_fields: &["name"],
        parameter_lists: &[],
        not_parameters: &[],
        implicit_parameters: &[],
        line_markers: &[],
        doc_markers: &[],
        code_signs: &[],
        statement_ends: &[],
        openers: &[],
        keywords_in_any_case: false,
        keyed: &[],
        embedded: &[],
    };
}

/// A language: what its file says of it, and the look-up tables that are made from that when they are first needed.
pub struct Language {
    spec: Spec,
    tables: OnceLock<Tables>,
}

impl Deref for Language {
    type Target = Spec;

    fn deref(&self) -> &Spec {
        &self.spec
    }
}

impl fmt::Debug for Language {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Language({})", self.name)
    }
}

impl PartialEq for Language {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}
impl Eq for Language {}

/// A language's node kinds by id, for look-ups during a walk.
#[derive(Debug)]
pub struct Tables {
    /// The grammar, loaded once.
    pub grammar: tree_sitter::Language,
    /// Bit set of classes for each kind id.
    classes: Vec<u16>,
    /// Ids of the name fields.
    name_fields: Vec<u16>,
    /// Ids of the fields `parameter`, `parameters`, `name` and `declarator`; 0, which no field has, when the grammar
    /// lacks one.
    fields: [u16; 4],
    /// How each kind stands in nesting.
    nesting: Vec<Nesting>,
    interests: OnceLock<Vec<u8>>,
}

/// What a walk has to do with a node kind.
pub(crate) mod interest {
    /// A comment.
    pub const COMMENT: u8 = 1;
    /// A string literal.
    pub const STRING: u8 = 2;
    /// A function.
    pub const FUNCTION: u8 = 4;
    /// A loop or branch.
    pub const BRANCH: u8 = 8;
    /// A rule begins with it.
    pub const RULE: u8 = 16;
    /// It never has children.
    pub const LEAF: u8 = 32;
}

/// How a node kind counts when nesting is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Nesting {
    /// Not at all.
    None,
    /// A loop or branch of its own.
    Deeper,
    /// A part of one: a case, an `elif`, an `except`.
    Part,
    /// An `if`, which is a part when it stands in an `else`.
    If,
    /// An `else`.
    Else,
}

impl Tables {
    /// Whether nodes of this kind are of the class.
    pub fn is(&self, kind: u16, class: Class) -> bool {
        self.classes.get(usize::from(kind)).is_some_and(|bits| bits & (1 << class as u16) != 0)
    }

    /// Whether a node is a loop or branch, and whether it nests deeper than what is around it: the parts of one construct
    /// stand beside each other for a reader.
    pub fn branches(&self, node: tree_sitter::Node<'_>) -> Option<bool> {
        let nesting = |kind: u16| self.nesting.get(usize::from(kind)).copied().unwrap_or(Nesting::None);
        match nesting(node.kind_id()) {
            Nesting::None | Nesting::Else => None,
            Nesting::Part => Some(false),
            Nesting::Deeper => Some(true),
            Nesting::If => {
                let in_else = node.parent().is_some_and(|p| nesting(p.kind_id()) == Nesting::Else);
                Some(!in_else && node.prev_sibling().is_none_or(|before| before.kind() != "else"))
            }
        }
    }

    /// Whether a node, or the one that it merely wraps, is of the class.
    pub fn is_at_heart(&self, mut node: tree_sitter::Node<'_>, class: Class) -> bool {
        loop {
            if self.is(node.kind_id(), class) {
                return true;
            }
            match node.named_child(0) {
                Some(inner) if node.named_child_count() == 1 && inner.byte_range() == node.byte_range() => node = inner,
                _ => return false,
            }
        }
    }

    /// For each node kind, what a walk has to do with it, as the bits of [`interest`].
    pub(crate) fn interests(&self) -> &[u8] {
        self.interests.get_or_init(|| {
            (0..self.classes.len() as u16)
                .map(|kind| {
                    let bit = |class: Class, bit: u8| if self.is(kind, class) { bit } else { 0 };
                    bit(Class::Comment, interest::COMMENT)
                        | bit(Class::String, interest::STRING)
                        | bit(Class::Function, interest::FUNCTION)
                        | bit(Class::Loop, interest::BRANCH)
                        | bit(Class::Branch, interest::BRANCH)
                        | bit(Class::Name, interest::LEAF)
                        | bit(Class::Number, interest::LEAF)
                        | if self.grammar.node_kind_is_named(kind) { 0 } else { interest::LEAF }
                })
                .collect()
        })
    }

    /// Whether nodes of this kind define something: a function or a class.
    pub fn is_definition(&self, kind: u16) -> bool {
        self.classes
            .get(usize::from(kind))
            .is_some_and(|bits| bits & (1 << Class::Function as u16 | 1 << Class::Class as u16) != 0)
    }
}

impl Language {
    /// A language from what its file says of it.
    pub(crate) const fn new(spec: Spec) -> Self {
        Self { spec, tables: OnceLock::new() }
    }

    /// The language with this name.
    pub fn by_name(name: &str) -> Option<&'static Language> {
        LANGUAGES.iter().copied().find(|l| l.name == name)
    }

    /// The language that people mean by a word: its name or one of its file extensions, in any case.
    pub fn by_word(word: &str) -> Option<&'static Language> {
        let word = word.to_ascii_lowercase();
        Self::by_name(&word).or_else(|| {
            LANGUAGES.iter().copied().find(|l| l.extensions.contains(&&*word) || l.interpreters.contains(&&*word))
        })
    }

    /// The abilities that patterns, filters and measures can count on: a word of [`Class::ALL`] each.
    pub fn abilities(&self) -> impl Iterator<Item = &'static str> {
        Class::ALL.into_iter().filter(|(_, class)| self.classes.iter().any(|(c, _)| c == class)).map(|(word, _)| word)
    }

    /// The language of a file, told by its name or else by its `#!` line.
    pub fn of(path: &[u8], content: &[u8]) -> Option<&'static Language> {
        let name = path.rsplit(|&b| b == b'/').next().unwrap_or(path);
        let extension = name.rsplit(|&b| b == b'.').next().filter(|e| e.len() < name.len());
        let by_name = LANGUAGES.iter().copied().find(|l| {
            l.file_names.iter().any(|n| n.as_bytes() == name)
                || extension.is_some_and(|e| l.extensions.iter().any(|x| x.as_bytes() == e))
        });
        match by_name {
            Some(found) if found.name == "c" && extension == Some(b"h") && is_cpp(content) => {
                Self::by_name("cpp").or(by_name)
            }
            Some(_) => by_name,
            None if extension.is_none() => by_first_line(content),
            None => None,
        }
    }

    /// The language of a file when its name alone decides it.
    pub fn by_path(path: &[u8]) -> Option<&'static Language> {
        // Headers of C and of C++ are named alike.
        if path.ends_with(b".h") { None } else { Self::of(path, b"") }
    }

    /// The grammar and the kinds by id.
    pub fn tables(&self) -> &Tables {
        self.tables.get_or_init(|| {
            let grammar = (self.grammar)();
            let mut classes = vec![0u16; grammar.node_kind_count()];
            let mut nesting = vec![Nesting::None; grammar.node_kind_count()];
            for id in 0..grammar.node_kind_count() as u16 {
                let Some(kind) = grammar.node_kind_for_id(id) else { continue };
                if !grammar.node_kind_is_named(id) {
                    continue;
                }
                for (class, kinds) in self.classes {
                    if kinds.contains(&kind) {
                        classes[usize::from(id)] |= 1 << *class as u16;
                        if matches!(class, Class::Loop | Class::Branch) {
                            nesting[usize::from(id)] = match kind {
                                _ if self.parts.contains(&kind) => Nesting::Part,
                                "if" => Nesting::If,
                                _ if kind.starts_with("if_") => Nesting::If,
                                _ => Nesting::Deeper,
                            };
                        }
                    }
                }
                if kind == "else_clause" {
                    nesting[usize::from(id)] = Nesting::Else;
                }
            }
            let name_fields = self
                .name_fields
                .iter()
                .filter_map(|f| grammar.field_id_for_name(f))
                .map(std::num::NonZero::get)
                .collect();
            let fields = ["parameter", "parameters", "name", "declarator"]
                .map(|f| grammar.field_id_for_name(f).map_or(0, std::num::NonZero::get));
            Tables { grammar, classes, name_fields, fields, nesting, interests: OnceLock::new() }
        })
    }

    /// All node kinds that the table names, for the test that they exist.
    pub fn kinds(&self) -> impl Iterator<Item = &'static str> {
        self.classes
            .iter()
            .flat_map(|(_, kinds)| kinds.iter().copied())
            .chain(self.code_signs.iter().copied())
            .chain(self.not_parameters.iter().copied())
    }

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

/// Whether a header speaks C++: it has a word that C doesn't.
fn is_cpp(content: &[u8]) -> bool {
    let begins = |line: &[u8]| {
        let line = line.trim_ascii_start();
        let words: [&[u8]; 7] =
            [b"class ", b"namespace ", b"template <", b"template<", b"public:", b"private:", b"using namespace "];
        words.iter().any(|word| line.starts_with(word))
    };
    content.split(|b| *b == b'\n').any(begins)
}

/// `#!/usr/bin/env python3` and the like.
fn by_first_line(content: &[u8]) -> Option<&'static Language> {
    let first = |l: &&Language| l.first_lines.iter().any(|begin| content.starts_with(begin.as_bytes()));
    let Some(line) = content.strip_prefix(b"#!") else { return LANGUAGES.iter().copied().find(first) };
    let line = line.split(|&b| b == b'\n').next()?;
    let line = std::str::from_utf8(&line[..line.len().min(200)]).ok()?;
    let program = line
        .split_whitespace()
        .map(|w| w.rsplit('/').next().unwrap_or(w))
        .find(|w| *w != "env" && !w.starts_with('-'))?;
    let program = program.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.');
    LANGUAGES.iter().copied().find(|l| l.interpreters.contains(&program))
}
