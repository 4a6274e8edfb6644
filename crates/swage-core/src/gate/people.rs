//! What people and outside programs have to say before a change may enter the target.
//!
//! Each condition is judged from what a host knows of the proposal, for the newest revision alone: an approval of an older
//! one isn't one of what would be merged. Owners are looked up path by path; the last entry that names a path decides.

use crate::config::{Owners, PeoplePolicy};
use crate::gate::{Condition, Outcome, listed, plural};

/// What a host knows of a proposal.
#[derive(Debug, Clone, Default)]
pub struct ProposalFacts {
    /// Who offers it.
    pub author: String,
    /// Its title.
    pub title: String,
    /// Its description.
    pub description: String,
    /// Whether it is marked as being worked on.
    pub draft: bool,
    /// Who approves of the newest revision.
    pub approvals: Vec<String>,
    /// Whose objection stands.
    pub objections: Vec<String>,
    /// How many open threads ask for something to be done.
    pub todos: u64,
    /// How many threads are open at all.
    pub open_threads: u64,
    /// The tickets that it names, each with the acceptance points that nothing of it mentions and nobody has ticked.
    pub tickets: Vec<(String, Vec<String>)>,
    /// Statuses of the newest revision: name, and whether it passed; `None` while the program is at work.
    pub statuses: Vec<(String, Option<bool>)>,
    /// The paths that it touches, before and after.
    pub paths: Vec<String>,
    /// The files of the rules and of the policy that it changes.
    pub rule_files: Vec<String>,
    /// Errors that comments of the change suppress.
    pub suppressed_errors: u64,
}

/// Judges the conditions on people that the policy has.
/// Long because each has its own words for what is missing.
pub fn judge_people(policy: &PeoplePolicy, owners: &Owners, facts: &ProposalFacts) -> Vec<Condition> {
    let mut judge = Judge { conditions: Vec::new() };
    let approvals: Vec<&String> = facts.approvals.iter().filter(|name| **name != facts.author).collect();
    let count = approvals.len() as u64;
    if let Some(least) = policy.approvals {
        judge.that(
            count >= least,
            "approvals",
            format!("{count} of {least}{}", named(&approvals)),
            format!("{count} of {least} approval{} of this revision{}", plural(least), named(&approvals)),
        );
    }
    if policy.owners {
        judge.owners("owners", &facts.paths, owners, &approvals);
    }
    if let Some(most) = policy.objections {
        let who: Vec<&String> = facts.objections.iter().collect();
        let count = who.len() as u64;
        let rendered = format!("{count} objection{} standing; {most} allowed{}", plural(count), named(&who));
        judge.that(count <= most, "objections", rendered.clone(), rendered);
    }
    if let Some(most) = policy.todos {
        let rendered = format!("{} open to-do{}; {most} allowed", facts.todos, plural(facts.todos));
        judge.that(facts.todos <= most, "todos", rendered.clone(), rendered);
    }
    if let Some(most) = policy.open_threads {
        let rendered = format!("{} open thread{}; {most} allowed", facts.open_threads, plural(facts.open_threads));
        judge.that(facts.open_threads <= most, "open_threads", rendered.clone(), rendered);
    }
    if policy.ready {
        let marked = is_marked(&facts.title);
        let why = if facts.draft { "it is marked as work in progress" } else { "its title says that it isn't ready" };
        judge.that(!facts.draft && !marked, "ready", "it is offered as ready".to_owned(), why.to_owned());
    }
    if policy.description {
        let there = !facts.description.trim().is_empty();
        judge.that(there, "description", "it has a description".to_owned(), "it has no description".to_owned());
    }
    if policy.ticket {
        let names: Vec<String> = facts.tickets.iter().map(|(name, _)| name.clone()).collect();
        judge.that(!names.is_empty(), "ticket", listed(&names), "it names no ticket".to_owned());
    }
    if policy.ticket_points {
        let open: Vec<String> = facts
            .tickets
            .iter()
            .flat_map(|(name, points)| points.iter().map(move |p| format!("{name}: {p}")))
            .collect();
        let all = "every acceptance point is spoken of or ticked".to_owned();
        judge.that(open.is_empty(), "ticket_points", all, format!("nothing mentions {}", listed(&open)));
    }
    for name in &policy.statuses {
        let known = facts.statuses.iter().find(|(own, _)| own == name).map(|(_, passed)| *passed);
        let (result, why) = match known {
            Some(Some(true)) => (Outcome::Pass, "passed for this revision"),
            Some(Some(false)) => (Outcome::Fail, "failed for this revision"),
            Some(None) => (Outcome::Incomplete, "still at work on this revision"),
            None => (Outcome::Incomplete, "nothing was said of this revision yet"),
        };
        judge.add(&format!("status.{name}"), result, why.to_owned());
    }
    if policy.rule_changes && !facts.rule_files.is_empty() {
        judge.owners("rule_changes", &facts.rule_files, owners, &approvals);
    }
    if policy.suppressed_errors && facts.suppressed_errors > 0 {
        let all = owners.everybody();
        let is_owner = approvals.iter().any(|name| all.contains(name));
        let n = facts.suppressed_errors;
        let what = format!("{n} error{} suppressed by comments of the change", plural(n));
        judge.that(
            is_owner,
            "suppressed_errors",
            format!("{what}, and an owner approves"),
            format!("{what}; an owner must approve"),
        );
    }
    judge.conditions
}

/// Whether a title begins with a mark of work in progress.
fn is_marked(title: &str) -> bool {
    let title = title.trim_start_matches(|c: char| !c.is_alphanumeric()).to_ascii_lowercase();
    ["wip", "work in progress", "draft"]
        .iter()
        .any(|mark| title.strip_prefix(mark).is_some_and(|rest| !rest.starts_with(|c: char| c.is_alphanumeric())))
}

/// Names in brackets, when there are any.
fn named(names: &[&String]) -> String {
    let names: Vec<String> = names.iter().map(|name| (*name).clone()).collect();
    if names.is_empty() { String::new() } else { format!(" ({})", listed(&names)) }
}

struct Judge {
    conditions: Vec<Condition>,
}

impl Judge {
    fn add(&mut self, name: &str, result: Outcome, reason: String) {
        self.conditions.push(Condition { name: name.to_owned(), result, reason });
    }

    fn that(&mut self, holds: bool, name: &str, yes: String, no: String) {
        if holds { self.add(name, Outcome::Pass, yes) } else { self.add(name, Outcome::Fail, no) }
    }

    /// Every path that has owners needs the approval of one of them. What nobody owns needs none, but for rules.
    fn owners(&mut self, name: &str, paths: &[String], owners: &Owners, approvals: &[&String]) {
        let mut missing: Vec<String> = Vec::new();
        let mut owned = 0;
        for path in paths {
            let mut people = owners.of(path.as_bytes()).to_vec();
            // Rules that nobody in particular owns are those of everybody who owns anything.
            if people.is_empty() && name == "rule_changes" {
                people = owners.everybody();
            }
            if people.is_empty() && name != "rule_changes" {
                continue;
            }
            owned += 1;
            if !approvals.iter().any(|approver| people.iter().any(|person| person == *approver)) {
                let who = if people.is_empty() { "nobody owns it".to_owned() } else { people.join(" or ") };
                missing.push(format!("{path} ({who})"));
            }
        }
        let yes = match owned {
            0 => "nobody owns what it touches".to_owned(),
            n => format!("an owner of each of {n} path{} approves", plural(n)),
        };
        self.that(missing.is_empty(), name, yes, format!("approval of an owner is missing for {}", listed(&missing)));
    }
}
