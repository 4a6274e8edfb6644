//! Rules as values.

use std::any::Any;
use std::fmt;
use std::sync::Arc;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::areas::Area;
use super::change::ChangeMatch;
use super::checker::Checker;
use super::filter::Filter;
use super::fix::FixTemplate;
use super::link::Link;
use super::matchers::{Matcher, SyntaxFault, SyntaxMatch};
use super::paths::{PathSet, is_rule_file, is_wanted};
use crate::change::Change;
use crate::ids::RuleId;
use crate::lang::Language;
use crate::sides::Side;

/// How grave a finding is: the levels of SARIF 2.1.0, section 3.27.10.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// It must be dealt with.
    Error,
    /// It should be dealt with.
    Warning,
    /// It is worth knowing.
    Note,
}

impl Severity {
    /// All, gravest first.
    pub const ALL: [Severity; 3] = [Severity::Error, Severity::Warning, Severity::Note];

    /// The word for it in files and output.
    pub fn word(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

/// One thing to look for.
#[derive(Debug, Clone)]
pub struct Rule {
    /// Its name, of lower-case letters, digits and hyphens.
    pub id: RuleId,
    /// How grave its findings are.
    pub severity: Severity,
    /// What it demands, in a line.
    pub title: String,
    /// What a finding says; `{HOLE}`, `{match}`, `{name}`, `{value}` and `{limit}` are filled in.
    pub message: String,
    /// Why, and what to do.
    pub help: Option<String>,
    /// What it doesn't see.
    pub limitations: Option<String>,
    /// Free words.
    pub tags: Vec<String>,
    /// Which side of a change it looks at.
    pub side: Side,
    /// Only these paths; all when `None`.
    pub paths: Option<PathSet>,
    /// Never these paths.
    pub skip_paths: Option<PathSet>,
    /// Never files in these areas of the repository.
    pub skip_areas: Vec<Area>,
    /// Ways to match; a place that any of them finds is a finding.
    pub clauses: Arc<Vec<Clause>>,
    /// What it looks at apart from single files.
    pub project_wide: Option<Arc<ProjectWide>>,
    /// What it finds is never shown whole.
    pub secret: bool,
    /// It skips files that a program makes.
    pub skip_generated: bool,
    /// It skips what a comment right above it, or after it on its line, explains in words.
    pub skip_explained: bool,
    /// It skips what a template language fills in or hides.
    pub skip_templated: bool,
    /// Nearer layers leave it as it is.
    pub locked: bool,
    /// Comments of a change may suppress it although it is locked.
    pub suppressible: bool,
    /// Its tests.
    pub examples: Vec<Example>,
    /// Where it comes from.
    pub provenance: Provenance,
    /// A fingerprint of all that decides what it finds and says.
    pub digest: [u8; 32],
    /// A fingerprint of `match` as it was read.
    pub definition: [u8; 32],
}

/// Where a rule comes from, and what layers made of it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Provenance {
    /// The file or the pack that it comes from, as the user knows it.
    pub origin: String,
    /// What it looks for, as it is written in that file.
    pub written: String,
    /// Where the rule of an outer layer comes from whose place it takes.
    pub replaces: Option<String>,
    /// What nearer layers changed, in order: the key, and the file that did.
    pub changed: Vec<(&'static str, String)>,
}

impl Rule {
    /// Whether the rule looks at files with this path.
    pub fn wants_path(&self, path: &[u8]) -> bool {
        is_wanted(path, self.paths.as_ref(), self.skip_paths.as_ref()) && self.skipped_area(path).is_none()
    }

    /// The first of the areas that it skips in which a file lies.
    pub fn skipped_area(&self, path: &[u8]) -> Option<Area> {
        self.skip_areas.iter().copied().find(|area| area.has(path))
    }

    /// Whether the rule looks at rule files where their paths are among its own.
    pub fn names_rule_files(&self) -> bool {
        self.paths.as_ref().is_some_and(PathSet::names_rule_files)
    }

    /// Whether it is tagged `security`.
    pub fn is_about_security(&self) -> bool {
        self.tags.iter().any(|tag| tag == "security")
    }

    /// Whether it is about files that a change breaks, which takes both sides to see.
    pub fn is_about_syntax(&self) -> bool {
        self.clauses.iter().any(|clause| clause.matcher_as::<SyntaxMatch>().is_some())
    }

    /// What it finds wrong with files of a language that a change breaks.
    pub(crate) fn syntax_faults(&self, language: &'static Language) -> impl Iterator<Item = SyntaxFault> {
        let own = self.clauses.iter().filter(move |c| c.languages.is_empty() || c.languages.contains(&language));
        own.filter_map(|clause| Some(clause.matcher_as::<SyntaxMatch>()?.0))
    }

    /// A number that stands for its id where many refer to it.
    pub fn mark(&self) -> u64 {
        crate::digest::text_digest(self.id.as_bytes())
    }

    /// Whether it must read files with this path.
    pub fn reads_path(&self, path: &[u8]) -> bool {
        self.wants_path(path)
            && (!is_rule_file(path) || self.names_rule_files())
            && self.link().is_none_or(|link| link.wants_path(path))
    }

    /// What must hold between facts of many files, when that is what it is about.
    pub fn link(&self) -> Option<&Link> {
        match self.project_wide.as_deref() {
            Some(ProjectWide::Link(link)) => Some(link),
            Some(ProjectWide::Change(_) | ProjectWide::Checker(_)) | None => None,
        }
    }

    /// What is demanded of the change itself, when that is what it is about.
    pub fn change(&self) -> Option<&ChangeMatch> {
        match self.project_wide.as_deref() {
            Some(ProjectWide::Change(change)) => Some(change),
            Some(ProjectWide::Link(_) | ProjectWide::Checker(_)) | None => None,
        }
    }

    /// The outside program that finds for it, when there is one.
    pub fn checker(&self) -> Option<&Checker> {
        match self.project_wide.as_deref() {
            Some(ProjectWide::Checker(checker)) => Some(checker),
            Some(ProjectWide::Link(_) | ProjectWide::Change(_)) | None => None,
        }
    }

    /// Its message with the gaps filled in; a secret is shown only as far as may be.
    pub(crate) fn say(&self, value: impl Fn(&str) -> Option<String>) -> String {
        super::message::fill(&self.message, |gap| {
            value(gap).map(|text| if self.secret { super::message::mask(&text) } else { text })
        })
    }

    /// The languages that the rule names, in no order and without doubles.
    pub fn languages(&self) -> Vec<&'static Language> {
        let mut all: Vec<_> = self.clauses.iter().flat_map(|w| w.languages.iter().copied()).collect();
        all.sort_by_key(|l| l.name);
        all.dedup();
        all
    }
}

/// What a rule looks at apart from single files.
#[derive(Debug)]
pub enum ProjectWide {
    /// Facts of many files, which its ways collect.
    Link(Link),
    /// The change itself.
    Change(ChangeMatch),
    /// What an outside program finds.
    Checker(Checker),
}

/// One way to match, with its filters.
#[derive(Debug, Clone)]
pub struct Clause {
    /// Only these languages; all when empty.
    pub languages: Vec<&'static Language>,
    /// What to look for.
    pub matcher: Arc<dyn Matcher>,
    /// The collection of the rule's link that takes what it matches, by index.
    pub collection: Option<usize>,
    /// Filters on where it is and what is in it; all must let it through.
    pub filters: Vec<Arc<Filter>>,
    /// What it proposes to do about a match.
    pub fix: Option<Arc<FixTemplate>>,
}

impl Clause {
    /// The matcher, when it is of this type.
    pub fn matcher_as<M: Matcher>(&self) -> Option<&M> {
        let matcher: &dyn Any = &*self.matcher;
        matcher.downcast_ref()
    }
}

/// A rule's own test.
#[derive(Debug, Clone)]
pub enum Example {
    /// Files with what must be reported in them; for links, with what was there before.
    Files {
        /// After the change.
        files: Vec<ExampleFile>,
        /// Before it; the same as after it when empty.
        before: Vec<ExampleFile>,
    },
    /// A change and how many findings it must give.
    Change {
        /// The change.
        change: Box<Change>,
        /// What is known of each of its files as well.
        figures: Vec<FileFigures>,
        /// What it shows, for people.
        shown: String,
        /// How many findings there must be.
        findings: u64,
    },
}

impl Example {
    /// Its files after the change; none for a change without contents.
    pub fn files(&self) -> &[ExampleFile] {
        match self {
            Self::Files { files, .. } => files,
            Self::Change { .. } => &[],
        }
    }
}

/// A file of an example.
#[derive(Debug, Clone)]
pub struct ExampleFile {
    /// The path that it pretends to have.
    pub path: String,
    /// Its content.
    pub code: String,
    /// The lines that must be reported, 1-based; empty when nothing may be.
    pub lines: Vec<u64>,
    /// What the rule's fixes must make of it, when the example says so.
    pub fixed: Option<String>,
}

/// Figures of a file of an example's change.
#[derive(Debug, Clone, Copy)]
pub struct FileFigures {
    /// Its bytes after the change.
    pub size: u64,
    /// How many findings of it aren't listed.
    pub unlisted: u64,
}
