//! A change as a page shows it: line by line, with where its definitions are used within it.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

use swage_core::brief::{Background, Brief, brief};
use swage_core::change::{Content, Contents, NoFiles, Tree};
use swage_core::review::{Examination, Fixes, examine};
use swage_core::rule::RuleSet;
use swage_core::scan::{Limits, NoCache};
use swage_core::sides::Sides;
use swage_core::view::ChangeView;
use swage_git::{DiffSource, GitError, Repository};

/// Most changes that are kept in memory.
const MOST_KEPT: usize = 8;

/// A change, read.
pub struct Reading {
    /// Its lines.
    pub view: ChangeView,
    /// Its files, definitions and their uses.
    pub brief: Brief,
}

/// The changes that were read last: between two commits nothing ever changes.
#[derive(Default)]
pub struct Readings {
    kept: Mutex<VecDeque<(String, Arc<Reading>)>>,
}

impl Readings {
    /// The change between two commits.
    pub fn of(&self, repository: &Repository, base: &str, head: &str) -> Result<Arc<Reading>, GitError> {
        let name = format!("{base}..{head}");
        let find = || {
            let kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
            kept.iter().find(|(own, _)| *own == name).map(|(_, reading)| reading.clone())
        };
        if let Some(reading) = find() {
            return Ok(reading);
        }
        let reading = Arc::new(read(repository, base, head)?);
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.push_front((name, reading.clone()));
        kept.truncate(MOST_KEPT);
        Ok(reading)
    }
}

fn read(repository: &Repository, base: &str, head: &str) -> Result<Reading, GitError> {
    let source = DiffSource::Commits { base: base.to_owned(), head: head.to_owned() };
    repository.diff(source)?.with(|change, contents| {
        let (rules, limits, contents) = (RuleSet::new(Vec::new()), Limits::default(), Alone(contents));
        let with = Examination {
            rules: &rules,
            limits: &limits,
            cache: &NoCache,
            reports: &[],
            fixes: Fixes::LeftAside,
            progress: &|_| {},
        };
        let review = examine(&change, &contents, &with);
        let background = Background { max_file_size: limits.file_size, ..Background::default() };
        Reading {
            view: ChangeView::of(&change, &contents, &review, &rules),
            brief: brief(&change, &contents, &review, &background),
        }
    })
}

/// The contents of a change without the tree around it: what refers to it from elsewhere isn't looked for.
struct Alone<'a>(&'a dyn Contents);

impl Contents for Alone<'_> {
    fn sides(&self, index: usize) -> Sides<Content> {
        self.0.sides(index)
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        Ok(Box::new(NoFiles))
    }
}
