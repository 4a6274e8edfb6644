//! Which findings of a change are meant.

use swage_core::baseline::State;
use swage_core::review::{Finding, Review, Side};
use swage_core::rule::PathSet;

use crate::cli::FindingArgs;
use crate::failure::Failure;

/// Findings as they were chosen.
pub struct Wanted<'a> {
    args: &'a FindingArgs,
    paths: Option<PathSet>,
}

impl FindingArgs {
    /// What was typed, with its path patterns compiled.
    pub fn wanted(&self) -> Result<Wanted<'_>, Failure> {
        let paths = (!self.path.is_empty()).then(|| PathSet::new(self.path.clone())).transpose().map_err(|wrong| {
            let (index, why) = &wrong[0];
            Failure::wrong(format!("`{}` is no path pattern: {why}", self.path[*index]))
                .hint("`*` matches anything but `/`, `**` any folders, `{a,b}` either.")
        })?;
        Ok(Wanted { args: self, paths })
    }
}

impl Wanted<'_> {
    /// Whether a finding is among them: it stands in a file after the change, nothing lets it be, and it is new unless all are
    /// meant or its key is named.
    pub fn wants(&self, f: &Finding) -> bool {
        let args = self.args;
        let named = args.key.iter().any(|key| f.key.starts_with(key.as_str()));
        f.is_open()
            && f.anchor.as_ref().is_none_or(|a| a.side == Side::New)
            && (f.counts_against_change() || (args.all || named) && f.state != State::Absent)
            && (args.key.is_empty() || named)
            && (args.rule.is_empty() || args.rule.contains(&f.rule))
            && self.paths.as_ref().is_none_or(|set| f.path().is_some_and(|path| set.has(path.text.as_bytes())))
    }

    /// A key that names nothing is a mistake of whoever typed it.
    pub fn check_keys(&self, review: &Review) -> Result<(), Failure> {
        for key in &self.args.key {
            if !review.findings.iter().any(|f| f.key.starts_with(key.as_str())) {
                return Err(Failure::wrong(format!("no finding of this change has the key {key}"))
                    .hint("`swage review --all` lists the findings with their keys."));
            }
        }
        Ok(())
    }
}
