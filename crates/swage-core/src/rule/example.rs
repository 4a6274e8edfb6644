//! Reading the examples that are a rule's own tests.
//!
//! Examples are part of a rule and not files beside it: they travel with it between repositories, and `rules show` prints
//! them as its documentation. For rules on changes an example gives figures, not files, since what is asked is how many
//! lines were added and not which.

use super::keys::{Holds, Key, Keys, words};
use super::model::{Example, ExampleFile, FileFigures};
use super::problem::Problems;
use super::table::Table;
use super::values::one_of;
use crate::change::{Change, ChangedFile, Commit, Nature};
use crate::diff::{Kind, LineMap};
use crate::sides::Sides;

/// A test of a rule.
pub(super) static EXAMPLE: Keys = Keys::one_of("example", "A test of the rule.", &[&FILE, &FILES, &CHANGE_EXAMPLE]);

/// A file of an example, with what must be found in it.
static FILE: Keys = Keys::new("example_file", "A file, and what must be found in it.", || {
    FILE_KEYS.iter().chain(&JUDGED_KEYS).collect()
});
/// A file as it was before the change of an example.
static BEFORE: Keys =
    Keys::new("example_before", "A file before the change.", || FILE_KEYS.iter().chain([&LINES_BEFORE]).collect());
/// The keys of any file of an example.
static FILE_KEYS: [Key; 2] = [
    Key::required("path", Holds::String, "The path that it pretends to have."),
    Key::required("code", Holds::String, "The file's content."),
];
/// What is demanded of a file after the change.
static JUDGED_KEYS: [Key; 2] = [
    Key::required("lines", Holds::Numbers(1), "The lines that must be reported."),
    Key::new("fixed", Holds::String, "What the fixes must make of the file."),
];
/// What is demanded of a file before the change.
static LINES_BEFORE: Key = Key::new("lines", Holds::Numbers(1), "The lines that must be reported as fixed.");
/// An example of several files, for rules that compare them.
static FILES: Keys =
    Keys::new("example_files", "Several files, perhaps with what they were before.", || FILES_KEYS.iter().collect());
/// The keys of such an example.
static FILES_KEYS: [Key; 2] = [
    Key::required("files", Holds::Tables(&FILE), "The files."),
    Key::new("before", Holds::Tables(&BEFORE), "The files before the change."),
];
/// An example for rules on the change itself.
static CHANGE_EXAMPLE: Keys =
    Keys::new("example_change", "A change, and how many findings it has.", || CHANGE_EXAMPLE_KEYS.iter().collect());
/// The keys of such an example.
static CHANGE_EXAMPLE_KEYS: [Key; 2] = [
    Key::required("change", Holds::Table(&SAMPLE), "What the change looks like."),
    Key::required("findings", Holds::Number, "How many findings there must be."),
];
/// A made-up change: only what rules look at needs to be given.
static SAMPLE: Keys =
    Keys::new("sample_change", "What a change looks like to a rule on changes.", || SAMPLE_KEYS.iter().collect());
/// The keys of a made-up change.
static SAMPLE_KEYS: [Key; 4] = [
    Key::new("title", Holds::String, "Its title."),
    Key::new("description", Holds::String, "Its description."),
    Key::new("commits", Holds::Tables(&SAMPLE_COMMIT), "Its commits."),
    Key::new("files", Holds::Tables(&SAMPLE_FILE), "Its files."),
];
/// A commit of a made-up change.
static SAMPLE_COMMIT: Keys = Keys::new("sample_commit", "A commit.", || SAMPLE_COMMIT_KEYS.iter().collect());
/// The keys of a commit.
static SAMPLE_COMMIT_KEYS: [Key; 2] = [
    Key::required("message", Holds::String, "Its message."),
    Key::new("author", Holds::String, "Its author, as `Name <address>`."),
];
/// A file of a made-up change.
static SAMPLE_FILE: Keys = Keys::new("sample_file", "A file of a change.", || SAMPLE_FILE_KEYS.iter().collect());
/// The keys of a file, with the figures that rules ask for.
static SAMPLE_FILE_KEYS: [Key; 7] = [
    Key::required("path", Holds::String, "Its path."),
    Key::new("kind", Holds::OneOf(|| words(&KINDS)), "What happens to it; `modified` when left out."),
    Key::new("binary", Holds::Flag, "Whether it is binary data."),
    Key::new("added", Holds::Number, "Added lines."),
    Key::new("removed", Holds::Number, "Removed lines."),
    Key::new("size", Holds::Number, "Its bytes after the change."),
    Key::new("unlisted", Holds::Number, "How many findings aren't listed, since it looks generated."),
];
/// The words for what happens to a file; renames need two paths, which an example hasn't.
const KINDS: [(&str, Kind); 3] = [("added", Kind::Added), ("deleted", Kind::Deleted), ("modified", Kind::Modified)];

/// Reads one example: a file, several files, or a change.
pub(super) fn read_example(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Example> {
    if table.has("change") {
        return read_change(table, p);
    }
    if !table.has("files") {
        // So that a misspelt key gets it as a suggestion.
        table.note("files");
        return Some(Example::Files { files: vec![read_file(table, true, p)?], before: Vec::new() });
    }
    // Both lists are read alike; only files after the change say what is found.
    let mut list = |key: &'static str, p: &mut Problems<'_>| {
        let mut files = Vec::new();
        for mut file in table.tables(key, p) {
            files.extend(read_file(&mut file, key == "files", p));
            file.finish(p);
        }
        files
    };
    Some(Example::Files { files: list("files", p), before: list("before", p) })
}

/// Reads a file; `judged` when the example says what is found in it after the change.
fn read_file(table: &mut Table<'_, '_>, judged: bool, p: &mut Problems<'_>) -> Option<ExampleFile> {
    let path = table.required_string("path", "an example", p);
    let code = table.required_string("code", "an example", p);
    let lines = table.numbers("lines", p);
    let fixed = if judged { table.string("fixed", p).map(|fixed| fixed.value) } else { None };
    let hint = || Some("list the lines that must be reported, or [] when none may be".to_owned());
    if judged && !table.has("lines") {
        p.at(table.at, "an example needs `lines`", hint());
    }
    let (path, code, lines) = (path?.value, code?.value, lines.unwrap_or_default());
    let count = code.lines().count() as u64;
    // A line that isn't there could never be reported, and the example would fail without a reason.
    if let Some(line) = lines.iter().find(|line| !(1..=count).contains(line)) {
        p.at(table.at, format!("there is no line {line} in the example, which has {count}"), hint());
    }
    Some(ExampleFile { path, code, lines, fixed })
}

/// What a change looks like to a rule on changes: its title, its commits, and its files with their figures.
fn read_change(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Example> {
    let findings = table.number("findings", p);
    if findings.is_none() {
        p.at(table.at, "an example with a change needs `findings`", Some("say how many there must be".into()));
    }
    let mut inner = table.table("change", p)?;
    let text = |key: &'static str, t: &mut Table<'_, '_>, p: &mut Problems<'_>| t.string(key, p).map(|s| s.value);
    let (title, body) = (text("title", &mut inner, p), text("description", &mut inner, p));
    let mut shown: Vec<String> = title.iter().map(|t| format!("title: {t}")).collect();
    shown.extend(body.iter().map(|t| format!("description: {t}")));
    let mut commits = Vec::new();
    for mut commit in inner.tables("commits", p) {
        let message = commit.required_string("message", "a commit", p);
        // Most rules don't ask, so an example needn't say.
        let author = text("author", &mut commit, p).unwrap_or_else(|| "dev <dev@example.org>".to_owned());
        commit.finish(p);
        let message = message?.value;
        shown.push(format!("commit of {author}: {}", message.lines().next().unwrap_or_default()));
        commits.push(Commit { id: format!("{:040x}", commits.len() + 1).into(), author, message });
    }
    // Figures are apart: a change has none until somebody counts.
    let (mut files, mut figures) = (Vec::new(), Vec::new());
    for mut file in inner.tables("files", p) {
        let path = file.required_string("path", "a file of a change", p);
        let kind = file.string("kind", p).map_or(Some(Kind::Modified), |k| one_of(&k, "kind of change", KINDS, p))?;
        let binary = file.flag("binary", p).unwrap_or(false);
        let mut number = |key: &'static str| file.number(key, p).map_or(0, |n| n.value);
        let (added, removed) = (number("added"), number("removed"));
        let (size, unlisted) = (number("size"), number("unlisted"));
        file.finish(p);
        let path = path?.value;
        let lines = if added + removed > 0 { format!(", +{added} -{removed}") } else { String::new() };
        let bytes = if size > 0 { format!(", {size} bytes") } else { String::new() };
        shown.push(format!("{} {path}{lines}{bytes}", format!("{kind:?}").to_lowercase()));
        figures.push(FileFigures { size, unlisted });
        files.push(ChangedFile {
            old_path: path.clone().into_bytes(),
            new_path: path.into_bytes(),
            kind,
            nature: if binary { Nature::Binary } else { Nature::Text },
            mode_only: false,
            modes: None,
            executable: Sides::default(),
            map: LineMap::nothing(),
            added: usize::try_from(added).unwrap_or(usize::MAX),
            removed: usize::try_from(removed).unwrap_or(usize::MAX),
        });
    }
    inner.finish(p);
    let change = Box::new(Change { files, title, body, commits: Some(commits), ..Change::default() });
    Some(Example::Change { change, figures, shown: shown.join("\n"), findings: findings?.value })
}
