//! From `swage.toml` and the files it pulls in to settings and rules.

use std::collections::HashMap;
use std::sync::Arc;

use super::config::Config;
use super::model::Rule;
use super::problem::{Problem, Problems, nearest};
use super::read::{RuleFile, read_rules};
use crate::packs::{ALLOWANCES, PACKS};

/// Where configuration files are read from: a folder, or a commit.
pub trait FileReader {
    /// The content of a file, `None` when there is none. Paths have `/` and are relative to the root; those of
    /// `extends` may begin with `../`.
    ///
    /// # Errors
    /// What the user is told when the file is there and can't be read.
    fn read(&self, path: &str) -> Result<Option<Vec<u8>>, String>;

    /// The names of the files in a folder, sorted; none when there is no such folder.
    ///
    /// # Errors
    /// What the user is told when the folder can't be read.
    fn list(&self, folder: &str) -> Result<Vec<String>, String>;
}

/// Settings and rules as they stand after layering.
#[derive(Debug)]
pub struct Loaded {
    /// The settings of `swage.toml`, or the defaults.
    pub config: Config,
    /// The rules: packs first, then what is pulled in, then the project's own. A nearer rule replaces a farther one of the same id.
    pub rules: Vec<Arc<Rule>>,
    /// The files that were read, in order.
    pub files: Vec<String>,
    /// The packs that are on.
    pub packs: Vec<String>,
}

/// Why the configuration can't be used.
#[derive(Debug)]
pub enum LoadError {
    /// Mistakes in its files.
    Problems(Vec<Problem>),
    /// A file couldn't be read; the text says which and why.
    Unreadable(String),
}

/// Loads `main` (usually `swage.toml`; it may be missing), `.swage/rules/*.toml`, whatever they extend, and the packs.
///
/// # Errors
/// All mistakes of all files, or the first file that can't be read.
pub fn load(reader: &dyn FileReader, main: &str) -> Result<Loaded, LoadError> {
    let mut loader = Loader { reader, problems: Vec::new(), files: Vec::new(), layers: Vec::new(), open: Vec::new() };
    let mut config = Config::default();
    if let Some(source) = loader.source(main)? {
        config = loader.file(main, &source, true)?;
    }
    for name in reader.list(".swage/rules").map_err(LoadError::Unreadable)? {
        let path = format!(".swage/rules/{name}");
        if name.ends_with(".toml")
            && let Some(source) = loader.source(&path)?
        {
            loader.file(&path, &source, false)?;
        }
    }
    let mut packs = Vec::new();
    let mut rules: Vec<Arc<Rule>> = Vec::new();
    match &config.packs {
        None => packs.extend(PACKS.iter().map(|p| p.name.to_owned())),
        Some(named) => {
            for (name, at) in named {
                if PACKS.iter().any(|p| p.name == name) {
                    packs.push(name.clone());
                } else {
                    let source = loader.source(main)?.unwrap_or_default();
                    let mut p = Problems { file: main, source: &source, list: Vec::new() };
                    p.at(*at, format!("there is no pack `{name}`"), Some(nearest(name, PACKS.iter().map(|p| p.name))));
                    loader.problems.append(&mut p.list);
                }
            }
        }
    }
    let chosen = PACKS.iter().filter(|p| packs.iter().any(|name| name == p.name));
    for pack in chosen.chain([&ALLOWANCES]) {
        rules.extend(pack.rules().iter().cloned());
    }
    let mut at: HashMap<String, usize> = rules.iter().enumerate().map(|(i, r)| (r.id.clone(), i)).collect();
    for rule in loader.layers.drain(..) {
        match at.get(&rule.id) {
            Some(&index) => rules[index] = Arc::new(rule),
            None => {
                at.insert(rule.id.clone(), rules.len());
                rules.push(Arc::new(rule));
            }
        }
    }
    if !loader.problems.is_empty() {
        return Err(LoadError::Problems(loader.problems));
    }
    Ok(Loaded { config, rules, files: loader.files, packs })
}

struct Loader<'r> {
    reader: &'r dyn FileReader,
    problems: Vec<Problem>,
    files: Vec<String>,
    layers: Vec<Rule>,
    /// Files that are being read, against circles.
    open: Vec<String>,
}

impl Loader<'_> {
    fn source(&self, path: &str) -> Result<Option<String>, LoadError> {
        let bytes = self.reader.read(path).map_err(LoadError::Unreadable)?;
        bytes
            .map(|b| {
                String::from_utf8(b).map_err(|_| LoadError::Unreadable(format!("{path} isn't UTF-8, as TOML must be")))
            })
            .transpose()
    }

    /// Reads a file; what it extends goes under it.
    fn file(&mut self, path: &str, source: &str, whole: bool) -> Result<Config, LoadError> {
        self.open.push(path.to_owned());
        let RuleFile { config, rules, extends } = match read_rules(path, source, whole) {
            Ok(file) => file,
            Err(mut list) => {
                self.problems.append(&mut list);
                RuleFile::default()
            }
        };
        for (relative, at) in extends {
            let target = join(path, &relative);
            let mut p = Problems { file: path, source, list: Vec::new() };
            if self.open.contains(&target) {
                p.at(
                    at,
                    format!("`{relative}` extends this file in turn"),
                    Some("take one of the two `extends` out".into()),
                );
            } else {
                match self.source(&target)? {
                    Some(text) => _ = self.file(&target, &text, false)?,
                    None => p.at(
                        at,
                        format!("there is no file `{target}`"),
                        Some(format!("the path is taken from the folder of {path}")),
                    ),
                }
            }
            self.problems.append(&mut p.list);
        }
        self.files.push(path.to_owned());
        // A nearer rule may replace a farther one, but two own rule files may not disagree in silence.
        for (rule, at) in rules {
            let twin = self.layers.iter().find(|r| r.id == rule.id && own(&r.origin) && own(path));
            if let Some(twin) = twin {
                let mut p = Problems { file: path, source, list: Vec::new() };
                p.at(
                    at,
                    format!("the rule id `{}` stands in {} too", rule.id, twin.origin),
                    Some("give each rule an id of its own".into()),
                );
                self.problems.append(&mut p.list);
            }
            self.layers.retain(|r| r.id != rule.id);
            self.layers.push(rule);
        }
        self.open.pop();
        Ok(config)
    }
}

fn own(path: &str) -> bool {
    path == "swage.toml" || path.starts_with(".swage/rules/")
}

/// A path relative to the folder of another, with `.` and inner `..` resolved.
fn join(base: &str, relative: &str) -> String {
    let mut parts: Vec<&str> = base.split('/').collect();
    parts.pop();
    for part in relative.split('/') {
        match part {
            "" | "." => {}
            ".." if parts.last().is_some_and(|p| *p != "..") => _ = parts.pop(),
            part => parts.push(part),
        }
    }
    parts.join("/")
}
