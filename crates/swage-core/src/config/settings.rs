//! The settings of `swage.toml` besides rules.

use std::collections::BTreeMap;

use crate::rule::{PathSet, Severity};
use crate::scan::Limits;

/// What `swage.toml` says besides its rules.
#[derive(Debug, Clone, Default)]
pub struct Config {
    /// The branch that changes want to enter.
    pub target: Option<String>,
    /// The packs that are switched on, each with its byte offset in the file; `None` when the file doesn't say.
    pub packs: Option<Vec<(String, usize)>>,
    /// Limits on what is examined.
    pub limits: Limits,
    /// Files that a program makes; `None` stands for those that are usually called so.
    pub generated: Option<PathSet>,
    /// Names that are defined outside of what can be seen, by language.
    pub globals: BTreeMap<String, Vec<String>>,
    /// What the gate demands.
    pub policy: Policy,
    /// Who is asked about findings.
    pub advisor: Option<NamedProgram>,
    /// The commands that the merged tree must pass, by name, in the order of their names.
    pub checks: Vec<(String, NamedProgram)>,
}

/// A program that the project names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedProgram {
    /// The program and its arguments; no shell is between. A program with `/` lies in the target's tree.
    pub command: Vec<String>,
    /// Most seconds that it may take.
    pub seconds: u64,
}

/// What the gate says to a submodule that a change adds or moves to another commit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Submodules {
    /// It is named and may pass.
    Allow,
    /// It fails.
    Refuse,
}

/// What the gate demands. `None` stands for no limit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Policy {
    /// Most new findings, by [`Severity`].
    pub new: [Option<u64>; 3],
    /// Most measures that got worse.
    pub worse: Option<u64>,
    /// Most findings that comments of a change may suppress, by [`Severity`].
    pub suppressions: [Option<u64>; 3],
    /// Whether a change may move submodules to other commits, whose content isn't examined.
    pub submodules: Submodules,
    /// Whether the total may rise above the baseline.
    pub above_baseline: bool,
    /// Most files in a change.
    pub files: Option<u64>,
    /// Most added and removed lines in a change.
    pub lines: Option<u64>,
    /// Whether a `[gate]` table said so, rather than the default.
    pub configured: bool,
}

impl Policy {
    /// Demands nothing but that comments of a change suppress no errors.
    pub fn open() -> Self {
        Self {
            new: [None; 3],
            worse: None,
            suppressions: [Some(0), None, None],
            submodules: Submodules::Allow,
            above_baseline: true,
            files: None,
            lines: None,
            configured: false,
        }
    }

    /// Most new findings of a severity.
    pub fn new_limit(&self, severity: Severity) -> Option<u64> {
        self.new[severity as usize]
    }
}

impl Default for Policy {
    /// No new errors, and no measure that got worse.
    fn default() -> Self {
        Self { new: [Some(0), None, None], worse: Some(0), ..Self::open() }
    }
}
