//! Proposals, revisions and threads in an SQLite file.

use std::path::Path;
use std::time::Duration;

use rusqlite::{Connection, OptionalExtension, Transaction, params};

use crate::protocol::{NewProposal, Posted, Proposal, Remark, Report, ReportedFinding, Revision, Thread};

const SCHEMA: &str = "
CREATE TABLE IF NOT EXISTS proposals (number INTEGER PRIMARY KEY, title TEXT NOT NULL, target TEXT NOT NULL, overview TEXT, verdict TEXT);
CREATE TABLE IF NOT EXISTS revisions (proposal INTEGER NOT NULL, number INTEGER NOT NULL, head TEXT NOT NULL, base TEXT, PRIMARY KEY (proposal, number), UNIQUE (proposal, head));
CREATE TABLE IF NOT EXISTS reports (proposal INTEGER NOT NULL, reporter TEXT NOT NULL, head TEXT NOT NULL, body TEXT NOT NULL, PRIMARY KEY (proposal, reporter));
CREATE TABLE IF NOT EXISTS threads (number INTEGER PRIMARY KEY, proposal INTEGER NOT NULL, reporter TEXT NOT NULL, key TEXT NOT NULL, finding TEXT NOT NULL, open INTEGER NOT NULL, UNIQUE (proposal, reporter, key));
CREATE TABLE IF NOT EXISTS remarks (thread INTEGER NOT NULL, revision INTEGER NOT NULL, author TEXT NOT NULL, text TEXT NOT NULL);
";

/// Why the host can't do what was asked.
#[derive(Debug)]
pub enum StorageError {
    /// There is no such proposal.
    Unknown(u64),
    /// It goes against what is there.
    Conflict(String),
    /// The file can't be used.
    Broken(rusqlite::Error),
}

impl From<rusqlite::Error> for StorageError {
    fn from(error: rusqlite::Error) -> Self {
        Self::Broken(error)
    }
}

pub struct Storage {
    connection: Connection,
}

impl Storage {
    pub fn open(path: &Path) -> rusqlite::Result<Self> {
        let connection = Connection::open(path)?;
        connection.busy_timeout(Duration::from_secs(5))?;
        connection.pragma_update(None, "journal_mode", "WAL")?;
        connection.execute_batch(SCHEMA)?;
        Ok(Self { connection })
    }

    /// Opens a proposal, or leaves one that is there as it is when title and target agree.
    pub fn open_proposal(&mut self, number: u64, new: &NewProposal) -> Result<bool, StorageError> {
        let tx = self.connection.transaction()?;
        let there: Option<(String, String)> = tx
            .query_row("SELECT title, target FROM proposals WHERE number = ?1", [number], |r| {
                Ok((r.get(0)?, r.get(1)?))
            })
            .optional()?;
        match there {
            None => {
                tx.execute(
                    "INSERT INTO proposals (number, title, target) VALUES (?1, ?2, ?3)",
                    params![number, new.title, new.target],
                )?;
                tx.commit()?;
                Ok(true)
            }
            Some((title, target)) if title == new.title && target == new.target => Ok(false),
            Some((title, _)) => Err(StorageError::Conflict(format!("proposal {number} is open already, as `{title}`"))),
        }
    }

    /// Makes the threads of a reporter agree with its report.
    pub fn report(&mut self, number: u64, head: &str, reporter: &str, report: &Report) -> Result<Posted, StorageError> {
        let tx = self.connection.transaction()?;
        let known: Option<u64> =
            tx.query_row("SELECT number FROM proposals WHERE number = ?1", [number], |r| r.get(0)).optional()?;
        known.ok_or(StorageError::Unknown(number))?;
        let newest: Option<(u64, String)> = tx
            .query_row(
                "SELECT number, head FROM revisions WHERE proposal = ?1 ORDER BY number DESC LIMIT 1",
                [number],
                |r| Ok((r.get(0)?, r.get(1)?)),
            )
            .optional()?;
        let revision = match &newest {
            Some((n, newest)) if newest == head => *n,
            _ => {
                let older: Option<u64> = tx
                    .query_row(
                        "SELECT number FROM revisions WHERE proposal = ?1 AND head = ?2",
                        params![number, head],
                        |r| r.get(0),
                    )
                    .optional()?;
                if let (Some(older), Some((n, newest))) = (older, &newest) {
                    return Err(StorageError::Conflict(format!(
                        "{head} is revision {older}, and {newest} is the newest ({n}): a report on an older one would move threads back"
                    )));
                }
                let n = newest.map_or(1, |(n, _)| n + 1);
                tx.execute(
                    "INSERT INTO revisions (proposal, number, head, base) VALUES (?1, ?2, ?3, ?4)",
                    params![number, n, head, report.base],
                )?;
                n
            }
        };
        let mut posted = Posted { proposal: number, revision, ..Default::default() };
        let body = json(report);
        let same: Option<bool> = tx
            .query_row(
                "SELECT head = ?3 AND body = ?4 FROM reports WHERE proposal = ?1 AND reporter = ?2",
                params![number, reporter, head, body],
                |r| r.get(0),
            )
            .optional()?;
        if same == Some(true) {
            posted.unchanged = true;
            return Ok(posted);
        }
        tx.execute(
            "INSERT OR REPLACE INTO reports (proposal, reporter, head, body) VALUES (?1, ?2, ?3, ?4)",
            params![number, reporter, head, body],
        )?;
        tx.execute(
            "UPDATE proposals SET overview = ?2, verdict = ?3 WHERE number = ?1",
            params![number, report.overview, report.verdict],
        )?;
        for finding in &report.findings {
            place(&tx, number, reporter, finding, &mut posted)?;
        }
        close_gone(&tx, number, head, reporter, report, &mut posted)?;
        tx.commit()?;
        Ok(posted)
    }

    pub fn proposals(&self) -> Result<Vec<Proposal>, StorageError> {
        let mut select = self.connection.prepare("SELECT number FROM proposals ORDER BY number")?;
        let numbers: Vec<u64> = select.query_map([], |r| r.get(0))?.collect::<Result<_, _>>()?;
        numbers.into_iter().map(|n| self.proposal(n)).collect()
    }

    pub fn proposal(&self, number: u64) -> Result<Proposal, StorageError> {
        let c = &self.connection;
        let row = c
            .query_row("SELECT title, target, overview, verdict FROM proposals WHERE number = ?1", [number], |r| {
                Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?))
            })
            .optional()?;
        let (title, target, overview, verdict) = row.ok_or(StorageError::Unknown(number))?;
        let mut select = c.prepare("SELECT number, head, base FROM revisions WHERE proposal = ?1 ORDER BY number")?;
        let revisions = select
            .query_map([number], |r| Ok(Revision { number: r.get(0)?, head: r.get(1)?, base: r.get(2)? }))?
            .collect::<Result<_, _>>()?;
        let mut select =
            c.prepare("SELECT number, reporter, finding, open FROM threads WHERE proposal = ?1 ORDER BY number")?;
        let rows: Vec<(u64, String, String, bool)> = select
            .query_map([number], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?)))?
            .collect::<Result<_, _>>()?;
        let mut threads = Vec::new();
        for (thread, reporter, finding, open) in rows {
            let Ok(finding) = serde_json::from_str::<ReportedFinding>(&finding) else { continue };
            let mut select =
                c.prepare_cached("SELECT revision, author, text FROM remarks WHERE thread = ?1 ORDER BY rowid")?;
            let remarks = select
                .query_map([thread], |r| Ok(Remark { revision: r.get(0)?, author: r.get(1)?, text: r.get(2)? }))?
                .collect::<Result<_, _>>()?;
            let kind = if finding.severity == "error" && !finding.advisory { "todo" } else { "remark" };
            threads.push(Thread { number: thread, reporter, kind: kind.to_owned(), finding, open, remarks });
        }
        Ok(Proposal { number, title, target, revisions, overview, verdict, threads })
    }
}

fn json(value: &impl serde::Serialize) -> String {
    serde_json::to_string(value).unwrap_or_default()
}

/// Opens, keeps, moves or opens again the thread of a finding.
fn place(
    tx: &Transaction<'_>,
    proposal: u64,
    reporter: &str,
    finding: &ReportedFinding,
    posted: &mut Posted,
) -> Result<(), StorageError> {
    let there: Option<(u64, String, bool)> = tx
        .query_row(
            "SELECT number, finding, open FROM threads WHERE proposal = ?1 AND reporter = ?2 AND key = ?3",
            params![proposal, reporter, finding.key],
            |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)),
        )
        .optional()?;
    let Some((thread, before, open)) = there else {
        tx.execute(
            "INSERT INTO threads (proposal, reporter, key, finding, open) VALUES (?1, ?2, ?3, ?4, 1)",
            params![proposal, reporter, finding.key, json(finding)],
        )?;
        posted.opened += 1;
        return Ok(());
    };
    tx.execute("UPDATE threads SET finding = ?2, open = 1 WHERE number = ?1", params![thread, json(finding)])?;
    let moved = serde_json::from_str::<ReportedFinding>(&before).is_ok_and(|b| b.anchor != finding.anchor);
    if !open {
        remark(tx, thread, posted.revision, reporter, "The finding is back in this revision.")?;
        posted.reopened += 1;
    } else if moved {
        posted.moved += 1;
    } else {
        posted.kept += 1;
    }
    Ok(())
}

/// Closes the reporter's open threads whose finding the report doesn't hold, with a word why.
fn close_gone(
    tx: &Transaction<'_>,
    proposal: u64,
    head: &str,
    reporter: &str,
    report: &Report,
    posted: &mut Posted,
) -> Result<(), StorageError> {
    let mut select =
        tx.prepare("SELECT number, key FROM threads WHERE proposal = ?1 AND reporter = ?2 AND open = 1")?;
    let open: Vec<(u64, String)> =
        select.query_map(params![proposal, reporter], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?;
    for (thread, key) in open {
        if report.findings.iter().any(|f| f.key == key) {
            continue;
        }
        tx.execute("UPDATE threads SET open = 0 WHERE number = ?1", [thread])?;
        let short: String = head.chars().take(10).collect();
        remark(
            tx,
            thread,
            posted.revision,
            reporter,
            &format!("Closed: fixed in revision {} ({short}).", posted.revision),
        )?;
        posted.closed += 1;
    }
    Ok(())
}

fn remark(tx: &Transaction<'_>, thread: u64, revision: u64, author: &str, text: &str) -> Result<(), StorageError> {
    tx.execute(
        "INSERT INTO remarks (thread, revision, author, text) VALUES (?1, ?2, ?3, ?4)",
        params![thread, revision, author, text],
    )?;
    Ok(())
}
