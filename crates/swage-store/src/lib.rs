//! Swage's local cache: results of scans by the name of what was scanned and with which rules.
//!
//! Everything in it can be computed anew, so a cache that is missing, locked, damaged or of another version costs time
//! and nothing else: failures are logged and the run goes on without. Runs at the same time share the file; SQLite's
//! write-ahead log and one transaction a run keep them from harming each other.

#![forbid(unsafe_code)]

use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use rusqlite::{Connection, OptionalExtension};
use swage_core::change::Cache;
use swage_core::scan::FileScan;

/// Grows when the table or the stored form changes; another version's file is emptied.
const VERSION: i64 = 2;
/// Most results that are kept; the oldest go first.
const MOST: i64 = 300_000;

/// A cache in an SQLite file.
pub struct Store {
    connection: Mutex<Connection>,
    /// Results to be written when the run ends.
    fresh: Mutex<Vec<([u8; 32], Vec<u8>)>>,
}

impl Store {
    /// Opens or makes the cache at a path; `None`, with the reason logged, when that can't be.
    pub fn open(path: &Path) -> Option<Self> {
        match Self::try_open(path) {
            Ok(store) => Some(store),
            Err(error) => {
                tracing::info!(path = %path.display(), %error, "working without a cache");
                None
            }
        }
    }

    fn try_open(path: &Path) -> Result<Self, Box<dyn std::error::Error>> {
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder)?;
        }
        let connection = Connection::open(path)?;
        connection.busy_timeout(Duration::from_secs(2))?;
        connection.pragma_update(None, "journal_mode", "WAL")?;
        connection.pragma_update(None, "synchronous", "NORMAL")?;
        let version: i64 = connection.pragma_query_value(None, "user_version", |row| row.get(0))?;
        if version != VERSION {
            connection.execute_batch(&format!(
                "BEGIN IMMEDIATE; DROP TABLE IF EXISTS scans; CREATE TABLE scans (name BLOB PRIMARY KEY, result BLOB NOT NULL); PRAGMA user_version = {VERSION}; COMMIT;"
            ))?;
        }
        Ok(Self { connection: Mutex::new(connection), fresh: Mutex::new(Vec::new()) })
    }

    /// Writes what this run found. Called at the end of a run; a run that dies before loses only time.
    pub fn save(&self) {
        let fresh = std::mem::take(&mut *locked(&self.fresh));
        if !fresh.is_empty()
            && let Err(error) = self.write(&fresh)
        {
            tracing::info!(%error, "the cache wasn't written");
        }
    }

    fn write(&self, fresh: &[([u8; 32], Vec<u8>)]) -> rusqlite::Result<()> {
        let mut connection = locked(&self.connection);
        let transaction = connection.transaction()?;
        {
            let mut insert = transaction.prepare("INSERT OR REPLACE INTO scans (name, result) VALUES (?1, ?2)")?;
            for (name, result) in fresh {
                insert.execute((name, result))?;
            }
        }
        let count: i64 = transaction.query_row("SELECT count(*) FROM scans", [], |row| row.get(0))?;
        if count > MOST {
            transaction.execute(
                "DELETE FROM scans WHERE rowid IN (SELECT rowid FROM scans ORDER BY rowid LIMIT ?1)",
                [count - MOST * 3 / 4],
            )?;
        }
        transaction.commit()
    }
}

impl Cache for Store {
    fn get(&self, name: &[u8; 32]) -> Option<FileScan> {
        let connection = locked(&self.connection);
        let mut select = connection.prepare_cached("SELECT result FROM scans WHERE name = ?1").ok()?;
        let bytes: Vec<u8> = select.query_row([name], |row| row.get(0)).optional().ok()??;
        serde_json::from_slice(&bytes).ok()
    }

    fn put(&self, name: [u8; 32], scan: &FileScan) {
        if let Ok(bytes) = serde_json::to_vec(scan) {
            locked(&self.fresh).push((name, bytes));
        }
    }
}

/// A panic elsewhere can't leave the guarded values half-written.
fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests {
    use super::*;
    use swage_core::scan::Status;

    #[test]
    fn results_are_kept_and_damage_is_survived() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("deep/cache.db");
        let scan = FileScan::without_hits(Status::NotExamined("too large".into()));
        let store = Store::open(&path).unwrap();
        assert_eq!(store.get(&[1; 32]), None);
        store.put([1; 32], &scan);
        store.save();
        // A second run sees it, also while the first is open; another version's table is emptied.
        let second = Store::open(&path).unwrap();
        assert_eq!(second.get(&[1; 32]), Some(scan));
        locked(&second.connection).pragma_update(None, "user_version", 99).unwrap();
        assert_eq!(Store::open(&path).unwrap().get(&[1; 32]), None);
        drop((store, second));
        std::fs::write(&path, b"this is no database, and long enough to be looked at as one").unwrap();
        std::fs::remove_file(dir.path().join("deep/cache.db-wal")).ok();
        assert!(Store::open(&path).is_none());
    }
}
