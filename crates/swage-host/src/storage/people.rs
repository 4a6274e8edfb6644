//! People, their tokens, repositories and tickets.

use rusqlite::{OptionalExtension, Transaction, params};
use sha2::{Digest, Sha256};

use super::{Refusal, Storage, from_json, json, now};
use crate::protocol::{Me, NewTicket, Person, Repository, Role, Ticket};

fn hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

impl Storage {
    /// Gives somebody a role, and a token when there is one to give.
    pub fn put_person(&mut self, name: &str, role: Role, token: Option<&str>) -> Result<(), Refusal> {
        let tx = self.write()?;
        tx.execute(
            "INSERT INTO people (name, role) VALUES (?1, ?2) ON CONFLICT DO UPDATE SET role = excluded.role",
            params![name, role.word()],
        )?;
        if let Some(token) = token {
            tx.execute(
                "INSERT INTO tokens (hash, person, created) VALUES (?1, ?2, ?3)",
                params![hash(token), name, now()],
            )?;
        }
        Ok(tx.commit()?)
    }

    /// Takes all tokens of somebody away; how many there were.
    pub fn revoke_tokens(&mut self, name: &str) -> Result<usize, Refusal> {
        let tx = self.write()?;
        let gone = tx.execute("DELETE FROM tokens WHERE person = ?1", [name])?;
        tx.commit()?;
        Ok(gone)
    }

    /// Whom a token belongs to. Tokens are long and random, so the time that it takes to find their hash says nothing.
    pub fn person_of(&self, token: &str) -> Result<Option<Person>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT people.name, people.role FROM tokens JOIN people ON people.name = tokens.person WHERE tokens.hash = ?1",
        )?;
        let found = select.query_row([hash(token)], |r| Ok((r.get(0)?, r.get::<_, String>(1)?))).optional()?;
        Ok(found.and_then(|(name, role)| Some(Person { name, role: Role::of(&role)? })))
    }

    /// What somebody may see of themselves.
    pub fn me(&self, person: &Person) -> Result<Me, Refusal> {
        let count = "SELECT count(*) FROM notices WHERE person = ?1";
        let unread = self.connection.query_row(count, [&person.name], |r| r.get(0))?;
        Ok(Me { name: person.name.clone(), role: person.role, unread })
    }

    pub fn people(&self) -> Result<Vec<Person>, Refusal> {
        let mut select = self.connection.prepare_cached("SELECT name, role FROM people ORDER BY name")?;
        let rows = select.query_map([], |r| Ok((r.get::<_, String>(0)?, r.get::<_, String>(1)?)))?;
        let rows: Vec<(String, String)> = rows.collect::<Result<_, _>>()?;
        Ok(rows.into_iter().filter_map(|(name, role)| Some(Person { name, role: Role::of(&role)? })).collect())
    }

    /// Notes a repository; the host has made it already.
    pub fn add_repository(&mut self, new: &Repository) -> Result<(), Refusal> {
        let tx = self.write()?;
        let fresh = tx.execute(
            "INSERT OR IGNORE INTO repositories (name, owner, copy_of) VALUES (?1, ?2, ?3)",
            params![new.name, new.owner, new.copy_of],
        )?;
        if fresh == 0 {
            return Err(Refusal::Conflict(format!("there is a repository `{}` already", new.name)));
        }
        for branch in &new.protected {
            tx.execute(
                "INSERT OR IGNORE INTO protected (repository, branch) VALUES (?1, ?2)",
                params![new.name, branch],
            )?;
        }
        Ok(tx.commit()?)
    }

    pub fn repositories(&self) -> Result<Vec<Repository>, Refusal> {
        let names: Vec<String> = {
            let mut select = self.connection.prepare_cached("SELECT name FROM repositories ORDER BY name")?;
            let rows = select.query_map([], |r| r.get(0))?;
            rows.collect::<Result<_, _>>()?
        };
        names.into_iter().map(|name| self.repository(&name)).collect()
    }

    pub fn repository(&self, name: &str) -> Result<Repository, Refusal> {
        let found = self
            .connection
            .query_row("SELECT owner, copy_of FROM repositories WHERE name = ?1", [name], |r| {
                Ok((r.get(0)?, r.get(1)?))
            })
            .optional()?;
        let (owner, copy_of) = found.ok_or_else(|| Refusal::Unknown(format!("there is no repository `{name}`")))?;
        let mut select =
            self.connection.prepare_cached("SELECT branch FROM protected WHERE repository = ?1 ORDER BY rowid")?;
        let protected = select.query_map([name], |r| r.get(0))?.collect::<Result<_, _>>()?;
        Ok(Repository { name: name.to_owned(), owner, copy_of, protected })
    }

    /// Writes a ticket, new or changed; whether it is new.
    pub fn put_ticket(&mut self, name: &str, new: &NewTicket) -> Result<bool, Refusal> {
        let tx = self.write()?;
        let there: bool = tx.query_row("SELECT count(*) FROM tickets WHERE name = ?1", [name], |r| r.get(0))?;
        tx.execute(
            "INSERT INTO tickets (name, title, open, points) VALUES (?1, ?2, ?3, ?4)
             ON CONFLICT DO UPDATE SET title = excluded.title, open = excluded.open, points = excluded.points",
            params![name, new.title, new.open, json(&new.points)],
        )?;
        tx.commit()?;
        Ok(!there)
    }

    pub fn tickets(&self) -> Result<Vec<Ticket>, Refusal> {
        let mut select = self.connection.prepare_cached("SELECT name FROM tickets ORDER BY name")?;
        let names: Vec<String> = select.query_map([], |r| r.get(0))?.collect::<Result<_, _>>()?;
        names.into_iter().map(|name| self.ticket(&name)).collect()
    }

    pub fn ticket(&self, name: &str) -> Result<Ticket, Refusal> {
        let mut select = self.connection.prepare_cached("SELECT title, open, points FROM tickets WHERE name = ?1")?;
        let found: Option<(String, bool, String)> =
            select.query_row([name], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?))).optional()?;
        let (title, open, points) = found.ok_or_else(|| Refusal::Unknown(format!("there is no ticket `{name}`")))?;
        let mut select = self
            .connection
            .prepare_cached("SELECT proposal FROM proposal_tickets WHERE ticket = ?1 ORDER BY proposal")?;
        let proposals = select.query_map([name], |r| r.get(0))?.collect::<Result<_, _>>()?;
        Ok(Ticket { name: name.to_owned(), title, open, points: from_json(&points)?, proposals })
    }
}

/// All of these must be people of the host.
pub(super) fn must_be_people(tx: &Transaction<'_>, names: &[String]) -> Result<(), Refusal> {
    for name in names {
        let known: bool = tx.query_row("SELECT count(*) FROM people WHERE name = ?1", [name], |r| r.get(0))?;
        if !known {
            return Err(Refusal::Invalid(format!("nobody here is called `{name}`")));
        }
    }
    Ok(())
}
