//! What can go wrong with git, each with a way out.

use thiserror::Error;

/// A failure that the user can do something about.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum GitError {
    /// There is no repository.
    #[error("there is no git repository in {0} or above it")]
    NoRepository(String),
    /// Something that looks like a repository isn't one.
    #[error("there is a .git in {0}, and git doesn't take it for a repository")]
    NotTaken(String),
    /// git refuses a repository of another owner.
    #[error("the repository in {folder} belongs to another user, so git refuses it; if you trust it, run: {advice}")]
    ForeignOwner {
        /// Where it was looked for.
        folder: String,
        /// The command with which git lets it in, in git's own words.
        advice: String,
    },
    /// `git` can't be started.
    #[error("git can't be run: {0}")]
    NoGit(std::io::Error),
    /// This `git` has no way to name whose attributes hold.
    #[error("this git is too old to take attributes from a commit")]
    OldGit,
    /// A revision names nothing.
    #[error("`{0}` names no commit here")]
    BadRevision(String),
    /// No target branch was found.
    #[error("there is no target branch: {0}")]
    NoTarget(String),
    /// The target that was named isn't here.
    #[error("the target `{name}`, named by {by}, is no branch or commit here{}", if *.shallow { ", in this shallow clone" } else { "" })]
    NoSuchTarget {
        /// Its name.
        name: String,
        /// Who names it.
        by: &'static str,
        /// Whether the clone is shallow, so that it may merely be missing.
        shallow: bool,
    },
    /// The two histories share nothing, or the shared part isn't here.
    #[error("{one} and {two} have no common ancestor{}", if *.shallow { " in this shallow clone" } else { "" })]
    NoMergeBase {
        /// One revision.
        one: String,
        /// The other.
        two: String,
        /// Whether the clone is shallow, so that the ancestor may merely be missing.
        shallow: bool,
    },
    /// The repository has no working tree.
    #[error("this repository has no working tree, so there is no unsaved work to review")]
    Bare,
    /// `git` failed.
    #[error("git {command} failed: {message}")]
    Failed {
        /// Its subcommand.
        command: String,
        /// The first lines that it wrote to standard error.
        message: String,
    },
    /// git's own diff couldn't be read.
    #[error("git's diff can't be read: {0}")]
    Diff(#[from] swage_core::diff::DiffError),
    /// An object or a ref couldn't be read.
    #[error("the repository can't be read: {0}")]
    Unreadable(String),
    /// A temporary file couldn't be written.
    #[error("a temporary folder can't be used: {0}")]
    Temporary(#[from] std::io::Error),
}

impl GitError {
    /// What the user can do.
    pub fn remedy(&self) -> Option<&'static str> {
        match self {
            Self::NoRepository(_) => Some("Run this inside a repository, or review a diff with --patch FILE."),
            Self::NotTaken(_) | Self::Unreadable(_) => Some(
                "`git status` and `git fsck` say what is wrong with it; a fresh clone may be the quickest way out.",
            ),
            Self::NoGit(_) => Some("Install git 2.41 or newer and see that it is on the PATH."),
            Self::OldGit => Some("Install git 2.41 or newer: attributes are the target's, never the change's."),
            Self::BadRevision(_) => {
                Some("Look at `git branch --all` and `git log`; a fresh clone may have to fetch the branch first.")
            }
            Self::NoTarget(_) => {
                Some("Name it with --target BRANCH, or for this clone with `git config swage.target BRANCH`.")
            }
            Self::NoSuchTarget { .. } => Some(
                "Fetch it, for example with `git fetch origin BRANCH:refs/remotes/origin/BRANCH`, or name another with --target.",
            ),
            Self::NoMergeBase { shallow: true, .. } => Some(
                "Fetch more history of both, for example with `git fetch --unshallow` or `git fetch --deepen=1000`; `swage scan --baseline FILE` compares without history.",
            ),
            Self::NoMergeBase { shallow: false, .. } => {
                Some("Compare the two directly with A..B, or choose another target.")
            }
            Self::Bare => Some("Give a range of revisions, such as main...topic."),
            Self::ForeignOwner { .. } | Self::Failed { .. } | Self::Diff(_) | Self::Temporary(_) => None,
        }
    }

    /// Whether the call was wrong, rather than the surroundings.
    pub fn is_usage(&self) -> bool {
        matches!(
            self,
            Self::NoRepository(_)
                | Self::ForeignOwner { .. }
                | Self::BadRevision(_)
                | Self::NoTarget(_)
                | Self::NoSuchTarget { .. }
                | Self::OldGit
                | Self::NoMergeBase { .. }
                | Self::Bare
        )
    }
}
