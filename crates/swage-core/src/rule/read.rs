//! Reading `swage.toml` and rule files. Every mistake is noted with its place; nothing is guessed.

use std::collections::HashMap;
use std::sync::Arc;

use sha2::{Digest, Sha256};
use toml::de::DeTable;

use super::change::read_change;
use super::checker::read_checker;
use super::config::{Config, Limits, Policy, Submodules, parse_size};
use super::example::read_example;
use super::link::read_link;
use super::model::{Adjust, Beyond, Matcher, Rule, RuleSide, Severity, Way};
use super::problem::{Problem, Problems, nearest};
use super::table::{At, Table};
use super::values::{languages, one_of, path_set};
use super::ways::read_ways;
use crate::lang::Language;

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

/// Reads one file.
///
/// # Errors
/// All mistakes of the file at once, in the order of their lines.
pub fn read_rules(file: &str, source: &str, whole_config: bool) -> Result<RuleFile, Vec<Problem>> {
    read_file(Problems::of(file, source), whole_config)
}

/// Reads the rules of a pack, and leaves its patterns for later.
pub(crate) fn read_shipped(file: &str, source: &str) -> Result<RuleFile, Vec<Problem>> {
    read_file(Problems { shipped: true, ..Problems::of(file, source) }, false)
}

fn read_file(mut p: Problems<'_>, whole_config: bool) -> Result<RuleFile, Vec<Problem>> {
    let (file, source) = (p.file, p.source);
    let (document, errors) = DeTable::parse_recoverable(source);
    for error in errors {
        p.at(error.span().map_or(0, |s| s.start), format!("not TOML: {}", error.message()), None);
    }
    let mut out = RuleFile::default();
    if p.list.is_empty() {
        let mut table = Table::new(document.get_ref(), 0);
        out.extends =
            table.strings("extends", &mut p).unwrap_or_default().into_iter().map(|e| (e.value, e.at)).collect();
        if whole_config {
            settings(&mut table, &mut out.config, &mut p);
        }
        for mut adjust in table.tables("adjust", &mut p) {
            let at = adjust.at;
            out.adjusts.extend(read_adjust(&mut adjust, &mut p).map(|a| (a, at)));
            adjust.finish(&mut p);
        }
        let mut seen: HashMap<String, ()> = HashMap::new();
        for mut rule in table.tables("rule", &mut p) {
            let at = rule.at;
            if let Some(rule) = read_rule(&mut rule, file, &mut p) {
                if seen.insert(rule.id.clone(), ()).is_some() {
                    p.at(
                        at,
                        format!("the rule id `{}` stands twice in this file", rule.id),
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

fn settings(table: &mut Table<'_, '_>, config: &mut Config, p: &mut Problems<'_>) {
    config.target = table.string("target", p).map(|t| t.value);
    config.packs = table.strings("packs", p).map(|packs| packs.into_iter().map(|pack| (pack.value, pack.at)).collect());
    config.made = path_set(table, "generated", p).or_else(|| config.made.take());
    if let Some(mut limits) = table.table("limits", p) {
        let mut size = |key, p: &mut Problems<'_>| {
            let text = limits.string(key, p)?;
            let size = parse_size(&text.value);
            if size.is_none() {
                p.at(
                    text.at,
                    format!("`{}` is no size", text.value),
                    Some("write it like \"2 MiB\", \"500 KiB\" or \"4096 B\"".into()),
                );
            }
            size
        };
        let defaults = Limits::default();
        config.limits = Limits {
            file_size: size("file_size", p).unwrap_or(defaults.file_size),
            patch_size: size("patch_size", p).or(defaults.patch_size),
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
        let answers = [("allow", Submodules::Allow), ("refuse", Submodules::Refuse)];
        let submodules = gate.string("submodules", p).and_then(|s| one_of(&s, "answer", answers, p));
        policy.submodules = submodules.unwrap_or(policy.submodules);
        policy.files = gate.number("files", p).map(|n| n.value);
        policy.lines = gate.number("lines", p).map(|n| n.value);
        gate.finish(p);
        config.policy = policy;
    }
}

fn read_rule(table: &mut Table<'_, '_>, file: &str, p: &mut Problems<'_>) -> Option<Rule> {
    let before = p.list.len();
    let id = table.required_string("id", "a rule", p);
    let name = id.as_ref().map_or("a rule".to_owned(), |id| format!("rule `{}`", id.value));
    if let Some(id) = &id {
        let good = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
        if !id.value.chars().all(good) || id.value.starts_with('-') || id.value.len() > 64 {
            p.at(
                id.at,
                format!("`{}` can't be a rule's id", id.value),
                Some("use at most 64 lower-case letters, digits and hyphens".into()),
            );
        }
    }
    let severity = table
        .required_string("severity", &name, p)
        .and_then(|s| one_of(&s, "severity", Severity::ALL.map(|s| (s.word(), s)), p));
    let title = table.required_string("title", &name, p);
    let message = table.required_string("message", &name, p);
    let help = table.string("help", p).map(|h| h.value.trim().to_owned());
    let locked = table.flag("locked", p).unwrap_or(false);
    let suppressible = table.flag("suppressible", p).unwrap_or(false);
    let tags = table.strings("tags", p).unwrap_or_default().into_iter().map(|t| t.value).collect();
    let languages = languages(table, p);
    let paths = path_set(table, "paths", p);
    let skip_paths = path_set(table, "skip_paths", p);
    let sides = [("new", RuleSide::New), ("old", RuleSide::Old)];
    let side = table.string("side", p).and_then(|s| one_of(&s, "side", sides, p)).unwrap_or(RuleSide::New);
    let secret = table.flag("secret", p).unwrap_or(false);
    let skip_generated = table.flag("skip_generated", p).unwrap_or(false);
    let (mut ways, mut beyond) = (Vec::new(), None);
    let (written, definition) = (table.as_written("match", p), table.digest("match"));
    if table.has("match") {
        if let Some(mut found) = table.table("match", p) {
            (ways, beyond) = read_match(&mut found, languages.as_deref(), &name, p);
            found.finish(p);
        }
    } else {
        table.table("match", p);
        p.at(table.at, format!("{name} needs `match`"), Some("say what to look for in a table [rule.match]".into()));
    }
    if let (Some(Beyond::Link(link)), Some(message)) = (&mut beyond, &message) {
        let named = super::message::placeholders(&message.value).map(str::to_owned);
        let more: Vec<String> = named.filter(|name| !link.kept.contains(name)).collect();
        link.kept.extend(more);
    }
    if let Some(message) = &message {
        check_message(message, &ways, beyond.as_ref(), p);
    }
    let mut examples = Vec::new();
    for mut example in table.tables("examples", p) {
        examples.extend(read_example(&mut example, p));
        example.finish(p);
    }
    if p.list.len() > before {
        return None;
    }
    let mut rule = Rule {
        id: id?.value,
        severity: severity?,
        title: title?.value,
        message: message?.value,
        help,
        tags,
        side,
        paths,
        skip_paths,
        ways: Arc::new(ways),
        beyond: beyond.map(Arc::new),
        secret,
        skip_generated,
        locked,
        suppressible,
        examples,
        origin: file.to_owned(),
        written,
        replaces: None,
        changed: Vec::new(),
        definition,
        digest: [0; 32],
    };
    rule.digest = digest(&rule);
    Some(rule)
}

/// What a rule looks for: in files, or beyond them.
fn read_match(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> (Vec<Way>, Option<Beyond>) {
    if table.has("collect") {
        let (ways, link) = read_link(table, languages, name, p).unzip();
        return (ways.unwrap_or_default(), link.map(Beyond::Link));
    }
    if table.has("change") {
        return (Vec::new(), read_change(table, name, p).map(Beyond::Change));
    }
    if table.has("checker") {
        return (Vec::new(), read_checker(table, name, p).map(Beyond::Checker));
    }
    (read_ways(table, languages, name, p), None)
}

impl Rule {
    /// The same rule, leaving files alone that a program makes.
    pub(crate) fn leaving_made_files(mut self, skip: bool) -> Self {
        self.skip_generated |= skip;
        self.digest = digest(&self);
        self
    }
}

fn read_adjust(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Adjust> {
    let rule = table.required_string("rule", "an adjustment", p)?.value;
    let severity = table.string("severity", p);
    let severity = severity.and_then(|s| one_of(&s, "severity", Severity::ALL.map(|s| (s.word(), s)), p));
    let (paths, skip_paths) = (path_set(table, "paths", p), path_set(table, "skip_paths", p));
    let off = table.flag("off", p).unwrap_or(false);
    if !off && severity.is_none() && paths.is_none() && skip_paths.is_none() {
        let hint = "give `severity`, `paths`, `skip_paths` or `off = true`".to_owned();
        p.at(table.at, format!("nothing is changed about `{rule}`"), Some(hint));
    }
    Some(Adjust { rule, severity, paths, skip_paths, off })
}

/// All that decides what the rule finds and says; paths are left out, they only decide where it looks.
pub(super) fn digest(rule: &Rule) -> [u8; 32] {
    let mut hash = Sha256::new();
    for text in [&rule.id, rule.severity.word(), &rule.message] {
        hash.update((text.len() as u64).to_le_bytes());
        hash.update(text);
    }
    hash.update([u8::from(rule.secret), u8::from(rule.skip_generated)]);
    for name in rule.ways.iter().flat_map(|way| way.languages.iter().map(|language| language.name)) {
        hash.update(name);
        hash.update([0]);
    }
    hash.update(rule.definition);
    hash.finalize().into()
}

/// Placeholders of a message must be ones that the rule fills in.
fn check_message(message: &At<String>, ways: &[Way], beyond: Option<&Beyond>, p: &mut Problems<'_>) {
    let mut known = vec!["match"];
    match beyond {
        Some(Beyond::Link(link)) => known.extend(link.on.iter().map(String::as_str)),
        Some(Beyond::Change(change)) => known.extend(change.gaps()),
        Some(Beyond::Checker(_)) => known.extend(["message", "id"]),
        None => {}
    }
    for way in ways {
        match &way.matcher {
            Matcher::Code(code) => known.extend(code.holes.iter().map(|h| h.name.as_str())),
            Matcher::Tree(tree) => known.extend(tree.captures()),
            Matcher::Key(key) => known.extend(key.holes.iter().map(|h| h.name.as_str())),
            Matcher::Measure(_) => known.extend(["name", "value", "limit"]),
            Matcher::Names(_) => known.push("name"),
            Matcher::Suppression(_) => known.extend(["name", "hint"]),
            Matcher::Text(text) => known.extend(text.regex.capture_names().flatten()),
            Matcher::Syntax => known.push("value"),
            Matcher::CommentedCode => {}
        }
    }
    for word in super::message::placeholders(&message.value) {
        let readable = !ways.is_empty() || beyond.is_some();
        if readable && !known.contains(&word) {
            p.at(
                message.at,
                format!("nothing fills in `{{{word}}}` in the message"),
                Some(nearest(word, known.iter().copied())),
            );
        }
    }
}
