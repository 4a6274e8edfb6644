//! Committing fixed files.

use std::ffi::OsStr;
use std::io::Write;
use std::os::unix::ffi::OsStrExt;
use std::process::Stdio;

use crate::GitError;
use crate::command::run;
use crate::repository::Repository;

/// A file of HEAD with another content.
#[derive(Debug, Clone, Copy)]
pub struct FixedBlob<'a> {
    /// Its path.
    pub path: &'a [u8],
    /// What it holds now.
    pub content: &'a [u8],
}

impl Repository {
    /// Makes a branch whose only commit on top of HEAD has these contents; neither the checkout nor the index is touched. The
    /// id of the commit.
    ///
    /// # Errors
    /// When the name isn't one, or there is such a branch, or git fails; then there is no new branch.
    pub fn branch_with(&self, name: &str, files: &[FixedBlob<'_>], message: &str) -> Result<String, GitError> {
        let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).trim().to_owned();
        let mut check = self.git();
        check.args(["check-ref-format", "--branch", name]);
        run(check, "check-ref-format", &[0])?;
        let head = self.commit("HEAD")?;
        let folder = tempfile::tempdir()?;
        let with_index = || {
            let mut command = self.git();
            command.env("GIT_INDEX_FILE", folder.path().join("index"));
            command
        };
        let mut read = with_index();
        read.args(["read-tree", &head]);
        run(read, "read-tree", &[0])?;
        for file in files {
            let id = self.write_blob(file.content)?;
            let mut list = self.git();
            list.args(["ls-tree", "-z", &head, "--"]).arg(OsStr::from_bytes(file.path));
            let entry = text(run(list, "ls-tree", &[0])?.0);
            let mode = entry.split(' ').next().unwrap_or("100644").to_owned();
            let mut update = with_index();
            update.args(["update-index", "--add", "--cacheinfo", &mode, &id]).arg(OsStr::from_bytes(file.path));
            run(update, "update-index", &[0])?;
        }
        let mut write = with_index();
        write.arg("write-tree");
        let tree = text(run(write, "write-tree", &[0])?.0);
        let mut commit = self.git();
        commit.args(["commit-tree", "-p", &head, "-m", message, &tree]);
        let id = text(run(commit, "commit-tree", &[0])?.0);
        // An empty old value: the branch must not be there yet.
        let mut update = self.git();
        update.args(["update-ref", "-m", "swage fix", &format!("refs/heads/{name}"), &id, ""]);
        run(update, "update-ref", &[0])?;
        Ok(id)
    }

    /// Commits files of the working tree as they are, and nothing else; hooks and settings of the user have their say.
    ///
    /// # Errors
    /// When git refuses; then nothing is committed.
    pub fn commit_paths(&self, paths: &[&[u8]], message: &str) -> Result<(), GitError> {
        let mut commit = self.git();
        commit.env("GIT_LITERAL_PATHSPECS", "1").env_remove("GIT_OPTIONAL_LOCKS");
        commit.args(["commit", "--quiet", "--only", "-m", message, "--"]);
        // From the root, wherever the command was called.
        if let Some(root) = self.workdir() {
            commit.current_dir(root);
        }
        commit.args(paths.iter().map(|path| OsStr::from_bytes(path)));
        run(commit, "commit", &[0]).map(|_| ())
    }

    fn write_blob(&self, content: &[u8]) -> Result<String, GitError> {
        let mut command = self.git();
        command.args(["hash-object", "-w", "--stdin", "--no-filters"]);
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().map_err(GitError::NoGit)?;
        if let Some(mut input) = child.stdin.take() {
            input.write_all(content)?;
        }
        let output = child.wait_with_output()?;
        if !output.status.success() {
            let message = String::from_utf8_lossy(&output.stderr).trim().to_owned();
            return Err(GitError::Failed { command: "hash-object".to_owned(), message });
        }
        Ok(String::from_utf8_lossy(&output.stdout).trim().to_owned())
    }
}
