//! What the host's own checker still has to look at.

use rusqlite::params;

use super::{Refusal, Storage};

/// What there is to do for the checker.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Due {
    /// A revision that it hasn't looked at.
    Revision {
        /// The revision's number.
        revision: u64,
        /// The revision's commit.
        head: String,
    },
    /// Somebody said something in a thread of a checker; the number of the last remark.
    Remark(u64),
}

/// Whether work in progress is checked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Drafts {
    /// As any other proposal.
    Checked,
    /// Only once it is ready.
    Skipped,
}

impl Storage {
    /// What there is to do, oldest proposal first: the proposal, its repository, and what.
    pub fn due_checks(&self, drafts: Drafts) -> Result<Vec<(u64, String, Due)>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT p.number, repository, r.number, r.head FROM proposals p JOIN revisions r ON r.proposal = p.number
             WHERE state = 'open' AND (?1 OR NOT draft)
               AND r.number = (SELECT max(number) FROM revisions WHERE proposal = p.number)
               AND r.number > coalesce((SELECT revision FROM checked WHERE proposal = p.number), 0)
             ORDER BY p.number",
        )?;
        let rows = select.query_map([drafts == Drafts::Checked], |r| {
            Ok((r.get(0)?, r.get(1)?, Due::Revision { revision: r.get(2)?, head: r.get(3)? }))
        })?;
        let mut due: Vec<(u64, String, Due)> = rows.collect::<Result<_, _>>()?;
        let mut select = self.connection.prepare_cached(
            "SELECT p.number, repository, max(m.number) AS last
             FROM proposals p JOIN threads t ON t.proposal = p.number JOIN remarks m ON m.thread = t.number
             WHERE state = 'open' AND t.open AND t.key IS NOT NULL AND NOT m.draft AND m.author <> t.author
             GROUP BY p.number HAVING last > coalesce((SELECT remark FROM checked WHERE proposal = p.number), 0)
             ORDER BY p.number",
        )?;
        let rows = select.query_map([], |r| Ok((r.get(0)?, r.get(1)?, Due::Remark(r.get(2)?))))?;
        for row in rows {
            due.push(row?);
        }
        Ok(due)
    }

    /// Notes that the checker has ended with something.
    pub fn check_ended(&mut self, proposal: u64, due: &Due) -> Result<(), Refusal> {
        let (revision, remark) = match due {
            Due::Revision { revision, .. } => (*revision, 0),
            Due::Remark(remark) => (0, *remark),
        };
        let tx = self.write()?;
        tx.execute(
            "INSERT INTO checked (proposal, revision, remark) VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE
             SET revision = max(revision, excluded.revision), remark = max(remark, excluded.remark)",
            params![proposal, revision, remark],
        )?;
        Ok(tx.commit()?)
    }
}
