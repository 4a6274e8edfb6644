//! Results of scans by the name of what was scanned and with which rules.
//!
//! Each row carries a digest of itself and of its name, so that one which was damaged or exchanged is never taken.
//! Everything in it can be computed again, so a cache that is missing, locked, damaged or of another version costs time
//! and nothing else: failures are logged and the run goes on without.

use std::path::Path;
use std::sync::Mutex;

use rusqlite::{Connection, OptionalExtension};
use sha2::{Digest, Sha256};
use swage_core::scan::Cache;
use swage_core::scan::FileScan;

use crate::{connect, locked, version};

/// Grows when the table or the stored form changes; another version's file is emptied.
const VERSION: i64 = 6;
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
        let connection = connect(path)?;
        if version(&connection)? != VERSION {
            connection.execute_batch(&format!(
                "BEGIN IMMEDIATE; DROP TABLE IF EXISTS scans; CREATE TABLE scans (name BLOB PRIMARY KEY, result BLOB NOT NULL); DROP TABLE IF EXISTS found; PRAGMA user_version = {VERSION}; COMMIT;"
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
        let row: Vec<u8> = select.query_row([name], |row| row.get(0)).optional().ok()??;
        let (bytes, digest) = row.split_last_chunk::<32>()?;
        if *digest != digest_of(name, bytes) {
            tracing::info!("a row of the cache is damaged");
            return None;
        }
        postcard::from_bytes(bytes).ok()
    }

    fn put(&self, name: [u8; 32], scan: &FileScan) {
        if let Ok(mut bytes) = postcard::to_stdvec(scan) {
            let digest = digest_of(&name, &bytes);
            bytes.extend(digest);
            locked(&self.fresh).push((name, bytes));
        }
    }
}

/// What a row ends with.
fn digest_of(name: &[u8; 32], bytes: &[u8]) -> [u8; 32] {
    Sha256::new_with_prefix(name).chain_update(bytes).finalize().into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use swage_core::scan::Status;

    #[test]
    fn damaged_and_exchanged_rows_are_never_taken() {
        let dir = tempfile::tempdir().unwrap();
        let store = Store::open(&dir.path().join("cache.db")).unwrap();
        let scan = |why: &str| FileScan::without_hits(Status::NotExamined(why.into()));
        store.put([1; 32], &scan("too large"));
        store.put([2; 32], &scan("too deep"));
        store.save();
        let row = |name: u8| -> Vec<u8> {
            let sql = "SELECT result FROM scans WHERE name = ?1";
            locked(&store.connection).query_row(sql, [&[name; 32]], |row| row.get(0)).unwrap()
        };
        let set = |name: u8, bytes: &[u8]| {
            let sql = "UPDATE scans SET result = ?2 WHERE name = ?1";
            locked(&store.connection).execute(sql, (&[name; 32], bytes)).unwrap();
        };
        let whole = row(1);
        for at in 0..whole.len() {
            let mut flipped = whole.clone();
            flipped[at] ^= 1 << (at % 8);
            set(1, &flipped);
            assert_eq!(store.get(&[1; 32]), None, "byte {at}");
            set(1, &whole[..at]);
            assert_eq!(store.get(&[1; 32]), None, "cut at {at}");
        }
        set(1, &row(2));
        assert_eq!(store.get(&[1; 32]), None, "the row of another");
        set(1, &whole);
        assert_eq!(store.get(&[1; 32]), Some(scan("too large")), "control");
    }

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
