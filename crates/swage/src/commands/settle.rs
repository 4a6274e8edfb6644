//! `swage settle`: records what was decided of a finding, lists decisions, and drops them.

use std::fmt::Write;
use std::process::ExitCode;

use swage_core::decision::{Answer, Decision, Scope, is_date};
use swage_core::review::Finding;
use swage_git::Repository;

use crate::chosen::{found, reviewed};
use crate::cli::{AnswerArg, ScopeArg, SettleArgs};
use crate::configuration::Folder;
use crate::decisions::{decisions_of, settle, today, write};
use crate::failure::{Failure, SAYS_NO};
use crate::output::print_text;
use crate::source::Workspace;
use crate::terminal::{Paint, count, printable};

pub fn run(args: &SettleArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let decisions = decisions_of(&Folder { root: workspace.root.clone() })?;
    if args.list {
        print_text(&listed(&decisions))?;
        return Ok(ExitCode::SUCCESS);
    }
    if args.check {
        return check(&workspace, args, &decisions);
    }
    let Some(key) = &args.key else {
        return Err(Failure::wrong("say which finding is settled")
            .hint("`swage review` shows the keys; `swage settle --list` shows what was settled."));
    };
    if args.drop {
        return drop(&workspace, decisions, key);
    }
    let (Some(answer), Some(because)) = (args.answer, &args.because) else {
        return Err(Failure::wrong("a decision needs an answer and a reason")
            .hint("Give --as intended, wrong or later, and --because TEXT."));
    };
    let (review, _) = reviewed(&workspace, key, args.target.as_deref(), args.config.as_deref())?;
    let finding = found(&review, key)?;
    let scope = args.scope.map_or(Scope::Finding, ScopeArg::scope);
    let given = Given { answer: answer.answer(), because: because.clone(), until: args.until.clone(), scope };
    let decision = decision(&workspace, finding, given)?;
    let mut all = decisions;
    all.retain(|old| !(old.key == decision.key && old.scope == decision.scope));
    all.push(decision.clone());
    write(&workspace.root, &all)?;
    let what = match decision.scope {
        Scope::Finding => "This finding".to_owned(),
        Scope::File => format!("All findings of {} in {}", decision.rule, printable(&decision.path)),
        Scope::Pattern => format!("All findings of {} with the same text", decision.rule),
    };
    let until = decision.until.as_ref().map(|date| format!(" until {date}")).unwrap_or_default();
    let text = format!(
        "{what}: {}{until}. Commit .swage/decisions.toml; the gate uses it once it is on the target.\n",
        decision.answer.word()
    );
    print_text(&text)?;
    Ok(ExitCode::SUCCESS)
}

/// What was said of a finding.
pub struct Given {
    pub answer: Answer,
    pub because: String,
    /// The last day of `later`.
    pub until: Option<String>,
    pub scope: Scope,
}

/// The decision about a finding.
pub fn decision(workspace: &Workspace, finding: &Finding, given: Given) -> Result<Decision, Failure> {
    let Given { answer, because, until, scope } = given;
    if because.trim().is_empty() {
        return Err(Failure::wrong("the reason is empty").hint("Say in --because why the finding is accepted."));
    }
    match (answer, &until) {
        (Answer::Later, None) => {
            return Err(Failure::wrong("`later` needs a date").hint("Give --until YYYY-MM-DD."));
        }
        (Answer::Intended | Answer::Wrong, Some(_)) => {
            return Err(Failure::wrong("only `later` has a date").hint("Leave --until out, or say --as later."));
        }
        (_, Some(date)) if !is_date(date) => {
            return Err(Failure::wrong(format!("`{date}` is no date")).hint("Write it as YYYY-MM-DD."));
        }
        (_, Some(date)) if *date < today() => {
            return Err(Failure::wrong(format!("{date} has passed")).hint("Give a day to come."));
        }
        _ => {}
    }
    Ok(Decision {
        rule: finding.rule.clone(),
        path: finding.path().map_or_else(String::new, |path| path.text.clone()),
        definition: finding.scope.clone(),
        text: finding.text_digest.clone(),
        key: finding.key.clone(),
        scope,
        answer,
        because: because.trim().to_owned(),
        until,
        by: workspace.repository.as_ref().and_then(Repository::author).unwrap_or_else(|| "unknown".to_owned()),
        on: today(),
        message: finding.message.clone(),
    })
}

fn drop(workspace: &Workspace, mut decisions: Vec<Decision>, key: &str) -> Result<ExitCode, Failure> {
    let before = decisions.len();
    decisions.retain(|decision| !decision.key.starts_with(key));
    let dropped = before - decisions.len();
    if dropped == 0 {
        return Err(Failure::wrong(format!("no decision is about the key {key}"))
            .hint("`swage settle --list` shows all decisions."));
    }
    write(&workspace.root, &decisions)?;
    print_text(&format!("Dropped {}.\n", count(dropped, "decision")))?;
    Ok(ExitCode::SUCCESS)
}

fn listed(decisions: &[Decision]) -> String {
    let (mut out, paint) = (String::new(), Paint);
    let mut sorted: Vec<&Decision> = decisions.iter().collect();
    sorted.sort();
    for d in sorted {
        let until = d.until.as_ref().map(|date| format!(" until {date}")).unwrap_or_default();
        let reach = if d.scope == Scope::Finding { String::new() } else { format!(", {}", d.scope.word()) };
        let place = if d.definition.is_empty() { d.path.clone() } else { format!("{} in {}", d.path, d.definition) };
        _ = writeln!(out, "{} {}{until}{reach}", paint.strong(format!("{:8}", d.answer.word())), printable(&d.message));
        _ = writeln!(out, "         {} {}", printable(&place), paint.faint(format!("· {} · {}", d.rule, d.key)));
        _ = writeln!(out, "         {}", printable(&d.because));
        _ = writeln!(out, "         {}", paint.faint(printable(&format!("{}, {}", d.by, d.on))));
    }
    _ = writeln!(out, "{}.", count(decisions.len(), "decision"));
    out
}

/// Says decisions that no longer have an effect: exit code 1 when there are any.
fn check(workspace: &Workspace, args: &SettleArgs, decisions: &[Decision]) -> Result<ExitCode, Failure> {
    let (mut review, _) = reviewed(workspace, "", args.target.as_deref(), args.config.as_deref())?;
    let before = review.notes.len();
    let mut out = String::new();
    for decision in decisions {
        let mut alone = review.clone();
        settle(&mut alone, std::slice::from_ref(decision));
        let effect = alone.findings.iter().filter(|f| f.settled().is_some()).count();
        if effect == 0 {
            let why = alone.notes.get(before).cloned().unwrap_or_else(|| "no finding matches it any more".to_owned());
            _ = writeln!(out, "{} {}: {}", decision.key, decision.rule, printable(&why));
        }
    }
    settle(&mut review, decisions);
    let idle = out.lines().count();
    _ = writeln!(out, "{}, {idle} without effect.", count(decisions.len(), "decision"));
    print_text(&out)?;
    Ok(if idle == 0 { ExitCode::SUCCESS } else { ExitCode::from(SAYS_NO) })
}

impl AnswerArg {
    fn answer(self) -> Answer {
        match self {
            Self::Intended => Answer::Intended,
            Self::Wrong => Answer::Wrong,
            Self::Later => Answer::Later,
        }
    }
}

impl ScopeArg {
    fn scope(self) -> Scope {
        match self {
            Self::Finding => Scope::Finding,
            Self::File => Scope::File,
            Self::Pattern => Scope::Pattern,
        }
    }
}
