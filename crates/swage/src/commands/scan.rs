//! `swage scan`: everything that the rules find in a whole tree.

use std::path::Path;
use std::process::ExitCode;

use swage_core::change::Tree;
use swage_core::ids::CommitId;
use swage_core::review::Review;
use swage_core::scan::Cache;
use swage_git::{FolderTree, GitError};

use crate::checkers::Outside;
use crate::cli::ScanArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::history::Record;
use crate::output::{Document, Purpose};
use crate::result_file;
use crate::source::Workspace;

/// A folder in the place of a revision is a common slip.
fn no_revision(error: GitError, revision: &str) -> Failure {
    let folder = revision.trim_end_matches('/');
    if Path::new(revision).is_dir() {
        return Failure::wrong(format!("`{folder}` is a folder, and a scan takes a revision")).hint(format!(
            "`swage scan --path '{folder}/**'` shows what is found there; `swage scan --tree {folder}` scans it alone."
        ));
    }
    error.into()
}

pub fn run(args: &ScanArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let root = args.tree.clone().unwrap_or_else(|| workspace.root.clone());
    let configuration = Configuration::of_folder(&root, args.setup.config.as_deref())?;
    let store = super::cache(workspace.repository.as_ref(), args.setup.no_cache);
    let cache = super::or_none(store.as_ref());
    let trusted = Configuration::of_trusted(workspace.repository.as_ref(), None, &configuration);
    let outside = Outside::of_target(workspace.repository.as_ref(), &trusted, &args.outside.checker_results)?;
    let look = |tree: &dyn Tree, commit: Option<&CommitId>| scan(tree, commit, &configuration, cache, &outside);
    let mut review = match (&args.revision, &args.tree, &workspace.repository) {
        (Some(revision), _, _) => {
            let repository = workspace.repository()?;
            let commit = repository.commit(revision).map_err(|error| no_revision(error, revision))?;
            let review = look(&repository.files(&commit)?, Some(&commit))?;
            Review { description: format!("{revision} ({})", &commit[..commit.len().min(10)]), ..review }
        }
        (None, None, Some(repository)) if repository.workdir().is_some() => {
            Review { description: "the working tree".to_owned(), ..look(&FolderTree::of_checkout(repository)?, None)? }
        }
        (None, None, Some(_)) => {
            return Err(Failure::wrong("this repository has no working tree to scan")
                .hint("Name a revision, such as `swage scan main`."));
        }
        (None, ..) => {
            let tree = FolderTree::of(&root).map_err(Failure::unfinished)?;
            Review { description: root.display().to_string(), ..look(&tree, None)? }
        }
    };
    if let Some(store) = &store {
        store.save();
    }
    review.rules_from.clone_from(&configuration.from);
    review.notes.extend(configuration.notes);
    if let Some(repository) = workspace.repository.as_ref().filter(|_| !args.setup.no_cache && args.tree.is_none()) {
        let (command, rules) = ("scan", &configuration.rules);
        Record { command, review: &review, verdict: None, rules, branch: None }.leave(repository);
    }
    if let Some(baseline) = &args.baseline {
        let review = result_file::against(review, baseline)?;
        let document = Document { root: Some(&root), ..Document::new(Purpose::Compare, &review) };
        args.output.write(&document)?;
        return Ok(ExitCode::SUCCESS);
    }
    args.output.write(&Document { show_all: true, root: Some(&root), ..Document::new(Purpose::Scan, &review) })?;
    Ok(ExitCode::SUCCESS)
}

fn scan(
    tree: &dyn Tree,
    commit: Option<&CommitId>,
    configuration: &Configuration,
    cache: &dyn Cache,
    outside: &Outside<'_>,
) -> Result<Review, Failure> {
    let reports = outside.of_tree(tree, &configuration.rules)?;
    Ok(super::watched_scan(tree, commit, configuration, cache, &reports))
}
