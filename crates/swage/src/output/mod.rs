//! Output formats. Each is a function of the review and the verdict alone, in a file of its own.

pub mod brief;
pub mod html;
mod human;
pub mod json;
mod lines;
pub mod markdown;
mod picture;
mod sarif;
pub mod trend_plot;

use std::io::{BufWriter, ErrorKind, Write};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::LazyLock;

use clap::ValueEnum;
use swage_core::baseline::State;
use swage_core::gate::Verdict;
use swage_core::review::{Finding, Review};

use crate::cli::Shown;
use crate::failure::Failure;
use crate::standard_output;
use crate::terminal::{fitted, printable, terminal_width};

pub use sarif::{IDENTITY_FINGERPRINT, KEY_FINGERPRINT, TEXT_FINGERPRINT};

/// The form of a result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// Text for people
    Human,
    /// One JSON object; docs/formats.md describes it
    Json,
    /// SARIF 2.1.0
    Sarif,
    /// One line a finding: `file:line:column: severity: message`
    Lines,
    /// Markdown, to be read as a comment
    Markdown,
    /// A page in one file, with the change line by line
    Html,
}

/// Why a review was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    Review,
    Gate,
    Compare,
    Scan,
}

/// What is put out.
#[derive(Debug, Clone, Copy)]
pub struct Document<'a> {
    pub purpose: Purpose,
    pub review: &'a Review,
    pub verdict: Option<&'a Verdict>,
    /// Show findings that were there before, too.
    pub show_all: bool,
    /// The change line by line, for the form that shows it.
    pub page: Option<&'a html::Page>,
    /// The folder before the names of files, in the form that names them in full.
    pub root: Option<&'a Path>,
    /// Which findings are shown; what is counted and decided is of all of them.
    pub shown: &'a Shown,
}

impl<'a> Document<'a> {
    /// A document that shows what counts, without a verdict.
    pub fn new(purpose: Purpose, review: &'a Review) -> Self {
        static ALL: LazyLock<Shown> = LazyLock::new(Shown::default);
        Self { purpose, review, verdict: None, show_all: false, page: None, root: None, shown: &ALL }
    }

    /// Whether people are shown a finding. By default what counts against the change; with `show_all` all that is there and nothing lets
    /// be.
    pub fn shows(&self, f: &Finding) -> bool {
        let is_there = f.is_open() && f.state != State::Absent;
        let usual = self.show_all && is_there || f.counts_against_change();
        self.shown.has(f) && if self.shown.names_states() { f.is_open() } else { usual }
    }

    /// How many findings are left out because others were asked for.
    pub fn left_out(&self) -> usize {
        self.review.findings.iter().filter(|f| !self.shown.has(f)).count()
    }
}

/// Puts a document out in the form and to the place that were asked for.
pub fn write(format: Format, to: Option<&Path>, document: &Document<'_>) -> Result<(), Failure> {
    if document.shown.is_summary() && !matches!(format, Format::Human | Format::Json) {
        return Err(Failure::wrong("this form has no summary").hint("Give --summary with --format human or json."));
    }
    let text = match format {
        Format::Json if document.shown.is_summary() => json::summary(document),
        Format::Human => human::format(document),
        Format::Json => return stream(to, |out| json::write(document, out)),
        Format::Sarif => sarif::format(document),
        Format::Markdown => markdown::format(document),
        Format::Html => html::format(document)?,
        Format::Lines => {
            for remark in lines::remarks(document) {
                anstream::eprintln!("swage: {}", printable(&remark));
            }
            lines::format(document)
        }
    };
    match to {
        None if format == Format::Human => print_text(&text),
        None => print(text.as_bytes()),
        Some(path) => {
            let plain = anstream::adapter::strip_str(&text).to_string();
            write_file(path, plain.as_bytes())
        }
    }
}

/// Writes to standard output piece by piece, or to a file at once.
fn stream(to: Option<&Path>, write: impl Fn(&mut dyn Write) -> std::io::Result<()>) -> Result<(), Failure> {
    let Some(path) = to else {
        let mut out = BufWriter::new(std::io::stdout().lock());
        return printed(write(&mut out).and_then(|()| out.flush()));
    };
    let mut bytes = Vec::new();
    write(&mut bytes).map_err(|e| Failure::unwritable(path, &e))?;
    write_file(path, &bytes)
}

/// Writes to standard output; a reader that went away is no failure.
pub fn print(bytes: &[u8]) -> Result<(), Failure> {
    let mut out = anstream::stdout().lock();
    printed(out.write_all(bytes).and_then(|()| out.flush()))
}

fn printed(result: std::io::Result<()>) -> Result<(), Failure> {
    if standard_output::is_closed() {
        return Err(Failure::unfinished("standard output is closed, so nothing was shown")
            .hint("Leave it open; `> /dev/null` throws away what isn't wanted, `--output FILE` keeps it."));
    }
    match result {
        Err(e) if e.kind() == ErrorKind::BrokenPipe => Ok(()),
        other => other.map_err(|e| Failure::unfinished(format!("standard output can't be written: {e}"))),
    }
}

/// Writes text for people to standard output.
pub fn print_text(text: &str) -> Result<(), Failure> {
    print(for_people(text).as_bytes())
}

/// Text of which no line is wider than the terminal, when there is one.
pub fn for_people(text: &str) -> String {
    terminal_width().map_or_else(|| text.to_owned(), |columns| fitted(text, columns))
}

/// A value as JSON for programs, with nothing in it that could do something to a terminal.
pub fn to_json(value: &impl serde::Serialize) -> String {
    swage_core::invisible::escaped_json(&serde_json::to_string_pretty(value).unwrap_or_default()).into_owned() + "\n"
}

/// Writes to a file. A regular one is replaced whole or not at all, where a symbolic link leads, and keeps its mode;
/// anything else, such as a device, a pipe or a descriptor, is written to.
pub fn write_file(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    use std::os::unix::fs::PermissionsExt;
    let failed = |e: &dyn std::fmt::Display| Failure::unwritable(path, e);
    let there = std::fs::metadata(path);
    let is_descriptor = ["/dev/fd/", "/dev/std", "/proc/self/fd/"]
        .iter()
        .any(|p| path.as_os_str().as_bytes().starts_with(p.as_bytes()));
    if there.as_ref().is_ok_and(|meta| !meta.is_file() && !meta.is_dir()) || is_descriptor {
        let mut file = std::fs::OpenOptions::new().write(true).open(path).map_err(|e| failed(&e))?;
        return match file.write_all(bytes) {
            Err(e) if e.kind() == ErrorKind::BrokenPipe => Ok(()),
            other => other.map_err(|e| failed(&e)),
        };
    }
    let mode = there.as_ref().map_or(0o666, |meta| meta.permissions().mode() & 0o7777);
    let target = destination(path).map_err(|e| failed(&e))?;
    let folder = target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    if !folder.is_dir() {
        return Err(failed(&format!("there is no folder {}", folder.display())));
    }
    let builder = tempfile::Builder::new().permissions(std::fs::Permissions::from_mode(mode)).tempfile_in(folder);
    let mut file = builder.map_err(|e| failed(&e))?;
    file.write_all(bytes).map_err(|e| failed(&e))?;
    if there.is_ok() {
        // Whatever the process would take off a new file's mode.
        file.as_file().set_permissions(std::fs::Permissions::from_mode(mode)).map_err(|e| failed(&e))?;
    }
    file.persist(&target).map_err(|e| failed(&e.error))?;
    Ok(())
}

/// Where symbolic links at the end of a path lead, whether there is anything or not.
fn destination(path: &Path) -> std::io::Result<std::path::PathBuf> {
    let mut path = path.to_owned();
    // As many as Linux follows.
    for _ in 0..40 {
        match std::fs::read_link(&path) {
            Ok(target) => path = path.parent().unwrap_or(Path::new("")).join(target),
            Err(_) => return Ok(path),
        }
    }
    Err(std::io::Error::other("too many symbolic links"))
}
