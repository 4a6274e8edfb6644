//! What people and outside programs must say before a change may be merged: one condition at a time.

use swage_core::config::{Config, FileRole, read_rules};
use swage_core::gate::{ProposalFacts, judge_people};

const OWNERS: &str = r#"
[teams.harbour]
people = ["harbour-dev", "pier-dev"]
[[owners]]
paths = ["**"]
people = ["maintainer"]
[[owners]]
paths = ["quay/**"]
people = ["@harbour", "maintainer"]
[[owners]]
paths = ["quay/notes/**"]
people = ["notes-dev"]
"#;

fn config(people: &str) -> Config {
    let text = format!("[gate.people]\n{people}\n{OWNERS}");
    read_rules("swage.toml", &text, FileRole::Configuration).unwrap_or_else(|e| panic!("{e:?}\n{text}")).config
}

fn names(list: &[&str]) -> Vec<String> {
    list.iter().map(|name| (*name).to_owned()).collect()
}

/// Each condition with its result, from what is known of the proposal.
fn judged(people: &str, facts: &ProposalFacts) -> String {
    let config = config(people);
    let conditions = judge_people(&config.policy.people, &config.owners, facts);
    conditions.iter().map(|c| format!("{} {}: {}", c.result.word(), c.name, c.reason)).collect::<Vec<_>>().join("\n")
}

#[test]
fn each_condition_is_judged() {
    type Case<'a> = (&'a str, &'a dyn Fn(&mut ProposalFacts), &'a str);
    let cases: &[Case<'_>] = &[
        ("", &|_| {}, ""),
        ("approvals = 1", &|_| {}, "fail approvals: 0 of 1 approval of this revision"),
        ("approvals = 1", &|f| f.approvals = names(&["pier-dev"]), "pass approvals: 1 of 1 (pier-dev)"),
        // One's own doesn't count.
        ("approvals = 1", &|f| f.approvals = names(&["author"]), "fail approvals: 0 of 1 approval of this revision"),
        (
            "approvals = 2",
            &|f| f.approvals = names(&["author", "pier-dev"]),
            "fail approvals: 1 of 2 approvals of this revision (pier-dev)",
        ),
        ("owners = true", &|f| f.paths = names(&[]), "pass owners: nobody owns what it touches"),
        (
            "owners = true",
            &|f| (f.paths, f.approvals) = (names(&["quay/a.py"]), names(&["harbour-dev"])),
            "pass owners: an owner of each of 1 path approves",
        ),
        // The last entry that has a path decides.
        (
            "owners = true",
            &|f| (f.paths, f.approvals) = (names(&["quay/a.py", "quay/notes/b.md"]), names(&["maintainer"])),
            "fail owners: approval of an owner is missing for quay/notes/b.md (notes-dev)",
        ),
        (
            "owners = true",
            &|f| {
                f.author = "harbour-dev".to_owned();
                (f.paths, f.approvals) = (names(&["quay/a.py"]), names(&["harbour-dev"]));
            },
            "fail owners: approval of an owner is missing for quay/a.py (harbour-dev or maintainer or pier-dev)",
        ),
        ("objections = 0", &|_| {}, "pass objections: 0 objections standing; 0 allowed"),
        (
            "objections = 0",
            &|f| f.objections = names(&["pier-dev"]),
            "fail objections: 1 objection standing; 0 allowed (pier-dev)",
        ),
        ("todos = 0", &|f| f.todos = 2, "fail todos: 2 open to-dos; 0 allowed"),
        ("open_threads = 3", &|f| f.open_threads = 3, "pass open_threads: 3 open threads; 3 allowed"),
        ("ready = true", &|_| {}, "pass ready: it is offered as ready"),
        ("ready = true", &|f| f.draft = true, "fail ready: it is marked as work in progress"),
        ("ready = true", &|f| f.title = "WIP: tides".to_owned(), "fail ready: its title says that it isn't ready"),
        ("ready = true", &|f| f.title = "[draft] tides".to_owned(), "fail ready: its title says that it isn't ready"),
        ("ready = true", &|f| f.title = "Drafts of ships".to_owned(), "pass ready: it is offered as ready"),
        ("description = true", &|f| f.description = " \n".to_owned(), "fail description: it has no description"),
        ("ticket = true", &|_| {}, "fail ticket: it names no ticket"),
        (
            "ticket = true\nticket_points = true",
            &|f| f.tickets = vec![("QUAY-7".to_owned(), names(&["Times are those of the port"]))],
            "pass ticket: QUAY-7\nfail ticket_points: nothing mentions QUAY-7: Times are those of the port",
        ),
        (
            "statuses = [\"build\", \"docs\", \"tests\", \"lint\"]",
            &|f| {
                let list = [("build", Some(true)), ("docs", Some(false)), ("tests", None)];
                f.statuses = list.map(|(name, passed)| (name.to_owned(), passed)).to_vec();
            },
            "pass status.build: passed for this revision\nfail status.docs: failed for this revision\nincomplete status.tests: still at work on this revision\nincomplete status.lint: nothing was said of this revision yet",
        ),
        ("rule_changes = true", &|_| {}, ""),
        (
            "rule_changes = true",
            &|f| (f.rule_files, f.approvals) = (names(&["swage.toml"]), names(&["pier-dev"])),
            "fail rule_changes: approval of an owner is missing for swage.toml (maintainer)",
        ),
        (
            "suppressed_errors = true",
            &|f| f.suppressed_errors = 1,
            "fail suppressed_errors: 1 error suppressed by comments of the change; an owner must approve",
        ),
        (
            "suppressed_errors = true",
            &|f| (f.suppressed_errors, f.approvals) = (2, names(&["notes-dev"])),
            "pass suppressed_errors: 2 errors suppressed by comments of the change, and an owner approves",
        ),
    ];
    for (people, known, expected) in cases {
        let mut facts = ProposalFacts {
            author: "author".to_owned(),
            title: "Times at the quay".to_owned(),
            description: "Why.".to_owned(),
            ..ProposalFacts::default()
        };
        known(&mut facts);
        assert_eq!(judged(people, &facts), *expected, "{people}");
    }
}

#[test]
fn mistakes_about_people_are_reported() {
    let cases = [
        ("[[owners]]\npeople = [\"a\"]", "own no `paths`"),
        ("[[owners]]\npaths = [\"a\"]", "these owners are nobody"),
        ("[[owners]]\npaths = [\"a\"]\npeople = [\"@quay\"]", "there is no team `quay`"),
        ("[gate.people]\napproval = 1", "unknown key `approval`"),
        ("[gate.people]\nowners = 1", "owners"),
        ("[checks.test]\ntimeout = \"1 s\"", "the check `test` has no `command`"),
        ("[checks.test]\ncommand = [\"a\"]\ntimeout = \"soon\"", "is no time to run"),
        ("[advisor]\ncommand = []", "the advisor names no program"),
    ];
    for (text, expected) in cases {
        let rendered = match read_rules("swage.toml", text, FileRole::Configuration) {
            Ok(_) => String::new(),
            Err(problems) => problems.iter().map(ToString::to_string).collect(),
        };
        assert!(rendered.contains(expected), "{text}: {rendered}");
    }
}
