//! Running outside checkers in exports of the tree before the change and after it. Whatever goes wrong with one is a reason
//! why its rule couldn't run, never an empty report.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use swage_core::change::{Change, Contents, Tree};
use swage_core::checker::{Reported, read_report};
use swage_core::ids::RuleId;
use swage_core::review::CheckerReport;
use swage_core::rule::{Checker, ReportForm, RuleSet};
use swage_core::sides::{Side, Sides};
use swage_git::{CommitFiles, Repository, Target};
use tempfile::TempDir;

use crate::configuration::Configuration;
use crate::export::{export_side, export_tree};
use crate::failure::Failure;
use crate::orphans;
use crate::program::{self, Program, read_bounded};

/// A report that was given by hand: a rule's id, and the files for both sides, or for the one that there is.
#[derive(Debug, Clone)]
pub struct GivenReport {
    rule: RuleId,
    base: Option<PathBuf>,
    head: PathBuf,
}

impl std::str::FromStr for GivenReport {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let form = || "write RULE=BEFORE,AFTER with a result file for each side".to_owned();
        let (rule, files) = text.split_once('=').ok_or_else(form)?;
        let (base, head) = match files.split_once(',') {
            Some((base, head)) => (Some(PathBuf::from(base)), head),
            None => (None, files),
        };
        if rule.is_empty() || head.is_empty() || base.as_ref().is_some_and(|b| b.as_os_str().is_empty()) {
            return Err(form());
        }
        Ok(Self { rule: rule.into(), base, head: PathBuf::from(head) })
    }
}

/// Where programs and reports come from.
pub struct Outside<'a> {
    /// Whose commands may be run, or why nobody's.
    trusted: Result<Trusted<'a>, String>,
    /// Reports that were given by hand.
    given: &'a [GivenReport],
    /// What programs have found already, by rule and tree: the same tree isn't looked at twice.
    known: Known,
}

/// The results of programs by rule and tree.
type Known = Mutex<HashMap<(String, String), Result<Vec<Reported>, String>>>;

/// The target: its configuration says which commands are run, and programs that lie in the tree are taken from its tip.
struct Trusted<'a> {
    rules: &'a RuleSet,
    programs: CommitFiles<'a>,
}

/// The trees that programs run in.
enum Trees<'a> {
    Change(&'a Change, &'a dyn Contents),
    Tree(&'a dyn Tree),
}

impl<'a> Outside<'a> {
    /// Nothing may be run.
    pub fn given(given: &'a [GivenReport]) -> Self {
        let why = "commands are taken from the target only, and there is none here; give --checker-results";
        Self { trusted: Err(why.to_owned()), given, known: Known::default() }
    }

    /// What the target says may be run; without a repository nothing.
    pub fn of_target(
        repository: Option<&'a Repository>,
        target: &'a Result<Option<(Configuration, Target)>, Failure>,
        given: &'a [GivenReport],
    ) -> Result<Self, Failure> {
        let Some(repository) = repository else { return Ok(Self::given(given)) };
        match target {
            Ok(Some((configuration, target))) => Self::trusting(repository, configuration, &target.tip, given),
            Ok(None) => Ok(Self::given(given)),
            Err(failure) => {
                let why =
                    format!("commands are taken from the target only, and that can't be used: {}", failure.message());
                Ok(Self { trusted: Err(why), given, known: Known::default() })
            }
        }
    }

    /// What the configuration of the target at this tip says may be run.
    pub fn trusting(
        repository: &'a Repository,
        configuration: &'a Configuration,
        tip: &str,
        given: &'a [GivenReport],
    ) -> Result<Self, Failure> {
        let rules = &configuration.rules;
        if !rules.rules().iter().any(|rule| rule.checker().is_some()) {
            return Ok(Self::given(given));
        }
        Ok(Self { trusted: Ok(Trusted { rules, programs: repository.files(tip)? }), given, known: Known::default() })
    }

    /// What outside programs find on both sides of a change.
    pub fn of_change(
        &self,
        change: &Change,
        contents: &dyn Contents,
        rules: &RuleSet,
    ) -> Result<Vec<CheckerReport>, Failure> {
        self.reports(&Trees::Change(change, contents), rules)
    }

    /// What they find in a tree.
    pub fn of_tree(&self, tree: &dyn Tree, rules: &RuleSet) -> Result<Vec<CheckerReport>, Failure> {
        self.reports(&Trees::Tree(tree), rules)
    }

    fn reports(&self, trees: &Trees<'_>, rules: &RuleSet) -> Result<Vec<CheckerReport>, Failure> {
        if let Some(given) = self.given.iter().find(|g| rules.get(&g.rule).is_none_or(|r| r.checker().is_none())) {
            return Err(Failure::wrong(format!("no rule `{}` takes results of an outside program", given.rule)).hint(
                "`swage rules list` lists the rules; --checker-results is for those that match with `checker`.",
            ));
        }
        let mut reports = Vec::new();
        let mut jobs = Vec::new();
        for rule in rules.rules() {
            let Some(checker) = rule.checker() else { continue };
            if let Some(given) = self.given.iter().find(|g| g.rule == rule.id) {
                reports.push(read_given(given, checker.output, matches!(trees, Trees::Change(..)))?);
                continue;
            }
            // The working tree's own word for a command is a change voting on its own rules.
            let untold =
                || "the target doesn't have this checker yet, and commands are taken from there only".to_owned();
            let trusted = self.trusted.as_ref().map_err(Clone::clone);
            let trusted = trusted.and_then(|t| t.rules.get(&rule.id).and_then(|r| r.checker()).ok_or_else(untold));
            match trusted {
                Ok(trusted) => jobs.push((rule.id.clone(), trusted.clone())),
                Err(why) => {
                    let found = Sides { old: Err(why.clone()), new: Err(why) };
                    reports.push(CheckerReport { rule: rule.id.clone(), found });
                }
            }
        }
        if let Ok(trusted) = &self.trusted {
            reports.extend(run_all(trees, jobs, &trusted.programs, &self.known)?);
        }
        Ok(reports)
    }
}

fn read_given(given: &GivenReport, form: ReportForm, both: bool) -> Result<CheckerReport, Failure> {
    let read = |path: &Path| {
        let bytes = std::fs::read(path).map_err(|e| Failure::unreadable("the results ", path, &e))?;
        read_report(form, &bytes, "").map_err(|why| {
            Failure::wrong(format!("the results {} can't be used: {why}", path.display())).hint(format!(
                "The rule `{}` says that they are written as {}.",
                given.rule,
                form_word(form)
            ))
        })
    };
    let base = match (&given.base, both) {
        (Some(base), true) => read(base)?,
        (None, true) => {
            return Err(Failure::wrong(format!("--checker-results {}=… gives the results of one side", given.rule))
                .hint("Write RULE=BEFORE,AFTER with a result file for each side."));
        }
        (_, false) => Vec::new(),
    };
    Ok(CheckerReport { rule: given.rule.clone(), found: Sides { old: Ok(base), new: Ok(read(&given.head)?) } })
}

fn form_word(form: ReportForm) -> &'static str {
    match form {
        ReportForm::Sarif => "sarif",
        ReportForm::Lines => "lines",
    }
}

/// Runs all programs on all sides at the same time; each has its own copy of the tree, so none sees what another writes.
fn run_all(
    trees: &Trees<'_>,
    jobs: Vec<(RuleId, Checker)>,
    programs: &dyn Tree,
    known: &Known,
) -> Result<Vec<CheckerReport>, Failure> {
    if jobs.is_empty() {
        return Ok(Vec::new());
    }
    program::watch_interrupts();
    orphans::adopt();
    let home = TempDir::with_prefix("swage-").map_err(|e| Failure::unfinished(format!("no temporary folder: {e}")))?;
    if jobs.iter().any(|(_, checker)| program_of(checker).is_in_tree()) {
        export_tree(programs, home.path()).map_err(Failure::unfinished)?;
    }
    let home = home.path();
    let one = |checker: &Checker, side: Side| -> Result<Vec<Reported>, String> {
        let folder = TempDir::with_prefix("swage-").map_err(|e| format!("there is no temporary folder: {e}"))?;
        match (trees, side) {
            (Trees::Change(change, contents), side) => export_side(change, *contents, side, folder.path())?,
            (Trees::Tree(_), Side::Old) => return Ok(Vec::new()),
            (Trees::Tree(tree), Side::New) => export_tree(*tree, folder.path())?,
        }
        run(checker, folder.path(), home)
    };
    let once = |rule: &str, checker: &Checker, side: Side| {
        let tree = match trees {
            Trees::Change(change, _) => change.trees.as_ref().map(|trees| trees.on(side)),
            Trees::Tree(_) => None,
        };
        let Some(tree) = tree else { return one(checker, side) };
        let name = (rule.to_owned(), tree.clone());
        let there = known.lock().unwrap_or_else(PoisonError::into_inner).get(&name).cloned();
        there.unwrap_or_else(|| {
            let found = one(checker, side);
            known.lock().unwrap_or_else(PoisonError::into_inner).insert(name, found.clone());
            found
        })
    };
    let reports = std::thread::scope(|scope| {
        let once = &once;
        let running: Vec<_> = jobs
            .iter()
            .map(|(rule, checker)| Side::BOTH.map(|side| scope.spawn(move || once(rule, checker, side))))
            .collect();
        let ended = |thread: std::thread::ScopedJoinHandle<'_, Result<Vec<Reported>, String>>| {
            thread.join().unwrap_or_else(|_| Err("running it went wrong".to_owned()))
        };
        let pairs = jobs.iter().zip(running).map(|((rule, _), [old, new])| CheckerReport {
            rule: rule.clone(),
            found: Sides { old: ended(old), new: ended(new) },
        });
        pairs.collect()
    });
    orphans::end();
    if program::is_interrupted() {
        return Err(Failure::unfinished("interrupted; the programs that were running have been ended"));
    }
    Ok(reports)
}

/// Runs a program in a folder and reads its report. One that lies in the tree is run from `home`.
fn run(checker: &Checker, folder: &Path, home: &Path) -> Result<Vec<Reported>, String> {
    let program = program_of(checker);
    let name = program.name();
    let ran = program.run(folder, home, None)?;
    if !ran.status.code().is_some_and(|code| checker.exit_codes.contains(&code)) {
        return Err(format!("`{name}` failed with {}{}", ran.status, ran.complaint()));
    }
    let report = match &checker.output_file {
        None => ran.output.map_err(|why| format!("the output of `{name}` can't be used: {why}"))?,
        Some(path) => read_inside(folder, path).map_err(|why| format!("`{name}` was to write {path}: {why}"))?,
    };
    read_report(checker.output, &report, &folder.to_string_lossy())
        .map_err(|why| format!("`{name}` wrote no report that can be read: {why}"))
}

fn program_of(checker: &Checker) -> Program<'_> {
    Program { command: &checker.command, seconds: checker.seconds }
}

/// A file that the program wrote; a link out of the folder isn't followed.
fn read_inside(folder: &Path, path: &str) -> Result<Vec<u8>, String> {
    let (root, file) = (folder.canonicalize(), folder.join(path).canonicalize());
    let (Ok(root), Ok(file)) = (root, file) else { return Err("there is no such file".to_owned()) };
    if !file.starts_with(root) {
        return Err("it lies outside of the tree".to_owned());
    }
    let opened = std::fs::File::open(&file).map_err(|e| e.to_string())?;
    read_bounded(opened)
}
