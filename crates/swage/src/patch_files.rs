//! The diffs that `--patch` names: in files, in folders, on standard input; plain, or as mails of a series.

use std::borrow::Cow;
use std::io::{ErrorKind, Read};
use std::path::{Path, PathBuf};

use swage_core::change::Commit;
use swage_core::diff::{Diff, Expected, Mail, ReadOptions, decode_mail, mails, read};

use crate::failure::Failure;
use crate::terminal::count;

/// What files of a folder are read as diffs, by the ends of their names.
const ENDINGS: [&str; 4] = ["patch", "diff", "mbox", "eml"];

/// The files that were named, in order.
pub struct PatchFiles {
    files: Vec<PatchFile>,
    /// What a reader should know.
    pub notes: Vec<String>,
}

struct PatchFile {
    name: String,
    bytes: Vec<u8>,
    mails: Vec<Mail>,
}

/// One patch of a series.
pub struct Part {
    /// What it is called: the subject of its mail, else its file.
    pub subject: String,
    /// The commit that it would become, when it is a mail.
    pub commit: Option<Commit>,
    /// Its bytes, to be read as a diff.
    text: Vec<u8>,
}

impl PatchFiles {
    /// Reads them all: a folder's in the order of their names.
    pub fn read(paths: &[PathBuf]) -> Result<Self, Failure> {
        let (mut files, mut notes) = (Vec::new(), Vec::new());
        for path in paths {
            if path.is_dir() {
                for inside in of_folder(path, &mut notes)? {
                    files.push(PatchFile::read(&inside)?);
                }
            } else {
                files.push(PatchFile::read(path)?);
            }
        }
        Ok(Self { files, notes })
    }

    /// What they are called together.
    pub fn name(&self) -> String {
        match &self.files[..] {
            [only] => only.name.clone(),
            [first, .., last] => format!("{}, {} to {}", count(self.files.len(), "file"), first.name, last.name),
            [] => "no file".to_owned(),
        }
    }

    /// The mails in them.
    pub fn mails(&self) -> impl Iterator<Item = &Mail> {
        self.files.iter().flat_map(|file| &file.mails)
    }

    /// What is to be read, transfer encodings undone.
    pub fn texts(&self) -> Vec<Cow<'_, [u8]>> {
        self.files.iter().map(|file| decode_mail(&file.bytes)).collect()
    }

    /// The diff that they make one after another.
    ///
    /// # Errors
    /// When one isn't a diff, or none has content and that isn't expected.
    pub fn diff<'t>(
        &self,
        texts: &'t [Cow<'t, [u8]>],
        options: &ReadOptions,
        allow_empty: bool,
    ) -> Result<Diff<'t>, Failure> {
        let mut whole = Diff::default();
        for (file, text) in self.files.iter().zip(texts) {
            self.has_components(file, text, options)?;
            // A mail of several may bring only words.
            let may_be_empty = allow_empty || !file.mails.is_empty() && self.files.len() > 1;
            let own = match read(text, options) {
                Err(e) if e.expected == Expected::AnyDiff && may_be_empty && !file.mails.is_empty() => Diff::default(),
                other => other.map_err(|e| refused(&file.name, &e))?,
            };
            if is_empty(&own) && !may_be_empty {
                return Err(Failure::wrong(format!("the diff in {} is empty", file.name)).hint(
                    "The program that makes it may have failed. Give --allow-empty when there may be nothing to review.",
                ));
            }
            whole.patches.extend(own.patches);
        }
        if is_empty(&whole) && !allow_empty {
            return Err(Failure::wrong(format!("none of {} contains a diff", self.name()))
                .hint("Give --allow-empty when there may be nothing to review."));
        }
        Ok(whole)
    }

    /// Whether each name has as many leading components as are to be taken off.
    fn has_components(&self, file: &PatchFile, text: &[u8], options: &ReadOptions) -> Result<(), Failure> {
        let Some(strip) = options.strip.filter(|n| *n > 0) else { return Ok(()) };
        let whole = read(text, &ReadOptions { strip: Some(0), ..options.clone() }).unwrap_or_default();
        let names = whole.files().flat_map(|f| [&f.old_path, &f.new_path]);
        let folders = |name: &[u8]| name.iter().filter(|byte| **byte == b'/').count();
        match names.into_iter().find(|name| folders(name) < strip) {
            Some(name) => Err(Failure::wrong(format!(
                "--strip {strip} takes more off than {} in {} has: {}",
                String::from_utf8_lossy(name),
                file.name,
                count(folders(name), "leading component")
            ))
            .hint("Give a smaller number, or leave --strip out: then it is found by comparing the names.")),
            None => Ok(()),
        }
    }

    /// What the patches are by themselves: one a mail, or one a file; nothing for one plain diff. A mail may bring no patch.
    pub fn parts(&self) -> Vec<Part> {
        if self.files.len() == 1 && self.mails().next().is_none() {
            return Vec::new();
        }
        let of_file = |file: &PatchFile| -> Vec<Part> {
            if file.mails.is_empty() {
                let text = decode_mail(&file.bytes).into_owned();
                return vec![Part { subject: file.name.clone(), commit: None, text }];
            }
            file.mails.iter().map(Part::of_mail).collect()
        };
        self.files.iter().flat_map(of_file).collect()
    }
}

impl PatchFile {
    fn read(path: &Path) -> Result<Self, Failure> {
        let bytes = read_input(path)?;
        let name = if path == Path::new("-") { "standard input".to_owned() } else { path.display().to_string() };
        Ok(Self { name, mails: mails(&bytes), bytes })
    }
}

impl Part {
    fn of_mail(mail: &Mail) -> Self {
        let id = mail.id.clone().unwrap_or_default();
        let commit = Commit { id: id.into(), author: mail.author(), message: mail.commit_message() };
        let text = decode_mail(&mail.raw).into_owned();
        Self { subject: mail.commit_subject().to_owned(), commit: Some(commit), text }
    }

    /// The diff; all of them together have been read already, so one by itself isn't refused.
    pub fn diff(&self, options: &ReadOptions) -> Diff<'_> {
        read(&self.text, options).unwrap_or_default()
    }
}

/// Whether a diff is about no file.
pub fn is_empty(diff: &Diff<'_>) -> bool {
    diff.files().next().is_none()
}

/// The diffs in a folder, by name; other files there are named in a note.
fn of_folder(folder: &Path, notes: &mut Vec<String>) -> Result<Vec<PathBuf>, Failure> {
    let failed = |e: &std::io::Error| Failure::unreadable("the folder ", folder, e);
    let entries = std::fs::read_dir(folder).map_err(|e| failed(&e))?;
    let mut inside =
        entries.map(|e| Ok(e?.path())).collect::<Result<Vec<_>, std::io::Error>>().map_err(|e| failed(&e))?;
    inside.sort();
    let is_hidden = |path: &PathBuf| path.file_name().is_some_and(|name| name.as_encoded_bytes().starts_with(b"."));
    inside.retain(|path| !is_hidden(path));
    let is_patch = |path: &PathBuf| path.extension().is_some_and(|e| ENDINGS.iter().any(|ending| e == *ending));
    let (patches, others): (Vec<_>, Vec<_>) = inside.into_iter().partition(is_patch);
    let endings = "whose names end in .patch, .diff, .mbox or .eml";
    if patches.is_empty() {
        return Err(Failure::wrong(format!("{} holds no diffs", folder.display()))
            .hint(format!("Of a folder, the files are read {endings}; name others one by one.")));
    }
    if !others.is_empty() {
        let others = count(others.len(), "other file");
        notes.push(format!("Not read: {others} of {}; of a folder, the files are read {endings}.", folder.display()));
    }
    Ok(patches)
}

/// Reads a file, or standard input for `-`.
fn read_input(path: &Path) -> Result<Vec<u8>, Failure> {
    let failed = |e: std::io::Error| Failure::unreadable("the diff ", path, &e);
    if path == Path::new("-") {
        let mut bytes = Vec::new();
        std::io::stdin().lock().read_to_end(&mut bytes).map_err(failed)?;
        return Ok(bytes);
    }
    match std::fs::read(path) {
        Err(e) if e.kind() == ErrorKind::NotFound => {
            Err(Failure::wrong(format!("there is no file {}", path.display()))
                .hint("Give --patch the path of a diff, or `-` for standard input."))
        }
        other => other.map_err(failed),
    }
}

fn refused(name: &str, error: &swage_core::diff::DiffError) -> Failure {
    let (message, remedy) = match error.expected {
        Expected::AtMostBytes(most) => (
            format!("the diff in {name} has more than the {most} bytes that `patch_size` allows"),
            "Nothing of it was used. Split it, or raise `patch_size` under [limits] in swage.toml.",
        ),
        _ => (
            format!("the diff in {name} is refused at {error}"),
            "Nothing of it was used. Make the diff again, or take the broken part out.",
        ),
    };
    Failure::wrong(message).hint(remedy)
}
