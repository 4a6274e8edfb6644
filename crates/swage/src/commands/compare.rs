//! `swage compare A B`: what came, went, grew and shrank between two states.

use std::path::Path;
use std::process::ExitCode;

use swage_core::change::Change;
use swage_core::review::{Fixes, Review};
use swage_git::{DiffSource, FolderTree, between_folders};

use crate::checkers::Outside;
use crate::cli::CompareArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::Hosting;
use crate::output::html::Page;
use crate::output::{Document, Purpose};
use crate::result_file;
use crate::source::Workspace;

pub fn run(args: &CompareArgs) -> Result<ExitCode, Failure> {
    let (before, after) = match (args.proposal, &args.before, &args.after) {
        (None, Some(before), Some(after)) => (before.clone(), after.clone()),
        (Some(number), ..) => {
            let workspace = Workspace::find()?;
            let fetched = Hosting::find(&workspace, args.host.host.as_deref())?.fetch(&workspace, number)?;
            (fetched.revision.base, fetched.revision.head)
        }
        (None, ..) => return Err(Failure::wrong("a comparison has two sides")),
    };
    let (one, other) = (Path::new(&before), Path::new(&after));
    let (review, page) = match (one, other) {
        _ if one.is_file() && other.is_file() => (result_file::compare(one, other)?, None),
        _ if one.is_dir() && other.is_dir() => folders(args, one, other)?,
        _ if !one.is_file() && !other.is_file() => revisions(args, &before, &after)?,
        _ => {
            return Err(Failure::wrong("one side is a file and the other isn't")
                .hint("Give two revisions, two folders, or two result files that `swage scan --format json` wrote."));
        }
    };
    let workspace = Workspace::find()?;
    let folder = if other.is_dir() { other } else { &workspace.root };
    args.output.write(&Document {
        page: page.as_ref(),
        root: Some(folder),
        ..Document::new(Purpose::Compare, &review)
    })?;
    Ok(ExitCode::SUCCESS)
}

fn revisions(args: &CompareArgs, before: &str, after: &str) -> Result<(Review, Option<Page>), Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let configuration = Configuration::of_folder(&workspace.root, args.setup.config.as_deref())?;
    let store = super::cache(Some(repository), args.setup.no_cache);
    let trusted = Configuration::of_trusted(Some(repository), None, &configuration);
    let outside = Outside::of_target(Some(repository), &trusted, &args.outside.checker_results)?;
    let (base, head) = (repository.commit(before)?, repository.commit(after)?);
    let commits = repository.commits(&base, &head).ok();
    let diff = repository.diff(DiffSource::Commits { base: base.to_string(), head: head.to_string() })?;
    let description = match args.proposal {
        Some(number) => format!("proposal {number}"),
        None => format!("{before}..{after}"),
    };
    let tree = repository.files(&base)?;
    let (mut review, page) = diff.with(|change, contents| {
        let (base, head) = (Some(base), Some(head));
        let change = Change { base, head, description, commits: commits.clone(), ..change };
        let review = super::examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::Tried)?;
        let page = args.output.page(&change, contents, &review, &configuration);
        Ok::<_, Failure>((review, page))
    })??;
    super::add_totals(&mut review, &tree, &configuration, store.as_ref());
    Ok((review, page))
}

/// Two folders, by the rules of the second unless others are named.
fn folders(args: &CompareArgs, before: &Path, after: &Path) -> Result<(Review, Option<Page>), Failure> {
    let configuration = Configuration::of_folder(after, args.setup.config.as_deref())?;
    let outside = Outside::given(&args.outside.checker_results);
    let description = format!("{} against {}", after.display(), before.display());
    let (mut review, page) = between_folders(before, after, |change, contents| {
        let change = Change { description, ..change };
        let review = super::examine_change(&change, contents, &configuration, None, &outside, Fixes::Tried)?;
        let page = args.output.page(&change, contents, &review, &configuration);
        Ok::<_, Failure>((review, page))
    })??;
    super::add_totals(&mut review, &FolderTree::of(before).map_err(Failure::unfinished)?, &configuration, None);
    Ok((review, page))
}
