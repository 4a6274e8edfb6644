//! What didn't match once and isn't tried again, where several holes of a pattern take runs of nodes.

use std::collections::HashSet;
use std::ops::Range;

use super::PatternNode;

/// Whether a pattern takes any number of nodes.
pub(super) fn is_run(pattern: &PatternNode) -> bool {
    matches!(pattern, PatternNode::Many(_))
}

/// How many nodes patterns take at least.
pub(super) fn least(patterns: &[PatternNode]) -> usize {
    patterns.iter().filter(|pattern| !is_run(pattern)).count()
}

/// How many patterns and nodes are left, and what the holes of those patterns have taken.
pub(super) type State = (usize, usize, Vec<Option<Range<usize>>>);

/// The rests of a list that are known not to match.
pub(super) struct Failures {
    /// The holes in the last patterns of the list, by how many those are; empty where one run at most is to be found,
    /// since nothing is tried twice there.
    holes: Vec<Vec<usize>>,
    /// Those that were tried.
    pub seen: HashSet<State>,
}

impl Failures {
    /// Nothing has failed yet.
    pub fn of(patterns: &[PatternNode]) -> Self {
        let runs = patterns.iter().filter(|pattern| is_run(pattern)).count();
        let mut holes = Vec::new();
        if runs > 1 {
            let mut used = Vec::new();
            holes.push(used.clone());
            for pattern in patterns.iter().rev() {
                pattern.holes(&mut used);
                holes.push(used.clone());
            }
        }
        Self { holes, seen: HashSet::new() }
    }

    /// What is left to match, if the same may be tried again.
    pub fn state(&self, patterns: usize, nodes: usize, bound: &[Option<Range<usize>>]) -> Option<State> {
        let holes = self.holes.get(patterns)?;
        Some((patterns, nodes, holes.iter().map(|hole| bound[*hole].clone()).collect()))
    }
}
