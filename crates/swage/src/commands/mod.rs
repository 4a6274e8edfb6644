//! One file a command. Each reads like the story of its command: gather, compute, present.

mod brief;
mod close;
mod compare;
mod demo;
mod explain;
mod fix;
mod gate;
mod handoff;
mod host;
mod inbox;
mod init;
mod man;
mod merge;
mod post;
mod propose;
mod review;
mod reviewers;
mod rules;
mod say;
mod scan;
mod settle;
mod show;
mod stance;
mod step;
mod trend;
mod try_proposal;

use std::process::ExitCode;
use std::time::Instant;

use swage_core::baseline::State;
use swage_core::change::{Change, Content, Contents, Tree};
use swage_core::ids::CommitId;
use swage_core::review::{CheckerReport, Examination, Finding, Fixes, Review, examine, scan_tree};
use swage_core::rule::is_rule_file;
use swage_core::scan::{Cache, NoCache};
use swage_core::sides::Sides;
use swage_git::Repository;
use swage_host::StanceWord;
use swage_store::Store;

use crate::checkers::Outside;
use crate::cli::{Cli, Command};
use crate::configuration::Configuration;
use crate::decisions::settle;
use crate::failure::Failure;
use crate::progress::Watch;

pub use gate::judge;
pub use trend::TrendRow;

/// Runs the command that was typed.
pub fn run(cli: Cli) -> Result<ExitCode, Failure> {
    match cli.command {
        Command::Review(args) => review::run(&args),
        Command::Gate(args) => gate::run(&args),
        Command::Compare(args) => compare::run(&args),
        Command::Scan(args) => scan::run(&args),
        Command::Fix(args) => fix::run(&args),
        Command::Post(args) => post::run(&args),
        Command::Explain(args) => explain::run(&args),
        Command::Brief(args) => brief::run(&args),
        Command::Handoff(args) => handoff::run(&args),
        Command::Trend(args) => trend::run(&args),
        Command::Step(args) => step::run(&args),
        Command::Settle(args) => settle::run(&args),
        Command::Rules { command } => rules::run(&command),
        Command::Host { command } => host::run(&command),
        Command::Propose(args) => propose::run(&args),
        Command::Inbox(args) => inbox::run(&args),
        Command::Show(args) => show::run(&args),
        Command::Say(args) => say::run(&args),
        Command::Approve(args) => stance::run(&args, StanceWord::Approve),
        Command::Object(args) => stance::run(&args, StanceWord::Object),
        Command::Close(args) => close::run(&args),
        Command::Reviewers(args) => reviewers::run(&args),
        Command::Try(args) => try_proposal::run(&args),
        Command::Merge(args) => merge::run(&args),
        Command::Init(args) => init::run(&args),
        Command::Demo(args) => demo::run(&args),
        Command::Completions { shell } => {
            let script = crate::complete::script(shell)
                .ok_or_else(|| Failure::unfinished(format!("there are no completions for {shell}")))?;
            crate::output::print(&script)?;
            Ok(ExitCode::SUCCESS)
        }
        Command::Man { folder } => man::run(&folder),
    }
}

/// The cache of a repository, unless it is unwanted or can't be had.
pub fn cache(repository: Option<&Repository>, unwanted: bool) -> Option<Store> {
    let repository = repository.filter(|_| !unwanted)?;
    Store::open(&repository.common_dir().join("swage").join("cache.db"))
}

/// Examines a change with a configuration's rules.
pub fn examine_change(
    change: &Change,
    contents: &dyn Contents,
    configuration: &Configuration,
    store: Option<&Store>,
    outside: &Outside<'_>,
    fixes: Fixes,
) -> Result<Review, Failure> {
    let start = Instant::now();
    let reports = outside.of_change(change, contents, &configuration.rules)?;
    tracing::debug!(programs = reports.len(), took = ?start.elapsed(), "outside programs");
    let file = |index: usize| (change.files[index].new_path.clone(), contents.sides(index).new);
    let examine = |with: &Examination<'_>| examine(change, contents, with);
    let mut review = watched(change.files.len(), configuration, or_none(store), (&reports, fixes), &file, examine);
    settle(&mut review, &configuration.decisions);
    for file in review.files.iter().filter(|f| !f.skipped_by.is_empty()) {
        let rules: Vec<String> = file.skipped_by.iter().map(|(rule, why)| format!("{rule} ({why})")).collect();
        tracing::debug!(file = %file.new_path, "skipped by {}", rules.join(", "));
    }
    if let Some(store) = store {
        store.save();
    }
    review.rules_from.clone_from(&configuration.from);
    review.notes.extend(configuration.notes.iter().cloned());
    note_rule_changes(&mut review);
    Ok(review)
}

/// Scans a tree with a configuration's rules.
pub fn watched_scan(
    tree: &dyn Tree,
    commit: Option<&CommitId>,
    configuration: &Configuration,
    cache: &dyn Cache,
    reports: &[CheckerReport],
) -> Review {
    let file = |index: usize| (tree.files()[index].path.clone(), tree.content(index));
    let mut review = watched(tree.files().len(), configuration, cache, (reports, Fixes::LeftAside), &file, |with| {
        scan_tree(tree, commit, with)
    });
    settle(&mut review, &configuration.decisions);
    review
}

/// Examines files with a configuration's rules, with a bar and a log of what took the time. `file` gives a file's path and
/// content by its index.
fn watched(
    files: usize,
    configuration: &Configuration,
    cache: &dyn Cache,
    (reports, fixes): (&[CheckerReport], Fixes),
    file: &dyn Fn(usize) -> (Vec<u8>, Content),
    examine: impl FnOnce(&Examination<'_>) -> Review,
) -> Review {
    let watch = Watch::new(files, cache);
    let with = Examination {
        rules: &configuration.rules,
        limits: &configuration.config.limits,
        cache: &watch,
        reports,
        fixes,
        progress: &|step| watch.see(step),
    };
    let review = examine(&with);
    watch.finish(&with, file);
    review
}

/// The store as a cache, or one that keeps nothing.
pub fn or_none(store: Option<&Store>) -> &dyn Cache {
    store.map_or(&NoCache, |store| store)
}

/// Counts the findings of the whole tree before a change, by scanning it, and after it, by what the change does. What outside
/// programs find is left out: they aren't run once more for that.
pub fn add_totals(review: &mut Review, base: &dyn Tree, configuration: &Configuration, store: Option<&Store>) {
    let before = watched_scan(base, None, configuration, or_none(store), &[]).counts().state(State::New);
    if let Some(store) = store {
        store.save();
    }
    let counted = |f: &&Finding| {
        let by_program = configuration.rules.get(&f.rule).is_some_and(|rule| rule.checker().is_some());
        f.is_counted() && !f.about_change && !by_program
    };
    let of = |state: State| review.findings.iter().filter(|f| counted(f) && f.state == state).count() as u64;
    let after = (before + of(State::New)).saturating_sub(of(State::Absent));
    review.totals = Some(Sides { old: before, new: after });
}

/// A change to the rules themselves is pointed out: it counts only once it is merged.
fn note_rule_changes(review: &mut Review) {
    let touched: Vec<&str> = review
        .files
        .iter()
        .flat_map(|f| [f.old_path.text.as_str(), f.new_path.text.as_str()])
        .filter(|p| is_rule_file(p.as_bytes()))
        .collect();
    let mut touched: Vec<String> = touched.into_iter().map(str::to_owned).collect();
    touched.sort();
    touched.dedup();
    if !touched.is_empty() {
        review.notes.push(format!(
            "This change alters the rules or the policy: {}. The gate judges it by those of the target.",
            touched.join(", ")
        ));
    }
}
