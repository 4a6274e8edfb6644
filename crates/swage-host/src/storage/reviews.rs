//! What people and programs say of revisions: stances, statuses, read marks, and who watches.

use rusqlite::{OptionalExtension, params};

use super::events::{Happening, mentioned, note};
use super::proposals::newest;
use super::threads::publish;
use super::{Refusal, Storage, now, now_ms};
use crate::protocol::{
    Mark, NewStance, NewStatus, Person, Published, ReadMark, Stance, StanceWord, Status, StatusState, StatusStep,
};

impl Storage {
    /// Takes a stance on the newest revision, and publishes one's drafts with it.
    pub fn take_stance(&mut self, number: u64, person: &Person, new: &NewStance) -> Result<Published, Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let (revision, head) = newest(&tx, number)?;
        if head != new.head {
            return Err(Refusal::Conflict(format!(
                "revision {revision} of proposal {number} is newer than what you looked at; look at it first"
            )));
        }
        let author: String = tx.query_row("SELECT author FROM proposals WHERE number = ?1", [number], |r| r.get(0))?;
        if author == person.name && new.stance != StanceWord::Comment {
            return Err(Refusal::Forbidden("nobody approves, or objects to, a proposal of their own".to_owned()));
        }
        let published = publish(&tx, number, person)?;
        tx.execute(
            "INSERT OR REPLACE INTO stances (proposal, person, stance, revision, text, at) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            params![number, person.name, new.stance.word(), revision, new.text, now()],
        )?;
        let event = Happening {
            proposal: number,
            who: &person.name,
            what: "stance",
            text: new.stance.word(),
            revision: Some(revision),
            thread: None,
        };
        note(&tx, &event, &mentioned(&new.text))?;
        tx.commit()?;
        Ok(published)
    }

    pub(super) fn stances(&self, number: u64) -> Result<Vec<Stance>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT person, stance, revision, text, at FROM stances WHERE proposal = ?1 ORDER BY at, person",
        )?;
        let rows = select.query_map([number], |r| {
            Ok(Stance {
                person: r.get(0)?,
                stance: StanceWord::of(&r.get::<_, String>(1)?),
                revision: r.get(2)?,
                text: r.get(3)?,
                at: r.get(4)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Notes what an outside program says of a revision.
    /// Long because the old status, the new one and the timeline are one transaction.
    pub fn put_status(
        &mut self,
        number: u64,
        head: &str,
        name: &str,
        by: &str,
        new: &NewStatus,
    ) -> Result<Status, Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let revision: Option<u64> = tx
            .query_row(
                "SELECT max(number) FROM revisions WHERE proposal = ?1 AND head = ?2",
                params![number, head],
                |r| r.get(0),
            )
            .optional()?
            .flatten();
        let revision =
            revision.ok_or_else(|| Refusal::Conflict(format!("{head} isn't a revision of proposal {number}")))?;
        let at = now();
        let before: Option<(String, String)> = tx
            .query_row(
                "SELECT state, text FROM statuses WHERE proposal = ?1 AND revision = ?2 AND name = ?3",
                params![number, revision, name],
                |r| Ok((r.get(0)?, r.get(1)?)),
            )
            .optional()?;
        tx.execute(
            "INSERT OR REPLACE INTO statuses (proposal, revision, name, state, text, link, by, at)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
            params![number, revision, name, new.state.word(), new.text, new.link, by, at],
        )?;
        // What was said already is no news, and voids no verdict.
        if before.as_ref().is_none_or(|(state, text)| state != new.state.word() || *text != new.text) {
            let of_status = params![number, revision, name];
            let is_begun = new.state == StatusState::Pending;
            if is_begun && before.is_some_and(|(state, _)| state != StatusState::Pending.word()) {
                tx.execute("DELETE FROM status_steps WHERE proposal = ?1 AND revision = ?2 AND name = ?3", of_status)?;
            }
            let said = if new.text.is_empty() { new.state.word() } else { &new.text };
            tx.execute(
                "INSERT INTO status_steps (proposal, revision, name, text, at) VALUES (?1, ?2, ?3, ?4, ?5)",
                params![number, revision, name, said, now_ms()],
            )?;
            let text = format!("{name}: {}", new.state.word());
            let event = Happening {
                proposal: number,
                who: by,
                what: "status",
                text: &text,
                revision: Some(revision),
                thread: None,
            };
            note(&tx, &event, &[])?;
        }
        tx.commit()?;
        Ok(Status {
            steps: self.steps(number, revision, name)?,
            name: name.to_owned(),
            revision,
            state: new.state,
            text: new.text.clone(),
            link: new.link.clone(),
            by: by.to_owned(),
            at,
        })
    }

    pub(super) fn statuses(&self, number: u64) -> Result<Vec<Status>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT name, revision, state, text, link, by, at FROM statuses WHERE proposal = ?1 ORDER BY revision, name",
        )?;
        let rows = select.query_map([number], |r| {
            Ok(Status {
                name: r.get(0)?,
                revision: r.get(1)?,
                state: StatusState::of(&r.get::<_, String>(2)?),
                text: r.get(3)?,
                link: r.get(4)?,
                by: r.get(5)?,
                at: r.get(6)?,
                steps: Vec::new(),
            })
        })?;
        let mut statuses: Vec<Status> = rows.collect::<Result<_, _>>()?;
        for status in &mut statuses {
            status.steps = self.steps(number, status.revision, &status.name)?;
        }
        Ok(statuses)
    }

    fn steps(&self, number: u64, revision: u64, name: &str) -> Result<Vec<StatusStep>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT text, at FROM status_steps WHERE proposal = ?1 AND revision = ?2 AND name = ?3 ORDER BY number",
        )?;
        let rows =
            select.query_map(params![number, revision, name], |r| Ok(StatusStep { text: r.get(0)?, at: r.get(1)? }))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Watches a proposal, or no more; whether that changes anything.
    pub fn watch(&mut self, number: u64, person: &str, mark: Mark) -> Result<bool, Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let sql = match mark {
            Mark::Put => "INSERT OR IGNORE INTO watchers (proposal, person) VALUES (?1, ?2)",
            Mark::TakenAway => "DELETE FROM watchers WHERE proposal = ?1 AND person = ?2",
        };
        let changed = tx.execute(sql, params![number, person])?;
        tx.commit()?;
        Ok(changed > 0)
    }

    /// Marks a file as read, or no more; whether that changes anything.
    pub fn mark_read(&mut self, number: u64, person: &str, file: &ReadMark, mark: Mark) -> Result<bool, Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let (last, _) = newest(&tx, number)?;
        if !(1..=last).contains(&file.revision) {
            return Err(Refusal::Invalid(format!("proposal {number} has no revision {}", file.revision)));
        }
        let changed = match mark {
            Mark::Put => tx.execute(
                "INSERT INTO read_marks (proposal, person, path, revision) VALUES (?1, ?2, ?3, ?4)
                 ON CONFLICT DO UPDATE SET revision = excluded.revision WHERE revision <> excluded.revision",
                params![number, person, file.path, file.revision],
            )?,
            Mark::TakenAway => tx.execute(
                "DELETE FROM read_marks WHERE proposal = ?1 AND person = ?2 AND path = ?3",
                params![number, person, file.path],
            )?,
        };
        tx.commit()?;
        Ok(changed > 0)
    }

    /// The files that somebody has read.
    pub fn read_marks(&self, number: u64, person: &str) -> Result<Vec<ReadMark>, Refusal> {
        self.must_exist(number)?;
        let mut select = self.connection.prepare_cached(
            "SELECT path, revision FROM read_marks WHERE proposal = ?1 AND person = ?2 ORDER BY path",
        )?;
        let rows =
            select.query_map(params![number, person], |r| Ok(ReadMark { path: r.get(0)?, revision: r.get(1)? }))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}
