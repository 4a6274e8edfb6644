//! Verdicts, and merges. What is about to be merged is written down before the target moves: when the host is cut short in
//! between, the history of the target shows whether it did.

use rusqlite::{OptionalExtension, Transaction, params};

use super::events::{Happening, note};
use super::proposals::{newest, no_proposal};
use super::{Refusal, Storage, from_json, json, now};
use crate::protocol::{MergeKind, Merged, NewVerdict, Verdict};

/// Events that don't void a verdict: it has taken them into account, or they say nothing new.
const HARMLESS: &str = "('reported', 'verdict', 'proposed')";

/// A merge that is about to be made.
#[derive(Debug, Clone)]
pub struct Intent {
    /// The proposal.
    pub proposal: u64,
    /// The commit at which the target is.
    pub before: String,
    /// The head.
    pub head: String,
    /// The commit to which the target moves.
    pub commit: String,
    /// How.
    pub kind: MergeKind,
    /// Whether the source branch goes away.
    pub delete_branch: bool,
    /// Who does it.
    pub by: String,
}

impl Storage {
    /// Notes what the gate says.
    pub fn put_verdict(&mut self, number: u64, by: &str, new: &NewVerdict) -> Result<(), Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let (revision, head) = newest(&tx, number)?;
        if head != new.head {
            return Err(Refusal::Conflict(format!(
                "revision {revision} of proposal {number} is newer than what was judged"
            )));
        }
        // A verdict can't take into account what hasn't happened yet, or nothing would ever void it.
        let last: u64 = tx.query_row("SELECT max(number) FROM events WHERE proposal = ?1", [number], |r| r.get(0))?;
        if new.upto > last {
            return Err(Refusal::Invalid(format!("the last event of proposal {number} is {last}")));
        }
        tx.execute(
            "INSERT OR REPLACE INTO verdicts (proposal, target, head, result, conditions, upto, by, at)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
            params![number, new.target, new.head, new.result, json(&new.conditions), new.upto, by, now()],
        )?;
        let event = Happening {
            proposal: number,
            who: by,
            what: "verdict",
            text: &new.result,
            revision: Some(revision),
            thread: None,
        };
        note(&tx, &event, &[])?;
        Ok(tx.commit()?)
    }

    /// The newest verdict; whether the target has moved since isn't known here.
    pub(super) fn verdict(&self, number: u64) -> Result<Option<Verdict>, Refusal> {
        let mut select = self.connection.prepare_cached(&format!(
            "SELECT target, head, result, conditions, by, at,
                head = (SELECT head FROM revisions WHERE proposal = ?1 ORDER BY number DESC LIMIT 1)
                AND NOT EXISTS (SELECT 1 FROM events WHERE proposal = ?1 AND number > upto AND what NOT IN {HARMLESS})
             FROM verdicts WHERE proposal = ?1"
        ))?;
        let read = |r: &rusqlite::Row<'_>| {
            Ok(Verdict {
                target: r.get(0)?,
                head: r.get(1)?,
                result: r.get(2)?,
                conditions: from_json(&r.get::<_, String>(3)?)?,
                by: r.get(4)?,
                at: r.get(5)?,
                holds: r.get(6)?,
            })
        };
        Ok(select.query_row([number], read).optional()?)
    }

    /// Writes down that a merge is about to be made, when it may be.
    pub fn intend(&mut self, intent: &Intent) -> Result<(), Refusal> {
        let number = intent.proposal;
        self.must_exist(number)?;
        let verdict = self.verdict(number)?;
        let tx = self.write()?;
        let (revision, head) = newest(&tx, number)?;
        let (state, after): (String, Option<String>) =
            tx.query_row("SELECT state, after FROM proposals WHERE number = ?1", [number], |r| {
                Ok((r.get(0)?, r.get(1)?))
            })?;
        let no = |why: String| Err(Refusal::Conflict(why));
        if state != "open" {
            return no(format!("proposal {number} is {state}"));
        }
        if after.is_some() {
            return no(format!("what proposal {number} holds is on the target already"));
        }
        if head != intent.head {
            return no(format!("revision {revision} of proposal {number} is newer than what is to be merged"));
        }
        match verdict {
            None => return no(format!("the gate hasn't judged proposal {number} yet")),
            Some(v) if v.target != intent.before || v.head != intent.head || !v.holds => {
                return no(format!(
                    "the verdict on proposal {number} is void: something has changed since; judge it again"
                ));
            }
            Some(v) if v.result != "pass" => return no(format!("the verdict on proposal {number} is {}", v.result)),
            Some(_) => {}
        }
        tx.execute(
            "INSERT OR REPLACE INTO merges (proposal, before, head, commit_id, kind, delete_branch, done, by, at)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, 0, ?7, ?8)",
            params![
                number,
                intent.before,
                intent.head,
                intent.commit,
                intent.kind.word(),
                intent.delete_branch,
                intent.by,
                now()
            ],
        )?;
        Ok(tx.commit()?)
    }

    /// Notes that the target has moved: the proposal is merged, and its tickets are closed.
    pub fn finish_merge(&mut self, number: u64) -> Result<(), Refusal> {
        let tx = self.write()?;
        let intent = intent(&tx, number)?.ok_or_else(|| no_proposal(number))?;
        tx.execute("UPDATE merges SET done = 1 WHERE proposal = ?1", [number])?;
        tx.execute("UPDATE proposals SET state = 'merged' WHERE number = ?1", [number])?;
        tx.execute(
            "UPDATE tickets SET open = 0 WHERE name IN (SELECT ticket FROM proposal_tickets WHERE proposal = ?1)",
            [number],
        )?;
        let (revision, _) = newest(&tx, number)?;
        let event = Happening {
            proposal: number,
            who: &intent.by,
            what: "merged",
            text: &intent.commit,
            revision: Some(revision),
            thread: None,
        };
        note(&tx, &event, &[])?;
        Ok(tx.commit()?)
    }

    /// Forgets a merge that didn't come about.
    pub fn drop_merge(&mut self, number: u64) -> Result<(), Refusal> {
        let tx = self.write()?;
        tx.execute("DELETE FROM merges WHERE proposal = ?1 AND NOT done", [number])?;
        Ok(tx.commit()?)
    }

    /// Merges that were begun and not finished.
    pub fn open_merges(&mut self) -> Result<Vec<Intent>, Refusal> {
        let tx = self.write()?;
        let mut select = tx.prepare("SELECT proposal FROM merges WHERE NOT done ORDER BY proposal")?;
        let numbers: Vec<u64> = select.query_map([], |r| r.get(0))?.collect::<Result<_, _>>()?;
        let found = numbers.into_iter().map(|number| intent(&tx, number));
        Ok(found.collect::<Result<Vec<_>, _>>()?.into_iter().flatten().collect())
    }

    pub(super) fn merged(&self, number: u64) -> Result<Option<Merged>, Refusal> {
        let mut select = self
            .connection
            .prepare_cached("SELECT commit_id, before, kind, by, at FROM merges WHERE proposal = ?1 AND done")?;
        let read = |r: &rusqlite::Row<'_>| {
            Ok(Merged {
                commit: r.get(0)?,
                before: r.get(1)?,
                kind: MergeKind::of(&r.get::<_, String>(2)?),
                by: r.get(3)?,
                at: r.get(4)?,
            })
        };
        Ok(select.query_row([number], read).optional()?)
    }
}

fn intent(tx: &Transaction<'_>, number: u64) -> Result<Option<Intent>, Refusal> {
    let read = |r: &rusqlite::Row<'_>| {
        Ok(Intent {
            proposal: number,
            before: r.get(0)?,
            head: r.get(1)?,
            commit: r.get(2)?,
            kind: MergeKind::of(&r.get::<_, String>(3)?),
            delete_branch: r.get(4)?,
            by: r.get(5)?,
        })
    };
    let sql = "SELECT before, head, commit_id, kind, delete_branch, by FROM merges WHERE proposal = ?1 AND NOT done";
    Ok(tx.query_row(sql, [number], read).optional()?)
}
