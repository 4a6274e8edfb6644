//! Reading changes, trees and merges out of git repositories.
//!
//! Objects and refs are read in-process; `git` itself makes diffs and merges, because a user's own set-up (filters, merge
//! drivers) must have a say in them. Attributes are those of the target, never those that a change adds. Nothing here
//! touches a checkout, an index or the object store, but for committing fixes: what a merge or unsaved work needs is written into a temporary object
//! folder that goes away with it.

mod bare;
mod change;
mod command;
mod error;
mod fixes;
mod folders;
mod history;
mod merge;
mod remote;
mod repository;
mod target;

pub use bare::{MergedTree, NewCommit, Signature};
pub use change::{DiffSource, ReadChange};
pub use error::GitError;
pub use fixes::FixedBlob;
pub use folders::{FolderTree, between_folders, read_regular};
pub use history::{FileHistory, Landing};
pub use merge::{Head, Merge};
pub use remote::Remote;
pub use repository::{CommitFiles, LineSince, Repository};
pub use target::Target;
