//! The keys of `swage.toml` and of rule files.

use std::sync::LazyLock;

use super::settings::Submodules;
use crate::lang::NAMES;
use crate::rule::{AREAS_KEY, Choice, Holds, Key, Keys, PATH_KEYS, RULE, SIZE, TIMEOUT_KEY, severity_words, words};

/// A whole file.
pub(super) static CONFIGURATION: Keys =
    Keys::new("configuration", "swage.toml, and rule files under .swage/rules.", || {
        CONFIGURATION_KEYS.iter().collect()
    });
static CONFIGURATION_KEYS: [Key; 15] = [
    Key::new("target", Holds::String, "The branch that changes want to enter."),
    Key::new("packs", Holds::Strings, "The packs that are on; `blockers`, `robustness` and `logic` when left out."),
    Key::new("extends", Holds::Strings, "Rule files under this one: paths from it, or git:PATH@COMMIT."),
    Key::new("generated", Holds::Strings, "Files that are generated; packs skip them."),
    Key::new("vendored", Holds::Strings, "Files that come from elsewhere; packs skip them."),
    Key::new("limits", Holds::Table(&LIMITS), "Sizes over which nothing is examined."),
    Key::new("globals", Holds::Table(&GLOBALS), "Names that are defined outside of what can be seen, by language."),
    Key::new("gate", Holds::Table(&GATE), "What a change must fulfil to be merged."),
    Key::new("post", Holds::Table(&POST), "How reviews are posted."),
    Key::new("advisor", Holds::Table(&ADVISOR), "The program that `swage explain --ask` puts questions to."),
    Key::new("checks", Holds::Named(&PROGRAM, 0), "Commands that the merged tree must pass, by name."),
    Key::new("teams", Holds::Named(&TEAM, 0), "Names for several people."),
    Key::new("owners", Holds::Tables(&OWNERS), "Who owns which paths; the last entry that has a path decides."),
    Key::new("adjust", Holds::Tables(&ADJUST), "What this layer changes about rules of outer ones."),
    Key::new("rule", Holds::Tables(&RULE), "A rule."),
];

static LIMITS: Keys = Keys::new("limits", "Sizes over which nothing is examined.", || LIMIT_KEYS.iter().collect());
static LIMIT_KEYS: [Key; 2] = [
    Key::new("file_size", SIZE, "The largest file that is examined, such as \"2 MiB\"."),
    Key::new("patch_size", SIZE, "The largest patch that is read, such as \"64 MiB\"."),
];

static GLOBALS: Keys = Keys::new("globals", "Names that are defined outside of what can be seen, by language.", || {
    GLOBAL_KEYS.iter().collect()
});
static GLOBAL_KEYS: LazyLock<Vec<Key>> =
    LazyLock::new(|| NAMES.iter().map(|language| Key::new(language, Holds::Strings, "")).collect());

static GATE: Keys = Keys::new("gate", "What a change must fulfil to be merged.", || GATE_KEYS.iter().collect());
static GATE_KEYS: [Key; 8] = [
    Key::new("new", Holds::Table(&BY_SEVERITY), "Most new findings, by severity."),
    Key::new("worse", Holds::Number, "Most measures that got worse."),
    Key::new("above_baseline", Holds::Flag, "May the total rise?"),
    Key::new(
        "suppressions",
        Holds::Table(&BY_SEVERITY),
        "Most findings that comments of the change may suppress, by severity.",
    ),
    Key::new("submodules", Holds::OneOf(|| words(&SUBMODULES)), "Submodules that the change adds or moves."),
    Key::new("files", Holds::Number, "Most files in a change."),
    Key::new("lines", Holds::Number, "Most added and removed lines."),
    Key::new(
        "people",
        Holds::Table(&PEOPLE),
        "What people and outside programs must have said of a proposal on a review host.",
    ),
];
pub(super) const SUBMODULES: [(&str, Submodules); 2] = [("allow", Submodules::Allow), ("refuse", Submodules::Refuse)];

static BY_SEVERITY: Keys = Keys::new("by_severity", "A number for each severity.", || SEVERITY_KEYS.iter().collect());
static SEVERITY_KEYS: [Key; 3] =
    [Key::new("error", Holds::Number, ""), Key::new("warning", Holds::Number, ""), Key::new("note", Holds::Number, "")];

static PEOPLE: Keys = Keys::new("people", "What people and outside programs must have said of a proposal.", || {
    PEOPLE_KEYS.iter().collect()
});
static PEOPLE_KEYS: [Key; 12] = [
    Key::new("approvals", Holds::Number, "Least approvals of the newest revision, not counting the author's own."),
    Key::new("owners", Holds::Flag, "Must an owner of each touched path that has owners approve?"),
    Key::new("objections", Holds::Number, "Most objections that may stand."),
    Key::new("todos", Holds::Number, "Most open threads that ask for something to be done."),
    Key::new("open_threads", Holds::Number, "Most open threads."),
    Key::new("ready", Holds::Flag, "Must it be offered as ready?"),
    Key::new("description", Holds::Flag, "Must it have a description?"),
    Key::new("ticket", Holds::Flag, "Must it name a ticket?"),
    Key::new("ticket_points", Holds::Flag, "Must each acceptance point of its tickets be spoken of or ticked?"),
    Key::new("statuses", Holds::Strings, "Statuses that must have passed."),
    Key::new("rule_changes", Holds::Flag, "Do changes to the rules and the policy need an owner's approval?"),
    Key::new(
        "suppressed_errors",
        Holds::Flag,
        "Do errors that comments of the change suppress need an owner's approval?",
    ),
];

static POST: Keys = Keys::new("post", "How reviews are posted.", || POST_KEYS.iter().chain([&TIMEOUT_KEY]).collect());
static POST_KEYS: [Key; 3] = [
    Key::new("command", Holds::Command, "The program that `swage post --to command` speaks with, and its arguments."),
    Key::new("most_threads", Holds::Number, "Most threads that are opened at once."),
    Key::new("when_clean", Holds::OneOf(|| words(&WHEN_CLEAN)), "What is said when nothing new was found."),
];
/// Whether a change with no new findings is praised.
pub(super) const WHEN_CLEAN: [(&str, bool); 2] = [("praise", true), ("silent", false)];

static ADVISOR: Keys = Keys::new("advisor", "The program that `swage explain --ask` puts questions to.", || {
    PROGRAM_KEYS.iter().chain([&TIMEOUT_KEY]).collect()
});
static PROGRAM: Keys = Keys::new("program", "A program.", || PROGRAM_KEYS.iter().chain([&TIMEOUT_KEY]).collect());
static PROGRAM_KEYS: [Key; 1] = [Key::required("command", Holds::Command, "The program and its arguments.")];

static TEAM: Keys = Keys::new("team", "Several people.", || TEAM_KEYS.iter().collect());
static TEAM_KEYS: [Key; 1] = [Key::new("people", Holds::Strings, "Their names.")];

static OWNERS: Keys = Keys::new("owners", "Who owns paths.", || OWNER_KEYS.iter().collect());
static OWNER_KEYS: [Key; 2] = [
    Key::required("paths", Holds::Strings, "The paths."),
    Key::required("people", Holds::Strings, "Names, or teams as @NAME."),
];

static ADJUST: Keys = Keys {
    choice: Choice::Some(|| vec!["severity", "paths", "skip_paths", "skip_areas", "off"]),
    ..Keys::new("adjust", "What a layer changes about a rule of an outer one.", || {
        ADJUST_KEYS.iter().chain(&PATH_KEYS).chain([&AREAS_KEY]).collect()
    })
};
static ADJUST_KEYS: [Key; 3] = [
    Key::required("rule", Holds::String, "The rule's id."),
    Key::new("severity", Holds::OneOf(severity_words), "Another severity."),
    Key::new("off", Holds::Flag, "Not to be used at all."),
];
