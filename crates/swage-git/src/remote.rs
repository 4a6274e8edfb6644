//! Fetching from a host and pushing to it, with a token that no list of processes shows.

use std::process::Command;

use crate::GitError;
use crate::command::run;
use crate::repository::Repository;

/// A repository on a host.
#[derive(Clone, Copy)]
pub struct Remote<'a> {
    /// Its address.
    pub url: &'a str,
    /// The token, when the address takes one.
    pub token: Option<&'a str>,
}

impl Remote<'_> {
    /// Puts the token where git finds it and others don't look: into the environment, after what the user has there.
    fn authorize(&self, command: &mut Command) {
        let Some(token) = self.token else { return };
        let there = std::env::var("GIT_CONFIG_COUNT").ok().and_then(|count| count.parse::<u32>().ok()).unwrap_or(0);
        command.env("GIT_CONFIG_COUNT", (there + 1).to_string());
        command.env(format!("GIT_CONFIG_KEY_{there}"), format!("http.{}.extraHeader", self.url));
        command.env(format!("GIT_CONFIG_VALUE_{there}"), format!("Authorization: Bearer {token}"));
    }
}

impl Repository {
    /// Fetches refs into refs of this repository, as git's refspecs say.
    ///
    /// # Errors
    /// When git fails.
    pub fn fetch(&self, remote: Remote<'_>, refspecs: &[String]) -> Result<(), GitError> {
        let mut fetch = self.git();
        fetch.env_remove("GIT_OPTIONAL_LOCKS");
        fetch.args(["fetch", "--quiet", "--no-tags", "--no-write-fetch-head", "--no-auto-maintenance"]);
        fetch.arg(remote.url).args(refspecs);
        remote.authorize(&mut fetch);
        run(fetch, "fetch", &[0]).map(|_| ())
    }

    /// Pushes a commit to a branch. Where the branch isn't an ancestor of it, `lease` must be the commit that the branch is at.
    ///
    /// # Errors
    /// When git or the host refuses; then nothing was pushed.
    pub fn push(&self, remote: Remote<'_>, commit: &str, branch: &str, lease: Option<&str>) -> Result<(), GitError> {
        let mut push = self.git();
        push.args(["push", "--quiet", "--no-verify", "--porcelain"]);
        if let Some(lease) = lease {
            push.arg(format!("--force-with-lease=refs/heads/{branch}:{lease}"));
        }
        push.arg(remote.url).arg(format!("{commit}:refs/heads/{branch}"));
        remote.authorize(&mut push);
        run(push, "push", &[0]).map(|_| ())
    }

    /// The address of the remote `origin`, or another setting of this clone's git configuration.
    pub fn setting(&self, key: &str) -> Option<String> {
        let repo = self.inner.to_thread_local();
        repo.config_snapshot().string(key).map(|value| value.to_string()).filter(|value| !value.is_empty())
    }

    /// Checks a commit out into a folder that isn't there yet, as a worktree of its own without a branch.
    ///
    /// # Errors
    /// When git fails.
    pub fn add_worktree(&self, folder: &std::path::Path, commit: &str) -> Result<(), GitError> {
        let mut add = self.git();
        add.env_remove("GIT_OPTIONAL_LOCKS");
        add.args(["worktree", "add", "--quiet", "--detach"]).arg(folder).arg(commit);
        run(add, "worktree", &[0]).map(|_| ())
    }

    /// Takes a worktree away again, with whatever lies in it.
    ///
    /// # Errors
    /// When git fails.
    pub fn remove_worktree(&self, folder: &std::path::Path) -> Result<(), GitError> {
        let mut remove = self.git();
        remove.env_remove("GIT_OPTIONAL_LOCKS");
        remove.args(["worktree", "remove", "--force"]).arg(folder);
        run(remove, "worktree", &[0]).map(|_| ())
    }

    /// Who wrote the commits of the last changes of some files, most of them first, with how many each has.
    ///
    /// # Errors
    /// When git fails.
    pub fn authors_of(&self, commit: &str, paths: &[&[u8]], most: usize) -> Result<Vec<(String, usize)>, GitError> {
        use std::os::unix::ffi::OsStrExt;
        let mut log = self.git();
        log.env("GIT_LITERAL_PATHSPECS", "1");
        log.args(["log", "--no-merges", "--format=%aN", &format!("--max-count={most}"), commit, "--"]);
        log.args(paths.iter().map(|path| std::ffi::OsStr::from_bytes(path)));
        let (out, _) = run(log, "log", &[0])?;
        let mut counts: std::collections::BTreeMap<String, usize> = std::collections::BTreeMap::new();
        for name in String::from_utf8_lossy(&out).lines().filter(|line| !line.is_empty()) {
            *counts.entry(name.to_owned()).or_default() += 1;
        }
        let mut counts: Vec<(String, usize)> = counts.into_iter().collect();
        counts.sort_by(|(a, m), (b, n)| n.cmp(m).then_with(|| a.cmp(b)));
        Ok(counts)
    }
}
