//! `swage step`: going through findings one at a time, in the terminal.

mod screen;
mod session;

use std::collections::{BTreeMap, BTreeSet};
use std::io::IsTerminal;
use std::path::PathBuf;
use std::process::{Command, ExitCode};
use std::time::Duration;

use ratatui::DefaultTerminal;
use ratatui::crossterm::event::{self, Event, KeyEventKind};
use swage_core::decision::{Decision, Scope};
use swage_core::ids::FindingKey;
use swage_core::review::{Finding, Fixes, Proof, Review};
use swage_core::view::{ChangeView, LineView};

use self::screen::{Shown, draw};
use self::session::{Action, Session};
use super::settle::{Given, decision};
use crate::checkers::Outside;
use crate::cli::{FindingArgs, StepArgs};
use crate::configuration::{Configuration, Folder};
use crate::decisions::{decisions_of, write};
use crate::failure::{Failure, UNFINISHED};
use crate::history::branch_of;
use crate::output::{print, write_file};
use crate::source::{Workspace, with_change};
use crate::terminal::count;
use crate::worktree::{Replacement, replace};

/// Lines of code that are shown before and after a finding.
const AROUND: u32 = 8;

/// How often is looked whether the terminal is still there.
const LOOK_UP: Duration = Duration::from_secs(1);

/// Ends the program when its terminal is gone and no signal came: reading keys would go on for ever. What was done is done;
/// what was passed over since the start is shown again next time.
fn watch_terminal() {
    std::thread::spawn(|| {
        while std::io::stdout().is_terminal() {
            std::thread::sleep(LOOK_UP);
        }
        std::process::exit(UNFINISHED.into());
    });
}

pub fn run(args: &StepArgs) -> Result<ExitCode, Failure> {
    if !std::io::stdin().is_terminal() || !std::io::stdout().is_terminal() {
        return Err(Failure::wrong("`swage step` takes a terminal to work in").hint(
            "Elsewhere, `swage review` shows findings, `swage fix` takes fixes, and `swage settle` records decisions.",
        ));
    }
    let workspace = Workspace::find()?;
    let mut desk = Desk::open(args, &workspace)?;
    if desk.session.len() == 0 {
        print(b"There is nothing to go through: no finding is new. --all goes through the others, too.\n")?;
        return Ok(ExitCode::SUCCESS);
    }
    let mut terminal = ratatui::init();
    let worked = desk.work(&mut terminal);
    ratatui::restore();
    desk.remember()?;
    worked?;
    print(desk.summary().as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// What can be taken back.
enum Done {
    /// A fix: the files as they were, and as they are.
    Fixed { key: FindingKey, files: Vec<(Vec<u8>, Vec<u8>, Vec<u8>)> },
    /// A decision: all decisions as they were.
    Settled { key: FindingKey, before: Vec<Decision> },
}

/// Everything at hand while going through findings.
struct Desk<'a> {
    args: &'a StepArgs,
    workspace: &'a Workspace,
    review: Review,
    view: ChangeView,
    /// The findings that are gone through, in order.
    findings: Vec<Finding>,
    session: Session,
    done: Vec<Done>,
    /// The diff of each fix that was tried, by the finding's key; empty when it can't be applied.
    fixes: BTreeMap<FindingKey, String>,
}

impl<'a> Desk<'a> {
    fn open(args: &'a StepArgs, workspace: &'a Workspace) -> Result<Self, Failure> {
        let (review, view) = review(args, workspace)?;
        let findings = chosen(args, &review)?;
        let keys = findings.iter().map(|f| f.key.clone()).collect();
        let passed = if args.afresh { BTreeSet::new() } else { passed(args, workspace) };
        let session = Session::new(keys, passed);
        Ok(Self { args, workspace, review, view, findings, session, done: Vec::new(), fixes: BTreeMap::new() })
    }

    /// Draws and obeys until the end.
    fn work(&mut self, terminal: &mut DefaultTerminal) -> Result<(), Failure> {
        let failed = |e: std::io::Error| Failure::unfinished(format!("the terminal can't be used: {e}"));
        watch_terminal();
        loop {
            self.try_fix();
            let shown = self.shown();
            terminal.draw(|frame| draw(frame, &self.session, shown.as_ref())).map_err(failed)?;
            // A resized terminal is redrawn.
            let Event::Key(key) = event::read().map_err(failed)? else { continue };
            if key.kind == KeyEventKind::Release {
                continue;
            }
            let outcome = match self.session.press(key) {
                None => continue,
                Some(Action::Quit) => return Ok(()),
                Some(Action::Fix) => self.fix(),
                Some(Action::Settle { answer, because, until }) => {
                    self.settle(Given { answer, because, until, scope: Scope::Finding })
                }
                Some(Action::Undo) => self.undo(),
                Some(Action::Edit) => {
                    ratatui::restore();
                    let edited = self.edit();
                    *terminal = ratatui::init();
                    edited
                }
            };
            self.session.message = outcome.unwrap_or_else(|failure| failure.message());
        }
    }

    fn current(&self) -> Option<&Finding> {
        self.session.current().and_then(|(at, _)| self.findings.get(at))
    }

    fn shown(&self) -> Option<Shown<'_>> {
        let finding = self.current()?;
        let help = self.review.rule(&finding.rule).and_then(|rule| rule.help.as_deref());
        let fix = self.fixes.get(&finding.key).map(String::as_str).filter(|diff| !diff.is_empty());
        Some(Shown { finding, help, lines: self.code(finding), fix })
    }

    /// The lines of the change around a finding.
    fn code(&self, f: &Finding) -> Vec<&LineView> {
        let (Some(path), Some(span)) = (f.path(), f.span()) else { return Vec::new() };
        let near =
            span.start_line.get().saturating_sub(AROUND)..=(span.end_line.min(span.start_line + AROUND) + AROUND).get();
        let files = self.view.files.iter().filter(|file| file.path == *path);
        let hunk = files
            .flat_map(|file| &file.hunks)
            .find(|hunk| hunk.iter().any(|line| line.new.is_some_and(|new| span.has_number(new))));
        let mut number = 0;
        let lines = hunk.into_iter().flatten().filter(|line| {
            // A removed line is where the one before it does.
            number = line.new.unwrap_or(number);
            near.contains(&number)
        });
        lines.collect()
    }

    fn only(&self, key: &str) -> FindingArgs {
        FindingArgs { rule: Vec::new(), path: Vec::new(), key: vec![key.to_owned()], new: false, all: true }
    }

    /// Tries the fix of the finding that is shown, once.
    fn try_fix(&mut self) {
        let Some(f) = self.current().filter(|f| f.fix.as_ref().is_some_and(|fix| fix.proof == Proof::Proved)) else {
            return;
        };
        let key = f.key.clone();
        if !self.fixes.contains_key(&key) {
            let diff = self.tried(&key).map(|work| String::from_utf8_lossy(&work.diff()).into_owned());
            let hunks = diff.unwrap_or_default();
            let at = hunks.find("@@").unwrap_or(hunks.len());
            self.fixes.insert(key.clone(), hunks[at..].to_owned());
        }
    }

    fn tried(&self, key: &str) -> Result<super::fix::FixPlan, Failure> {
        let configuration = Configuration::of_folder(&self.workspace.root, self.args.setup.config.as_deref())?;
        let store = super::cache(self.workspace.repository.as_ref(), self.args.setup.no_cache);
        let only = self.only(key);
        super::fix::tried(self.workspace, &self.args.change, &configuration, store.as_ref(), &only.wanted()?)
    }

    /// Takes the fix of the finding that is shown.
    fn fix(&mut self) -> Result<String, Failure> {
        let Some(key) = self.current().map(|f| f.key.clone()) else { return Ok(String::new()) };
        let work = self.tried(&key)?;
        let replacements: Vec<Replacement<'_>> = work.replacements().collect();
        if replacements.is_empty() {
            return Ok(work.refusal().map_or("It has no fix.".to_owned(), |why| format!("Not fixed: {why}.")));
        }
        replace(&self.workspace.root, &replacements)?;
        let files = replacements.iter().map(|r| (r.path.to_vec(), r.before.to_vec(), r.after.to_vec())).collect();
        self.done.push(Done::Fixed { key: key.clone(), files });
        self.look_again()?;
        Ok("Fixed. u takes it back.".to_owned())
    }

    /// Settles the finding that is shown.
    fn settle(&mut self, given: Given) -> Result<String, Failure> {
        let Some(f) = self.current() else { return Ok(String::new()) };
        let (key, made) = (f.key.clone(), decision(self.workspace, f, given)?);
        let before = decisions_of(&Folder { root: self.workspace.root.clone() })?;
        let mut all = before.clone();
        all.retain(|old| !(old.key == made.key && old.scope == made.scope));
        all.push(made);
        write(&self.workspace.root, &all)?;
        self.done.push(Done::Settled { key: key.clone(), before });
        self.look_again()?;
        Ok("Settled. u takes it back.".to_owned())
    }

    /// Takes back what was done last.
    fn undo(&mut self) -> Result<String, Failure> {
        let Some(last) = self.done.pop() else { return Ok("There is nothing to take back.".to_owned()) };
        let key = match &last {
            Done::Fixed { key, files } => {
                let back = files.iter().map(|(path, before, after)| Replacement { path, before: after, after: before });
                let back: Vec<Replacement<'_>> = back.collect();
                if let Err(failure) = replace(&self.workspace.root, &back) {
                    self.done.push(last);
                    return Err(failure);
                }
                key.clone()
            }
            Done::Settled { key, before } => {
                write(&self.workspace.root, before)?;
                key.clone()
            }
        };
        self.look_again()?;
        self.session.passed.remove(&key);
        self.session.show(&key);
        Ok("Taken back.".to_owned())
    }

    /// Opens the place of the finding that is shown, and looks again when the editor ends.
    fn edit(&mut self) -> Result<String, Failure> {
        let Some(anchor) = self.current().and_then(|f| f.anchor.clone()) else {
            return Ok("It has no place to edit.".to_owned());
        };
        let named = ["VISUAL", "EDITOR"].iter().find_map(|name| std::env::var(name).ok().filter(|e| !e.is_empty()));
        let editor = named.unwrap_or_else(|| "vi".to_owned());
        let line = anchor.span.map_or(1, |span| span.start_line.get());
        // As git does: the shell takes the words of the editor's name apart.
        let status = Command::new("sh")
            .arg("-c")
            .arg(format!("{editor} \"$@\""))
            .arg(&editor)
            .arg(format!("+{line}"))
            .arg(self.workspace.root.join(&anchor.path.text))
            .status();
        let ended = match status {
            Ok(status) if status.success() => "Edited, and reviewed again.".to_owned(),
            Ok(status) => format!("`{editor}` ended with {status}."),
            Err(e) => format!("`{editor}` can't be started: {e}."),
        };
        self.look_again()?;
        Ok(ended)
    }

    /// Reviews the change as it is now.
    fn look_again(&mut self) -> Result<(), Failure> {
        (self.review, self.view) = review(self.args, self.workspace)?;
        self.findings = chosen(self.args, &self.review)?;
        self.session.replace(self.findings.iter().map(|f| f.key.clone()).collect());
        self.fixes.clear();
        Ok(())
    }

    /// Keeps what was passed over, for the next run.
    fn remember(&self) -> Result<(), Failure> {
        let Some(path) = memory(self.workspace) else { return Ok(()) };
        let mut all = remembered(&path);
        all.insert(branch(self.args, self.workspace), self.session.passed.iter().cloned().collect());
        write_file(&path, serde_json::to_string_pretty(&all).unwrap_or_default().as_bytes())
    }

    fn summary(&self) -> String {
        let fixed = self.done.iter().filter(|done| matches!(done, Done::Fixed { .. })).count();
        let settled = self.done.len() - fixed;
        let left = self.findings.iter().filter(|f| !self.session.passed.contains(&f.key)).count();
        let passed = self.findings.len() - left;
        let more = if left > 0 { " `swage step` goes on with them." } else { "" };
        format!("{fixed} fixed, {settled} settled, {passed} passed over; {} left.{more}\n", count(left, "finding"))
    }
}

fn review(args: &StepArgs, workspace: &Workspace) -> Result<(Review, ChangeView), Failure> {
    let configuration = Configuration::of_folder(&workspace.root, args.setup.config.as_deref())?;
    let store = super::cache(workspace.repository.as_ref(), args.setup.no_cache);
    let outside = Outside::given(&[]);
    let (both, _) = with_change(workspace, &args.change, &configuration, |change, contents| {
        let review = super::examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::Tried)?;
        let view = ChangeView::of(&change, contents, &review, &configuration.rules);
        Ok::<_, Failure>((review, view))
    })?;
    both
}

/// The findings that are meant, worst first.
fn chosen(args: &StepArgs, review: &Review) -> Result<Vec<Finding>, Failure> {
    let wanted = args.findings.wanted()?;
    let mut findings: Vec<Finding> = review.findings.iter().filter(|f| wanted.wants(f)).cloned().collect();
    findings.sort_by_key(|f| (f.severity, f.path().cloned(), f.span(), f.rule.clone()));
    Ok(findings)
}

/// Where it is kept what was passed over.
fn memory(workspace: &Workspace) -> Option<PathBuf> {
    let folder = workspace.repository.as_ref()?.common_dir().join("swage");
    folder.is_dir().then(|| folder.join("step.json"))
}

fn branch(args: &StepArgs, workspace: &Workspace) -> String {
    let branch = workspace.repository.as_ref().and_then(|repository| branch_of(repository, &args.change));
    branch.map(|(name, _)| name).unwrap_or_default()
}

fn remembered(path: &std::path::Path) -> BTreeMap<String, BTreeSet<FindingKey>> {
    let text = std::fs::read(path).unwrap_or_default();
    serde_json::from_slice(&text).unwrap_or_default()
}

fn passed(args: &StepArgs, workspace: &Workspace) -> BTreeSet<FindingKey> {
    memory(workspace)
        .map(|path| remembered(&path))
        .and_then(|mut all| all.remove(&branch(args, workspace)))
        .unwrap_or_default()
}
