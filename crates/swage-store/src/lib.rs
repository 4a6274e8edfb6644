//! Swage's local databases: the [cache](Store) of scan results, and the [history](History) of runs.
//!
//! Both are SQLite files beside the repository's objects. The cache can be computed again at any time; the history can't, so it is
//! migrated from version to version and never emptied.

#![forbid(unsafe_code)]

mod cache;
mod history;

use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use rusqlite::Connection;

pub use cache::Store;
pub use history::{Count, FindingRecord, History, Run};

/// Opens or makes a database that runs at the same time share: SQLite's write-ahead log and one transaction a run keep them from
/// harming each other.
fn connect(path: &Path) -> Result<Connection, Box<dyn std::error::Error>> {
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder)?;
    }
    let connection = Connection::open(path)?;
    connection.busy_timeout(Duration::from_secs(2))?;
    connection.pragma_update(None, "journal_mode", "WAL")?;
    connection.pragma_update(None, "synchronous", "NORMAL")?;
    Ok(connection)
}

/// The version of the form of a database.
fn version(connection: &Connection) -> rusqlite::Result<i64> {
    connection.pragma_query_value(None, "user_version", |row| row.get(0))
}

/// A panic elsewhere can't leave the guarded values half-written.
fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}
