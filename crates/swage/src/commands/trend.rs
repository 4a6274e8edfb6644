//! `swage trend`: how the findings of the target developed.

use std::collections::{BTreeSet, HashMap};
use std::fmt::Write;
use std::process::ExitCode;

use jiff::civil::Date;
use jiff::tz::TimeZone;
use serde_json::json;
use swage_core::ids::CommitId;
use swage_core::review::Fixes;
use swage_core::rule::Severity;
use swage_git::{DiffSource, Landing, Repository};
use swage_store::{History, Run};

use crate::checkers::Outside;
use crate::cli::{TrendArgs, TrendFormat};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::history::{self, ALL};
use crate::output::{for_people, print, print_text, to_json, trend_plot, write_file};
use crate::progress::bar;
use crate::source::Workspace;
use crate::table::{Align, Table};
use crate::target::find_target;
use crate::terminal::{Paint, count, printable, width};

/// Rows that are shown unless all are wanted.
const MOST_ROWS: usize = 40;

/// The command of rows that were filled in.
const FILLED: &str = "trend";

pub fn run(args: &TrendArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let history = history::open(repository).ok_or_else(|| {
        Failure::unfinished("the history of this repository can't be read")
            .hint("Run with --verbose to see why. It lies in swage/history.db in the git folder.")
    })?;
    if let Some(day) = &args.prune {
        return prune(&history, day);
    }
    if args.runs {
        return runs(args, &read(&history)?);
    }
    if let Some(path) = args.plot.as_deref().filter(|path| path.extension().is_none_or(|ending| ending != "svg")) {
        return Err(Failure::wrong(format!("{}: plots are written as .svg", path.display())));
    }
    if let Some(rule) = &args.rule {
        is_known(rule, &history, &workspace, args)?;
    }
    let target = find_target(repository, args.target.as_deref())?;
    let since = args.since.as_deref().map(|since| repository.commit(since)).transpose()?;
    let landings = repository.landings(&target.tip, since.as_deref())?;
    if args.since.is_some() {
        let configuration = Configuration::of_folder(&workspace.root, args.setup.config.as_deref())?;
        fill(repository, &history, &landings, &configuration, args)?;
    }
    let rows = rows(&landings, &read(&history)?, args.rule.as_deref());
    if let Some(path) = &args.plot {
        if rows.len() < 2 {
            return Err(Failure::wrong("a plot takes at least two commits of the target with a row")
                .hint("`swage trend --since REVISION` scans past commits."));
        }
        write_file(path, trend_plot::svg(&rows).map_err(Failure::unfinished)?.as_bytes())?;
    }
    let text = match args.format {
        TrendFormat::Human => for_people(&table(&rows, &target.name, args)),
        TrendFormat::Json => document(&rows, &target.name, args.rule.as_deref()),
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

fn read(history: &History) -> Result<Vec<Run>, Failure> {
    history.runs().map_err(|e| Failure::unfinished(format!("the history can't be read: {e}")))
}

/// A commit of the target with what is known of it.
#[derive(Debug, Clone)]
pub struct TrendRow {
    /// The commit.
    pub commit: Landing,
    /// All findings by severity: errors, warnings, notes.
    pub all: [u64; 3],
    /// What it introduced and fixed, when it was compared with its parent.
    pub change: Option<(u64, u64)>,
    /// Whether its rules differ from those of the row before it.
    pub other_rules: bool,
}

/// The commits of the target that were scanned, with the newest run of each.
fn rows(landings: &[Landing], runs: &[Run], rule: Option<&str>) -> Vec<TrendRow> {
    let mut scans: HashMap<&str, &Run> = HashMap::new();
    let mut changes: HashMap<(&str, &str), &Run> = HashMap::new();
    for run in runs {
        let Some(head) = run.head.as_deref() else { continue };
        if matches!(run.command.as_str(), "scan" | FILLED) {
            scans.insert(head, run);
        }
        if let Some(base) = run.base.as_deref() {
            changes.insert((base, head), run);
        }
    }
    let sum = |run: &Run, severity: Option<&str>, states: &[&str]| -> u64 {
        let wanted = run.counts.iter().filter(|c| {
            states.contains(&c.state.as_str())
                && severity.is_none_or(|severity| c.severity == severity)
                && rule.is_none_or(|rule| c.rule == rule)
        });
        wanted.map(|c| c.findings).sum()
    };
    let mut rows: Vec<TrendRow> = Vec::new();
    let mut rules: Option<&str> = None;
    for landing in landings {
        let Some(scan) = scans.get(landing.id.as_str()) else { continue };
        let change = landing.parent.as_deref().and_then(|parent| changes.get(&(parent, landing.id.as_str())));
        rows.push(TrendRow {
            commit: landing.clone(),
            all: Severity::ALL.map(|severity| sum(scan, Some(severity.word()), &[ALL])),
            change: change.map(|run| (sum(run, None, &["new"]), sum(run, None, &["fixed"]))),
            other_rules: rules.is_some_and(|rules| rules != scan.rules),
        });
        rules = Some(&scan.rules);
    }
    rows
}

/// Whether a rule is on, or has been found once.
fn is_known(rule: &str, history: &History, workspace: &Workspace, args: &TrendArgs) -> Result<(), Failure> {
    let configuration = Configuration::of_folder(&workspace.root, args.setup.config.as_deref())?;
    let past = read(history)?;
    let past = past.iter().flat_map(|run| &run.counts).map(|count| count.rule.as_str());
    let known: BTreeSet<&str> = configuration.rules.rules().iter().map(|r| r.id.as_str()).chain(past).collect();
    if known.contains(rule) { Ok(()) } else { Err(Failure::no_rule(rule, known)) }
}

/// Scans the commits that have no row by these rules, and compares each with its parent.
fn fill(
    repository: &Repository,
    history: &History,
    landings: &[Landing],
    configuration: &Configuration,
    args: &TrendArgs,
) -> Result<(), Failure> {
    let rules = history::name_of(&configuration.rules);
    let known: Vec<CommitId> = read(history)?
        .into_iter()
        .filter(|run| run.rules == rules && run.command == FILLED)
        .filter_map(|run| run.head)
        .collect();
    let missing: Vec<&Landing> = landings.iter().filter(|landing| !known.contains(&landing.id)).collect();
    let store = super::cache(Some(repository), args.setup.no_cache);
    let outside = Outside::given(&[]);
    let bar = bar(missing.len(), 2, "{bar:30} {pos} of {len} commits");
    for landing in missing {
        let tree = repository.files(&landing.id)?;
        let scan = super::watched_scan(&tree, Some(&landing.id), configuration, super::or_none(store.as_ref()), &[]);
        let mut counts = history::counts(&scan, true);
        if let Some(parent) = &landing.parent {
            let source = DiffSource::Commits { base: parent.to_string(), head: landing.id.to_string() };
            let review = repository.diff(source)?.with(|change, contents| {
                super::examine_change(&change, contents, configuration, store.as_ref(), &outside, Fixes::LeftAside)
            })??;
            counts.extend(history::counts(&review, false));
        }
        let run = Run {
            at: history::now(),
            command: FILLED.to_owned(),
            base: landing.parent.clone(),
            head: Some(landing.id.clone()),
            rules: rules.clone(),
            verdict: None,
            counts,
        };
        // Each is kept at once: what is filled in stays when the run is broken off.
        history
            .record(&run, &[], None)
            .map_err(|e| Failure::unfinished(format!("the history can't be written: {e}")))?;
        if let Some(store) = &store {
            store.save();
        }
        bar.inc(1);
    }
    bar.finish_and_clear();
    Ok(())
}

fn table(rows: &[TrendRow], target: &str, args: &TrendArgs) -> String {
    let paint = Paint;
    let mut out = String::new();
    let what = args.rule.as_deref().map(|rule| format!("Findings of {rule}")).unwrap_or("Findings".to_owned());
    if rows.is_empty() {
        let since = args.since.as_deref().unwrap_or("the range");
        return if args.since.is_some() {
            format!("{} has no commits since {}.\n", printable(target), printable(since))
        } else {
            format!(
                "No commit of {} has been scanned yet. `swage scan {0}` scans its tip, `swage trend --since REVISION` past commits.\n",
                printable(target)
            )
        };
    }
    _ = writeln!(out, "{}", paint.strong(printable(&format!("{what} on {target}"))));
    let shown = if args.all { rows } else { &rows[rows.len().saturating_sub(MOST_ROWS)..] };
    let figures = ["errors", "warnings", "notes", "new", "fixed"].map(|head| (head, Align::Right, 5));
    let heads = [("date", Align::Left, 10), ("commit", Align::Left, 10)];
    let mut table = Table::new(2, heads.into_iter().chain(figures).chain([("subject", Align::Rest, 0)]));
    for row in shown {
        let (new, fixed) = row.change.map_or(("-".into(), "-".into()), |(n, f)| (n.to_string(), f.to_string()));
        let mark = if row.other_rules { "(other rules from here) " } else { "" };
        let subject = format!("{mark}{}", printable(&row.commit.subject));
        let id = &row.commit.id[..row.commit.id.len().min(10)];
        let cells = [history::day(row.commit.at), id.to_owned()].into_iter().chain(row.all.map(|n| n.to_string()));
        table.row(cells.chain([new, fixed, subject]).collect());
    }
    out += &table.render(width(), |head| paint.faint(head));
    if shown.len() < rows.len() {
        _ = writeln!(out, "{}; --all shows them", count(rows.len() - shown.len(), "older row"));
    }
    out
}

fn document(rows: &[TrendRow], target: &str, rule: Option<&str>) -> String {
    let rows = rows.iter().map(|row| {
        let [errors, warnings, notes] = row.all;
        json!({
            "commit": row.commit.id,
            "at": row.commit.at,
            "subject": row.commit.subject,
            "errors": errors,
            "warnings": warnings,
            "notes": notes,
            "new": row.change.map(|(new, _)| new),
            "fixed": row.change.map(|(_, fixed)| fixed),
            "other_rules": row.other_rules,
        })
    });
    let rows: Vec<_> = rows.collect();
    let value = json!({ "format": "swage-trend/1", "target": target, "rule": rule, "rows": rows });
    to_json(&value)
}

/// The latest runs, newest last.
fn runs(args: &TrendArgs, runs: &[Run]) -> Result<ExitCode, Failure> {
    let runs: Vec<&Run> = runs.iter().filter(|run| run.command != FILLED).collect();
    let shown = if args.all { &runs[..] } else { &runs[runs.len().saturating_sub(MOST_ROWS)..] };
    let wanted = |rule: &str| args.rule.as_deref().is_none_or(|wanted| wanted == rule);
    let sum = |run: &Run, state: &str| -> u64 {
        run.counts.iter().filter(|c| c.state == state && wanted(&c.rule)).map(|c| c.findings).sum()
    };
    let mut out = String::new();
    match args.format {
        TrendFormat::Human => {
            if shown.is_empty() {
                out.push_str("Nothing has been run here yet.\n");
            }
            let figures = ["all", "new", "fixed"].map(|head| (head, Align::Right, 5));
            let heads = [("time (UTC)", Align::Left, 16), ("command", Align::Left, 7), ("commit", Align::Left, 10)];
            let mut table = Table::new(2, heads.into_iter().chain(figures).chain([("verdict", Align::Left, 0)]));
            for run in shown {
                let time = jiff::Timestamp::from_second(run.at).map(|t| t.strftime("%Y-%m-%d %H:%M").to_string());
                let id = run.head.as_deref().map_or("-", |id| &id[..id.len().min(10)]);
                let figure = |state: &str, has: bool| if has { sum(run, state).to_string() } else { "-".to_owned() };
                let is_scan = run.command == "scan";
                let verdict = run.verdict.clone().unwrap_or_default();
                let figures = [figure(ALL, is_scan), figure("new", !is_scan), figure("fixed", !is_scan), verdict];
                let cells = [time.unwrap_or_default(), run.command.clone(), id.to_owned()];
                table.row(cells.into_iter().chain(figures).collect());
            }
            if !shown.is_empty() {
                out += &table.render(width(), |head| Paint.faint(head));
            }
        }
        TrendFormat::Json => {
            let runs = shown.iter().map(|run| {
                let counts = run.counts.iter().filter(|c| wanted(&c.rule)).map(
                    |c| json!({ "rule": c.rule, "severity": c.severity, "state": c.state, "findings": c.findings }),
                );
                json!({
                    "at": run.at, "command": run.command, "base": run.base, "head": run.head,
                    "verdict": run.verdict, "counts": counts.collect::<Vec<_>>(),
                })
            });
            let value = json!({ "format": "swage-runs/1", "runs": runs.collect::<Vec<_>>() });
            out = to_json(&value);
        }
    }
    print(out.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

fn prune(history: &History, day: &str) -> Result<ExitCode, Failure> {
    let date: Date = day.parse().map_err(|_| {
        Failure::wrong(format!("`{day}` is no day")).hint("Write it as YYYY-MM-DD, such as 2031-01-31.")
    })?;
    let start = date.to_zoned(TimeZone::UTC).map_err(|e| Failure::wrong(format!("{day}: {e}")))?;
    let forgotten = history
        .forget_before(start.timestamp().as_second())
        .map_err(|e| Failure::unfinished(format!("the history can't be written: {e}")))?;
    print_text(&format!("Forgot {}.\n", count(forgotten, "run")))?;
    Ok(ExitCode::SUCCESS)
}
