//! How to read a change: what each file is, in which order, how long it takes, and where to look twice.
//!
//! The figures are rules of thumb, and docs/brief.md gives them with their formulas. They are made only of the change,
//! so the same change has the same figures everywhere.

use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use super::definitions::{DefinitionChange, DefinitionStatus};
use super::uses::Use;
use super::{BriefFile, Churn};
use crate::review::{Path, Review};
use crate::rule::{PathSet, Severity};

/// What a file is to its reader.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum FileKind {
    /// Code.
    Code,
    /// Code that tests other code.
    Test,
    /// Settings and data.
    Data,
    /// Prose.
    Docs,
    /// A program makes it.
    Generated,
    /// It has no lines to read: a binary file, a link, a submodule, a change of mode.
    Other,
}

/// Where tests are by the habits of the trade.
const TESTS: [&str; 3] = [
    "**/{t,test,tests,testing,testdata,spec,specs,__tests__,fixtures}/**",
    "**/{test_*,*_test,*_tests,*[.-]test,*[.-]spec,*_spec}.*",
    "**/*{Test,Tests,Spec,IT}.{java,kt,scala,cs,swift,php}",
];

/// Lines of each kind that are read in a minute, where they are new.
const LINES_A_MINUTE: [(FileKind, u32); 4] =
    [(FileKind::Code, 15), (FileKind::Test, 30), (FileKind::Data, 40), (FileKind::Docs, 40)];

/// Removed lines are read so much faster.
const REMOVED_FASTER: u32 = 4;

/// Seconds that it takes to come into another file.
const SECONDS_A_FILE: u32 = 20;

/// Seconds that a changed signature costs for each file that refers to it.
const SECONDS_A_USER: u32 = 15;

/// What files are by their paths.
pub(super) struct Kinds {
    tests: Option<PathSet>,
}

impl Kinds {
    pub fn new() -> Self {
        Self { tests: PathSet::new(TESTS.iter().map(|pattern| (*pattern).to_owned()).collect()).ok() }
    }

    /// What a file of lines that people wrote is.
    pub fn of_written(&self, path: &Path, language: Option<&str>) -> FileKind {
        let ending = path.text.rsplit_once('.').map_or("", |(_, ending)| ending);
        match language {
            _ if self.tests.as_ref().is_some_and(|set| set.has(path.text.as_bytes())) => FileKind::Test,
            Some("markdown") => FileKind::Docs,
            Some("json" | "toml" | "yaml") => FileKind::Data,
            None if matches!(ending, "txt" | "rst" | "adoc" | "tex") => FileKind::Docs,
            None => FileKind::Data,
            Some(_) => FileKind::Code,
        }
    }
}

/// Minutes that it takes to read a change, rounded up.
pub(super) fn minutes(files: &[BriefFile], definitions: &[DefinitionChange], uses: &[Use]) -> u32 {
    let mut seconds = 0;
    for file in files {
        let Some((_, a_minute)) = LINES_A_MINUTE.iter().find(|(kind, _)| *kind == file.kind) else { continue };
        seconds += SECONDS_A_FILE + file.written * 60 / a_minute + file.dropped * 60 / (a_minute * REMOVED_FASTER);
    }
    for use_ in uses.iter().filter(|use_| use_.sure && !use_.in_change) {
        if definitions[use_.definition].old_signature.is_some() {
            seconds += SECONDS_A_USER;
        }
    }
    seconds.div_ceil(60)
}

/// Puts files into the order in which they are best read: code before tests, settings, docs and what programs make; within the
/// code, what others of the change use before its users. Where users go in a circle, the one with the most users comes first.
pub(super) fn order(files: &[BriefFile], definitions: &[DefinitionChange], uses: &[Use]) -> Vec<Path> {
    let place: BTreeMap<&Path, usize> = files.iter().enumerate().map(|(index, file)| (&file.path, index)).collect();
    // For each file, those that it uses, and how many use it.
    let mut needs: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); files.len()];
    let mut users = vec![0usize; files.len()];
    for use_ in uses.iter().filter(|use_| use_.sure) {
        let (user, used) = (place.get(&use_.path), place.get(&definitions[use_.definition].path));
        if let (Some(&user), Some(&used)) = (user, used)
            && user != used
            && needs[user].insert(used)
        {
            users[used] += 1;
        }
    }
    let mut left: BTreeSet<usize> = (0..files.len()).collect();
    let mut order = Vec::with_capacity(files.len());
    while let Some(kind) = left.iter().map(|&index| files[index].kind).min() {
        let of_kind = || left.iter().copied().filter(|&index| files[index].kind == kind);
        let is_free =
            |index: &usize| !needs[*index].iter().any(|used| left.contains(used) && files[*used].kind == kind);
        let next =
            of_kind().find(is_free).or_else(|| of_kind().max_by_key(|&index| (users[index], usize::MAX - index)));
        let Some(next) = next else { break };
        left.remove(&next);
        order.push(files[next].path.clone());
    }
    order
}

/// A place to look at twice.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Risk {
    /// The definition, when it is one: its name.
    pub definition: Option<String>,
    /// The file.
    pub path: Path,
    /// The line where it begins, 1-based, when it is a definition.
    pub line: Option<u32>,
    /// The sum of what each reason weighs.
    pub score: u32,
    /// Why, heaviest first.
    pub reasons: Vec<String>,
}

/// How many places are shown at most.
const MAX_RISKS: usize = 8;

/// Less than this isn't worth a second look.
const MIN_SCORE: u32 = 2;

fn many(n: usize, what: &str) -> String {
    format!("{n} {what}{}", if n == 1 { "" } else { "s" })
}

/// The riskiest places, worst first. What weighs how much is in docs/brief.md.
/// Long because each weight is beside what it weighs.
pub(super) fn risks(
    files: &[BriefFile],
    definitions: &[DefinitionChange],
    uses: &[Use],
    review: &Review,
    churn: &BTreeMap<Path, Churn>,
) -> Vec<Risk> {
    let tests = files.iter().any(|file| file.kind == FileKind::Test);
    let code: BTreeSet<&Path> =
        files.iter().filter(|file| file.kind == FileKind::Code).flat_map(|file| [&file.path, &file.old_path]).collect();
    let mut outside = vec![0usize; definitions.len()];
    uses.iter().filter(|use_| use_.sure && !use_.in_change).for_each(|use_| outside[use_.definition] += 1);
    let against = against(review);
    let mut risks = Vec::new();
    for (d, outside) in definitions.iter().zip(outside) {
        if !code.contains(&d.path) {
            continue;
        }
        let mut reasons: Vec<(u32, String)> = Vec::new();
        let mut weigh = |weight: u32, why: String| {
            if weight > 0 {
                reasons.push((weight, why));
            }
        };
        weigh((d.changed_lines / 20).min(5), format!("{} changed lines", d.changed_lines));
        let deeper = d.nesting.1.saturating_sub(d.nesting.0.max(2));
        if d.what != DefinitionStatus::Removed {
            weigh((deeper * 2).min(6), format!("nests {} deep, {} before", d.nesting.1, d.nesting.0));
        }
        let referring = if outside == 1 { "refers" } else { "refer" };
        let elsewhere = format!("{} that the change doesn't touch {referring} to it", many(outside, "file"));
        match d.what {
            DefinitionStatus::Removed | DefinitionStatus::Renamed if outside > 0 => {
                weigh(4, format!("its old name is gone; {elsewhere}"))
            }
            _ if d.old_signature.is_some() && outside > 0 => weigh(3, format!("another signature; {elsewhere}")),
            _ if d.what == DefinitionStatus::Changed => weigh((outside as u32 / 5).min(2), elsewhere),
            _ => {}
        }
        if d.what != DefinitionStatus::Removed {
            let inside = against.get(&d.path).into_iter().flatten();
            let weights = inside.filter(|(line, _)| (d.lines.0..=d.lines.1).contains(line)).map(|(_, weight)| *weight);
            let weights: Vec<u32> = weights.collect();
            weigh(weights.iter().sum::<u32>().min(8), many(weights.len(), "new finding"));
        }
        if !tests
            && d.kind == "function"
            && matches!(d.what, DefinitionStatus::Added | DefinitionStatus::Changed)
            && d.changed_lines >= 10
        {
            weigh(1, "no test is touched".to_owned());
        }
        risks.extend(risk(reasons, Some(d.name.clone()), &d.path, Some(d.lines.0)));
    }
    for file in files.iter().filter(|file| file.kind == FileKind::Code) {
        let churn = churn.get(&file.old_path).copied().unwrap_or_default();
        let lines = file.written + file.dropped;
        // What is changed in passing isn't risky for being changed often.
        let often = if lines < 20 {
            0
        } else {
            u32::from(churn.commits >= 5) + u32::from(churn.commits >= 10) + u32::from(churn.authors >= 4)
        };
        let lately = format!(
            "changed by {} of {} in the 90 days before",
            many(churn.commits as usize, "commit"),
            many(churn.authors as usize, "author")
        );
        let mut reasons = vec![(often, lately), ((lines / 200).min(3), format!("{lines} changed lines"))];
        reasons.retain(|(weight, _)| *weight > 0);
        risks.extend(risk(reasons, None, &file.path, None));
    }
    risks.sort_by(|a, b| (b.score, &a.path, a.line).cmp(&(a.score, &b.path, b.line)));
    risks.truncate(MAX_RISKS);
    risks
}

fn risk(mut reasons: Vec<(u32, String)>, definition: Option<String>, path: &Path, line: Option<u32>) -> Option<Risk> {
    let score = reasons.iter().map(|(weight, _)| weight).sum();
    reasons.sort_by_key(|(weight, _)| std::cmp::Reverse(*weight));
    let reasons = reasons.into_iter().map(|(_, why)| why).collect();
    (score >= MIN_SCORE).then(|| Risk { definition, path: path.clone(), line, score, reasons })
}

/// The lines of findings that count against the change, by file, with what each weighs.
fn against(review: &Review) -> BTreeMap<&Path, Vec<(u32, u32)>> {
    let mut against: BTreeMap<&Path, Vec<(u32, u32)>> = BTreeMap::new();
    for f in review.findings.iter().filter(|f| f.counts_against_change()) {
        let weight = match f.severity {
            Severity::Error => 4,
            Severity::Warning => 2,
            Severity::Note => 1,
        };
        if let (Some(path), Some(span)) = (f.path(), f.span()) {
            against.entry(path).or_default().push((span.start_line.get(), weight));
        }
    }
    against
}
