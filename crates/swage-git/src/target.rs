//! Which branch a change wants to enter. That is never the change's to say: what counts is what the user names, what the
//! clone is set to, or what the repository's branches show.

use bstr::ByteSlice;

use crate::GitError;
use crate::repository::Repository;
use swage_core::ids::CommitId;

/// The branch that changes want to enter.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// Its name as the user knows it.
    pub name: String,
    /// The commit id of its tip.
    pub tip: CommitId,
}

impl Repository {
    /// The target with a name: a branch here, a branch of `origin`, or any other revision. `by` says who names it.
    ///
    /// # Errors
    /// When there is none, or it can't be read.
    pub fn target(&self, name: &str, by: &'static str) -> Result<Target, GitError> {
        for name in [name.to_owned(), format!("origin/{name}")] {
            match self.commit(&name) {
                Ok(tip) => return Ok(Target { name, tip }),
                Err(error @ GitError::Unreadable(_)) => return Err(error),
                Err(_) => {}
            }
        }
        let shallow = self.inner.to_thread_local().is_shallow().unwrap_or(false);
        Err(GitError::NoSuchTarget { name: name.to_owned(), by, shallow })
    }

    /// The target that this clone's git configuration names as `swage.target`.
    pub fn configured_target(&self) -> Option<String> {
        let repo = self.inner.to_thread_local();
        repo.config_snapshot().string("swage.target").map(|name| name.to_str_lossy().into_owned())
    }

    /// The program that this user's git configuration names as `swage.advisor`, with `~` expanded.
    pub fn configured_advisor(&self) -> Option<String> {
        let repo = self.inner.to_thread_local();
        let path = repo.config_snapshot().trusted_path("swage.advisor").ok()??;
        Some(path.to_string_lossy().into_owned())
    }

    /// The target where nobody names one: the remote's default branch, else main or master, else the only other branch.
    ///
    /// # Errors
    /// When there is none of these, or several other branches.
    pub fn usual_target(&self) -> Result<Target, GitError> {
        let repo = self.inner.to_thread_local();
        let remote_head =
            repo.try_find_reference("refs/remotes/origin/HEAD").ok().flatten().and_then(|r| match r.target() {
                gix::refs::TargetRef::Symbolic(name) => {
                    name.as_bstr().strip_prefix(b"refs/remotes/").map(|n| n.to_str_lossy().into_owned())
                }
                gix::refs::TargetRef::Object(_) => None,
            });
        let usual = ["main", "master"].map(str::to_owned);
        let of_origin = ["origin/main", "origin/master"].map(str::to_owned);
        let local = usual.into_iter().map(|name| (format!("refs/heads/{name}"), name));
        let remote = remote_head.into_iter().map(|name| (format!("refs/remotes/{name}"), name));
        let rest = of_origin.into_iter().map(|name| (format!("refs/remotes/{name}"), name));
        for (full, name) in remote.chain(local).chain(rest) {
            if let Ok(tip) = self.commit(&full) {
                return Ok(Target { name, tip });
            }
        }
        match self.other_branches().as_slice() {
            [(full, name)] => Ok(Target { name: name.clone(), tip: self.commit(full)? }),
            [] => Err(GitError::NoTarget(
                "none of origin's default branch, main and master exists, and there is no other branch".to_owned(),
            )),
            _ => Err(GitError::NoTarget(
                "none of origin's default branch, main and master exists, and there are several others".to_owned(),
            )),
        }
    }

    /// Local branches apart from the current one; when there are none, those of remotes. Full and short names.
    fn other_branches(&self) -> Vec<(String, String)> {
        let repo = self.inner.to_thread_local();
        let current = self.current_branch();
        let listed = |prefix: &str, is_own: &dyn Fn(&str) -> bool| -> Vec<(String, String)> {
            let Ok(platform) = repo.references() else { return Vec::new() };
            let Ok(all) = platform.prefixed(prefix) else { return Vec::new() };
            let names = all.filter_map(Result::ok).map(|r| r.name().as_bstr().to_str_lossy().into_owned());
            let named = names.filter_map(|full| Some((full.clone(), full.strip_prefix(prefix)?.to_owned())));
            named.filter(|(_, name)| !is_own(name)).collect()
        };
        let local = listed("refs/heads/", &|name| Some(name) == current.as_deref());
        if !local.is_empty() {
            return local;
        }
        listed("refs/remotes/", &|name| {
            let branch = name.split_once('/').map_or(name, |(_, branch)| branch);
            branch == "HEAD" || Some(branch) == current.as_deref()
        })
    }

    /// Where a commit's history leaves the target's. The target is the commit that was found for it: its name is only
    /// shown, since it may mean another branch or tag elsewhere.
    ///
    /// # Errors
    /// As [`Repository::merge_base`].
    pub fn fork_point(&self, target: &Target, commit: &str) -> Result<CommitId, GitError> {
        self.merge_base(&target.tip, commit).map_err(|error| match error {
            GitError::NoMergeBase { two, shallow, .. } => {
                GitError::NoMergeBase { one: target.name.clone(), two, shallow }
            }
            other => other,
        })
    }

    /// The name of the branch that is checked out.
    pub fn current_branch(&self) -> Option<String> {
        let head = self.inner.to_thread_local().head_name().ok()??;
        Some(head.shorten().to_str_lossy().into_owned())
    }
}
