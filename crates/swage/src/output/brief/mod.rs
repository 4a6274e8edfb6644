//! The forms of an overview, and its pictures.

pub mod flow;
pub mod human;
pub mod map;
pub mod markdown;

use serde_json::{Map as Object, Value, json};
use swage_core::brief::{Brief, BriefFile, DefinitionChange, DefinitionStatus};

use crate::output::to_json;
use crate::terminal::count;

/// The name and the version of the form.
const FORMAT: &str = "swage-brief/1";

/// One JSON object.
pub fn json(brief: &Brief) -> String {
    let mut whole = Object::from_iter([("format".to_owned(), json!(FORMAT))]);
    if let Ok(Value::Object(own)) = serde_json::to_value(brief) {
        whole.extend(own);
    }
    to_json(&Value::Object(whole))
}

/// The first of some names, and how many more there are.
fn few(names: &[impl AsRef<str>], most: usize) -> String {
    let shown: Vec<&str> = names.iter().take(most).map(AsRef::as_ref).collect();
    let more = names.len().checked_sub(most).filter(|more| *more > 0).map(|more| format!(" and {more} more"));
    shown.join(", ") + &more.unwrap_or_default()
}

/// `+12 -3`, or nothing.
fn lines(written: u32, dropped: u32) -> String {
    match (written, dropped) {
        (0, 0) => String::new(),
        (written, 0) => format!("+{written}"),
        (0, dropped) => format!("-{dropped}"),
        (written, dropped) => format!("+{written} -{dropped}"),
    }
}

/// The first line: who offers what, how much, and how long it takes.
pub fn gist(brief: &Brief) -> String {
    let mut authors: Vec<&str> =
        brief.commits.iter().map(|c| c.author.split(" <").next().unwrap_or_default()).collect();
    authors.sort_unstable();
    authors.dedup();
    let commits = match brief.commits.len() {
        0 => String::new(),
        n => format!("{} by {}, ", count(n, "commit"), few(&authors, 4)),
    };
    let sum = |of: fn(&BriefFile) -> u32| brief.files.iter().map(of).sum::<u32>();
    let all = lines(sum(|f| f.written), sum(|f| f.dropped));
    let files = count(brief.files.len(), "file");
    let separator = if all.is_empty() { "" } else { " " };
    // Beyond two hours, minutes say no more.
    let time =
        if brief.minutes < 120 { count(brief.minutes, "minute") } else { count(brief.minutes.div_ceil(60), "hour") };
    format!("{commits}{files}{separator}{all}, about {time} to read")
}

/// The findings of the change in a line.
fn findings(brief: &Brief) -> String {
    let found = &brief.findings;
    let [errors, warnings, notes] = found.new;
    let mut parts = Vec::new();
    let new = errors + warnings + notes;
    let severities = [(errors, "error"), (warnings, "warning"), (notes, "note")];
    let severities: Vec<String> = severities.iter().filter(|(n, _)| *n > 0).map(|(n, what)| count(*n, what)).collect();
    parts.push(if new == 0 { "0 new".to_owned() } else { format!("{new} new ({})", severities.join(", ")) });
    for (n, what) in [(found.fixed, "fixed"), (found.worse, "worse"), (found.improved, "improved")] {
        if n > 0 {
            parts.push(format!("{n} {what}"));
        }
    }
    parts.push(format!("{} unchanged", found.unchanged));
    parts.join(", ")
}

/// `renamed from old.py`, `modified`, `added`.
fn kind_of_change(file: &BriefFile) -> String {
    if file.old_path == file.path { file.change.to_string() } else { format!("{} from {}", file.change, file.old_path) }
}

/// A definition of a file with what happens to it, in pieces that come one after another.
fn about(definition: &DefinitionChange) -> Vec<String> {
    let mut pieces = Vec::new();
    if definition.inside > 0 {
        pieces.push(format!("with {} inside", count(definition.inside, "definition")));
    }
    match (&definition.old_name, &definition.old_path) {
        (Some(name), Some(path)) => pieces.push(format!("it was {name} in {path}")),
        (Some(name), None) => pieces.push(format!("it was {name}")),
        (None, Some(path)) => pieces.push(format!("it was in {path}")),
        (None, None) => {}
    }
    pieces
}

/// More places than this that only perhaps refer to something are counted, not listed.
const MOST_UNSURE: usize = 3;

/// The users of a definition outside the change, at most `most` of the sure ones by name; and how many may be.
fn users(brief: &Brief, definition: usize, most: usize) -> Option<String> {
    let all = || brief.uses.iter().filter(|u| u.definition == definition && !u.in_change);
    let sure: Vec<String> = all().filter(|u| u.sure).map(|u| format!("{}:{}", u.path, u.lines[0])).collect();
    let unsure: Vec<String> = all().filter(|u| !u.sure).map(|u| format!("{}:{}", u.path, u.lines[0])).collect();
    let mut parts = Vec::new();
    if !sure.is_empty() {
        parts.push(format!("used by {}", few(&sure, most)));
    }
    match unsure.len() {
        // Nothing used a name before it came.
        _ if brief.definitions[definition].what == DefinitionStatus::Added => {}
        0 => {}
        n if n <= MOST_UNSURE => parts.push(format!("perhaps by {}", unsure.join(", "))),
        n => parts.push(format!("perhaps by some of {n} files that use such a name")),
    }
    (!parts.is_empty()).then(|| format!("{}; not in the change", parts.join(", ")))
}

/// The definitions of a file, by their places in the list.
fn of_file<'b>(brief: &'b Brief, file: &'b BriefFile) -> impl Iterator<Item = (usize, &'b DefinitionChange)> {
    let own = move |d: &DefinitionChange| {
        d.path == file.path
            || d.what == DefinitionStatus::Removed && d.path == file.old_path && file.old_path != file.path
    };
    brief.definitions.iter().enumerate().filter(move |(_, d)| own(d))
}
