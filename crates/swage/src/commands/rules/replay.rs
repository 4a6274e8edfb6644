//! `swage rules replay`: what a rule would have said of past changes.

use std::fmt::Write;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::{Duration, Instant};

use serde_json::json;
use swage_core::baseline::State;
use swage_core::change::Change;
use swage_core::config::packs::PACKS;
use swage_core::diff::Kind;
use swage_core::review::{Examination, Fixes, examine};
use swage_core::rule::{Rule, RuleSet, nearest};
use swage_core::scan::NoCache;
use swage_git::{DiffSource, Landing};

use crate::cli::{ReplayArgs, ReportFormat};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::history::day;
use crate::output::{for_people, print, to_json};
use crate::progress::bar;
use crate::source::Workspace;
use crate::target::find_target;
use crate::terminal::{Paint, count, fit, printable, width};

/// How many changes are looked at unless `--since` says from where on.
const CHANGES: usize = 100;

/// A place that is changed again within this many seconds was perhaps as the rule says: 30 days.
const SOON: i64 = 30 * 86_400;

/// Most findings that are listed.
const MOST_LISTED: usize = 30;

/// What the rule would have found.
struct Past {
    /// The change that introduced it, by its place among the landings.
    landing: usize,
    place: String,
    message: String,
    /// Where it is now while the changes go on: path and line (0-based); `None` once it was changed or can't be followed.
    at: Option<(Vec<u8>, u32)>,
    /// How many days later its line was changed again, if it was soon.
    changed_after: Option<i64>,
}

pub fn run(args: &ReplayArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let configuration = Configuration::of_folder(&workspace.root, args.rules.config.as_deref())?;
    let rule = find(&configuration, &args.id)?;
    let set = RuleSet::new(vec![rule]);
    let target = find_target(repository, args.target.as_deref())?;
    let since = args.since.as_deref().map(|since| repository.commit(since)).transpose()?;
    let mut landings = repository.landings(&target.tip, since.as_deref())?;
    if args.since.is_none() {
        landings.drain(..landings.len().saturating_sub(CHANGES));
    }
    landings.retain(|landing| landing.parent.is_some());
    let bar = bar(landings.len(), 10, "{bar:30} {pos} of {len} changes");
    let (mut found, mut took): (Vec<Past>, Vec<Duration>) = (Vec::new(), Vec::new());
    for (index, landing) in landings.iter().enumerate() {
        let Some(parent) = &landing.parent else { continue };
        let source = DiffSource::Commits { base: parent.to_string(), head: landing.id.to_string() };
        repository.diff(source)?.with(|change, contents| {
            follow(&mut found, &change, landing, &landings);
            let with = Examination {
                rules: &set,
                limits: &configuration.config.limits,
                cache: &NoCache,
                reports: &[],
                fixes: Fixes::LeftAside,
                progress: &|_| {},
            };
            let begun = Instant::now();
            let review = examine(&change, contents, &with);
            took.push(begun.elapsed());
            let new = review.findings.iter().filter(|f| f.state == State::New && f.is_open());
            found.extend(new.map(|f| {
                Past {
                    landing: index,
                    place: f.place(),
                    message: f.message.clone(),
                    at: f
                        .path()
                        .zip(f.span().map(|span| span.start_line.index()))
                        .map(|(p, l)| (p.text.clone().into_bytes(), l)),
                    changed_after: None,
                }
            }));
        })?;
        bar.inc(1);
    }
    bar.finish_and_clear();
    let text = match args.format {
        ReportFormat::Human => for_people(&table(&args.id, &target.name, &landings, &found, &took)),
        ReportFormat::Json => document(&args.id, &landings, &found),
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// A rule that is on, or one of a pack that isn't.
fn find(configuration: &Configuration, id: &str) -> Result<Arc<Rule>, Failure> {
    let own = configuration.rules.rules();
    let shipped = || PACKS.iter().flat_map(|pack| pack.rules());
    let rule = own.iter().chain(shipped()).find(|rule| rule.id == id).cloned();
    let rule = rule.ok_or_else(|| {
        let known = own.iter().chain(shipped()).map(|rule| rule.id.as_str());
        Failure::wrong(format!("there is no rule `{id}`; {}", nearest(id, known)))
            .hint("Rules of packs that are off can be replayed, too; docs/packs lists them.")
    })?;
    if rule.checker().is_some() {
        return Err(Failure::wrong(format!("`{id}` runs an outside program, which isn't run on past changes")));
    }
    Ok(rule)
}

/// Moves what was found along with a change. A line that the change takes away or writes again was changed again.
fn follow(found: &mut [Past], change: &Change, landing: &Landing, landings: &[Landing]) {
    for past in found {
        let Some((path, line)) = &past.at else { continue };
        let leaves = |kind: Kind| matches!(kind, Kind::Modified | Kind::Renamed | Kind::Deleted);
        let Some(file) = change.files.iter().find(|f| f.old_path == *path && leaves(f.kind)) else { continue };
        let age = landing.at - landings[past.landing].at;
        match file.map.to_new(*line).filter(|_| file.kind != Kind::Deleted) {
            Some(line) => past.at = Some((file.new_path.clone(), line)),
            None => {
                past.changed_after = (age <= SOON).then_some(age / 86_400);
                past.at = None;
            }
        }
    }
}

fn table(id: &str, target: &str, landings: &[Landing], found: &[Past], took: &[Duration]) -> String {
    let paint = Paint;
    let mut out = String::new();
    let [Some(first), Some(last)] = [landings.first(), landings.last()] else {
        return format!("{} has no past changes to look at.\n", printable(target));
    };
    let mut changes: Vec<usize> = found.iter().map(|past| past.landing).collect();
    changes.dedup();
    let (from, to) = (day(first.at), day(last.at));
    let what = format!("{id} on {} of {target}, {from} to {to}", count(landings.len(), "past change"));
    _ = writeln!(out, "{}", paint.strong(printable(&what)));
    let slowest = took.iter().max().copied().unwrap_or_default();
    let all: Duration = took.iter().sum();
    _ = writeln!(
        out,
        "It would have reported {} in {}, taking {:.1?} a change and {slowest:.1?} at most.",
        count(found.len(), "finding"),
        count(changes.len(), "change"),
        all / u32::try_from(took.len().max(1)).unwrap_or(u32::MAX),
    );
    // Younger ones had no time yet.
    let old: Vec<&Past> = found
        .iter()
        .filter(|past| past.changed_after.is_some() || last.at - landings[past.landing].at >= SOON)
        .collect();
    let again = old.iter().filter(|past| past.changed_after.is_some()).count();
    if !old.is_empty() {
        _ = writeln!(out, "Of {} that can be judged, the line of {again} was changed again within 30 days.", old.len());
    }
    if !found.is_empty() {
        out.push('\n');
    }
    for past in found.iter().take(MOST_LISTED) {
        let landing = &landings[past.landing];
        let again = match past.changed_after {
            Some(0) => "  (changed again the same day)".to_owned(),
            Some(days) => format!("  (changed again after {})", count(days.unsigned_abs(), "day")),
            None => String::new(),
        };
        let line = format!("{}{again}  {}", past.place, past.message);
        let head = format!("{}  {}", day(landing.at), &landing.id[..landing.id.len().min(10)]);
        let room = width().saturating_sub(head.len() + 2);
        _ = writeln!(out, "{}  {}", paint.faint(&head), fit(printable(&line).trim_end(), room));
    }
    if let Some(more) = found.len().checked_sub(MOST_LISTED).filter(|more| *more > 0) {
        _ = writeln!(out, "and {more} more; --format json lists all");
    }
    out
}

fn document(id: &str, landings: &[Landing], found: &[Past]) -> String {
    let findings = found.iter().map(|past| {
        let landing = &landings[past.landing];
        json!({
            "commit": landing.id, "at": landing.at, "place": past.place, "message": past.message,
            "changed_after_days": past.changed_after,
        })
    });
    let findings: Vec<_> = findings.collect();
    let value = json!({ "format": "swage-replay/1", "rule": id, "changes": landings.len(), "findings": findings });
    to_json(&value)
}
