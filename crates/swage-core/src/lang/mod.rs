//! The languages that Swage reads, one small file each.
//!
//! A [`Language`] is a table: its grammar, how its files are recognised, and which of the grammar's node kinds are comments,
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

mod definitions;
mod misread;
mod parse;
mod quoting;
#[cfg_attr(not(feature = "languages"), allow(dead_code, reason = "some of it only languages have that are left out"))]
mod spec;
mod tables;

use std::fmt;
use std::ops::Deref;
use std::sync::OnceLock;

pub use definitions::Role;
pub(crate) use misread::{TEXTS, lines_before_name};
pub(crate) use parse::{DEEPEST, nests_too_deep, parse, parse_again, parse_part, with_parser};
pub(crate) use quoting::unquoted;
#[cfg(any(feature = "kotlin", feature = "scala", feature = "swift"))]
use quoting::without_backticks;
#[cfg_attr(
    not(feature = "languages"),
    allow(unused_imports, reason = "only languages that are left out use them")
)]
pub(crate) use spec::{
    Arguments, Blanks, CodeLanguage, Embedded, Indirect, Inner, Items, Keyed, Listed, TestMark, Tokens, Translation,
};
pub use spec::{Class, Spec};
pub use tables::Tables;
pub(crate) use tables::{Relevance, interest};

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

    /// The language of a file, recognised by its name or else by its `#!` line.
    pub fn of(path: &[u8], content: &[u8]) -> Option<&'static Language> {
        let name = path.rsplit(|&b| b == b'/').next().unwrap_or(path);
        let extension = name.rsplit(|&b| b == b'.').next().filter(|e| e.len() < name.len());
        let named = |same: fn(&[u8], &[u8]) -> bool| {
            LANGUAGES.iter().copied().find(|l| {
                l.file_names.iter().any(|n| n.as_bytes() == name)
                    || extension.is_some_and(|e| l.extensions.iter().any(|x| same(x.as_bytes(), e)))
            })
        };
        // Case distinguishes `.c` from `.C`, and nothing else.
        let by_name = named(|a, b| a == b).or_else(|| named(<[u8]>::eq_ignore_ascii_case));
        match by_name {
            Some(found) if found.name == "c" && extension == Some(b"h") && is_cpp(content) => {
                Self::by_name("cpp").or(by_name)
            }
            // Files of translations have the same ending.
            Some(found) if found.name == "typescript" && content.starts_with(b"<?xml") => None,
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

    /// Its place among [`LANGUAGES`].
    pub(crate) fn index(&'static self) -> usize {
        LANGUAGES.iter().position(|known| std::ptr::eq(*known, self)).unwrap_or(0)
    }

    /// Whether a word is part of the language's own vocabulary rather than a name that people give.
    pub fn is_keyword(&self, word: &str) -> bool {
        let vocabulary = self.tables().vocabulary();
        let known = |word: &str| word.len() > 1 && vocabulary.contains(word);
        if self.keywords_in_any_case { known(&word.to_ascii_lowercase()) } else { known(word) }
    }

    /// The grammar and the kinds by id.
    pub fn tables(&self) -> &Tables {
        self.tables.get_or_init(|| Tables::of(&self.spec))
    }

    /// All node kinds that the table names, for the test that they exist.
    pub fn kinds(&self) -> impl Iterator<Item = &'static str> {
        self.classes
            .iter()
            .flat_map(|(_, kinds)| kinds.iter().copied())
            .chain(self.code_signs.iter().copied())
            .chain(self.not_parameters.iter().copied())
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
