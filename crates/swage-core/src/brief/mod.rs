//! What a reader needs to know of a change before reading its lines: what it is made of, which definitions it touches, who
//! refers to them, where to look twice, and in which order to read.
//!
//! [`brief`] gathers all of that from the change, its contents and its [`Review`]; [`Map`] lays out the files and the arrows
//! between them, and [`Flow`] what a definition calls. Nothing here is drawn.

mod definitions;
mod flow;
mod map;
mod outline;
mod points;
mod reading;
mod uses;
mod words;

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use serde::Serialize;

pub use self::definitions::{DefinitionChange, DefinitionStatus};
pub use self::flow::{Flow, FlowCall, FlowLane, flow};
pub use self::map::{Arrow, Map, MapArea, MapNode};
pub use self::points::{Point, cover};
pub use self::reading::{FileKind, Risk};
pub use self::uses::Use;

use self::definitions::FileOutlines;
use crate::change::{Change, Content, Contents, Nature, Tree};
use crate::ids::CommitId;
use crate::lang::Language;
use crate::review::{ChangeKind, FindingCounts, Path, Review};
use crate::rule::Origin;

/// How often a file was changed lately.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub struct Churn {
    /// Commits that changed it.
    pub commits: u32,
    /// Their authors.
    pub authors: u32,
}

/// What is known of a change apart from itself.
#[derive(Debug, Clone, Default)]
pub struct Background {
    /// How often each file was changed in the 90 days before, by its path before the change.
    pub churn: BTreeMap<Path, Churn>,
    /// The acceptance points of its ticket, as a Markdown list.
    pub points: Option<String>,
    /// Larger files aren't looked at for references, in bytes.
    pub max_file_size: u64,
}

/// The overview of a change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Brief {
    /// What the change is, for people.
    pub description: String,
    /// The title under which it is offered.
    pub title: Option<String>,
    /// Its commits, oldest first.
    pub commits: Vec<BriefCommit>,
    /// The tickets that it names.
    pub tickets: Vec<String>,
    /// The acceptance points that were given.
    pub points: Vec<Point>,
    /// Its files, in the order of their paths.
    pub files: Vec<BriefFile>,
    /// The files by folder.
    pub areas: Vec<Group>,
    /// The files by language.
    pub languages: Vec<Group>,
    /// Definitions that it touches.
    pub definitions: Vec<DefinitionChange>,
    /// References to those.
    pub uses: Vec<Use>,
    /// Files with tests that it touches.
    pub tests: Vec<Path>,
    /// The riskiest places, worst first.
    pub risks: Vec<Risk>,
    /// In which order its files are best read.
    pub order: Vec<Path>,
    /// Minutes that it takes to read it.
    pub minutes: u32,
    /// Its findings in short.
    pub findings: FindingCounts,
    /// What could not be looked at, and what else to know.
    pub notes: Vec<String>,
}

/// A commit of the change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct BriefCommit {
    /// Its id.
    pub id: CommitId,
    /// Who wrote it, as `Name <address>`.
    pub author: String,
    /// The first line of its message.
    pub subject: String,
}

/// A file of the change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct BriefFile {
    /// Its path; before the change when that deletes it.
    pub path: Path,
    /// Its path before.
    pub old_path: Path,
    /// The folder that it belongs to.
    pub area: String,
    /// What happens to it.
    pub change: ChangeKind,
    /// What it is to its reader.
    pub kind: FileKind,
    /// Its language, when it has one.
    pub language: Option<String>,
    /// Added lines, those that only moved or were re-indented left out.
    pub written: u32,
    /// Removed lines, in the same order.
    pub dropped: u32,
    /// Findings that count against the change.
    pub new_findings: u32,
}

/// Files that belong together.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Group {
    /// The folder or the language.
    pub name: String,
    /// How many files.
    pub files: u32,
    /// Their written lines.
    pub written: u32,
    /// Their dropped lines.
    pub dropped: u32,
}

/// Gathers the overview of a change that has been reviewed.
pub fn brief(change: &Change, contents: &dyn Contents, review: &Review, background: &Background) -> Brief {
    let mut notes = Vec::new();
    let files = files(review);
    let outlines = outlines(change, contents);
    let definitions = definitions::compare(&outlines);
    let uses = match contents.tree() {
        Ok(tree) => references(change, contents, &*tree, &definitions, background.max_file_size),
        Err(why) => {
            notes.push(format!("References from other files aren't known: {why}"));
            Vec::new()
        }
    };
    if outlines.iter().any(|file| file.is_partial) {
        notes.push("Only the lines of the diff are known, so definitions aren't compared.".to_owned());
    }
    let subjects = change.commits.iter().flatten().map(|commit| commit.message.as_str());
    let tickets = points::tickets(change.title.as_deref().into_iter().chain(change.body.as_deref()).chain(subjects));
    let given = background.points.as_deref().map(points::read).unwrap_or_default();
    let tests: Vec<Path> = files.iter().filter(|f| f.kind == FileKind::Test).map(|f| f.path.clone()).collect();
    let missed = review.incomplete().map(|file| {
        let why = file.why_not.as_deref().unwrap_or("it could not be examined");
        format!("{} isn't examined whole: {why}", file.new_path)
    });
    notes.extend(missed);
    Brief {
        description: review.description.clone(),
        title: change.title.clone(),
        commits: commits(change),
        tickets,
        points: points::cover(given, &texts(change, &definitions, &tests)),
        areas: groups(&files, |file| Some(file.area.as_str())),
        languages: groups(&files, |file| file.language.as_deref()),
        risks: reading::risks(&files, &definitions, &uses, review, &background.churn),
        order: reading::order(&files, &definitions, &uses),
        minutes: reading::minutes(&files, &definitions, &uses),
        findings: review.finding_counts(),
        tests,
        files,
        definitions,
        uses,
        notes,
    }
}

fn commits(change: &Change) -> Vec<BriefCommit> {
    let commits = change.commits.iter().flatten().map(|commit| BriefCommit {
        id: commit.id.clone(),
        author: commit.author.clone(),
        subject: commit.subject().to_owned(),
    });
    commits.collect()
}

/// The folder that a file belongs to: at most two components.
fn area(path: &Path) -> String {
    let folders: Vec<&str> = path.text.split('/').collect();
    let depth = (folders.len() - 1).min(2);
    if depth == 0 { "(root)".to_owned() } else { folders[..depth].join("/") }
}

fn files(review: &Review) -> Vec<BriefFile> {
    let kinds = reading::Kinds::new();
    let mut against: BTreeMap<&Path, u32> = BTreeMap::new();
    for finding in review.findings.iter().filter(|f| f.counts_against_change()) {
        finding.path().into_iter().for_each(|path| *against.entry(path).or_default() += 1);
    }
    let file = |file: &crate::review::FileEntry| {
        let path = if file.kind == ChangeKind::Deleted { &file.old_path } else { &file.new_path };
        let has_lines = file.nature == Nature::Text && !matches!(file.kind, ChangeKind::Mode | ChangeKind::Binary);
        BriefFile {
            path: path.clone(),
            old_path: file.old_path.clone(),
            area: area(path),
            change: file.kind,
            kind: match (file.origin, has_lines) {
                (Origin::Generated, _) => FileKind::Generated,
                (Origin::Written, false) => FileKind::Other,
                (Origin::Written, true) => kinds.of_written(path, file.language.as_deref()),
            },
            language: file.language.clone(),
            written: file.written.written as u32,
            dropped: file.written.dropped as u32,
            new_findings: against.get(path).copied().unwrap_or(0),
        }
    };
    let mut files: Vec<BriefFile> = review.files.iter().map(file).collect();
    files.sort_by(|a, b| a.path.cmp(&b.path));
    files
}

/// Files by what `name` says of them, the largest group first.
fn groups<'f>(files: &'f [BriefFile], name: impl Fn(&'f BriefFile) -> Option<&'f str>) -> Vec<Group> {
    let mut groups: BTreeMap<&str, Group> = BTreeMap::new();
    for file in files {
        let Some(name) = name(file) else { continue };
        let empty = || Group { name: name.to_owned(), files: 0, written: 0, dropped: 0 };
        let group = groups.entry(name).or_insert_with(empty);
        group.files += 1;
        group.written += file.written;
        group.dropped += file.dropped;
    }
    let mut groups: Vec<Group> = groups.into_values().collect();
    groups.sort_by_key(|group| std::cmp::Reverse(group.written + group.dropped));
    groups
}

/// The definitions of both sides of all files that are known whole.
fn outlines(change: &Change, contents: &dyn Contents) -> Vec<FileOutlines> {
    let of = |path: &[u8], content: &Content| match content {
        Content::Whole { bytes, .. } => {
            Language::of(path, bytes).map(|language| outline::outline(bytes, language)).unwrap_or_default()
        }
        Content::Absent | Content::Partial { .. } | Content::Unavailable(_) => Vec::new(),
    };
    let one = |(index, file): (usize, &crate::change::ChangedFile)| {
        let sides = contents.sides(index);
        FileOutlines {
            old_path: Path::new(&file.old_path),
            new_path: Path::new(&file.new_path),
            map: file.map.clone(),
            old: of(&file.old_path, &sides.old),
            new: of(&file.new_path, &sides.new),
            is_partial: matches!(sides.new, Content::Partial { .. }),
        }
    };
    change.files.par_iter().enumerate().map(one).collect()
}

/// References to what changed, from the files of the change and from the others of the tree.
fn references(
    change: &Change,
    contents: &dyn Contents,
    tree: &dyn Tree,
    definitions: &[DefinitionChange],
    max_size: u64,
) -> Vec<Use> {
    let touched = change.touches();
    let others: Vec<usize> = (0..tree.files().len())
        .filter(|&index| tree.files()[index].nature == Nature::Text && !touched(&tree.files()[index].path))
        .collect();
    let own = change.files.len();
    let file = |index: usize| {
        let (path, content, in_change) = if index < own {
            (change.files[index].new_path.clone(), contents.sides(index).new, true)
        } else {
            let at = others[index - own];
            let path = tree.files()[at].path.clone();
            // Nothing is read that can't hold a name.
            if !path.ends_with(b".h") && path.contains(&b'.') {
                Language::by_path(&path)?;
            }
            (path, tree.content(at), false)
        };
        match content {
            Content::Whole { bytes, .. } if bytes.len() as u64 <= max_size => {
                Some(uses::ReadFile { path, content: bytes, in_change })
            }
            _ => None,
        }
    };
    uses::find(definitions, own + others.len(), &file)
}

/// What may mention an acceptance point, by name.
fn texts(change: &Change, definitions: &[DefinitionChange], tests: &[Path]) -> Vec<(String, String)> {
    let mut texts = Vec::new();
    texts.extend(change.title.clone().map(|title| ("title".to_owned(), title)));
    texts.extend(change.body.clone().map(|body| ("description".to_owned(), body)));
    for commit in change.commits.iter().flatten() {
        texts.push((format!("commit {}", &commit.id[..commit.id.len().min(10)]), commit.message.clone()));
    }
    let tests: BTreeSet<&Path> = tests.iter().collect();
    for definition in definitions {
        let kind = if tests.contains(&definition.path) { "test" } else { "name" };
        let signature = definition.signature.as_deref().unwrap_or_default();
        texts.push((format!("{kind} {}", definition.name), format!("{} {signature}", definition.name)));
    }
    texts.extend(tests.iter().map(|path| (format!("test {path}"), path.text.clone())));
    texts
}
