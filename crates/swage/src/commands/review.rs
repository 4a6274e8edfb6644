//! `swage review`: a change and its findings.

use std::process::ExitCode;
use std::sync::Arc;

use swage_core::review::{Examination, Finding, Fixes, Review, scan_tree};
use swage_core::rule::{Rule, RuleSet, is_rule_file};
use swage_git::Repository;
use swage_store::Store;

use crate::checkers::Outside;
use crate::cli::ReviewArgs;
use crate::configuration::Configuration;
use crate::failure::{Failure, SAYS_NO};
use crate::history::{self, Record};
use crate::output::{Document, Purpose};
use crate::source::{Workspace, with_change};
use crate::target::find_target;
use crate::terminal;

pub fn run(args: &ReviewArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let configuration = Configuration::of_folder(&workspace.root, args.config.as_deref())?;
    let store = super::cache(workspace.repository.as_ref(), args.no_cache);
    let trusted =
        Configuration::of_trusted(workspace.repository.as_ref(), args.change.target.as_deref(), &configuration);
    let outside = Outside::of_target(workspace.repository.as_ref(), &trusted, &args.outside.checker_results)?;
    let (review, notes) = with_change(&workspace, &args.change, &configuration, |change, contents| {
        let review = super::examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::Tried)?;
        let page = args.output.page(&change, contents, &review, &configuration);
        Ok::<_, Failure>((review, page))
    })?;
    let (mut review, page) = review?;
    review.notes.extend(notes);
    if let Some(repository) = &workspace.repository {
        let target = args.change.target.as_deref();
        review.notes.extend(old_findings(&review, &configuration, (repository, target), store.as_ref()));
    }
    review.notes.extend(workspace.repository.iter().flat_map(|r| r.ambiguous_names()));
    if let Some(repository) = workspace.repository.as_ref().filter(|_| !args.no_cache) {
        let branch = history::branch_of(repository, &args.change);
        let (command, rules) = ("review", &configuration.rules);
        Record { command, review: &review, verdict: None, rules, branch }.leave(repository);
    }
    args.output.write(&Document {
        show_all: args.all,
        page: page.as_ref(),
        root: Some(args.change.tree.as_deref().unwrap_or(&workspace.root)),
        ..Document::new(Purpose::Review, &review)
    })?;
    let grave = args.fail_on.map(|least| least.severity());
    let counts = |f: &&Finding| f.counts_against_change() && !f.is_advisory() && grave.is_some_and(|g| f.severity <= g);
    Ok(if review.findings.iter().any(|f| counts(&f)) { ExitCode::from(SAYS_NO) } else { ExitCode::SUCCESS })
}

/// How many places that were there before the change each rule finds that the change introduces: nobody is blamed for them.
fn old_findings(
    review: &Review,
    configuration: &Configuration,
    (repository, target): (&Repository, Option<&str>),
    store: Option<&Store>,
) -> Vec<String> {
    let touches_rules = review.files.iter().any(|f| is_rule_file(f.new_path.text.as_bytes()));
    let (true, Some(base)) = (touches_rules, &review.base) else {
        return Vec::new();
    };
    // Where the target can't be had or read, the review says so elsewhere.
    let theirs = find_target(repository, target).and_then(|target| Configuration::of_target(repository, &target));
    let (Ok(theirs), Ok(tree)) = (theirs, repository.files(base)) else { return Vec::new() };
    let is_new = |rule: &&Arc<Rule>| theirs.rules.get(&rule.id).is_none() && rule.checker().is_none();
    let rules = RuleSet::new(configuration.rules.rules().iter().filter(is_new).cloned().collect());
    if rules.rules().is_empty() {
        return Vec::new();
    }
    let (limits, cache) = (&configuration.config.limits, super::or_none(store));
    let with = Examination { rules: &rules, limits, cache, reports: &[], fixes: Fixes::LeftAside, progress: &|_| () };
    let found = scan_tree(&tree, Some(base), &with).findings;
    let rendered = rules.rules().iter().filter_map(|rule| {
        let count = found.iter().filter(|f| f.rule == rule.id && f.is_counted()).count();
        let exist = if count == 1 { "exists on the target and doesn't" } else { "exist on the target and don't" };
        (count > 0).then(|| {
            let findings = terminal::count(count, "finding");
            format!("The rule `{}` is new: {findings} {exist} count against this change.", rule.id)
        })
    });
    rendered.collect()
}
