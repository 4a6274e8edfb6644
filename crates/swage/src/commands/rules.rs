//! `swage rules`: list, show and test them.

mod learn;
mod pages;
mod replay;
mod report;
mod trial;

use std::borrow::Cow;
use std::fmt::Write;
use std::process::ExitCode;

use swage_core::config::packs::pack_of;
use swage_core::config::schema;
use swage_core::lang::{Class, LANGUAGES, Language};
use swage_core::review::{Tried, try_example};
use swage_core::rule::{CodeMatch, Example, PathSet, Rule, Subject};
use swage_core::scan::try_pattern;
use unicode_width::UnicodeWidthStr;

use crate::cli::{RulesArgs, RulesCommand};
use crate::configuration::Configuration;
use crate::failure::{Failure, SAYS_NO};
use crate::history;
use crate::output::{print, print_text, to_json};
use crate::progress;
use crate::source::Workspace;
use crate::table::{Align, NOTHING, Table, YES};
use crate::terminal::{Paint, count, printable, width as terminal_width, wrap};

/// Most findings of a rule that `show` lists.
const MOST_LATELY: usize = 5;

pub fn run(command: &RulesCommand) -> Result<ExitCode, Failure> {
    match command {
        RulesCommand::List { languages: true, .. } => languages(),
        RulesCommand::List { rules, .. } => list(&load(rules)?),
        RulesCommand::Show { id, rules } => show(&load(rules)?, id),
        RulesCommand::Try(args) => trial::run(args),
        RulesCommand::Report(args) => report::run(args),
        RulesCommand::Replay(args) => replay::run(args),
        RulesCommand::Learn(args) => learn::run(args),
        RulesCommand::Pages { folder } => pages::run(folder),
        RulesCommand::Schema => {
            print(to_json(&schema()).as_bytes())?;
            Ok(ExitCode::SUCCESS)
        }
        RulesCommand::Test(rules) => test(&load(rules)?),
    }
}

fn load(args: &RulesArgs) -> Result<Configuration, Failure> {
    Configuration::of_folder(&Workspace::find()?.root, args.config.as_deref())
}

/// Least columns in which a title is read beside its rule.
const LEAST_TITLE: usize = 24;

fn list(configuration: &Configuration) -> Result<ExitCode, Failure> {
    let paint = Paint;
    let mut out = String::new();
    let rules = configuration.rules.rules();
    let width = rules.iter().map(|r| r.id.len()).max().unwrap_or(0);
    let mut origin = "";
    for rule in rules {
        if rule.provenance.origin != origin {
            origin = &rule.provenance.origin;
            _ = writeln!(out, "{}{}", if out.is_empty() { "" } else { "\n" }, paint.strong(printable(origin)));
        }
        let severity = paint.severity(rule.severity, format!("{:7}", rule.severity.word()));
        _ = write!(out, "  {severity}  ");
        // Where too little room is left beside the ids, the titles are below them.
        let beside = 13 + width;
        let indent = if beside + LEAST_TITLE <= terminal_width() { beside } else { 11 };
        let mut lines = wrap(&printable(&rule.title), terminal_width() - indent).into_iter();
        _ = if indent == beside {
            writeln!(out, "{:width$}  {}", rule.id, lines.next().unwrap_or_default())
        } else {
            writeln!(out, "{}", rule.id)
        };
        lines.for_each(|line| _ = writeln!(out, "{}{line}", " ".repeat(indent)));
    }
    for (id, file) in &configuration.off {
        _ = writeln!(out, "\n{}", paint.faint(format!("{id} is switched off in {}", printable(file))));
    }
    for note in &configuration.notes {
        _ = writeln!(out, "\n{}", paint.warning(printable(note)));
    }
    let from = format!("{}. `swage rules show ID` shows one in full.", configuration.from);
    out.push('\n');
    wrap(&from, terminal_width()).iter().for_each(|line| _ = writeln!(out, "{line}"));
    print_text(&out)?;
    Ok(ExitCode::SUCCESS)
}

/// A table of the languages and of the node classes that each has.
fn languages() -> Result<ExitCode, Failure> {
    let paint = Paint;
    let classes = Class::ALL.map(|(word, _)| word);
    let words = classes.into_iter().chain(["keys", "roles", "scopes"]).map(|head| (head, Align::Left, 0));
    let heads = std::iter::once(("language", Align::Left, 0)).chain(words).chain([("files", Align::Left, 0)]);
    let mut table = Table::new(1, heads);
    for language in LANGUAGES {
        let knows = [language.has_keys(), language.knows_roles(), language.has_scopes];
        let classed = classes.map(|word| language.abilities().any(|a| a == word));
        let words = classed.into_iter().chain(knows).map(|has| if has { YES } else { NOTHING }.to_owned());
        let endings = language.extensions.iter().map(|e| format!(".{e}"));
        let files: Vec<_> = endings.chain(language.file_names.iter().map(ToString::to_string)).collect();
        table.row(std::iter::once(language.name.to_owned()).chain(words).chain([files.join(" ")]).collect());
    }
    let mut out = table.render(terminal_width(), |head| paint.strong(head));
    out +=
        "\nThe words are those for `node` in holes and filters; `definition` and `measure` need function or class.\n";
    out += "Keys: `key` works. Roles: `names` finds what is defined and used. Scopes: `names` also finds what is\nundefined, defined twice or imported and not used.\n";
    out += "Code in Markdown's fences and in HTML's scripts and styles is examined as its own language.\n";
    print_text(&out)?;
    Ok(ExitCode::SUCCESS)
}

fn show(configuration: &Configuration, id: &str) -> Result<ExitCode, Failure> {
    let Some(rule) = configuration.rules.get(id) else {
        if let Some((_, file)) = configuration.off.iter().find(|(off, _)| off == id) {
            return Err(Failure::wrong(format!("the rule `{id}` is switched off in {file}")));
        }
        if let Some(pack) = pack_of(id) {
            return Err(Failure::wrong(format!("the rule `{id}` is in the pack `{}`, which is off", pack.name))
                .hint("Name the pack under `packs` in swage.toml, beside the others that you want."));
        }
        return Err(Failure::no_rule(id, configuration.rules.rules().iter().map(|r| r.id.as_str())));
    };
    let paint = Paint;
    let mut out = String::new();
    _ = writeln!(out, "{}  {}", paint.strong(&rule.id), paint.severity(rule.severity, rule.severity));
    _ = writeln!(out, "{}\n", printable(&rule.title));
    for (key, value, from) in standing(rule) {
        let mut shown = wrap(&printable(&value), terminal_width() - INDENT);
        let from = format!("({from})");
        match shown.last_mut().filter(|line| INDENT + line.width() + 2 + from.width() <= terminal_width()) {
            Some(line) => line.push_str(&format!("  {}", paint.faint(from))),
            None => shown.push(paint.faint(from)),
        }
        keyed(key, shown, &mut out);
    }
    keyed("applies to", wrap(&looks_at(rule), terminal_width() - INDENT), &mut out);
    if let Some(outer) = &rule.provenance.replaces {
        _ = writeln!(out, "{:11} the rule of this id in {}", "replaces", printable(outer));
    }
    _ = writeln!(out);
    rule.provenance.written.lines().for_each(|line| _ = writeln!(out, "    {}", printable(line)));
    if let Some(help) = &rule.help {
        _ = writeln!(out, "\n{}", wrap(&printable(&help.replace('\n', " ")), terminal_width().min(100)).join("\n"));
    }
    if let Some(limitations) = &rule.limitations {
        let text = format!("What it doesn't see: {}", printable(&limitations.replace('\n', " ")));
        _ = writeln!(out, "\n{}", wrap(&text, terminal_width().min(100)).join("\n"));
    }
    rule.examples.iter().for_each(|example| show_example(rule, example, &mut out));
    let workspace = Workspace::find()?;
    let history = workspace.repository.as_ref().and_then(history::open);
    let lately = history.and_then(|history| history.lately(id).ok()).unwrap_or_default();
    if !lately.is_empty() {
        _ = writeln!(out, "\n{}", paint.strong("Found lately"));
    }
    for found in lately.iter().take(MOST_LATELY) {
        let day = history::day(found.first);
        _ = writeln!(out, "  {}  {}  {}", paint.faint(day), printable(&found.place), printable(&found.message));
    }
    print_text(&out)?;
    Ok(ExitCode::SUCCESS)
}

/// Columns before what a rule says.
const INDENT: usize = 16;

/// A key with the lines of its value beside it.
fn keyed(key: &str, lines: Vec<String>, out: &mut String) {
    for (index, line) in lines.iter().enumerate() {
        _ = writeln!(out, "{:1$} {line}", if index == 0 { key } else { "" }, INDENT - 1);
    }
}

/// What a rule says after layering: key, value, and the file or pack that says it.
fn standing(rule: &Rule) -> Vec<(&'static str, String, Cow<'_, str>)> {
    let list = |set: &PathSet| set.patterns().join(", ");
    let mut said = vec![("severity", rule.severity.to_string()), ("message", rule.message.clone())];
    said.extend(rule.paths.as_ref().map(|set| ("paths", list(set))));
    said.extend(rule.skip_paths.as_ref().map(|set| ("skip_paths", list(set))));
    let areas: Vec<_> = rule.skip_areas.iter().map(|area| area.word()).collect();
    said.extend((!areas.is_empty()).then(|| ("skip_areas", areas.join(", "))));
    let flags = [
        ("locked", rule.locked),
        ("secret", rule.secret),
        ("skip_generated", rule.skip_generated),
        ("skip_explained", rule.skip_explained),
        ("skip_templated", rule.skip_templated),
    ];
    said.extend(flags.iter().filter(|(_, on)| *on).map(|(key, _)| (*key, "true".to_owned())));
    said.extend((!rule.tags.is_empty()).then(|| ("tags", rule.tags.join(", "))));
    let from = |key: &str| {
        let nearest = rule.provenance.changed.iter().rev().find(|(changed, _)| *changed == key);
        printable(nearest.map_or(&rule.provenance.origin, |(_, file)| file))
    };
    said.into_iter().map(|(key, value)| (key, value, from(key))).collect()
}

/// What a rule looks at, in a line.
fn looks_at(rule: &Rule) -> String {
    if let Some(change) = rule.change() {
        let word = Subject::ALL.iter().find(|(_, subject)| *subject == change.subject).map_or("", |(word, _)| word);
        return format!("the change: {word}");
    }
    if let Some(checker) = rule.checker() {
        let advisory = if checker.advisory { ", which only advises" } else { "" };
        return format!("what a program finds: {}{advisory}", printable(&checker.command.join(" ")));
    }
    let languages: Vec<_> = rule.languages().iter().map(|l| l.name).collect();
    let languages = if languages.is_empty() { "all languages".to_owned() } else { languages.join(", ") };
    format!("{languages}{}", if rule.link().is_some() { ", across files" } else { "" })
}

fn show_example(rule: &Rule, example: &Example, out: &mut String) {
    let paint = Paint;
    let (files, before) = match example {
        Example::Files { files, before } => (files, before),
        Example::Change { shown, findings, .. } => {
            let mark = if *findings > 0 { paint.severity(rule.severity, "»") } else { " ".to_owned() };
            _ = writeln!(out, "\n{}", paint.strong(format!("a change with {}", count(*findings, "finding"))));
            shown.lines().for_each(|line| _ = writeln!(out, " {mark} {}", printable(line)));
            return;
        }
    };
    let sides = before.iter().map(|f| (f, " before the change")).chain(files.iter().map(|f| (f, "")));
    for (file, side) in sides {
        _ = writeln!(out, "\n{}{side}", paint.strong(printable(&file.path)));
        for (number, line) in (1u64..).zip(file.code.lines()) {
            let reported = file.lines.contains(&number);
            let mark = if reported { paint.severity(rule.severity, "»") } else { " ".to_owned() };
            _ = writeln!(out, " {mark} {number:3}  {}", printable(line));
        }
        if let Some(fixed) = &file.fixed {
            _ = writeln!(out, " {}", paint.good("fixed"));
            fixed.lines().for_each(|line| _ = writeln!(out, "        {}", printable(line)));
        }
    }
}

fn test(configuration: &Configuration) -> Result<ExitCode, Failure> {
    let paint = Paint;
    let mut out = String::new();
    let (mut examples, mut failed, mut without) = (0, 0, Vec::new());
    let bar = progress::bar(configuration.rules.rules().len(), progress::FEWEST_STEPS, "{bar:30} {pos} of {len} rules");
    for rule in configuration.rules.rules() {
        if rule.examples.is_empty() {
            without.push(rule.id.as_str());
        }
        bar.inc(1);
        for example in &rule.examples {
            examples += 1;
            let wrong: Vec<_> = try_example(rule, example).into_iter().filter(|t| !t.holds()).collect();
            failed += usize::from(!wrong.is_empty());
            wrong.iter().for_each(|tried| out += &differs(rule, tried));
        }
    }
    bar.finish_and_clear();
    if !without.is_empty() {
        _ = writeln!(out, "Without examples: {}", without.join(", "));
    }
    let summary = format!("{failed} wrong of {examples} examples in {} rules", configuration.rules.rules().len());
    _ = writeln!(out, "{}", if failed == 0 { paint.good(summary) } else { paint.error(summary) });
    print_text(&out)?;
    Ok(if failed == 0 { ExitCode::SUCCESS } else { ExitCode::from(SAYS_NO) })
}

/// Why a rule finds nothing in a line of an example, as far as that is known.
fn why_not_found(rule: &Rule, tried: &Tried, line: u64) -> Option<String> {
    if rule.link().is_some() || rule.is_about_syntax() {
        return None;
    }
    let (path, code) = (tried.path.as_bytes(), tried.code.as_bytes());
    let language = Language::of(path, code);
    let languages = rule.languages();
    let names = languages.iter().map(|l| l.name).collect::<Vec<_>>().join(", ");
    match language {
        None if !languages.is_empty() => {
            return Some(format!("the file is of no known language; the rule applies to {names}"));
        }
        Some(l) if !languages.is_empty() && !languages.iter().any(|own| own.name == l.name) => {
            return Some(format!("the file is {}; the rule applies to {names}", l.name));
        }
        _ => {}
    }
    if let Some(area) = rule.skipped_area(path) {
        return Some(format!("the rule skips {}, and the path is among them", area.word()));
    }
    if !rule.wants_path(path) {
        return Some("the rule's paths or skip_paths leave this path out".to_owned());
    }
    if swage_core::rule::is_rule_file(path) && !rule.names_rule_files() {
        return Some("rule files are looked at only by rules that name them in `paths`".to_owned());
    }
    let language = language?;
    let patterns = rule
        .clauses
        .iter()
        .filter(|clause| clause.languages.is_empty() || clause.languages.contains(&language))
        .filter_map(|clause| clause.matcher_as::<CodeMatch>());
    let mut nearest = None;
    for pattern in patterns {
        let trial = try_pattern(code, language, pattern).ok()?;
        if trial.matches.iter().any(|m| u64::from(m.span.start_line) == line) {
            return Some("the pattern matches here, and a filter or a condition on a hole refuses it".to_owned());
        }
        nearest = nearest.or(trial.nearest);
    }
    let miss = nearest?;
    let found = if miss.found.is_empty() { "nothing".to_owned() } else { format!("`{}`", miss.found) };
    Some(format!(
        "the nearest miss is at {}:{}: expected {}, found {found}",
        miss.span.start_line, miss.span.start_column, miss.wanted
    ))
}

/// What was expected and what was found, line by line.
fn differs(rule: &Rule, tried: &Tried) -> String {
    let paint = Paint;
    if tried.path.is_empty() {
        let count = |list: &[u64]| list.first().copied().unwrap_or_default();
        let (wanted, found) = (count(&tried.expected), count(&tried.found));
        let what = paint.gone(format!("{wanted} expected, {found} found"));
        let code = tried.code.lines().map(|line| format!("    {}\n", printable(line))).collect::<String>();
        return format!("{} {what}\n{code}", paint.strong(&rule.id));
    }
    let mut out = format!("{} {}\n", paint.strong(&rule.id), printable(&tried.path));
    for (number, line) in (1u64..).zip(tried.code.lines()) {
        let line = printable(line);
        _ = match (tried.expected.contains(&number), tried.found.contains(&number)) {
            (true, false) => {
                _ = writeln!(out, "  {} {number:3}  {line}", paint.gone("expected, not found"));
                let why = why_not_found(rule, tried, number);
                why.map_or(Ok(()), |why| writeln!(out, "                           {}", paint.faint(printable(&why))))
            }
            (false, true) => writeln!(out, "  {} {number:3}  {line}", paint.warning("found, not expected")),
            (true, true) => writeln!(out, "  {} {number:3}  {line}", paint.good("expected and found ")),
            (false, false) => writeln!(out, "                      {number:3}  {line}"),
        };
    }
    if let Some(fixed) = &tried.fixed_wrongly {
        _ = writeln!(out, "  {}", paint.gone("its fixes give a different result than `fixed`:"));
        fixed.lines().for_each(|line| _ = writeln!(out, "    {}", printable(line)));
    }
    out
}
