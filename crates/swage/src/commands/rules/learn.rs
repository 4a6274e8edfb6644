//! `swage rules learn`: a rule from what was done to code.

use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;

use swage_core::change::Content;
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::learn::{Learned, LearnedFix, Pair, learn};
use swage_core::review::try_example;
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::{Limits, Markers, scan};
use swage_git::DiffSource;
use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, Value, value};

use crate::cli::LearnArgs;
use crate::failure::Failure;
use crate::output::{print, write_file};
use crate::source::Workspace;
use crate::terminal::{count, printable};

/// Examples of more lines than this are left out of the rule.
const MAX_EXAMPLE_LINES: usize = 60;

/// Most examples that a rule gets.
const MAX_EXAMPLES: usize = 6;

pub fn run(args: &LearnArgs) -> Result<ExitCode, Failure> {
    let pairs = pairs(args)?;
    let mut learned = learn(&pairs).map_err(|why| {
        Failure::wrong(why).hint(if args.commit.is_empty() {
            "Give pairs of files: one with the code that the rule is to find, and the same one fixed."
        } else {
            "--language picks the files of one language."
        })
    })?;
    let rule = settle_on(args, &mut learned, &pairs)?;
    let text = rule.to_string();
    for doubt in &learned.doubts {
        anstream::eprintln!("swage: not sure: {}", printable(doubt));
    }
    let from = format!("{} in {}", count(learned.places, "place"), count(pairs.len(), "pair"));
    anstream::eprintln!(
        "swage: learned from {from}; its examples hold. Put it into swage.toml and give it a title and a message."
    );
    match &args.output {
        Some(path) => write_file(path, text.as_bytes())?,
        None => print(text.as_bytes())?,
    }
    Ok(ExitCode::SUCCESS)
}

/// Files before and after: as they were named, or as a commit has them.
fn pairs(args: &LearnArgs) -> Result<Vec<Pair>, Failure> {
    let mut pairs = Vec::new();
    let read = |path: &PathBuf| std::fs::read(path).map_err(|e| Failure::unreadable("", path, &e));
    if args.files.len() % 2 == 1 {
        return Err(Failure::wrong("a file before has no file after")
            .hint("Name files in pairs: BEFORE AFTER BEFORE AFTER ..., or commits with --commit."));
    }
    for [before, after] in args.files.as_chunks().0 {
        // The languages of both are one; the name after may be made up.
        let path = before.file_name().unwrap_or(before.as_os_str()).to_string_lossy().into_owned();
        pairs.push(Pair { path, before: read(before)?, after: read(after)? });
    }
    if !args.commit.is_empty() {
        let workspace = Workspace::find()?;
        let repository = workspace.repository()?;
        for revision in &args.commit {
            let id = repository.commit(revision)?;
            let parent = repository
                .commit(&format!("{id}^"))
                .map_err(|_| Failure::wrong(format!("{revision} has no parent to compare it with")))?;
            repository.diff(DiffSource::Commits { base: parent.to_string(), head: id.to_string() })?.with(
                |change, contents| {
                    for (index, file) in change.files.iter().enumerate() {
                        let sides = contents.sides(index);
                        if let (Content::Whole { bytes: before, .. }, Content::Whole { bytes: after, .. }) =
                            (sides.old, sides.new)
                        {
                            let language = Language::of(&file.old_path, &before).map(|language| language.name);
                            let wanted = args.language.as_deref().is_none_or(|wanted| language == Some(wanted));
                            if language.is_some() && wanted {
                                let path = String::from_utf8_lossy(&file.old_path).into_owned();
                                pairs.push(Pair { path, before, after });
                            }
                        }
                    }
                },
            )?;
        }
    }
    if pairs.is_empty() {
        return Err(Failure::wrong("there is nothing to learn from")
            .hint("Name files in pairs, or commits with --commit; --language picks the files of one language."));
    }
    Ok(pairs)
}

/// The rule, in the first form in which all examples hold: with the fix or without it; wherever the pattern matches, where the code
/// after doesn't match as well, or not inside of that.
fn settle_on(args: &LearnArgs, learned: &mut Learned, pairs: &[Pair]) -> Result<DocumentMut, Failure> {
    let fix = learned.fix.clone();
    let mut reason: Option<String> = None;
    let rewrites = matches!(fix, Some(LearnedFix::Rewrite(_)));
    let filters = [None, Some("unless"), Some("not_enclosed_by")];
    for (with_fix, filter) in [true, false].into_iter().flat_map(|with| filters.map(|filter| (with, filter))) {
        if with_fix && fix.is_none() || filter.is_some() && !rewrites {
            continue;
        }
        let filter = filter.zip(fix.as_ref());
        let form = Form { args, learned, fix: fix.as_ref().filter(|_| with_fix), filter };
        match form.checked(pairs) {
            Ok(document) => {
                if !with_fix && fix.is_some() {
                    let doubt = "the fix that it would have doesn't give the code after, so it has none";
                    learned.doubts.push(doubt.to_owned());
                }
                return Ok(document);
            }
            // The first reason is about the plain form.
            Err(why) => _ = reason.get_or_insert(why),
        }
    }
    let last = reason.unwrap_or_default();
    Err(Failure::wrong(format!("no pattern distinguishes the code before from the code after: {last}"))
        .hint("Give pairs that differ in one thing only, or write the rule by hand: docs/first-rule.md."))
}

/// A form that the rule may have.
struct Form<'a> {
    args: &'a LearnArgs,
    learned: &'a Learned,
    fix: Option<&'a LearnedFix>,
    /// A filter, and the code after, of which it says what a match must not be or are in.
    filter: Option<(&'a str, &'a LearnedFix)>,
}

impl Form<'_> {
    /// The rule with the examples that hold.
    fn checked(&self, pairs: &[Pair]) -> Result<DocumentMut, String> {
        let mut examples = Vec::new();
        let mut found = 0;
        for pair in pairs {
            let (before, after) = (String::from_utf8_lossy(&pair.before), String::from_utf8_lossy(&pair.after));
            // What it finds is seen by trying, and is then held against what was changed.
            let bare = self.document(&[]);
            let rule = parsed(&bare.to_string())?;
            let lines = lines_found(&rule, &pair.path, &before);
            found += hits(&rule, &pair.path, &before).len();
            if let Some(line) = lines_found(&rule, &pair.path, &after).first() {
                return Err(format!("it also matches {} after the change, in line {line}", pair.path));
            }
            examples.push(Example { path: &pair.path, code: before, lines, fixed: Some(after.clone()) });
            examples.push(Example { path: &pair.path, code: after, lines: Vec::new(), fixed: None });
        }
        if found < self.learned.places {
            return Err(format!("`{}` matches {found} of {} places", self.learned.pattern, self.learned.places));
        }
        if self.fix.is_none() {
            examples.iter_mut().for_each(|example| example.fixed = None);
        }
        examples.retain(|e| e.code.lines().count() <= MAX_EXAMPLE_LINES && !e.path.is_empty());
        examples.truncate(MAX_EXAMPLES);
        let document = self.document(&examples);
        let rule = parsed(&document.to_string())?;
        for example in &rule.examples {
            for tried in try_example(&rule, example) {
                if tried.expected != tried.found || tried.fixed_wrongly.is_some() {
                    return Err(format!("the example {} doesn't hold", tried.path));
                }
            }
        }
        Ok(document)
    }

    fn document(&self, examples: &[Example<'_>]) -> DocumentMut {
        let learned = self.learned;
        let mut rule = Table::new();
        rule.insert("id", value(self.args.id.as_str()));
        rule.insert("severity", value("warning"));
        rule.insert("title", value(format!("Write it as it was changed elsewhere ({})", self.args.id)));
        rule.insert("message", value("`{match}` was changed elsewhere."));
        rule.insert("languages", value(Array::from_iter([learned.language.name])));
        let mut way = Table::new();
        way.insert("code", value(learned.pattern.as_str()));
        if !learned.holes.is_empty() {
            way.insert("holes", value(holes_of(&learned.holes)));
        }
        let plain = plain_names(&learned.pattern, &learned.holes);
        if !plain.is_empty() {
            way.insert("plain", value(Array::from_iter(plain)));
        }
        match self.fix {
            Some(LearnedFix::Rewrite(text)) => {
                way.insert("fix", value(InlineTable::from_iter([("rewrite", Value::from(text.as_str()))])));
            }
            Some(LearnedFix::Remove) => {
                way.insert("fix", value(InlineTable::from_iter([("remove", Value::from("statement"))])));
            }
            None => {}
        }
        if let Some((filter, LearnedFix::Rewrite(text))) = self.filter {
            // The holes of the fix are in braces, those of a pattern don't. Filters share the pattern's holes, and what a run
            // takes is longer after.
            let own = |name: &str, many: bool| if many { format!("{name}_AFTER") } else { name.to_owned() };
            let holes: Vec<(String, bool)> =
                learned.holes.iter().map(|(name, many)| (own(name, *many && filter == "unless"), *many)).collect();
            let both = learned.holes.iter().zip(&holes);
            let code = both.fold(text.clone(), |text, ((name, _), (own, _))| text.replace(&format!("{{{name}}}"), own));
            let mut place = InlineTable::from_iter([("code", Value::from(code.replace("{ ", "{")))]);
            if !holes.is_empty() {
                place.insert("holes", holes_of(&holes).into());
            }
            way.insert(filter, value(place));
        }
        rule.insert("match", Item::Table(way));
        let mut tables = ArrayOfTables::new();
        for example in examples {
            let mut table = Table::new();
            table.insert("path", value(example.path));
            table.insert("code", value(&*example.code));
            table.insert("lines", value(Array::from_iter(example.lines.iter().map(|line| i64::from(*line)))));
            if let Some(fixed) = &example.fixed {
                table.insert("fixed", value(&**fixed));
            }
            tables.push(table);
        }
        rule.insert("examples", Item::ArrayOfTables(tables));
        let mut document = DocumentMut::new();
        document.insert("rule", Item::ArrayOfTables(ArrayOfTables::from_iter([rule])));
        document
    }
}

/// The names in capitals of a pattern that are no holes.
fn plain_names(pattern: &str, holes: &[(String, bool)]) -> Vec<String> {
    let words = pattern.split(|c: char| !c.is_ascii_alphanumeric() && c != '_');
    let is_capital = |word: &&str| {
        word.len() > 1
            && word.starts_with(|c: char| c.is_ascii_uppercase())
            && word.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b'_')
    };
    let mut names: Vec<String> = words.filter(is_capital).map(str::to_owned).collect();
    names.retain(|name| !holes.iter().any(|(hole, _)| hole == name));
    names.sort();
    names.dedup();
    names
}

/// Holes as a table of a rule.
fn holes_of(holes: &[(String, bool)]) -> InlineTable {
    let hole = |(name, many): &(String, bool)| {
        let keys = if *many { InlineTable::from_iter([("many", Value::from(true))]) } else { InlineTable::new() };
        (name.clone(), Value::from(keys))
    };
    InlineTable::from_iter(holes.iter().map(hole))
}

/// An example of the rule.
struct Example<'a> {
    path: &'a str,
    code: std::borrow::Cow<'a, str>,
    lines: Vec<u32>,
    fixed: Option<std::borrow::Cow<'a, str>>,
}

/// The rule that a text says.
fn parsed(text: &str) -> Result<Arc<Rule>, String> {
    let file = read_rules("the learned rule", text, FileRole::Rules);
    let file = file.map_err(|problems| problems.first().map(|p| p.message.clone()).unwrap_or_default())?;
    let (rule, _) = file.rules.into_iter().next().ok_or("it has no rule")?;
    Ok(Arc::new(rule))
}

/// The lines in which a rule finds something, 1-based.
fn lines_found(rule: &Arc<Rule>, path: &str, code: &str) -> Vec<u32> {
    let mut lines = hits(rule, path, code);
    lines.dedup();
    lines
}

/// The line of each place that a rule finds, 1-based, in order.
fn hits(rule: &Arc<Rule>, path: &str, code: &str) -> Vec<u32> {
    let set = RuleSet::new(vec![Arc::clone(rule)]);
    let language = Language::of(path.as_bytes(), code.as_bytes());
    let wanted = set.wanted(path.as_bytes());
    let found = scan(code.as_bytes(), language, &set, &wanted, &Limits::default(), Markers::Heeded);
    let mut lines: Vec<u32> = found.hits.iter().filter_map(|hit| hit.start_line().map(u32::from)).collect();
    lines.sort_unstable();
    lines
}
