//! What happened before a change.

use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;

use crate::GitError;
use crate::command::run;
use crate::repository::Repository;
use swage_core::ids::CommitId;

/// More paths than this aren't named to git, which then looks at all of them.
const MAX_NAMED: usize = 500;

/// How often a file was changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct FileHistory {
    /// Commits that changed it, without merges.
    pub commits: u32,
    /// Their authors.
    pub authors: u32,
}

impl Repository {
    /// How often each of some files was changed in this many days up to a commit, by the commit's own clock. Files that weren't
    /// changed are left out.
    ///
    /// # Errors
    /// When git fails.
    pub fn changes_before(
        &self,
        commit: &str,
        days: u32,
        paths: &BTreeSet<&[u8]>,
    ) -> Result<BTreeMap<Vec<u8>, FileHistory>, GitError> {
        let mut show = self.git();
        show.args(["show", "--no-patch", "--format=%ct", commit, "--"]);
        let (out, _) = run(show, "show", &[0])?;
        let at: i64 = String::from_utf8_lossy(&out).trim().parse().unwrap_or(0);
        let since = at - i64::from(days) * 86_400;
        let mut log = self.git();
        log.env("GIT_LITERAL_PATHSPECS", "1");
        log.args(["log", "--no-merges", "--no-renames", "-z", "--name-only", "--format=%x01%ae"]);
        log.args([&format!("--since=@{since}"), commit, "--"]);
        if paths.len() <= MAX_NAMED {
            log.args(paths.iter().map(|path| OsStr::from_bytes(path)));
        }
        let (out, _) = run(log, "log", &[0])?;
        let mut found: BTreeMap<&[u8], (u32, BTreeSet<&[u8]>)> = BTreeMap::new();
        let mut author: &[u8] = b"";
        for field in out.split(|b| *b == 0) {
            let field = field.strip_prefix(b"\n").unwrap_or(field);
            match field.strip_prefix(b"\x01") {
                Some(of) => author = of,
                None if paths.contains(field) => {
                    let (commits, authors) = found.entry(field).or_default();
                    *commits += 1;
                    authors.insert(author);
                }
                None => {}
            }
        }
        let history = |(path, (commits, authors)): (&[u8], (u32, BTreeSet<&[u8]>))| {
            (path.to_vec(), FileHistory { commits, authors: authors.len() as u32 })
        };
        Ok(found.into_iter().map(history).collect())
    }
}

/// A commit of a line of history.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Landing {
    /// Its id.
    pub id: CommitId,
    /// Its first parent; `None` for the first commit of all, and where a shallow clone ends.
    pub parent: Option<CommitId>,
    /// When it was committed, in seconds since 1970 (UTC).
    pub at: i64,
    /// The first line of its message.
    pub subject: String,
}

impl Repository {
    /// The commits by which a branch came to be what it is: its tip and the first parents, oldest first, those up to `after` left
    /// out.
    ///
    /// # Errors
    /// When git fails.
    pub fn landings(&self, tip: &str, after: Option<&str>) -> Result<Vec<Landing>, GitError> {
        let mut log = self.git();
        log.args(["log", "--first-parent", "-z", "--format=%H %ct %P%n%s", tip]);
        log.args(after.map(|after| format!("^{after}")));
        log.arg("--");
        let (out, _) = run(log, "log", &[0])?;
        let landing = |record: &[u8]| {
            let text = String::from_utf8_lossy(record);
            let (head, subject) = text.split_once('\n')?;
            let mut fields = head.split(' ');
            Some(Landing {
                id: fields.next()?.into(),
                at: fields.next()?.parse().ok()?,
                parent: fields.next().filter(|id| !id.is_empty()).map(CommitId::from),
                subject: subject.to_owned(),
            })
        };
        let mut landings: Vec<Landing> =
            out.split(|b| *b == 0).filter(|record| !record.is_empty()).filter_map(landing).collect();
        landings.reverse();
        Ok(landings)
    }
}
