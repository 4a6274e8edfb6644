//! `names`: names that are at odds with their definitions, or in one of their roles.
//!
//! Names are judged by scopes where the language's scopes are known (`names = "undefined"` and its kin), and by the role
//! of their node everywhere else. The first takes a file that parses whole: in one that doesn't, a definition may be in
//! what was skipped.

use std::sync::Arc;

use regex::bytes::Regex;
use tree_sitter::Node;

use super::plan::Gather;
use super::{
    Compiled, Extent, FileFinder, Gathered, Languages, Match, Matcher, OnMatch, ParsedFile, Plan, Reader, TooMany,
    limit_languages,
};
use crate::lang::{Language, Role};
use crate::pattern::PatternError;
use crate::rule::keys::{Holds, Key, words};
use crate::rule::problem::Problems;
use crate::rule::table::Table;
use crate::rule::values::{one_of, regex};
use crate::scope::{NameFault, in_role};

pub(super) const READER: Reader = Reader {
    keys: &[
        Key::new(
            "names",
            Holds::OneOf(|| words(&Names::ALL)),
            "Names at odds with their definitions, or in one of their roles.",
        ),
        Key::new("name", Holds::String, "What the name must match."),
        Key::new("globals", Holds::Strings, "Names that are defined outside of what can be seen."),
        Key::new(
            "skip_unloadable",
            Holds::Flag,
            "Beside `undefined`: skip files that can't be loaded without such a name.",
        ),
    ],
    read,
};

/// Names, by the scopes of the language or by where they are.
#[derive(Debug)]
struct NameMatch {
    /// Which of them.
    which: Names,
    /// What the name must match.
    name: Option<Regex>,
    /// Names that are defined outside of what can be seen.
    globals: Vec<String>,
}

/// Which names are looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Names {
    /// Those with a fault.
    Faulty(NameFault),
    /// Of functions and classes, where those are defined.
    Defined,
    /// Wherever they refer to something.
    Used,
}

impl Names {
    /// All, with the words that rules use for them.
    const ALL: [(&'static str, Names); 5] = [
        ("undefined", Names::Faulty(NameFault::Undefined)),
        ("defined-twice", Names::Faulty(NameFault::DefinedTwice)),
        ("unused-import", Names::Faulty(NameFault::UnusedImport)),
        ("defined", Names::Defined),
        ("used", Names::Used),
    ];

    /// Whether names of a language can be found so.
    fn are_known_in(self, language: &Language) -> bool {
        match self {
            Names::Faulty(_) => language.has_scopes,
            Names::Defined | Names::Used => language.knows_roles(),
        }
    }
}

/// Reads which names are looked for; languages that don't know them are refused.
fn read(
    table: &mut Table<'_, '_>,
    languages: &mut Languages,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Arc<dyn Matcher>> {
    let word = table.required_string("names", name, p);
    let globals = table.strings("globals", p).unwrap_or_default().into_iter().map(|g| g.value).collect();
    let name = table.string("name", p).and_then(|name| regex(&name, p));
    let skips_unloadable = table.flag("skip_unloadable", p) == Some(true);
    let word = word?;
    // The word is needed for the refusal below, so its own mistake comes first.
    let mut which = one_of(&word, "kind of names", Names::ALL, p)?;
    if skips_unloadable && which == Names::Faulty(NameFault::Undefined) {
        which = Names::Faulty(NameFault::UndefinedOnUse);
    } else if skips_unloadable {
        let message = format!("`skip_unloadable` asks for undefined names, and not for `{}`", word.value);
        p.at(table.at, message, Some("take it out".to_owned()));
    }
    let refusal = |language: &Language| format!("`names = \"{}\"` isn't supported for {}", word.value, language.name);
    // In another language it would find nothing and say so nowhere.
    limit_languages(languages, |language| which.are_known_in(language), refusal, table.at, p);
    Some(Arc::new(NameMatch { which, name, globals }))
}

impl Matcher for NameMatch {
    fn captures(&self) -> Vec<&str> {
        vec!["name"]
    }

    fn extent(&self) -> Extent {
        Extent::File
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        let gather = match self.which {
            // Scopes are analysed on the one walk; roles are looked up afterwards.
            Names::Faulty(_) => Gather::Scopes,
            Names::Defined | Names::Used => Gather::Nothing,
        };
        Ok(language.map(|_| Compiled { plan: Plan::File { gather, finder: self }, words: Vec::new() }))
    }
}

impl FileFinder for NameMatch {
    fn find<'t>(&self, file: &ParsedFile<'t>, gathered: &Gathered<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        // The rule's own globals and those of the configuration.
        let is_global = |name: &str| self.globals.iter().any(|global| global == name) || (file.is_global)(name);
        let nodes: Vec<Node<'t>> = match self.which {
            Names::Defined => in_role(file.tree, file.language, Role::Defines),
            Names::Used => in_role(file.tree, file.language, Role::Refers),
            Names::Faulty(fault) => {
                gathered.scopes.as_ref().map(|scopes| scopes.with(fault, &is_global)).unwrap_or_default()
            }
        };
        for node in nodes {
            // The name is asked last: scopes give few nodes.
            if self.name.as_ref().is_none_or(|regex| regex.is_match(file.text(node))) {
                // The name is the finding's place, and what messages and links call `name`.
                let range = node.byte_range();
                found(node, Match { captures: vec![("name", range.clone())], ..Match::plain(range) });
            }
        }
        Ok(())
    }
}
