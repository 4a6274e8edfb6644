//! What people are notified of by mail: what happened that they haven't looked at yet.

use rusqlite::params;

use super::events::event;
use super::{Refusal, Storage, now};
use crate::protocol::Event;

/// What somebody is to be notified of a proposal.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Notification {
    /// Who.
    pub person: String,
    /// Their address.
    pub mail: String,
    /// The proposal.
    pub proposal: u64,
    /// Its title.
    pub title: String,
    /// The repository that it wants to enter.
    pub repository: String,
    /// What happened, oldest first.
    pub events: Vec<Event>,
}

impl Storage {
    /// Notes where somebody gets mail.
    pub fn put_mail(&mut self, name: &str, mail: &str) -> Result<(), Refusal> {
        let tx = self.write()?;
        tx.execute("UPDATE people SET mail = ?2 WHERE name = ?1", params![name, mail])?;
        Ok(tx.commit()?)
    }

    /// What hasn't been mailed yet and is at least this many seconds old, so that what belongs together goes together.
    pub fn unmailed(&self, seconds: i64) -> Result<Vec<Notification>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT e.number, e.at, e.who, e.what, e.text, e.revision, e.thread,
                n.person, people.mail, p.number, p.title, p.repository
             FROM notices n JOIN people ON people.name = n.person JOIN events e ON e.number = n.event
                JOIN proposals p ON p.number = e.proposal
             WHERE NOT n.mailed AND people.mail IS NOT NULL
               AND (SELECT max(at) FROM events WHERE proposal = p.number) <= ?1
             ORDER BY n.person, p.number, e.number",
        )?;
        let mut rows = select.query([now() - seconds])?;
        let mut all: Vec<Notification> = Vec::new();
        while let Some(r) = rows.next()? {
            let (person, proposal): (String, u64) = (r.get(7)?, r.get(9)?);
            let event = event(r)?;
            match all.last_mut().filter(|last| last.person == person && last.proposal == proposal) {
                Some(last) => last.events.push(event),
                None => {
                    let (mail, title, repository) = (r.get(8)?, r.get(10)?, r.get(11)?);
                    all.push(Notification { person, mail, proposal, title, repository, events: vec![event] });
                }
            }
        }
        Ok(all)
    }

    /// Notes that somebody has been notified by mail.
    pub fn mailed(&mut self, rendered: &Notification) -> Result<(), Refusal> {
        let tx = self.write()?;
        for event in &rendered.events {
            let whose = params![rendered.person, event.number];
            tx.execute("UPDATE notices SET mailed = 1 WHERE person = ?1 AND event = ?2", whose)?;
        }
        Ok(tx.commit()?)
    }
}
