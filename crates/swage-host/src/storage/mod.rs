//! All that the host remembers, in an SQLite file. Every call is one transaction: it happens whole or not at all.

mod checked;
mod events;
mod inbox;
mod mailing;
mod merges;
mod people;
mod proposals;
mod reports;
mod reviews;
mod threads;

use std::path::Path;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use rusqlite::{Connection, Transaction};

pub use self::checked::{Drafts, Due};
pub use self::inbox::Which;
pub use self::mailing::Notification;
pub use self::merges::Intent;
pub use self::proposals::{NewRevision, Pushed};

/// The steps from an empty file to what this version needs, in order; how many were taken is in `user_version`.
const MIGRATIONS: [&str; 2] = [include_str!("schema/0001.sql"), include_str!("schema/0002.sql")];

/// Why the host doesn't do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum Refusal {
    /// There is no such thing.
    #[error("{0}")]
    Unknown(String),
    /// The asker may not.
    #[error("{0}")]
    Forbidden(String),
    /// It goes against what is there.
    #[error("{0}")]
    Conflict(String),
    /// What was sent names something that isn't there, or doesn't hold together.
    #[error("{0}")]
    Invalid(String),
    /// The host couldn't do it, which isn't the asker's fault.
    #[error("{0}")]
    Failed(String),
    /// The file can't be used.
    #[error("{0}")]
    Broken(rusqlite::Error),
}

impl From<rusqlite::Error> for Refusal {
    fn from(error: rusqlite::Error) -> Self {
        Self::Broken(error)
    }
}

/// Why the file can't be opened.
#[derive(Debug, thiserror::Error)]
pub enum OpenError {
    /// SQLite says no.
    #[error(transparent)]
    Sqlite(#[from] rusqlite::Error),
    /// A later version has written it.
    #[error("it was written by a later version of Swage")]
    Later,
}

pub struct Storage {
    connection: Connection,
}

impl Storage {
    pub fn open(path: &Path) -> Result<Self, OpenError> {
        let mut connection = Connection::open(path)?;
        connection.busy_timeout(Duration::from_secs(10))?;
        connection.pragma_update(None, "journal_mode", "WAL")?;
        // A crash of the machine may not undo what was acknowledged.
        connection.pragma_update(None, "synchronous", "FULL")?;
        connection.pragma_update(None, "foreign_keys", true)?;
        let tx = connection.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)?;
        let done: usize = tx.query_row("PRAGMA user_version", [], |row| row.get(0))?;
        let open = MIGRATIONS.get(done..).ok_or(OpenError::Later)?;
        open.iter().try_for_each(|step| tx.execute_batch(step))?;
        tx.pragma_update(None, "user_version", MIGRATIONS.len())?;
        tx.commit()?;
        Ok(Self { connection })
    }

    /// A transaction that writes: it waits for others first, so that it never has to start over.
    fn write(&mut self) -> Result<Transaction<'_>, Refusal> {
        Ok(self.connection.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)?)
    }
}

/// Seconds since 1970-01-01 UTC.
pub fn now() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs() as i64)
}

/// Milliseconds since 1970-01-01 UTC.
fn now_ms() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_millis() as i64)
}

fn json(value: &impl serde::Serialize) -> String {
    serde_json::to_string(value).unwrap_or_default()
}

/// A value that was kept as JSON; what can't be read any more is the file's fault.
fn from_json<T: serde::de::DeserializeOwned>(text: &str) -> Result<T, rusqlite::Error> {
    serde_json::from_str(text)
        .map_err(|e| rusqlite::Error::FromSqlConversionFailure(0, rusqlite::types::Type::Text, Box::new(e)))
}
