//! From `swage.toml` and the files it pulls in to settings and rules.

use std::sync::Arc;

use super::file::{Adjust, FileRole, RuleFile, read_rules};
use super::packs::{INTEGRITY, PACKS, pack_of};
use super::settings::Config;
use crate::ids::RuleId;
use crate::rule::{Problem, Problems, Rule, digest, nearest};

/// Where configuration files are read from: a folder, or a commit.
pub trait FileReader {
    /// The content of a file, `None` when there is none. Paths have `/` and are relative to the root; those of
    /// `extends` may begin with `../`.
    ///
    /// # Errors
    /// What to show the user when the file is there and can't be read.
    fn read(&self, path: &str) -> Result<Option<Vec<u8>>, String>;

    /// The content of a file in a commit of the same repository.
    ///
    /// # Errors
    /// What to show the user when there is no repository or no such commit.
    fn read_at(&self, commit: &str, path: &str) -> Result<Option<Vec<u8>>, String>;

    /// The names of the files in a folder, sorted; none when there is no such folder.
    ///
    /// # Errors
    /// What to show the user when the folder can't be read.
    fn list(&self, folder: &str) -> Result<Vec<String>, String>;
}

/// Settings and rules as they are after layering.
#[derive(Debug)]
pub struct Loaded {
    /// The settings of `swage.toml`, or the defaults.
    pub config: Config,
    /// The rules: packs first, then what is pulled in, then the project's own. A nearer rule replaces a farther one of the same id.
    pub rules: Vec<Arc<Rule>>,
    /// Rules that a layer switched off, each with the file that did.
    pub off: Vec<(RuleId, String)>,
    /// The files that were read, in order.
    pub files: Vec<String>,
    /// The packs that are on.
    pub packs: Vec<String>,
    /// What a reader should know.
    pub notes: Vec<String>,
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
    let mut loader = Loader { reader, problems: Vec::new(), files: Vec::new(), steps: Vec::new(), open: Vec::new() };
    let mut config = Config::default();
    if let Some(source) = loader.source(main)? {
        config = loader.file(main, &source, FileRole::Configuration)?;
    }
    for name in reader.list(".swage/rules").map_err(LoadError::Unreadable)? {
        let path = format!(".swage/rules/{name}");
        if name.ends_with(".toml")
            && let Some(source) = loader.source(&path)?
        {
            loader.file(&path, &source, FileRole::Rules)?;
        }
    }
    let mut packs = Vec::new();
    let mut rules: Vec<Arc<Rule>> = Vec::new();
    match &config.packs {
        None => packs.extend(PACKS.iter().filter(|p| p.is_default).map(|p| p.name.to_owned())),
        Some(named) => {
            for (name, at) in named {
                if PACKS.iter().any(|p| p.name == name) {
                    packs.push(name.clone());
                } else {
                    let source = loader.source(main)?.unwrap_or_default();
                    let mut p = Problems::of(main, &source);
                    p.at(*at, format!("there is no pack `{name}`"), Some(nearest(name, PACKS.iter().map(|p| p.name))));
                    loader.problems.append(&mut p.list);
                }
            }
        }
    }
    let chosen = PACKS.iter().filter(|p| packs.iter().any(|name| name == p.name));
    for pack in chosen.chain([&INTEGRITY]) {
        rules.extend(pack.rules().iter().cloned());
    }
    let mut layers = Layers { rules, ..Layers::default() };
    for step in std::mem::take(&mut loader.steps) {
        match step {
            Directive::Rule(rule) => layers.put(*rule),
            Directive::Adjust(adjust, place) => {
                if let Err(problem) = layers.adjust(*adjust, place) {
                    loader.problems.push(*problem);
                }
            }
        }
    }
    if !loader.problems.is_empty() {
        return Err(LoadError::Problems(loader.problems));
    }
    let Layers { rules, off, notes } = layers;
    Ok(Loaded { config, rules, off, files: loader.files, packs, notes })
}

/// Something that a file says about rules, in the order from the outermost layer to the nearest.
enum Directive {
    Rule(Box<Rule>),
    Adjust(Box<Adjust>, Problem),
}

/// The rules while layer after layer is put on them.
#[derive(Default)]
struct Layers {
    rules: Vec<Arc<Rule>>,
    off: Vec<(RuleId, String)>,
    notes: Vec<String>,
}

impl Layers {
    fn find(&mut self, id: &str) -> Option<&mut Arc<Rule>> {
        self.rules.iter_mut().find(|r| r.id == id)
    }

    /// A rule takes the place of one of the same id, unless that is locked.
    fn put(&mut self, mut rule: Rule) {
        let (id, origin) = (rule.id.clone(), rule.provenance.origin.clone());
        match self.find(&id) {
            Some(outer) if outer.locked => {
                let note = locked(&id, &origin, &outer.provenance.origin);
                self.notes.push(note);
            }
            Some(outer) => {
                rule.provenance.replaces = Some(outer.provenance.origin.clone());
                *outer = Arc::new(rule);
            }
            None => self.rules.push(Arc::new(rule)),
        }
    }

    /// Changes a rule of an outer layer. `place` is the mistake that it is when there is no such rule.
    fn adjust(&mut self, adjust: Adjust, place: Problem) -> Result<(), Box<Problem>> {
        let known: Vec<RuleId> = self.rules.iter().map(|r| r.id.clone()).collect();
        let Some(outer) = self.find(&adjust.rule) else {
            let message = format!("there is no rule `{}` to adjust", adjust.rule);
            let hint = Some(match pack_of(&adjust.rule) {
                Some(pack) => format!("it is in the pack `{}`, which isn't on: add that to `packs`", pack.name),
                None => nearest(&adjust.rule, known.iter().map(RuleId::as_str)),
            });
            return Err(Box::new(Problem { message, hint, ..place }));
        };
        if outer.locked {
            let note = locked(&adjust.rule, &place.file, &outer.provenance.origin);
            self.notes.push(note);
            return Ok(());
        }
        if adjust.off {
            self.rules.retain(|r| r.id != adjust.rule);
            self.off.push((adjust.rule, place.file));
            return Ok(());
        }
        let mut rule = Rule::clone(outer);
        if let Some(severity) = adjust.severity {
            rule.severity = severity;
            rule.provenance.changed.push(("severity", place.file.clone()));
        }
        if let Some(paths) = adjust.paths {
            rule.paths = Some(paths);
            rule.provenance.changed.push(("paths", place.file.clone()));
        }
        if let Some(paths) = adjust.skip_paths {
            rule.skip_paths = Some(paths);
            rule.provenance.changed.push(("skip_paths", place.file.clone()));
        }
        if let Some(areas) = adjust.skip_areas {
            rule.skip_areas = areas;
            rule.provenance.changed.push(("skip_areas", place.file));
        }
        rule.digest = digest(&rule);
        *outer = Arc::new(rule);
        Ok(())
    }
}

fn locked(id: &str, file: &str, outer: &str) -> String {
    format!("{file} changes the rule `{id}`, which {outer} locks; it stays as it is there.")
}

struct Loader<'r> {
    reader: &'r dyn FileReader,
    problems: Vec<Problem>,
    files: Vec<String>,
    steps: Vec<Directive>,
    /// Files that are being read, against circles.
    open: Vec<String>,
}

impl Loader<'_> {
    fn source(&self, path: &str) -> Result<Option<String>, LoadError> {
        let bytes = match pinned(path) {
            Some((path, commit)) => self.reader.read_at(commit, path),
            None => self.reader.read(path),
        };
        let bytes = bytes.map_err(LoadError::Unreadable)?;
        bytes
            .map(|b| {
                String::from_utf8(b).map_err(|_| LoadError::Unreadable(format!("{path} isn't UTF-8, as TOML must be")))
            })
            .transpose()
    }

    /// Reads a file; what it extends goes under it.
    /// Long because each mistake needs the file in which it is.
    fn file(&mut self, path: &str, source: &str, role: FileRole) -> Result<Config, LoadError> {
        self.open.push(path.to_owned());
        let RuleFile { config, rules, adjusts, extends } = match read_rules(path, source, role) {
            Ok(file) => file,
            Err(mut list) => {
                self.problems.append(&mut list);
                RuleFile::default()
            }
        };
        for (relative, at) in extends {
            let target = join(path, &relative);
            let mut p = Problems::of(path, source);
            if relative.starts_with("git:") && pinned(&target).is_none() {
                p.at(
                    at,
                    format!("`{relative}` names no file in a commit"),
                    Some(
                        "write git:PATH@COMMIT with the commit's id in at least seven digits, which never moves".into(),
                    ),
                );
            } else if self.open.contains(&target) {
                p.at(
                    at,
                    format!("`{relative}` extends this file in turn"),
                    Some("take one of the two `extends` out".into()),
                );
            } else {
                match self.source(&target) {
                    Err(LoadError::Unreadable(why)) => {
                        p.at(at, why, Some("name a file of rules in TOML that can be read".into()));
                    }
                    Err(other) => return Err(other),
                    Ok(Some(text)) => _ = self.file(&target, &text, FileRole::Rules)?,
                    Ok(None) => p.at(
                        at,
                        format!("there is no file `{target}`"),
                        Some(match pinned(&target) {
                            Some((_, commit)) => format!("the commit {commit} has no such file"),
                            None => format!("the path is taken from the folder of {path}"),
                        }),
                    ),
                }
            }
            self.problems.append(&mut p.list);
        }
        self.files.push(path.to_owned());
        // A nearer rule may replace a farther one, but two own rule files may not disagree in silence.
        for (rule, at) in rules {
            let twin = self.steps.iter().find_map(|step| match step {
                Directive::Rule(r) if r.id == rule.id && own(&r.provenance.origin) && own(path) => Some(r),
                Directive::Rule(_) | Directive::Adjust(..) => None,
            });
            if let Some(twin) = twin {
                let mut p = Problems::of(path, source);
                p.at(
                    at,
                    format!("duplicate rule id `{}`, also defined in {}", rule.id, twin.provenance.origin),
                    Some("give each rule an id of its own".into()),
                );
                self.problems.append(&mut p.list);
            }
            self.steps.push(Directive::Rule(Box::new(rule)));
        }
        for (adjust, at) in adjusts {
            let mut p = Problems::of(path, source);
            p.at(at, "", None);
            self.steps.extend(p.list.pop().map(|place| Directive::Adjust(Box::new(adjust), place)));
        }
        self.open.pop();
        Ok(config)
    }
}

fn own(path: &str) -> bool {
    path == "swage.toml" || path.starts_with(".swage/rules/")
}

/// The parts of `git:PATH@COMMIT`; the commit is named by its id, since a name could be moved.
fn pinned(path: &str) -> Option<(&str, &str)> {
    let (path, commit) = path.strip_prefix("git:")?.rsplit_once('@')?;
    let id = (7..=64).contains(&commit.len()) && commit.bytes().all(|b| b.is_ascii_hexdigit());
    (id && !path.is_empty()).then_some((path, commit))
}

/// A path relative to the folder of another, with `.` and inner `..` resolved. Beside a file of a commit are the files of
/// that commit.
fn join(base: &str, relative: &str) -> String {
    if relative.starts_with("git:") {
        return relative.to_owned();
    }
    if let Some((path, commit)) = pinned(base) {
        return format!("git:{}@{commit}", join(path, relative));
    }
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
