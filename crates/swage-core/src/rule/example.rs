//! Reading the examples that are a rule's own tests.

use super::model::{Example, ExampleFile, FileFigures};
use super::problem::Problems;
use super::table::Table;
use super::values::one_of;
use crate::change::{Change, ChangedFile, Commit, Nature};
use crate::diff::{Kind, LineMap};

/// Reads one example: a file, several files, or a change.
pub(super) fn read_example(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Example> {
    if table.has("change") {
        return read_change(table, p);
    }
    if !table.has("files") {
        table.note("files");
        return Some(Example::Files { files: vec![read_file(table, true, p)?], before: Vec::new() });
    }
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
        let author = text("author", &mut commit, p).unwrap_or_else(|| "dev <dev@example.org>".to_owned());
        commit.finish(p);
        let message = message?.value;
        shown.push(format!("commit of {author}: {}", message.lines().next().unwrap_or_default()));
        commits.push(Commit { id: format!("{:040x}", commits.len() + 1), author, message });
    }
    let (mut files, mut figures) = (Vec::new(), Vec::new());
    for mut file in inner.tables("files", p) {
        let path = file.required_string("path", "a file of a change", p);
        let words = [("added", Kind::Added), ("deleted", Kind::Deleted), ("modified", Kind::Modified)];
        let kind = file.string("kind", p).map_or(Some(Kind::Modified), |k| one_of(&k, "kind of change", words, p))?;
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
            executable: (false, false),
            map: LineMap::nothing(),
            added: usize::try_from(added).unwrap_or(usize::MAX),
            removed: usize::try_from(removed).unwrap_or(usize::MAX),
        });
    }
    inner.finish(p);
    let change = Box::new(Change { files, title, body, commits: Some(commits), ..Change::default() });
    Some(Example::Change { change, figures, shown: shown.join("\n"), findings: findings?.value })
}
