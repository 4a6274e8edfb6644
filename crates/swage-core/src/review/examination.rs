//! What an examination needs, and what it reports while it works.

use crate::checker::Reported;
use crate::ids::RuleId;
use crate::rule::RuleSet;
use crate::scan::{Cache, Limits};
use crate::sides::Sides;

/// What an examination needs apart from the change.
pub struct Examination<'a> {
    /// The rules.
    pub rules: &'a RuleSet,
    /// The limits.
    pub limits: &'a Limits,
    /// Where results are kept.
    pub cache: &'a dyn Cache,
    /// What outside programs found.
    pub reports: &'a [CheckerReport],
    /// Whether the fixes of new findings are tried.
    pub fixes: Fixes,
    /// Is given every step, from any thread.
    pub progress: &'a (dyn Fn(Progress) + Sync),
}

/// What becomes of the fixes that rules propose for new findings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fixes {
    /// Each is tried, which takes a scan of its file, and offered with the result.
    Tried,
    /// They are ignored.
    LeftAside,
}

/// A step of an examination. Files are named by their index in the change or the tree that is examined.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Progress {
    /// Work on a file began, on the thread that reports it.
    Started {
        /// The file.
        index: usize,
    },
    /// It ended, on the same thread.
    Finished {
        /// The file.
        index: usize,
        /// How many bytes both sides of it have, as far as they were read.
        bytes: u64,
    },
}

/// What an outside program found on both sides of a change.
#[derive(Debug, Clone)]
pub struct CheckerReport {
    /// The rule that it finds for.
    pub rule: RuleId,
    /// What it found; or why it can't be known.
    pub found: Sides<Result<Vec<Reported>, String>>,
}

/// Why a path isn't examined, and whether rules wanted what is there.
pub(super) type WhyNot = (String, bool);
