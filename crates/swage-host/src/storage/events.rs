//! What happened, and who is to be notified.

use rusqlite::{Transaction, params};

use super::{Refusal, Storage, now};
use crate::protocol::Event;

/// Something that happens to a proposal.
pub(super) struct Happening<'a> {
    pub proposal: u64,
    pub who: &'a str,
    pub what: &'a str,
    pub text: &'a str,
    pub revision: Option<u64>,
    pub thread: Option<u64>,
}

/// Records an event, and notifies those who take part in the proposal or are mentioned in it. Its number.
pub(super) fn note(tx: &Transaction<'_>, event: &Happening<'_>, mentioned: &[String]) -> Result<u64, Refusal> {
    let at = now();
    tx.execute(
        "INSERT INTO events (proposal, at, who, what, text, revision, thread) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
        params![event.proposal, at, event.who, event.what, event.text, event.revision, event.thread],
    )?;
    let number = tx.last_insert_rowid() as u64;
    tx.execute("UPDATE proposals SET updated = ?2 WHERE number = ?1", params![event.proposal, at])?;
    // A program's steps are many, and the verdict sums them up.
    if !matches!(event.what, "status" | "reported" | "verdict") {
        tx.execute(
            "INSERT OR IGNORE INTO notices (person, event)
             SELECT person, ?2 FROM (
                 SELECT author AS person FROM proposals WHERE number = ?1
                 UNION SELECT person FROM reviewers WHERE proposal = ?1
                 UNION SELECT person FROM watchers WHERE proposal = ?1
             ) WHERE person <> ?3",
            params![event.proposal, number, event.who],
        )?;
    }
    for person in mentioned {
        tx.execute(
            "INSERT OR IGNORE INTO notices (person, event) SELECT name, ?2 FROM people WHERE name = ?1 AND name <> ?3",
            params![person, number, event.who],
        )?;
    }
    Ok(number)
}

/// The names after `@` in a text.
pub(super) fn mentioned(text: &str) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for (at, _) in text.match_indices('@') {
        let is_name = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
        // An address of mail mentions nobody.
        if text[..at].ends_with(is_name) {
            continue;
        }
        let rest = &text[at + 1..];
        let name = &rest[..rest.find(|c| !is_name(c)).unwrap_or(rest.len())];
        let name = name.trim_end_matches(['.', '-']);
        if !name.is_empty() && !names.iter().any(|known| known == name) {
            names.push(name.to_owned());
        }
    }
    names
}

impl Storage {
    /// What happened to a proposal, oldest first.
    pub fn timeline(&self, proposal: u64) -> Result<Vec<Event>, Refusal> {
        self.must_exist(proposal)?;
        self.events("WHERE proposal = ?1 ORDER BY number", params![proposal])
    }

    /// What somebody hasn't been notified of yet, oldest first, with the proposal of each.
    pub fn notices(&self, person: &str) -> Result<Vec<(u64, Event)>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT number, at, who, what, text, revision, thread, proposal FROM events
             WHERE number IN (SELECT event FROM notices WHERE person = ?1) ORDER BY number",
        )?;
        let rows = select.query_map([person], |r| Ok((r.get(7)?, event(r)?)))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// The number of the last event of all; 0 when there is none.
    pub fn last_event(&self) -> Result<u64, Refusal> {
        let mut select = self.connection.prepare_cached("SELECT coalesce(max(number), 0) FROM events")?;
        Ok(select.query_row([], |r| r.get(0))?)
    }

    fn events(&self, which: &str, given: impl rusqlite::Params) -> Result<Vec<Event>, Refusal> {
        let mut select = self
            .connection
            .prepare_cached(&format!("SELECT number, at, who, what, text, revision, thread FROM events {which}"))?;
        let rows = select.query_map(given, event)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Notes that somebody has looked at a proposal, up to its last event.
    pub fn look(&mut self, proposal: u64, person: &str) -> Result<bool, Refusal> {
        self.must_exist(proposal)?;
        let tx = self.write()?;
        let changed = tx.execute(
            "INSERT INTO seen (proposal, person, event)
             SELECT ?1, ?2, max(number) FROM events WHERE proposal = ?1 HAVING max(number) IS NOT NULL
             ON CONFLICT DO UPDATE SET event = excluded.event WHERE event < excluded.event",
            params![proposal, person],
        )?;
        tx.execute(
            "DELETE FROM notices WHERE person = ?2 AND event IN (SELECT number FROM events WHERE proposal = ?1)",
            params![proposal, person],
        )?;
        tx.commit()?;
        Ok(changed > 0)
    }
}

/// The event in the first seven columns of a row: number, at, who, what, text, revision, thread.
pub(super) fn event(r: &rusqlite::Row<'_>) -> rusqlite::Result<Event> {
    Ok(Event {
        number: r.get(0)?,
        at: r.get(1)?,
        who: r.get(2)?,
        what: r.get(3)?,
        text: r.get(4)?,
        revision: r.get(5)?,
        thread: r.get(6)?,
    })
}

#[cfg(test)]
mod tests {
    use super::mentioned;

    #[test]
    fn names_behind_an_at_sign() {
        let text = "@harbour-dev, see a@example.org and @maintainer. Also (@checker) and @harbour-dev again; @ alone.";
        assert_eq!(mentioned(text), ["harbour-dev", "maintainer", "checker"]);
    }
}
