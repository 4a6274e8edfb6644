//! `swage scan`: everything that the rules find in a whole tree.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use swage_core::change::{Cache, Content, Nature, NoCache};
use swage_core::review::{Examination, Review, TreeFile, scan_tree};
use swage_git::Repository;

use crate::cli::ScanArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::output::{Document, Purpose};
use crate::progress;
use crate::result_file;
use crate::source::Place;

pub fn run(args: &ScanArgs) -> Result<ExitCode, Failure> {
    let place = Place::find()?;
    let root = args.tree.clone().unwrap_or_else(|| place.root.clone());
    let configuration = Configuration::of_folder(&root, args.config.as_deref())?;
    let store = super::cache(place.repository.as_ref(), args.no_cache);
    let cache: &dyn Cache = match &store {
        Some(store) => store,
        None => &NoCache,
    };
    let mut review = match (&args.revision, &args.tree, &place.repository) {
        (Some(revision), _, _) => {
            let repository = place.repository()?;
            let commit = repository.commit(revision)?;
            let files = repository.files(&commit)?;
            let review = scan(&files.files, &|i| files.content(i), Some(&commit), &configuration, cache);
            Review { description: format!("{revision} ({})", &commit[..commit.len().min(10)]), ..review }
        }
        (None, None, Some(repository)) if repository.workdir().is_some() => {
            let files = tracked(repository)?;
            let review = scan(&files, &|i| on_disk(&place.root, &files[i].path), None, &configuration, cache);
            Review { description: "the working tree".to_owned(), ..review }
        }
        (None, None, Some(_)) => {
            return Err(Failure::wrong("this repository has no working tree to scan")
                .hint("Name a revision, such as `swage scan main`."));
        }
        (None, ..) => {
            let files = folder(&root)?;
            let review = scan(&files, &|i| on_disk(&root, &files[i].path), None, &configuration, cache);
            Review { description: root.display().to_string(), ..review }
        }
    };
    if let Some(store) = &store {
        store.save();
    }
    review.rules_from.clone_from(&configuration.from);
    review.notes.extend(configuration.notes);
    if let Some(baseline) = &args.baseline {
        let review = result_file::against(review, baseline)?;
        let document = Document { purpose: Purpose::Compare, review: &review, verdict: None, show_all: false };
        args.output.write(&document)?;
        return Ok(ExitCode::SUCCESS);
    }
    args.output.write(&Document { purpose: Purpose::Scan, review: &review, verdict: None, show_all: true })?;
    Ok(ExitCode::SUCCESS)
}

fn scan(
    files: &[TreeFile],
    content: &(dyn Fn(usize) -> Content + Sync),
    commit: Option<&str>,
    configuration: &Configuration,
    cache: &dyn Cache,
) -> Review {
    let bar = progress::bar(files.len());
    let with =
        Examination { rules: &configuration.rules, limits: &configuration.config.limits, cache, done: &|| bar.inc(1) };
    let review = scan_tree(files, content, commit, &with);
    bar.finish_and_clear();
    review
}

/// Tracked files and untracked ones that aren't ignored.
fn tracked(repository: &Repository) -> Result<Vec<TreeFile>, Failure> {
    let root = repository.workdir().unwrap_or(Path::new("."));
    let output = repository
        .git()
        .args(["ls-files", "--cached", "--others", "--exclude-standard", "--deduplicate", "-z"])
        .output();
    let output = output.map_err(|e| Failure::unfinished(format!("git can't be run: {e}")))?;
    if !output.status.success() {
        return Err(Failure::unfinished(format!(
            "git ls-files failed: {}",
            String::from_utf8_lossy(&output.stderr).trim()
        )));
    }
    let paths = output.stdout.split(|b| *b == 0).filter(|p| !p.is_empty());
    Ok(sorted(paths.map(<[u8]>::to_vec).collect(), root))
}

/// Every file below a folder, `.git` aside.
fn folder(root: &Path) -> Result<Vec<TreeFile>, Failure> {
    use std::os::unix::ffi::OsStrExt;
    let mut paths = Vec::new();
    let mut open = vec![PathBuf::new()];
    while let Some(relative) = open.pop() {
        let full = root.join(&relative);
        let failed = |e: std::io::Error| Failure::unfinished(format!("{} can't be read: {e}", full.display()));
        for entry in std::fs::read_dir(&full).map_err(failed)? {
            let entry = entry.map_err(failed)?;
            let path = relative.join(entry.file_name());
            let kind = entry.file_type().map_err(failed)?;
            if kind.is_dir() && entry.file_name() != ".git" {
                open.push(path);
            } else if !kind.is_dir() {
                paths.push(path.as_os_str().as_bytes().to_vec());
            }
        }
    }
    Ok(sorted(paths, root))
}

fn sorted(mut paths: Vec<Vec<u8>>, root: &Path) -> Vec<TreeFile> {
    paths.sort();
    let file = |path: Vec<u8>| {
        let nature = match join(root, &path).symlink_metadata() {
            Ok(meta) if meta.is_symlink() => Nature::Symlink,
            Ok(meta) if meta.is_dir() => Nature::Submodule,
            Ok(meta) if !meta.is_file() => Nature::Symlink,
            _ => Nature::Text,
        };
        TreeFile { path, nature }
    };
    paths.into_iter().map(file).collect()
}

fn join(root: &Path, path: &[u8]) -> PathBuf {
    use std::os::unix::ffi::OsStrExt;
    root.join(std::ffi::OsStr::from_bytes(path))
}

fn on_disk(root: &Path, path: &[u8]) -> Content {
    match std::fs::read(join(root, path)) {
        // The digest of the bytes names the result in the cache.
        Ok(bytes) => Content::Whole { id: Some(swage_core::scan::content_id(&bytes)), bytes },
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Content::Absent,
        Err(e) => Content::Unavailable(format!("it can't be read: {e}")),
    }
}
