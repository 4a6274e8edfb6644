//! `swage fix`: applies the edits that rules propose, as far as they are proved.

mod trial;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::process::ExitCode;

use swage_core::change::{Change, Content, Contents};
use swage_core::diff::write_file as write_diff;
use swage_core::fix::{Attempt, FixedFile, Outcome};
use swage_core::ids::RuleId;
use swage_core::review::Review;
use swage_core::scan::Span;
use swage_git::{FixedBlob, Repository};

pub use self::trial::tried;
use crate::cli::FixArgs;
use crate::configuration::Configuration;
use crate::failure::{Failure, UNFINISHED};
use crate::output::{for_people, print, print_text, write_file};
use crate::source::Workspace;
use crate::terminal::{Paint, count, fit, printable, width};
use crate::worktree::{Replacement, replace};

pub fn run(args: &FixArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let configuration = Configuration::of_folder(&workspace.root, args.setup.config.as_deref())?;
    let store = super::cache(workspace.repository.as_ref(), args.setup.no_cache);
    let work = tried(&workspace, &args.change, &configuration, store.as_ref(), &args.findings.wanted()?)?;
    match (&workspace.repository, args) {
        (Some(repository), FixArgs { branch: Some(name), .. }) => {
            let id = work.branch(repository, name, args.message.as_deref())?;
            work.tell_on_stdout(&format!("Committed to the new branch {name}: {}.", &id[..10]))?;
        }
        (Some(repository), FixArgs { commit: true, .. }) => {
            work.commit(repository, args.message.as_deref())?;
            work.tell_on_stdout("Applied and committed.")?;
        }
        (Some(repository), FixArgs { apply: true, .. }) => {
            let written = work.apply(repository)?;
            work.tell_on_stdout(&format!("Applied to {}.", count(written, "file")))?;
        }
        (None, FixArgs { apply, commit, branch, .. }) if *apply || *commit || branch.is_some() => {
            return Err(Failure::wrong("there is no git repository here whose files could be changed")
                .hint("Without one, write the diff to a file with --output and apply it yourself."));
        }
        _ => {
            let diff = work.diff();
            match &args.output {
                Some(path) => write_file(path, &diff)?,
                None => print(&for_stdout(&diff))?,
            }
            anstream::eprint!("{}", for_people(&work.table()));
            if work.applied() > 0 {
                anstream::eprintln!("This is a preview: --apply changes the files, --commit and --branch commit.");
            }
        }
    }
    Ok(if work.could_not_try { ExitCode::from(UNFINISHED) } else { ExitCode::SUCCESS })
}

/// The diff as it is for programs; for people, in colours and without what could do something to their terminal.
fn for_stdout(diff: &[u8]) -> Vec<u8> {
    if anstream::AutoStream::choice(&std::io::stdout()) == anstream::ColorChoice::Never {
        return diff.to_vec();
    }
    let paint = Paint;
    let lines = diff.split_inclusive(|b| *b == b'\n').map(|line| {
        let text = String::from_utf8_lossy(line.trim_ascii_end());
        let text = printable(&text);
        match line.first() {
            Some(b'+') if !line.starts_with(b"+++ ") => paint.good(text),
            Some(b'-') if !line.starts_with(b"--- ") => paint.gone(text),
            Some(b' ') => text.into_owned(),
            _ => paint.strong(text),
        }
    });
    let mut shown = lines.collect::<Vec<_>>().join("\n");
    if !shown.is_empty() {
        shown.push_str("\n\n");
    }
    shown.into_bytes()
}

/// What is to be changed, and what that gives.
pub struct FixPlan {
    files: Vec<FileWork>,
    after: Review,
    before: Review,
    /// A file with findings to fix couldn't be had.
    could_not_try: bool,
}

struct FileWork {
    path: Vec<u8>,
    before: Vec<u8>,
    fixed: FixedFile,
}

impl FixPlan {
    fn new(
        change: &Change,
        contents: &dyn Contents,
        before: Review,
        fixed: BTreeMap<usize, FixedFile>,
        after: Review,
    ) -> Self {
        let (mut files, mut could_not_try) = (Vec::new(), false);
        for (index, fixed) in fixed {
            match contents.sides(index).new {
                Content::Whole { bytes, .. } => {
                    files.push(FileWork { path: change.files[index].new_path.clone(), before: bytes, fixed });
                }
                Content::Absent | Content::Partial { .. } | Content::Unavailable(_) => could_not_try = true,
            }
        }
        Self { files, after, before, could_not_try }
    }

    fn changed(&self) -> impl Iterator<Item = &FileWork> {
        self.files.iter().filter(|file| file.before != file.fixed.content)
    }

    fn attempts(&self) -> impl Iterator<Item = (&FileWork, &Attempt)> {
        self.files.iter().flat_map(|file| file.fixed.attempts.iter().map(move |attempt| (file, attempt)))
    }

    fn applied(&self) -> usize {
        self.attempts().filter(|(_, a)| matches!(a.outcome, Outcome::Applied(_))).count()
    }

    /// The changed files: path, content before and content after.
    pub fn replacements(&self) -> impl Iterator<Item = Replacement<'_>> {
        self.changed().map(|file| Replacement { path: &file.path, before: &file.before, after: &file.fixed.content })
    }

    /// Why a fix was refused, when one was.
    pub fn refusal(&self) -> Option<&str> {
        self.attempts().find_map(|(_, attempt)| match &attempt.outcome {
            Outcome::Refused(why) => Some(why.as_str()),
            Outcome::Applied(_) | Outcome::GoneWith | Outcome::NoFix => None,
        })
    }

    /// All edits as one unified diff.
    pub fn diff(&self) -> Vec<u8> {
        self.changed()
            .flat_map(|file| write_diff(&file.path, &file.before, &file.fixed.content, &file.fixed.map))
            .collect()
    }

    /// What became of each finding, and what a review says now.
    fn table(&self) -> String {
        let (mut out, paint) = (String::new(), Paint);
        let mut rows: BTreeMap<(u8, String, Option<Span>, RuleId), String> = BTreeMap::new();
        for (file, attempt) in self.attempts() {
            let hit = &attempt.hit;
            let title = hit.fix.as_ref().map_or("", |fix| fix.title.as_str());
            let (order, word, says) = match &attempt.outcome {
                Outcome::Applied(1) => (0, paint.good("fixed  "), title.to_owned()),
                Outcome::Applied(round) => (0, paint.good("fixed  "), format!("{title} (tried again, round {round})")),
                Outcome::GoneWith => (0, paint.good("fixed  "), "gone with another fix".to_owned()),
                Outcome::Refused(why) => (1, paint.warning("refused"), why.clone()),
                Outcome::NoFix => (2, paint.faint("no fix "), hit.message.clone()),
            };
            let path = String::from_utf8_lossy(&file.path);
            let place = hit.start_line().map_or_else(|| path.to_string(), |line| format!("{path}:{line}"));
            let says = printable(&says).into_owned();
            let says = fit(&says, width().saturating_sub(10));
            let row = format!("{word}  {} {}\n         {says}\n", printable(&place), paint.faint(&hit.rule));
            rows.insert((order, path.to_string(), hit.span, hit.rule.clone()), row);
        }
        rows.into_values().for_each(|row| out.push_str(&row));
        let fixed = self.attempts().filter(|(_, a)| a.outcome.is_fixed()).count();
        let all = self.attempts().count();
        if all == 0 {
            out.push_str("There is nothing to fix.\n");
            return out;
        }
        let against = |review: &Review| review.findings.iter().filter(|f| f.counts_against_change()).count();
        let rules: BTreeSet<&str> = self.attempts().map(|(_, a)| a.hit.rule.as_str()).collect();
        _ = writeln!(
            out,
            "{} fixed of {}, of {}. New findings of the change: {} → {}.",
            fixed,
            count(all, "finding"),
            count(rules.len(), "rule"),
            against(&self.before),
            against(&self.after)
        );
        out
    }

    fn tell_on_stdout(&self, done: &str) -> Result<(), Failure> {
        let done = if self.changed().next().is_some() { format!("{done}\n") } else { String::new() };
        print_text(&format!("{}{done}", self.table()))
    }

    /// Writes the fixed files into the working tree; how many there are.
    fn apply(&self, repository: &Repository) -> Result<usize, Failure> {
        let Some(root) = repository.workdir() else {
            return Err(Failure::wrong("a bare repository has no files to change").hint("Use --branch NAME."));
        };
        let replacements: Vec<Replacement<'_>> = self.replacements().collect();
        replace(root, &replacements)?;
        Ok(replacements.len())
    }

    /// The fixed files, when HEAD has them as they were before.
    fn on_head(&self, repository: &Repository) -> Result<Vec<FixedBlob<'_>>, Failure> {
        let head = repository.head()?.ok_or_else(|| Failure::wrong("there is no commit yet to put the fixes on"))?;
        let mut blobs = Vec::new();
        for file in self.changed() {
            let path = String::from_utf8_lossy(&file.path).into_owned();
            let there = repository.file_at(&head, &path).map_err(Failure::unfinished)?;
            if there.as_deref() != Some(&file.before) {
                return Err(Failure::wrong(format!("{} isn't as the last commit has it", printable(&path)))
                    .hint("Commit that work first, or change the files with --apply."));
            }
            blobs.push(FixedBlob { path: &file.path, content: &file.fixed.content });
        }
        Ok(blobs)
    }

    fn message(&self, given: Option<&str>) -> String {
        let rules: BTreeSet<&str> = self
            .attempts()
            .filter(|(_, a)| matches!(a.outcome, Outcome::Applied(_)))
            .map(|(_, a)| a.hit.rule.as_str())
            .collect();
        let own = || {
            format!(
                "Fix {}: {}",
                count(self.applied(), "finding"),
                rules.iter().copied().collect::<Vec<_>>().join(", ")
            )
        };
        given.map_or_else(own, str::to_owned)
    }

    fn branch(&self, repository: &Repository, name: &str, message: Option<&str>) -> Result<String, Failure> {
        let blobs = self.on_head(repository)?;
        if blobs.is_empty() {
            anstream::eprint!("{}", self.table());
            return Err(Failure::wrong("no fix could be applied, so there is nothing to put on a branch"));
        }
        Ok(repository.branch_with(name, &blobs, &self.message(message))?)
    }

    fn commit(&self, repository: &Repository, message: Option<&str>) -> Result<(), Failure> {
        let blobs = self.on_head(repository)?;
        if blobs.is_empty() {
            return Ok(());
        }
        self.apply(repository)?;
        let paths: Vec<&[u8]> = blobs.iter().map(|blob| blob.path).collect();
        repository.commit_paths(&paths, &self.message(message)).map_err(|error| {
            Failure::from(error).hint("The files are fixed and not committed; commit them, or take them back with git.")
        })
    }
}
