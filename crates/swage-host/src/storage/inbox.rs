//! What waits for somebody.

use rusqlite::params;

use super::{Refusal, Storage};
use crate::protocol::{InboxRow, ProposalState, StatusState, ThreadCounts};

/// Most rows of a list.
const MOST_ROWS: u32 = 500;

/// Which proposals are listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Which {
    /// Open ones that somebody has to do with.
    Mine,
    /// All open ones.
    Open,
    /// All, closed and merged ones included.
    All,
}

impl Storage {
    /// The proposals as somebody sees them: what waits for them first, then the one in which something happened last.
    /// Long because the conditions are SQL.
    pub fn inbox(&self, person: &str, which: Which) -> Result<Vec<InboxRow>, Refusal> {
        let condition = match which {
            Which::Mine => {
                "state = 'open' AND (author = ?1
                    OR EXISTS (SELECT 1 FROM reviewers WHERE proposal = p.number AND person = ?1)
                    OR EXISTS (SELECT 1 FROM watchers WHERE proposal = p.number AND person = ?1))"
            }
            Which::Open => "state = 'open'",
            Which::All => "TRUE",
        };
        let mut select = self.connection.prepare_cached(&format!(
            "SELECT p.number, title, author, state, draft, created, updated, due, r.number, r.files, r.added, r.removed,
                EXISTS (SELECT 1 FROM reviewers WHERE proposal = p.number AND person = ?1),
                EXISTS (SELECT 1 FROM watchers WHERE proposal = p.number AND person = ?1),
                (SELECT count(*) FROM stances WHERE proposal = p.number AND stance = 'approve' AND revision = r.number),
                (SELECT count(*) FROM stances WHERE proposal = p.number AND stance = 'object'),
                EXISTS (SELECT 1 FROM stances WHERE proposal = p.number AND person = ?1 AND revision = r.number),
                (SELECT group_concat(person, ', ') FROM reviewers v WHERE proposal = p.number AND NOT EXISTS
                    (SELECT 1 FROM stances s WHERE s.proposal = p.number AND s.person = v.person AND s.revision = r.number)),
                (SELECT min(CASE state WHEN 'failed' THEN 0 WHEN 'pending' THEN 1 ELSE 2 END) FROM statuses
                    WHERE proposal = p.number AND revision = r.number),
                (SELECT max(number) FROM events WHERE proposal = p.number AND who <> ?1)
                    > coalesce((SELECT event FROM seen WHERE proposal = p.number AND person = ?1), 0),
                (SELECT count(*) FROM threads WHERE proposal = p.number AND open AND NOT draft),
                (SELECT count(*) FROM threads WHERE proposal = p.number AND open AND NOT draft AND kind = 'todo'),
                (SELECT count(*) FROM threads WHERE proposal = p.number AND open AND key IS NOT NULL)
             FROM proposals p JOIN revisions r ON r.proposal = p.number
             WHERE r.number = (SELECT max(number) FROM revisions WHERE proposal = p.number) AND {condition}
             ORDER BY (SELECT max(number) FROM events WHERE proposal = p.number) DESC LIMIT {MOST_ROWS}"
        ))?;
        let rows = select.query_map(params![person], |r| {
            let (is_reviewer, is_watcher): (bool, bool) = (r.get(12)?, r.get(13)?);
            let author: String = r.get(2)?;
            let roles = [("author", author == person), ("reviewer", is_reviewer), ("watcher", is_watcher)];
            let mut row = InboxRow {
                number: r.get(0)?,
                title: r.get(1)?,
                state: ProposalState::of(&r.get::<_, String>(3)?),
                draft: r.get(4)?,
                roles: roles.iter().filter(|(_, is)| *is).map(|(role, _)| (*role).to_owned()).collect(),
                waits_for_me: false,
                why: String::new(),
                created: r.get(5)?,
                updated: r.get(6)?,
                due: r.get(7)?,
                revision: r.get(8)?,
                files: r.get(9)?,
                added: r.get(10)?,
                removed: r.get(11)?,
                threads: ThreadCounts { open: r.get(20)?, todos: r.get(21)?, findings: r.get(22)?, resolved: 0 },
                approvals: r.get(14)?,
                objections: r.get(15)?,
                status: r.get::<_, Option<u8>>(18)?.map(|worst| match worst {
                    0 => StatusState::Failed,
                    1 => StatusState::Pending,
                    _ => StatusState::Passed,
                }),
                unseen: r.get::<_, Option<bool>>(19)?.unwrap_or(false),
                author,
            };
            let has_spoken: bool = r.get(16)?;
            let missing: Option<String> = r.get(17)?;
            (row.waits_for_me, row.why) = waiting(&row, person, is_reviewer && !has_spoken, missing.as_deref());
            Ok(row)
        })?;
        let mut rows: Vec<InboxRow> = rows.collect::<Result<_, _>>()?;
        rows.sort_by_key(|row| !row.waits_for_me);
        Ok(rows)
    }
}

/// Whether a proposal waits for somebody, and for what or whom it does.
fn waiting(row: &InboxRow, person: &str, must_review: bool, missing: Option<&str>) -> (bool, String) {
    let is_author = row.author == person;
    let author = if is_author { "you" } else { row.author.as_str() };
    match row.state {
        ProposalState::Merged => (false, "merged".to_owned()),
        ProposalState::Closed => (false, "closed".to_owned()),
        ProposalState::Open if row.draft => (false, format!("work in progress of {author}")),
        ProposalState::Open if must_review => (true, "your review".to_owned()),
        ProposalState::Open if row.objections > 0 => (is_author, format!("{author}: an objection stands")),
        ProposalState::Open if row.threads.todos > 0 => {
            let s = if row.threads.todos == 1 { "" } else { "s" };
            (is_author, format!("{author}: {} to-do{s}", row.threads.todos))
        }
        ProposalState::Open if row.status == Some(StatusState::Failed) => {
            (is_author, format!("{author}: a status failed"))
        }
        ProposalState::Open => match missing {
            Some(names) => (false, format!("a review by {names}")),
            None => (is_author, format!("{author}: nothing more is asked for")),
        },
    }
}
