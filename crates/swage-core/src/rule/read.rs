//! Reading `swage.toml` and rule files. Every mistake is noted with its place; nothing is guessed.

use std::collections::HashMap;
use std::sync::Arc;

use globset::{Glob, GlobSet, GlobSetBuilder};
use regex::bytes::{Regex, RegexBuilder};
use sha2::{Digest, Sha256};
use toml::de::DeTable;

use super::config::{Config, Limits, Policy, parse_size};
use super::model::{
    Adjust, AllowanceFault, CodeMatch, Example, Filter, Matcher, Measure, MeasureMatch, Place, Relation, Rule,
    RuleSide, Severity, TextMatch, TreeMatch, Way, What, Zone,
};
use super::pattern::Hole;
use super::problem::{Problem, Problems, nearest};
use super::table::{At, Table};
use crate::lang::{Class, LANGUAGES, Language};

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
    let mut p = Problems { file, source, list: Vec::new() };
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
        policy.allowances = gate.number("allowances", p).map(|n| n.value);
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
    let tags = table.strings("tags", p).unwrap_or_default().into_iter().map(|t| t.value).collect();
    let languages = languages(table, p);
    let paths = globs(table, "paths", p);
    let skip_paths = globs(table, "skip_paths", p);
    let sides = [("new", RuleSide::New), ("old", RuleSide::Old)];
    let side = table.string("side", p).and_then(|s| one_of(&s, "side", sides, p)).unwrap_or(RuleSide::New);
    let mut ways = Vec::new();
    if table.has("match") {
        if let Some(mut found) = table.table("match", p) {
            ways = read_ways(&mut found, languages.as_deref(), &name, p);
            found.finish(p);
        }
    } else {
        table.table("match", p);
        p.at(table.at, format!("{name} needs `match`"), Some("say what to look for in a table [rule.match]".into()));
    }
    if let Some(message) = &message {
        check_message(message, &ways, p);
    }
    let mut examples = Vec::new();
    for mut example in table.tables("examples", p) {
        let path = example.required_string("path", "an example", p);
        let code = example.required_string("code", "an example", p);
        let lines = example.numbers("lines", p);
        if lines.is_none() {
            p.at(
                example.at,
                "an example needs `lines`",
                Some("list the lines that must be reported, or [] when none may be".into()),
            );
        }
        if let (Some(path), Some(code), Some(lines)) = (path, code, lines) {
            examples.push(Example { path: path.value, code: code.value, lines });
        }
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
        locked,
        examples,
        origin: file.to_owned(),
        changed: Vec::new(),
        digest: [0; 32],
    };
    rule.digest = digest(&rule);
    Some(rule)
}

fn read_adjust(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Adjust> {
    let rule = table.required_string("rule", "an adjustment", p)?.value;
    let severity = table.string("severity", p);
    let severity = severity.and_then(|s| one_of(&s, "severity", Severity::ALL.map(|s| (s.word(), s)), p));
    let (paths, skip_paths) = (globs(table, "paths", p), globs(table, "skip_paths", p));
    let off = table.flag("off", p).unwrap_or(false);
    if !off && severity.is_none() && paths.is_none() && skip_paths.is_none() {
        let hint = "give `severity`, `paths`, `skip_paths` or `off = true`".to_owned();
        p.at(table.at, format!("nothing is changed about `{rule}`"), Some(hint));
    }
    Some(Adjust { rule, severity, paths, skip_paths, off })
}

/// All that decides what the rule finds and says; paths are left out, they only decide where it looks.
pub(super) fn digest(rule: &Rule) -> [u8; 32] {
    let mut text = format!("{}\0{}\0{}\0", rule.id, rule.severity, rule.message);
    for way in rule.ways.iter() {
        text += &format!("{:?} ", way.languages);
        text += &match &way.matcher {
            Matcher::Code(c) => code_digest(c),
            Matcher::Tree(t) => format!("{:?}", t.query),
            other => format!("{other:?}"),
        };
        way.filters.iter().for_each(|filter| filter_digest(filter, &mut text));
        text.push('\0');
    }
    Sha256::digest(text.as_bytes()).into()
}

fn code_digest(c: &CodeMatch) -> String {
    format!("{:?} {:?} {}", c.code, c.holes, c.statement)
}

fn filter_digest(filter: &Filter, text: &mut String) {
    *text += &format!(" {:?}(", filter.relation);
    for place in &filter.any {
        *text += &match &place.what {
            What::Code(c) => code_digest(c),
            other @ (What::Definition { .. } | What::Node(_) | What::Text(_)) => format!("{other:?}"),
        };
        place.filters.iter().for_each(|inner| filter_digest(inner, text));
    }
    text.push(')');
}

/// A table with one way to match, or with several under `any`; filters and languages beside `any` hold for all of them.
fn read_ways(
    table: &mut Table<'_, '_>,
    outer: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> Vec<Way> {
    let own = if outer.is_none() || table.has("languages") { languages(table, p) } else { None };
    let languages = own.or_else(|| outer.map(<[_]>::to_vec));
    if !table.has("any") {
        return read_way(table, languages, name, p).into_iter().collect();
    }
    let mut ways = Vec::new();
    for mut inner in table.tables("any", p) {
        ways.extend(read_ways(&mut inner, languages.as_deref(), name, p));
        inner.finish(p);
    }
    let shared: Vec<Arc<Filter>> = read_filters(table, languages.as_deref(), p).into_iter().map(Arc::new).collect();
    ways.iter_mut().for_each(|way| way.filters.extend(shared.iter().cloned()));
    ways
}

fn read_way(
    table: &mut Table<'_, '_>,
    languages: Option<Vec<&'static Language>>,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Way> {
    const WAYS: [&str; 6] = ["text", "code", "tree", "measure", "commented_code", "allowance"];
    let given: Vec<_> = WAYS.into_iter().filter(|w| table.has(w)).collect();
    let before = p.list.len();
    // So that they aren't called unknown when something else is wrong with them.
    WAYS.into_iter()
        .chain(["zones", "holes", "statement", "of", "over"])
        .filter(|_| given.len() != 1)
        .for_each(|key| table.note(key));
    let matcher = match given.as_slice() {
        ["text"] => read_text(table, p).map(Matcher::Text),
        ["code"] => {
            let code = read_code(table, languages.as_deref(), p);
            needs_languages(languages.as_deref(), table.at, name, p);
            code.map(Matcher::Code)
        }
        ["tree"] => {
            needs_languages(languages.as_deref(), table.at, name, p);
            read_tree(table, languages.as_deref(), p).map(Matcher::Tree)
        }
        ["measure"] => read_measure(table, p).map(Matcher::Measure),
        ["commented_code"] => {
            table.flag("commented_code", p);
            Some(Matcher::CommentedCode)
        }
        ["allowance"] => {
            let faults = [("unused", AllowanceFault::Unused), ("unreasoned", AllowanceFault::Unreasoned)];
            let fault = table.required_string("allowance", name, p);
            fault.and_then(|f| one_of(&f, "fault of an allowance", faults, p)).map(Matcher::Allowance)
        }
        [] => {
            p.at(
                table.at,
                format!("{name} doesn't say what to look for"),
                Some("give `text`, `code`, `tree`, `measure`, `commented_code` or `any`".into()),
            );
            None
        }
        several => {
            p.at(
                table.at,
                format!("{name} gives {} at once", several.join(" and ")),
                Some("put each into a table of its own under `any`".into()),
            );
            None
        }
    };
    let filters = read_filters(table, languages.as_deref(), p).into_iter().map(Arc::new).collect();
    if p.list.len() > before || languages.as_ref().is_some_and(Vec::is_empty) {
        return None;
    }
    Some(Way { languages: languages.unwrap_or_default(), matcher: matcher?, filters })
}

fn needs_languages(languages: Option<&[&'static Language]>, at: usize, name: &str, p: &mut Problems<'_>) {
    if languages.is_none() {
        p.at(
            at,
            format!("{name} matches code and so needs `languages`"),
            Some(format!("list some of {}", LANGUAGES.iter().map(|l| l.name).collect::<Vec<_>>().join(", "))),
        );
    }
}

fn read_filters(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Vec<Filter> {
    let mut filters = Vec::new();
    for (key, relation) in [
        ("enclosed_by", Relation::EnclosedBy),
        ("not_enclosed_by", Relation::NotEnclosedBy),
        ("encloses", Relation::Encloses),
        ("not_encloses", Relation::NotEncloses),
        ("preceded_by", Relation::PrecededBy),
        ("not_preceded_by", Relation::NotPrecededBy),
        ("unless", Relation::Unless),
    ] {
        let mut any = Vec::new();
        for mut place in table.tables(key, p) {
            if let Some(what) = read_place(&mut place, languages, relation, p) {
                any.push(Place { what, filters: read_filters(&mut place, languages, p) });
            }
            place.finish(p);
        }
        if !any.is_empty() {
            filters.push(Filter { relation, any });
        }
    }
    filters
}

fn read_tree(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Option<TreeMatch> {
    let query = table.required_string("tree", "a tree match", p)?;
    let found = TreeMatch::new(query.value.clone());
    for language in languages.unwrap_or_default() {
        if let Err(error) = found.query(language) {
            p.inside(&query, error.offset, error.message.clone(), "docs/rules.md shows how queries are written".into());
            return None;
        }
    }
    Some(found)
}

fn read_text(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<TextMatch> {
    let text = table.required_string("text", "a text match", p)?;
    let regex = match RegexBuilder::new(&text.value).multi_line(true).crlf(true).size_limit(4 << 20).build() {
        Ok(regex) => regex,
        Err(error) => {
            bad_regex(&text, &error, p);
            return None;
        }
    };
    if regex.is_match(b"") {
        p.at(
            text.at,
            "the expression matches the empty text and so every line",
            Some("make at least one part of it obligatory".into()),
        );
        return None;
    }
    let zones = table.strings("zones", p).unwrap_or_default();
    let zones = zones
        .iter()
        .filter_map(|z| {
            one_of(z, "zone", [("code", Zone::Code), ("comment", Zone::Comment), ("string", Zone::String)], p)
        })
        .collect();
    Some(TextMatch { regex, zones })
}

fn read_code(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Option<CodeMatch> {
    let code = table.required_string("code", "a code match", p)?;
    let mut holes = Vec::new();
    if let Some(named) = table.table("holes", p) {
        for (name, mut hole) in named.entries(p) {
            let good = |c: char| c.is_alphanumeric() || c == '_';
            if !name.chars().all(good) {
                p.at(
                    hole.at,
                    format!("`{name}` can't be a hole's name"),
                    Some("use a name that the language would take as an identifier, such as CALL".into()),
                );
            }
            let text = hole.string("text", p).and_then(|t| regex(&t, p));
            let node = hole.string("node", p).and_then(|n| one_of(&n, "node class", Class::ALL, p));
            let many = hole.flag("many", p).unwrap_or(false);
            hole.finish(p);
            holes.push(Hole { name, many, text, node });
        }
    }
    let statement = table.flag("statement", p).unwrap_or(false);
    let found = CodeMatch::new(code.value.clone(), holes, statement);
    for language in languages.unwrap_or_default() {
        if let Err(error) = found.pattern(language) {
            let remedy = format!("a pattern is plain {} code; declare its gaps under `holes`", language.name);
            p.inside(&code, error.offset, error.message.clone(), remedy);
            return None;
        }
    }
    Some(found)
}

fn read_measure(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<MeasureMatch> {
    let measure = table.required_string("measure", "a measure match", p)?;
    let measure = one_of(&measure, "measure", Measure::ALL, p);
    let of = table.string("of", p).map_or(Some(Class::Function), |of| {
        one_of(&of, "definition", [("function", Class::Function), ("class", Class::Class)], p)
    });
    let over = table.number("over", p);
    if !table.has("over") {
        p.at(table.at, "a measure match needs `over`", Some("give the most that is allowed".into()));
    }
    if of == Some(Class::Class) && matches!(measure, Some(Measure::Nesting | Measure::Branches | Measure::Parameters)) {
        p.at(
            table.at,
            "only `lines` can be measured of a class",
            Some("leave `of` out, so that functions are measured".into()),
        );
        return None;
    }
    Some(MeasureMatch { measure: measure?, of: of?, over: over?.value })
}

fn read_place(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    relation: Relation,
    p: &mut Problems<'_>,
) -> Option<What> {
    if table.has("code") {
        return read_code(table, languages, p).map(What::Code);
    }
    if let Some(node) = table.string("node", p) {
        return one_of(&node, "node class", Class::ALL, p).map(What::Node);
    }
    if let Some(text) = table.string("text", p) {
        if matches!(relation, Relation::EnclosedBy | Relation::NotEnclosedBy) {
            p.at(
                text.at,
                "`text` can't be looked for around a match",
                Some("name a `definition`, a `node` class or `code`, or look inside with `encloses`".into()),
            );
        }
        return regex(&text, p).map(What::Text);
    }
    let class = table.required_string("definition", "a place without `code`, `node` or `text`", p)?;
    let class = one_of(&class, "definition", [("function", Class::Function), ("class", Class::Class)], p)?;
    let name = table.string("name", p).and_then(|n| regex(&n, p));
    Some(What::Definition { class, name })
}

fn languages(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Vec<&'static Language>> {
    let at = table.at;
    let names = table.strings("languages", p)?;
    if names.is_empty() {
        p.at(at, "`languages` is empty", Some("leave it out for all languages".into()));
    }
    let known = || crate::lang::NAMES.iter().map(|name| (*name, *name));
    let names = names.iter().filter_map(|name| one_of(name, "language", known(), p));
    // One that was left out of this build is a language in which nothing is found.
    Some(names.filter_map(Language::by_name).collect())
}

fn globs(table: &mut Table<'_, '_>, key: &'static str, p: &mut Problems<'_>) -> Option<GlobSet> {
    let list = table.strings(key, p)?;
    let mut builder = GlobSetBuilder::new();
    for glob in list {
        match globset::GlobBuilder::new(&glob.value).literal_separator(true).build() {
            Ok(glob) => _ = builder.add(glob as Glob),
            Err(error) => p.at(
                glob.at,
                format!("`{}` is no path pattern: {}", glob.value, error.kind()),
                Some("`*` stands for anything but `/`, `**` for any folders, `{a,b}` for either".into()),
            ),
        }
    }
    builder.build().ok()
}

fn regex(text: &At<String>, p: &mut Problems<'_>) -> Option<Regex> {
    RegexBuilder::new(&text.value).size_limit(4 << 20).build().map_err(|error| bad_regex(text, &error, p)).ok()
}

fn bad_regex(text: &At<String>, error: &regex::Error, p: &mut Problems<'_>) {
    let why = error.to_string();
    let why = why.lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
    p.at(text.at, format!("`{}` is no regular expression: {why}", text.value), None);
}

fn one_of<T>(
    word: &At<String>,
    what: &str,
    known: impl IntoIterator<Item = (&'static str, T)>,
    p: &mut Problems<'_>,
) -> Option<T> {
    let mut names = Vec::new();
    for (name, value) in known {
        if name == word.value {
            return Some(value);
        }
        names.push(name);
    }
    p.at(word.at, format!("`{}` is no {what}", word.value), Some(nearest(&word.value, names)));
    None
}

/// Placeholders of a message must be ones that the rule fills in.
fn check_message(message: &At<String>, ways: &[Way], p: &mut Problems<'_>) {
    let mut known = vec!["match", "path"];
    for way in ways {
        match &way.matcher {
            Matcher::Code(code) => known.extend(code.holes.iter().map(|h| h.name.as_str())),
            Matcher::Tree(tree) => {
                let queries = way.languages.iter().filter_map(|l| tree.query(l).ok());
                known.extend(queries.flat_map(|q| q.capture_names().iter().copied()));
            }
            Matcher::Measure(_) => known.extend(["name", "value", "limit"]),
            Matcher::Allowance(_) => known.push("name"),
            Matcher::Text(_) | Matcher::CommentedCode => {}
        }
    }
    for word in super::message::placeholders(&message.value) {
        if !known.contains(&word) && !ways.is_empty() {
            p.at(
                message.at,
                format!("nothing fills in `{{{word}}}` in the message"),
                Some(nearest(word, known.iter().copied())),
            );
        }
    }
}
