//! How many findings there are.

use serde::Serialize;

use crate::baseline::State;
use crate::rule::Severity;

/// How many findings there are of each state and severity; those that a comment allows and advice aren't counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Counts([[u64; 3]; 4]);

impl Counts {
    /// Counts findings by what each is.
    pub fn of(findings: impl Iterator<Item = (State, Severity)>) -> Self {
        let mut counts = Self::default();
        findings.for_each(|(state, severity)| counts.0[state as usize][severity as usize] += 1);
        counts
    }

    /// How many of a state and severity.
    pub fn get(&self, state: State, severity: Severity) -> u64 {
        self.0[state as usize][severity as usize]
    }

    /// How many of a state.
    pub fn state(&self, state: State) -> u64 {
        self.0[state as usize].iter().sum()
    }

    /// All at the head.
    pub fn head(&self) -> u64 {
        self.state(State::New) + self.state(State::Updated) + self.state(State::Unchanged)
    }

    /// All at the base.
    pub fn base(&self) -> u64 {
        self.state(State::Absent) + self.state(State::Updated) + self.state(State::Unchanged)
    }
}

/// Findings in short.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct FindingCounts {
    /// New ones by severity: errors, warnings, notes.
    pub new: [u64; 3],
    /// Fixed ones.
    pub fixed: u64,
    /// Measures that grew.
    pub worse: u64,
    /// Measures that shrank and are still over their limit.
    pub improved: u64,
    /// Those that were there before and still are.
    pub unchanged: u64,
}
