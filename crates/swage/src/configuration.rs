//! Where rules, limits and policy come from.

use std::path::{Path, PathBuf};

use swage_core::config::{Config, FileReader, Loaded, load};
use swage_core::decision::Decision;
use swage_core::ids::RuleId;
use swage_core::rule::RuleSet;
use swage_git::{Repository, Target};

use crate::decisions::decisions_of;
use crate::failure::Failure;
use crate::target::find_target;

/// Rules and settings that are ready for use.
#[derive(Debug)]
pub struct Configuration {
    /// The settings.
    pub config: Config,
    /// The rules.
    pub rules: RuleSet,
    /// Rules that a layer switched off, each with the file that did.
    pub off: Vec<(RuleId, String)>,
    /// What was decided of findings.
    pub decisions: Vec<Decision>,
    /// Where they come from, for people.
    pub from: String,
    /// What a reader should know about it.
    pub notes: Vec<String>,
}

impl Configuration {
    fn new(loaded: Loaded, decisions: Vec<Decision>, place: &str) -> Self {
        let mut notes = loaded.notes;
        let files = loaded.files.join(", ");
        let packs = if loaded.packs.is_empty() {
            "no packs".to_owned()
        } else {
            format!("pack{} {}", if loaded.packs.len() == 1 { "" } else { "s" }, loaded.packs.join(", "))
        };
        let count = loaded.rules.len();
        let from = if loaded.files.is_empty() {
            notes.push(format!("There is no swage.toml {place}, so the packs are on. `swage init` writes one."));
            format!("{count} rules: {packs}")
        } else {
            format!("{count} rules: {files} {place}, {packs}")
        };
        let rules = loaded.config.complete(RuleSet::new(loaded.rules));
        Self { config: loaded.config, rules, off: loaded.off, decisions, from, notes }
    }

    /// From a folder: the working tree's root, or the current folder outside a repository.
    pub fn of_folder(root: &Path, file: Option<&Path>) -> Result<Self, Failure> {
        let reader = Folder { root: root.to_owned() };
        match file {
            None => Ok(Self::new(load(&reader, "swage.toml")?, decisions_of(&reader)?, "in the working tree")),
            Some(path) => {
                let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
                let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
                if !path.is_file() {
                    let what = if path.is_dir() { "is a folder" } else { "isn't there" };
                    return Err(Failure::wrong(format!("the configuration {} {what}", path.display()))
                        .hint("Give --config the path of a TOML file with rules; docs/rules.md describes its keys."));
                }
                let loaded = load(&OneFile(Folder { root: folder.to_owned() }), &name)?;
                Ok(Self::new(loaded, decisions_of(&reader)?, "as given"))
            }
        }
    }

    /// The target's configuration, when a rule of this one runs an outside program: only the target says what is run.
    pub fn of_trusted(
        repository: Option<&Repository>,
        target: Option<&str>,
        own: &Configuration,
    ) -> Result<Option<(Self, Target)>, Failure> {
        let needed = own.rules.rules().iter().any(|rule| rule.checker().is_some());
        let Some(repository) = repository.filter(|_| needed) else { return Ok(None) };
        let target = find_target(repository, target)?;
        Ok(Some((Self::of_target(repository, &target)?, target)))
    }

    /// From the tip of the target.
    pub fn of_target(repository: &Repository, target: &Target) -> Result<Self, Failure> {
        let files = repository.files(&target.tip)?;
        Ok(Self::new(
            load(&files, "swage.toml")?,
            decisions_of(&files)?,
            &format!("on {} at {}", target.name, &target.tip[..target.tip.len().min(10)]),
        ))
    }
}

/// A folder on disk.
pub struct Folder {
    /// Its path.
    pub root: PathBuf,
}

impl FileReader for Folder {
    fn read(&self, path: &str) -> Result<Option<Vec<u8>>, String> {
        match std::fs::read(self.root.join(path)) {
            Ok(bytes) => Ok(Some(bytes)),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(None),
            Err(e) => Err(format!("{path}: {e}")),
        }
    }

    fn read_at(&self, commit: &str, path: &str) -> Result<Option<Vec<u8>>, String> {
        match Repository::discover(&self.root) {
            Ok(repository) => repository.file_at(commit, path),
            Err(_) => Err(format!("git:{path}@{commit}: {} lies in no repository", self.root.display())),
        }
    }

    fn list(&self, folder: &str) -> Result<Vec<String>, String> {
        let entries = match std::fs::read_dir(self.root.join(folder)) {
            Ok(entries) => entries,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
            Err(e) => return Err(format!("{folder}: {e}")),
        };
        let mut names: Vec<String> =
            entries.filter_map(Result::ok).filter_map(|e| e.file_name().into_string().ok()).collect();
        names.sort();
        Ok(names)
    }
}

/// A file that was named, and what it extends, without the rule folder beside it.
struct OneFile(Folder);

impl FileReader for OneFile {
    fn read(&self, path: &str) -> Result<Option<Vec<u8>>, String> {
        self.0.read(path)
    }

    fn read_at(&self, commit: &str, path: &str) -> Result<Option<Vec<u8>>, String> {
        self.0.read_at(commit, path)
    }

    fn list(&self, _: &str) -> Result<Vec<String>, String> {
        Ok(Vec::new())
    }
}
