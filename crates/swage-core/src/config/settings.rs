//! The settings of `swage.toml` apart from rules.

use std::collections::BTreeMap;

use crate::rule::{PathSet, Severity};
use crate::scan::Limits;

/// What `swage.toml` says apart from its rules.
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
    /// Files that come from elsewhere and are kept in the tree; `None` stands for those that usually lie in such folders.
    pub vendored: Option<PathSet>,
    /// Names that are defined outside of what can be seen, by language.
    pub globals: BTreeMap<String, Vec<String>>,
    /// What the gate demands.
    pub policy: Policy,
    /// Who is asked about findings.
    pub advisor: Option<NamedProgram>,
    /// How reviews are posted.
    pub posting: Posting,
    /// Who owns what.
    pub owners: Owners,
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

/// How reviews are posted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Posting {
    /// Most threads that are opened at once.
    pub most_threads: u64,
    /// Whether a review without new findings says so in a thread of its own, rather than being silent.
    pub praise: bool,
    /// The program that `swage post --to command` speaks with.
    pub program: Option<NamedProgram>,
}

impl Default for Posting {
    /// At most fifty threads, and silence when there is nothing to say.
    fn default() -> Self {
        Self { most_threads: 50, praise: false, program: None }
    }
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
    /// What people and outside programs must have said.
    pub people: PeoplePolicy,
    /// Whether a `[gate]` table said so, rather than the default.
    pub configured: bool,
}

/// What people and outside programs must have said of a proposal. By default nothing.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PeoplePolicy {
    /// Least approvals of the newest revision, not counting the author's own.
    pub approvals: Option<u64>,
    /// Whether an owner of each touched path that has owners must approve.
    pub owners: bool,
    /// Most objections that may stand.
    pub objections: Option<u64>,
    /// Most open threads that ask for something to be done.
    pub todos: Option<u64>,
    /// Most open threads.
    pub open_threads: Option<u64>,
    /// Whether it must be offered as ready.
    pub ready: bool,
    /// Whether it must have a description.
    pub description: bool,
    /// Whether it must name a ticket.
    pub ticket: bool,
    /// Whether each acceptance point of its tickets must be spoken of or ticked.
    pub ticket_points: bool,
    /// Statuses that must have passed.
    pub statuses: Vec<String>,
    /// Whether changes to the rules and the policy need an owner's approval.
    pub rule_changes: bool,
    /// Whether errors that comments of the change suppress need an owner's approval.
    pub suppressed_errors: bool,
}

impl PeoplePolicy {
    /// Whether nothing is demanded.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}

/// Who owns which paths.
#[derive(Debug, Clone, Default)]
pub struct Owners {
    /// Paths and their owners; the last entry that has a path decides. Teams are resolved.
    pub entries: Vec<(PathSet, Vec<String>)>,
}

impl Owners {
    /// The owners of a path; none when nobody owns it.
    pub fn of(&self, path: &[u8]) -> &[String] {
        self.entries.iter().rev().find(|(paths, _)| paths.has(path)).map_or(&[], |(_, people)| people)
    }

    /// Everybody who owns anything.
    pub fn everybody(&self) -> Vec<String> {
        let mut all: Vec<String> = self.entries.iter().flat_map(|(_, people)| people.iter().cloned()).collect();
        all.sort();
        all.dedup();
        all
    }
}

impl Policy {
    /// Demands only that comments of a change suppress no errors.
    pub fn open() -> Self {
        Self {
            new: [None; 3],
            worse: None,
            suppressions: [Some(0), None, None],
            submodules: Submodules::Allow,
            above_baseline: true,
            files: None,
            lines: None,
            people: PeoplePolicy::default(),
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
