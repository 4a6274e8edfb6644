//! Running a rule's own examples.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::change_rules::{FileFacts, about_change};
use super::examination::{Examination, Fixes};
use super::examine::examine;
use super::written::Written;
use crate::change::{Change, ChangedFile, Content, Contents, Nature, NoFiles, Tree};
use crate::diff::{Kind, LineMap};
use crate::fix::{Fixable, fix_file};
use crate::lang::Language;
use crate::rule::{Example, ExampleFile, Origin, Rule, RuleSet};
use crate::scan::{Limits, NoCache};
use crate::scan::{Markers, scan};
use crate::sides::Sides;

/// How a part of an example came out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tried {
    /// The file's path; empty for a change.
    pub path: String,
    /// The file's content, or what the change is like.
    pub code: String,
    /// The lines that must be reported; for a change, how many findings there must be.
    pub expected: Vec<u64>,
    /// Those that are.
    pub found: Vec<u64>,
    /// What the fixes make of it, when that isn't what the example says.
    pub fixed_wrongly: Option<String>,
}

/// Runs an example of a rule: one result a file, or one for a change.
pub fn try_example(rule: &Arc<Rule>, example: &Example) -> Vec<Tried> {
    let set = RuleSet::new(vec![rule.clone()]);
    match example {
        Example::Change { change, figures, shown, findings } => {
            let facts: Vec<FileFacts> = figures
                .iter()
                .zip(&change.files)
                .map(|(figures, file)| FileFacts {
                    sizes: Sides { old: None, new: Some(figures.size) },
                    origin: Origin::Written,
                    lines: Written { written: file.added, dropped: file.removed },
                    unlisted: figures.unlisted,
                })
                .collect();
            let found = about_change(change, &facts, &set).0.len() as u64;
            vec![Tried {
                path: String::new(),
                code: shown.clone(),
                expected: vec![*findings],
                found: vec![found],
                fixed_wrongly: None,
            }]
        }
        Example::Files { files, before } => {
            let lines = if rule.link().is_some() || rule.is_about_syntax() {
                linked(&set, files, before)
            } else {
                single(&set, files)
            };
            let tried = files.iter().zip(lines).map(|(file, mut found)| {
                found.sort_unstable();
                found.dedup();
                let (path, code, expected) = (file.path.clone(), file.code.clone(), file.lines.clone());
                Tried { path, code, expected, found, fixed_wrongly: fixed_wrongly(&set, file) }
            });
            tried.collect()
        }
    }
}

impl Tried {
    /// Whether it came out as the example says.
    pub fn holds(&self) -> bool {
        self.found == self.expected && self.fixed_wrongly.is_none()
    }
}

/// What the fixes of a rule make of a file, when the example says something else.
fn fixed_wrongly(set: &RuleSet, file: &ExampleFile) -> Option<String> {
    let expected = file.fixed.as_ref()?;
    let (path, code) = (file.path.as_bytes(), file.code.as_bytes());
    let (language, wanted, limits) = (Language::of(path, code), set.wanted(path), Limits::default());
    let fixable = Fixable { path, language, rules: set, wanted: &wanted, limits: &limits, reported: &[] };
    let fixed = fix_file(&fixable, code, &|_| true).content;
    (fixed != expected.as_bytes()).then(|| String::from_utf8_lossy(&fixed).into_owned())
}

/// Each file by itself, whatever side the rule looks at.
fn single(set: &RuleSet, files: &[ExampleFile]) -> Vec<Vec<u64>> {
    let lines = |file: &ExampleFile| {
        let (path, code) = (file.path.as_bytes(), file.code.as_bytes());
        let result = scan(code, Language::of(path, code), set, &set.wanted(path), &Limits::default(), Markers::Heeded);
        result.hits.iter().filter_map(|h| h.start_line().map(u64::from)).collect()
    };
    files.iter().map(lines).collect()
}

/// All files together, as a change from what was before.
fn linked(set: &RuleSet, files: &[ExampleFile], before: &[ExampleFile]) -> Vec<Vec<u64>> {
    let before = if before.is_empty() { files } else { before };
    let mut sides: BTreeMap<&str, Sides<Option<&str>>> = BTreeMap::new();
    before.iter().for_each(|f| sides.entry(&f.path).or_default().old = Some(&f.code));
    files.iter().for_each(|f| sides.entry(&f.path).or_default().new = Some(&f.code));
    let content = |text: Option<&str>| {
        text.map_or(Content::Absent, |text| Content::Whole { id: None, bytes: text.as_bytes().to_vec() })
    };
    let changed = sides.iter().map(|(path, Sides { old, new })| {
        let kind = match (old, new) {
            (None, _) => Kind::Added,
            (_, None) => Kind::Deleted,
            (Some(_), Some(_)) => Kind::Modified,
        };
        let map = if old == new { LineMap::identity() } else { LineMap::nothing() };
        let (old_path, new_path) = (path.as_bytes().to_vec(), path.as_bytes().to_vec());
        let (nature, executable) = (Nature::Text, Sides::default());
        ChangedFile {
            old_path,
            new_path,
            kind,
            nature,
            mode_only: false,
            modes: None,
            executable,
            map,
            added: 0,
            removed: 0,
        }
    });
    let change = Change { files: changed.collect(), ..Change::default() };
    let memory = Memory(sides.values().map(|sides| sides.map(content)).collect());
    let (limits, fixes) = (Limits::default(), Fixes::LeftAside);
    let with = Examination { rules: set, limits: &limits, cache: &NoCache, reports: &[], fixes, progress: &|_| {} };
    let review = examine(&change, &memory, &with);
    let lines = |file: &ExampleFile| {
        let own = review.findings.iter().filter(|f| f.path().is_some_and(|p| p.text == file.path));
        let there = own.filter(|f| f.state != crate::baseline::State::Absent);
        there.filter_map(|f| f.span().map(|s| u64::from(s.start_line))).collect()
    };
    files.iter().map(lines).collect()
}

/// An example's files, which are all that there is.
struct Memory(Vec<Sides<Content>>);

impl Contents for Memory {
    fn sides(&self, index: usize) -> Sides<Content> {
        self.0[index].clone()
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        Ok(Box::new(NoFiles))
    }
}
