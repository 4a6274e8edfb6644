//! The rules that ship with Swage, in packs that a project switches on by name.

use std::sync::{Arc, OnceLock};

use crate::config::file::{FileRole, RuleFile, read_rules, read_shipped};
use crate::rule::{Problem, Rule};

/// A set of rules that ships with Swage.
#[derive(Debug)]
pub struct Pack {
    /// The name that `packs` lists.
    pub name: &'static str,
    /// What it looks for, in a line.
    pub title: &'static str,
    /// Whether it is on where no configuration says which packs are.
    pub is_default: bool,

    source: &'static str,
    rules: OnceLock<Vec<Arc<Rule>>>,
}

/// Rules on what would keep a change from being judged; they are always on.
pub static INTEGRITY: Pack =
    Pack::new("integrity", "What would keep a change from being judged", true, include_str!("integrity.toml"));

/// All packs that a project can switch on and off.
pub static PACKS: [Pack; 15] = [
    Pack::new("blockers", "What must never be merged", true, include_str!("blockers.toml")),
    Pack::new("robustness", "Failures that are waiting to happen", true, include_str!("robustness.toml")),
    Pack::new("logic", "Conditions and statements that can't do what they say", true, include_str!("logic.toml")),
    Pack::new("resources", "What is taken and not given back on every path", false, include_str!("resources.toml")),
    Pack::new("changes", "What is wrong with a change rather than with its code", false, include_str!("changes.toml")),
    Pack::new("data", "Data that everybody can read, write or guess", false, include_str!("data.toml")),
    Pack::new("docs", "Public definitions without documentation", false, include_str!("docs.toml")),
    Pack::new("leftovers", "What was put in to try something and forgotten", false, include_str!("leftovers.toml")),
    Pack::new("links", "What doesn't fit together across files", false, include_str!("links.toml")),
    Pack::new("names", "Names at odds with their definitions", false, include_str!("names.toml")),
    Pack::new("secrets", "Secrets that every reader of the code can use", false, include_str!("secrets.toml")),
    Pack::new("sizes", "Definitions that have grown too large", false, include_str!("sizes.toml")),
    Pack::new("smells", "Conditions that decide nothing", false, include_str!("smells.toml")),
    Pack::new("tests", "Tests that prove nothing", false, include_str!("tests.toml")),
    Pack::new("web", "Pages that not everybody can use", false, include_str!("web.toml")),
];

/// The pack that has a rule of this id, whether it is on or not.
pub fn pack_of(id: &str) -> Option<&'static Pack> {
    PACKS.iter().find(|pack| pack.rules().iter().any(|rule| rule.id == id))
}

impl Pack {
    const fn new(name: &'static str, title: &'static str, is_default: bool, source: &'static str) -> Self {
        Self { name, title, is_default, source, rules: OnceLock::new() }
    }

    /// Whether its rules skip files that a program makes: a secret is one there, too, and what is wrong with a
    /// change is so wherever it is.
    fn skips_generated(&self) -> bool {
        !["integrity", "changes", "secrets"].contains(&self.name)
    }

    /// The pack's rules.
    pub fn rules(&self) -> &[Arc<Rule>] {
        // A mistake in a pack fails the test of all packs, so it can't reach a user.
        let read = || read_shipped(&self.origin(), self.source).unwrap_or_default();
        self.rules.get_or_init(|| self.made_of(read()).into_iter().map(Arc::new).collect())
    }

    fn origin(&self) -> String {
        format!("pack {}", self.name)
    }

    fn made_of(&self, file: RuleFile) -> Vec<Rule> {
        file.rules.into_iter().map(|(rule, _)| rule.skipping_generated(self.skips_generated())).collect()
    }

    /// Reads the pack again, and compiles its patterns for all of their languages.
    ///
    /// # Errors
    /// The mistakes in it; there are none in a release.
    pub fn read(&self) -> Result<Vec<Rule>, Vec<Problem>> {
        Ok(self.made_of(read_rules(&self.origin(), self.source, FileRole::Rules)?))
    }
}
