//! The order in which a change is best read, with its definitions and where it uses them.

use serde::Serialize;
use swage_core::brief::Brief;
use swage_core::invisible::shown;
use swage_core::review::{ChangeKind, Path};
use swage_core::view::ChangeView;

/// Most places in which a definition is used that are listed with it.
const MOST_USES: usize = 12;

/// A file in the reading order.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OrderedFile {
    /// Its number among the files of the change, from 0.
    pub number: Option<usize>,
    /// Its path.
    pub path: String,
    /// What happens to it.
    pub kind: ChangeKind,
    /// What it defines that the change touches.
    pub definitions: Vec<OrderedDefinition>,
}

/// A definition that the change touches.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OrderedDefinition {
    /// What happens to it.
    pub word: &'static str,
    /// What it is, such as `function`.
    pub kind: String,
    /// Its name.
    pub name: String,
    /// Its first line, 1-based.
    pub line: u32,
    /// Where the change uses it.
    pub uses: Vec<OrderedUse>,
}

/// A line that uses a definition.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OrderedUse {
    /// The number of its file.
    pub file: Option<usize>,
    /// The path of its file.
    pub path: String,
    /// The line, 1-based.
    pub line: u32,
}

/// The files of a change in the order in which they are best read.
pub fn reading_order(brief: &Brief, view: &ChangeView) -> Vec<OrderedFile> {
    let number_of = |path: &Path| view.files.iter().position(|file| file.path == *path);
    let file = |path: &Path| {
        let kind = brief.files.iter().find(|file| file.path == *path)?.change;
        let own = brief.definitions.iter().enumerate().filter(|(_, d)| d.path == *path).map(|(index, d)| {
            let uses = brief.uses.iter().filter(|u| u.definition == index && u.in_change).flat_map(|u| {
                u.lines.iter().map(|line| OrderedUse {
                    file: number_of(&u.path),
                    path: shown(&u.path.text).into_owned(),
                    line: *line,
                })
            });
            OrderedDefinition {
                word: d.what.word(),
                kind: d.kind.to_string(),
                name: shown(&d.name).into_owned(),
                line: d.lines.0,
                uses: uses.take(MOST_USES).collect(),
            }
        });
        let path_text = shown(&path.text).into_owned();
        Some(OrderedFile { number: number_of(path), path: path_text, kind, definitions: own.collect() })
    };
    brief.order.iter().filter_map(file).collect()
}
