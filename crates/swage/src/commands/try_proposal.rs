//! `swage try`: a proposal in a folder of its own, where a command is run.

use std::process::{Command, ExitCode};

use swage_git::{NewCommit, Repository, Signature};
use tempfile::TempDir;

use crate::cli::TryProposalArgs;
use crate::failure::Failure;
use crate::hosting::{Fetched, Hosting};
use crate::output::print;
use crate::source::Workspace;

pub fn run(args: &TryProposalArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let hosting = Hosting::find(&workspace, args.host.host.as_deref())?;
    let fetched = hosting.fetch(&workspace, args.number)?;
    let commit = if args.merged { merged(repository, &fetched)? } else { fetched.revision.head.clone() };
    let temporary = TempDir::with_prefix("swage-try-")
        .map_err(|e| Failure::unfinished(format!("there is no temporary folder: {e}")))?;
    let folder = temporary.path().join("tree");
    repository.add_worktree(&folder, &commit)?;
    let [program, arguments @ ..] = args.command.as_slice() else {
        let kept = temporary.keep().join("tree");
        print(format!("{}\n", kept.display()).as_bytes())?;
        eprintln!("Take it away with `git worktree remove --force {}`.", kept.display());
        return Ok(ExitCode::SUCCESS);
    };
    let status = Command::new(program).args(arguments).current_dir(&folder).env_remove("SWAGE_TOKEN").status();
    if args.keep {
        eprintln!("The folder is kept: {}", temporary.keep().join("tree").display());
    } else {
        repository.remove_worktree(&folder)?;
    }
    let status = status.map_err(|e| Failure::wrong(format!("`{program}` can't be run: {e}")))?;
    eprintln!("`{}` ended with {status}.", args.command.join(" "));
    Ok(if status.success() { ExitCode::SUCCESS } else { ExitCode::from(crate::failure::SAYS_NO) })
}

/// A commit of what the target would be after the merge; no ref names it.
fn merged(repository: &Repository, fetched: &Fetched) -> Result<String, Failure> {
    let (target, head) = (fetched.target.tip.as_str(), fetched.revision.head.as_str());
    let merged = repository.merged_tree(target, head)?;
    if !merged.conflicts.is_empty() {
        return Err(Failure::unfinished(format!("merging conflicts in {}", merged.conflicts.join(", "))));
    }
    let who = Signature { name: "swage".to_owned(), mail: "swage@localhost".to_owned(), at: 0 };
    let new =
        NewCommit { tree: &merged.tree, parents: &[target, head], message: "tried", author: &who, committer: &who };
    Ok(repository.write_commit(&new)?)
}
