//! What is wrong in a rule or configuration file, with the place and the way out.

use std::fmt;

/// A value with where it is.
#[derive(Debug, Clone)]
pub(crate) struct At<T> {
    pub value: T,
    /// Byte offset of the value in the source.
    pub at: usize,
}

/// One mistake in a TOML file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// The file as the user knows it.
    pub file: String,
    /// Line, 1-based.
    pub line: usize,
    /// Column in characters, 1-based.
    pub column: usize,
    /// The line itself.
    pub text: String,
    /// What is wrong.
    pub message: String,
    /// What to do about it.
    pub hint: Option<String>,
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(f, "{}:{}:{}: {}", self.file, self.line, self.column, self.message)?;
        write!(f, "    {}", self.text.trim_end())?;
        if let Some(hint) = &self.hint {
            write!(f, "\n  {hint}")?;
        }
        Ok(())
    }
}

/// Collects the mistakes of one file, so that all are reported at once.
#[derive(Debug)]
pub(crate) struct Problems<'s> {
    pub file: &'s str,
    pub source: &'s str,
    /// The file ships with Swage and is held right by tests, so its patterns are compiled only when they are needed:
    /// compiling all for all of their languages takes longer than a small review.
    pub shipped: bool,
    pub list: Vec<Problem>,
}

impl<'s> Problems<'s> {
    /// None yet, of a file that a user may have written.
    pub fn of(file: &'s str, source: &'s str) -> Self {
        Self { file, source, shipped: false, list: Vec::new() }
    }
}

impl Problems<'_> {
    /// Notes a mistake inside of a string. The place is exact for plain one-line strings; in others escapes shift it.
    pub fn inside(&mut self, string: &At<String>, offset: usize, message: impl Into<String>, hint: String) {
        let quotes = self.source[string.at..].bytes().take_while(|b| matches!(b, b'"' | b'\'')).count().min(3);
        self.at(string.at + quotes + offset.min(string.value.len()), message, Some(hint));
    }

    /// Takes back what was noted on the line of a byte offset and ends so.
    pub fn withdraw(&mut self, offset: usize, ending: &str) {
        let line = self.source[..offset.min(self.source.len())].matches('\n').count() + 1;
        self.list.retain(|problem| problem.line != line || !problem.message.ends_with(ending));
    }

    /// Notes a mistake at a byte offset of the source.
    pub fn at(&mut self, offset: usize, message: impl Into<String>, hint: Option<String>) {
        let mut offset = offset.min(self.source.len());
        while !self.source.is_char_boundary(offset) {
            offset -= 1;
        }
        let start = self.source[..offset].rfind('\n').map_or(0, |at| at + 1);
        self.list.push(Problem {
            file: self.file.to_owned(),
            line: self.source[..offset].matches('\n').count() + 1,
            column: self.source[start..offset].chars().count() + 1,
            text: self.source[start..].lines().next().unwrap_or_default().to_owned(),
            message: message.into(),
            hint,
        });
    }
}

/// Most words that are listed when none is near.
const MOST_LISTED: usize = 12;

/// Keys of drafts from before the first release, with their names of today.
pub const RENAMED: [(&str, &str); 11] = [
    ("advice", "advisory"),
    ("allowances", "suppressions"),
    ("gone", "removed"),
    ("lacks", "must_match"),
    ("least_entropy", "min_entropy"),
    ("made", "generated"),
    ("most_files", "max_files"),
    ("report", "output_file"),
    ("seconds", "timeout"),
    ("skip_made", "skip_generated"),
    ("writes", "output"),
];

/// The nearest right spelling, when one is near.
pub fn near<'w>(word: &str, known: impl IntoIterator<Item = &'w str>) -> Option<&'w str> {
    let (distance, near) = known.into_iter().map(|k| (distance(word, k), k)).min()?;
    (distance <= 2.max(word.chars().count() / 3)).then_some(near)
}

/// How far a word is from a right one; less when it is a part of that.
fn distance(word: &str, known: &str) -> usize {
    let (word, known) = (word.to_lowercase(), known.to_lowercase());
    let whole = strsim::osa_distance(&word, &known);
    if word.len() > 3 && known.contains(&word) { whole.min(1) } else { whole }
}

/// A hint that names the nearest right spelling, or all of them when none is near and they are few, or else the nearest
/// three.
pub fn nearest<'w>(word: &str, known: impl IntoIterator<Item = &'w str>) -> String {
    let mut known: Vec<&str> = known.into_iter().collect();
    match near(word, known.iter().copied()) {
        Some(near) => format!("did you mean `{near}`?"),
        None if known.len() > MOST_LISTED => {
            known.sort_by_key(|k| (distance(word, k), *k));
            // What is in several layers is one choice.
            known.dedup();
            format!("the nearest are {}", known.iter().take(3).map(|k| format!("`{k}`")).collect::<Vec<_>>().join(", "))
        }
        None => format!("it may be {}", known.iter().map(|k| format!("`{k}`")).collect::<Vec<_>>().join(", ")),
    }
}
