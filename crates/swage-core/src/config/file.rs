//! Reading `swage.toml` and rule files. Every mistake is noted with its place; nothing is guessed.

use std::collections::HashSet;

use super::keys::{CONFIGURATION, SUBMODULES, WHEN_CLEAN};
use super::settings::{Config, NamedProgram, Owners, PeoplePolicy, Policy, Posting};
use crate::ids::RuleId;
use crate::rule::{
    Area, PathSet, Problem, Problems, Rule, Severity, Table, one_of, parse_toml, path_set, read_command, read_rule,
    read_timeout, size, skipped_areas,
};
use crate::scan::Limits;

/// One file's part of the configuration.
#[derive(Debug, Default)]
pub struct RuleFile {
    /// Its settings; rule files other than `swage.toml` may only hold rules and `extends`.
    pub config: Config,
    /// Its rules, each with the byte offset of its id for messages about doubles.
    pub rules: Vec<(Rule, usize)>,
    /// What it changes about rules of outer layers, with the byte offset of each.
    pub adjusts: Vec<(Adjust, usize)>,
    /// Files that it pulls in, with the byte offset of each.
    pub extends: Vec<(String, usize)>,
}

/// What a file is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileRole {
    /// It is the configuration: settings, and perhaps rules.
    Configuration,
    /// It holds rules, and what it changes about those of outer layers.
    Rules,
}

/// Reads one file.
///
/// # Errors
/// All mistakes of the file at once, in the order of their lines.
pub fn read_rules(file: &str, source: &str, role: FileRole) -> Result<RuleFile, Vec<Problem>> {
    read_file(Problems::of(file, source), role)
}

/// Reads the rules of a pack, and leaves its patterns for later.
pub(crate) fn read_shipped(file: &str, source: &str) -> Result<RuleFile, Vec<Problem>> {
    read_file(Problems { shipped: true, ..Problems::of(file, source) }, FileRole::Rules)
}

fn read_file(mut p: Problems<'_>, role: FileRole) -> Result<RuleFile, Vec<Problem>> {
    let (file, document) = (p.file, parse_toml(&mut p));
    let mut out = RuleFile::default();
    if p.list.is_empty() {
        let mut table = Table::new(document.get_ref(), 0, &CONFIGURATION);
        out.extends =
            table.strings("extends", &mut p).unwrap_or_default().into_iter().map(|e| (e.value, e.at)).collect();
        if role == FileRole::Configuration {
            settings(&mut table, &mut out.config, &mut p);
        }
        for mut adjust in table.tables("adjust", &mut p) {
            let at = adjust.at;
            out.adjusts.extend(read_adjust(&mut adjust, &mut p).map(|a| (a, at)));
            adjust.finish(&mut p);
        }
        let mut seen: HashSet<RuleId> = HashSet::new();
        for mut rule in table.tables("rule", &mut p) {
            let at = rule.at;
            if let Some(rule) = read_rule(&mut rule, file, &mut p) {
                if !seen.insert(rule.id.clone()) {
                    p.at(
                        at,
                        format!("duplicate rule id `{}` in this file", rule.id),
                        Some("give each rule an id of its own".into()),
                    );
                }
                out.rules.push((rule, at));
            }
            rule.finish(&mut p);
        }
        table.finish(&mut p);
    }
    if p.list.is_empty() {
        return Ok(out);
    }
    p.list.sort_by_key(|problem| (problem.line, problem.column));
    Err(p.list)
}

/// Reads the keys of `swage.toml` that aren't rules; long because each has a line of its own here.
fn settings(table: &mut Table<'_, '_>, config: &mut Config, p: &mut Problems<'_>) {
    config.target = table.string("target", p).map(|t| t.value);
    config.packs = table.strings("packs", p).map(|packs| packs.into_iter().map(|pack| (pack.value, pack.at)).collect());
    config.generated = path_set(table, "generated", p).or_else(|| config.generated.take());
    config.vendored = path_set(table, "vendored", p).or_else(|| config.vendored.take());
    if let Some(mut limits) = table.table("limits", p) {
        let defaults = Limits::default();
        config.limits = Limits {
            file_size: size(&mut limits, "file_size", p).unwrap_or(defaults.file_size),
            patch_size: size(&mut limits, "patch_size", p).or(defaults.patch_size),
        };
        limits.finish(p);
    }
    if let Some(mut globals) = table.table("globals", p) {
        for language in crate::lang::NAMES {
            if let Some(names) = globals.strings(language, p) {
                config.globals.insert((*language).to_owned(), names.into_iter().map(|n| n.value).collect());
            }
        }
        globals.finish(p);
    }
    config.owners = read_owners(table, p);
    if let Some(mut advisor) = table.table("advisor", p) {
        config.advisor = read_program(&mut advisor, "the advisor", ADVISOR_SECONDS, p);
        advisor.finish(p);
    }
    if let Some(mut post) = table.table("post", p) {
        let clean = post.string("when_clean", p).and_then(|s| one_of(&s, "answer", WHEN_CLEAN, p));
        let most_threads = post.number("most_threads", p).map(|n| n.value);
        let named = post.has("command") || post.has("timeout");
        let program = if named { read_program(&mut post, "posting", POST_SECONDS, p) } else { None };
        config.posting = Posting {
            most_threads: most_threads.unwrap_or(config.posting.most_threads),
            praise: clean.unwrap_or(false),
            program,
        };
        post.finish(p);
    }
    if let Some(checks) = table.table("checks", p) {
        for (name, mut check) in checks.entries(p) {
            let program = read_program(&mut check, &format!("the check `{name}`"), CHECK_SECONDS, p);
            config.checks.extend(program.map(|program| (name, program)));
            check.finish(p);
        }
        config.checks.sort_by(|(a, _), (b, _)| a.cmp(b));
    }
    if let Some(mut gate) = table.table("gate", p) {
        let mut policy = Policy { configured: true, ..Policy::open() };
        if let Some(mut new) = gate.table("new", p) {
            for severity in Severity::ALL {
                policy.new[severity as usize] = new.number(severity.word(), p).map(|n| n.value);
            }
            new.finish(p);
        }
        policy.worse = gate.number("worse", p).map(|n| n.value);
        policy.above_baseline = gate.flag("above_baseline", p).unwrap_or(true);
        if let Some(mut suppressions) = gate.table("suppressions", p) {
            for severity in Severity::ALL {
                let most = suppressions.number(severity.word(), p).map(|n| n.value);
                policy.suppressions[severity as usize] = most.or(policy.suppressions[severity as usize]);
            }
            suppressions.finish(p);
        }
        let submodules = gate.string("submodules", p).and_then(|s| one_of(&s, "answer", SUBMODULES, p));
        policy.submodules = submodules.unwrap_or(policy.submodules);
        policy.files = gate.number("files", p).map(|n| n.value);
        policy.lines = gate.number("lines", p).map(|n| n.value);
        if let Some(mut people) = gate.table("people", p) {
            policy.people = read_people(&mut people, p);
            people.finish(p);
        }
        gate.finish(p);
        config.policy = policy;
    }
}

fn read_people(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> PeoplePolicy {
    let mut number = |key, p: &mut Problems<'_>| table.number(key, p).map(|n| n.value);
    let (approvals, objections) = (number("approvals", p), number("objections", p));
    let (todos, open_threads) = (number("todos", p), number("open_threads", p));
    let statuses = table.strings("statuses", p).unwrap_or_default();
    let mut flag = |key, p: &mut Problems<'_>| table.flag(key, p).unwrap_or(false);
    PeoplePolicy {
        approvals,
        objections,
        todos,
        open_threads,
        owners: flag("owners", p),
        ready: flag("ready", p),
        description: flag("description", p),
        ticket: flag("ticket", p),
        ticket_points: flag("ticket_points", p),
        rule_changes: flag("rule_changes", p),
        suppressed_errors: flag("suppressed_errors", p),
        statuses: statuses.into_iter().map(|name| name.value).collect(),
    }
}

/// Reads `[teams]` and `[[owners]]`; a name with `@` is a team's.
fn read_owners(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Owners {
    let mut teams: Vec<(String, Vec<String>)> = Vec::new();
    if let Some(named) = table.table("teams", p) {
        for (name, mut team) in named.entries(p) {
            let people = team.strings("people", p).unwrap_or_default();
            teams.push((name, people.into_iter().map(|person| person.value).collect()));
            team.finish(p);
        }
    }
    let mut owners = Owners::default();
    for mut entry in table.tables("owners", p) {
        let paths = path_set(&mut entry, "paths", p);
        if !entry.has("paths") {
            p.at(entry.at, "these owners own no `paths`", Some("list path patterns, such as \"quay/**\"".into()));
        }
        let mut people: Vec<String> = Vec::new();
        for named in entry.strings("people", p).unwrap_or_default() {
            match named.value.strip_prefix('@') {
                None => people.push(named.value),
                Some(team) => match teams.iter().find(|(name, _)| name == team) {
                    Some((_, members)) => people.extend(members.iter().cloned()),
                    None => {
                        let hint = "name it under `[teams]`: `[teams.NAME]` with `people = [...]`";
                        p.at(named.at, format!("there is no team `{team}`"), Some(hint.into()));
                    }
                },
            }
        }
        if people.is_empty() {
            p.at(entry.at, "these owners are nobody", Some("list names, or teams as \"@NAME\", under `people`".into()));
        }
        people.sort();
        people.dedup();
        owners.entries.extend(paths.map(|paths| (paths, people)));
        entry.finish(p);
    }
    owners
}

/// The seconds of an advisor, of an answer of a posting program, and of a check without `timeout`.
const ADVISOR_SECONDS: u64 = 60;
const POST_SECONDS: u64 = 60;
const CHECK_SECONDS: u64 = 900;

fn read_program(table: &mut Table<'_, '_>, name: &str, seconds: u64, p: &mut Problems<'_>) -> Option<NamedProgram> {
    if !table.has("command") {
        p.at(table.at, format!("{name} has no `command`"), Some("list the program and its arguments".into()));
    }
    let command = read_command(table, "command", name, p);
    let seconds = read_timeout(table, seconds, p);
    Some(NamedProgram { command: command?, seconds })
}

/// What a layer changes about a rule of an outer one.
#[derive(Debug, Clone)]
pub struct Adjust {
    /// The rule's id.
    pub rule: RuleId,
    /// Another severity.
    pub severity: Option<Severity>,
    /// Other paths.
    pub paths: Option<PathSet>,
    /// Other paths that it never looks at.
    pub skip_paths: Option<PathSet>,
    /// Other areas that it never looks at.
    pub skip_areas: Option<Vec<Area>>,
    /// Not to be used at all.
    pub off: bool,
}

fn read_adjust(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Adjust> {
    let rule = table.required_string("rule", "an adjustment", p)?.value;
    let severity = table.string("severity", p);
    let severity = severity.and_then(|s| one_of(&s, "severity", Severity::ALL.map(|s| (s.word(), s)), p));
    let (paths, skip_paths) = (path_set(table, "paths", p), path_set(table, "skip_paths", p));
    let skip_areas = skipped_areas(table, p);
    let off = table.flag("off", p).unwrap_or(false);
    if !off && severity.is_none() && paths.is_none() && skip_paths.is_none() && skip_areas.is_none() {
        let hint = "give `severity`, `paths`, `skip_paths`, `skip_areas` or `off = true`".to_owned();
        p.at(table.at, format!("nothing is changed about `{rule}`"), Some(hint));
    }
    Some(Adjust { rule: rule.into(), severity, paths, skip_paths, skip_areas, off })
}
