//! Which findings of a change are meant.

use std::collections::BTreeSet;
use std::path::Path;

use swage_core::baseline::State;
use swage_core::review::{Finding, Fixes, Review};
use swage_core::rule::PathSet;
use swage_core::sides::Side;
use swage_git::FolderTree;

use crate::checkers::Outside;
use crate::cli::{ChangeArgs, FindingArgs};
use crate::commands::{cache, examine_change, or_none, watched_scan};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::source::{Workspace, with_change};

/// Findings as they were chosen.
pub struct Wanted<'a> {
    args: &'a FindingArgs,
    paths: Option<PathSet>,
}

impl FindingArgs {
    /// What was typed, with its path patterns compiled.
    pub fn wanted(&self) -> Result<Wanted<'_>, Failure> {
        Ok(Wanted { args: self, paths: compiled(&self.path)? })
    }
}

/// Path patterns as they were typed, compiled; `None` when there are none.
pub fn compiled(patterns: &[String]) -> Result<Option<PathSet>, Failure> {
    let paths = (!patterns.is_empty()).then(|| PathSet::new(patterns.to_vec())).transpose();
    paths.map_err(|wrong| {
        let (index, why) = &wrong[0];
        Failure::wrong(format!("`{}` is no path pattern: {why}", patterns[*index]))
            .hint("`*` matches anything but `/`, `**` any folders, `{a,b}` either.")
    })
}

impl Wanted<'_> {
    /// Whether a finding is among them: it is in a file after the change, nothing suppresses it, and it is new unless all are
    /// meant or its key is named.
    pub fn wants(&self, f: &Finding) -> bool {
        let args = self.args;
        let named = args.key.iter().any(|key| f.key.starts_with(key.as_str()));
        f.is_open()
            && f.anchor.as_ref().is_none_or(|a| a.side == Side::New)
            && (f.counts_against_change() || (args.all || named) && f.state != State::Absent)
            && (args.key.is_empty() || named)
            && (args.rule.is_empty() || args.rule.iter().any(|id| f.rule == *id))
            && self.paths.as_ref().is_none_or(|set| f.path().is_some_and(|path| set.has(path.text.as_bytes())))
    }

    /// Whether the keys and rules that were typed are there in a review.
    ///
    /// # Errors
    /// When one isn't: nothing would be done, and that would look as if there were nothing to do.
    pub fn are_in(&self, review: &Review) -> Result<(), Failure> {
        are_rules_of(&self.args.rule, review)?;
        for key in &self.args.key {
            if !review.findings.iter().any(|f| f.key.starts_with(key.as_str())) {
                return Err(Failure::wrong(format!("no finding of this change has the key {key}"))
                    .hint("`swage review --all` lists the findings with their keys."));
            }
        }
        Ok(())
    }
}

/// Whether rules that were named are among those of a review.
///
/// # Errors
/// When one isn't.
pub fn are_rules_of(named: &[String], review: &Review) -> Result<(), Failure> {
    let found = review.findings.iter().map(|f| f.rule.as_str());
    let idle = review.not_run.iter().map(|(id, _)| id.as_str());
    let known: BTreeSet<&str> = review.rules.iter().map(|rule| rule.id.as_str()).chain(found).chain(idle).collect();
    match named.iter().find(|id| !known.contains(id.as_str())) {
        Some(id) if review.rule_count > 0 => Err(Failure::no_rule(id, known)),
        _ => Ok(()),
    }
}

/// The findings of the change that is at hand; those of the whole working tree when none of them has the key. Decisions are left
/// aside: what is settled can be asked for, and settled again.
pub fn reviewed(
    workspace: &Workspace,
    key: &str,
    target: Option<&str>,
    config: Option<&Path>,
) -> Result<(Review, Configuration), Failure> {
    let mut configuration = Configuration::of_folder(&workspace.root, config)?;
    configuration.decisions.clear();
    let store = cache(workspace.repository.as_ref(), false);
    let outside = Outside::given(&[]);
    let change = ChangeArgs { target: target.map(str::to_owned), ..ChangeArgs::default() };
    let of_change = with_change(workspace, &change, &configuration, |change, contents| {
        examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::Tried)
    });
    let review = match of_change {
        Ok((Ok(review), _)) if review.findings.iter().any(|f| f.key.starts_with(key)) => review,
        Ok((Err(error), _)) => return Err(error),
        Ok(_) | Err(_) => {
            let tree = match &workspace.repository {
                Some(repository) => FolderTree::of_checkout(repository)?,
                None => FolderTree::of(&workspace.root).map_err(Failure::unfinished)?,
            };
            watched_scan(&tree, None, &configuration, or_none(store.as_ref()), &[])
        }
    };
    Ok((review, configuration))
}

/// The one finding with a key that begins so.
pub fn found<'r>(review: &'r Review, key: &str) -> Result<&'r Finding, Failure> {
    let mut all = review.findings.iter().filter(|f| f.key.starts_with(key));
    match (all.next(), all.next()) {
        (Some(finding), None) => Ok(finding),
        (Some(_), Some(_)) => Err(Failure::wrong(format!("several findings have keys that begin with {key}"))
            .hint("Give more digits of the key.")),
        (None, _) => Err(Failure::wrong(format!("no finding has the key {key}"))
            .hint("`swage review --all` and `swage scan` list findings with their keys.")),
    }
}
