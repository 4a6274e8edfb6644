//! The rules that ship with Swage, in packs that a project switches on by name.

use std::sync::{Arc, OnceLock};

use crate::rule::{Problem, Rule, read_rules};

/// A set of rules that ships with Swage.
#[derive(Debug)]
pub struct Pack {
    /// The name that `packs` lists.
    pub name: &'static str,
    /// What it looks for, in a line.
    pub title: &'static str,
    source: &'static str,
    rules: OnceLock<Vec<Arc<Rule>>>,
}

/// Rules on allowances in comments; they are always on.
pub static ALLOWANCES: Pack = Pack {
    name: "allowances",
    title: "Allowances in comments that give no reason or allow nothing",
    source: include_str!("allowances.toml"),
    rules: OnceLock::new(),
};

/// All packs that a project can switch on and off.
pub static PACKS: [Pack; 2] = [
    Pack {
        name: "leftovers",
        title: "What was put in to try something and forgotten",
        source: include_str!("leftovers.toml"),
        rules: OnceLock::new(),
    },
    Pack {
        name: "robustness",
        title: "Failures that are swallowed, ignored or waiting to happen",
        source: include_str!("robustness.toml"),
        rules: OnceLock::new(),
    },
];

impl Pack {
    /// The pack's rules.
    pub fn rules(&self) -> &[Arc<Rule>] {
        // A mistake in a pack fails the test of all packs, so it can't reach a user.
        self.rules.get_or_init(|| self.read().unwrap_or_default().into_iter().map(Arc::new).collect())
    }

    /// Reads the pack anew.
    ///
    /// # Errors
    /// The mistakes in it; there are none in a release.
    pub fn read(&self) -> Result<Vec<Rule>, Vec<Problem>> {
        let origin = format!("pack {}", self.name);
        read_rules(&origin, self.source, false).map(|file| file.rules.into_iter().map(|(rule, _)| rule).collect())
    }
}
