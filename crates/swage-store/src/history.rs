//! What past runs found: how many findings of each rule and state, and which findings changes introduced.

use std::path::Path;
use std::sync::Mutex;

use rusqlite::{Connection, Row, params};

use crate::{connect, locked, version};
use swage_core::ids::{CommitId, RuleId};

/// The steps from each version of the form to the next.
const MIGRATIONS: [&str; 1] = ["
    CREATE TABLE runs (
        id INTEGER PRIMARY KEY, at INTEGER NOT NULL, command TEXT NOT NULL, base TEXT, head TEXT, rules TEXT NOT NULL,
        verdict TEXT
    );
    CREATE INDEX runs_by_head ON runs (head, command);
    CREATE TABLE counts (
        run INTEGER NOT NULL REFERENCES runs ON DELETE CASCADE, rule TEXT NOT NULL, severity TEXT NOT NULL,
        state TEXT NOT NULL, findings INTEGER NOT NULL, PRIMARY KEY (run, rule, severity, state)
    ) WITHOUT ROWID;
    CREATE TABLE findings (
        rule TEXT NOT NULL, key TEXT NOT NULL, branch TEXT NOT NULL, path TEXT NOT NULL, place TEXT NOT NULL,
        message TEXT NOT NULL, suppressed INTEGER NOT NULL, first INTEGER NOT NULL, last INTEGER NOT NULL, gone INTEGER,
        PRIMARY KEY (rule, key)
    ) WITHOUT ROWID;
    CREATE INDEX findings_by_age ON findings (last);
"];

/// Most runs that are kept; the oldest go first.
const MAX_RUNS: i64 = 20_000;
/// Most findings that are kept; those that were seen longest ago go first.
const MAX_FINDINGS: i64 = 50_000;
/// Most findings of a rule that are given back.
const MAX_OF_RULE: i64 = 20;

/// A run of a command.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Run {
    /// When, in seconds since 1970 (UTC).
    pub at: i64,
    /// `review`, `gate` or `scan`.
    pub command: String,
    /// The commit that it compared with, when it was one.
    pub base: Option<CommitId>,
    /// The commit that it looked at; `None` for work that isn't committed.
    pub head: Option<CommitId>,
    /// Digest of the rules.
    pub rules: String,
    /// The gate's verdict.
    pub verdict: Option<String>,
    /// How many findings there were.
    pub counts: Vec<Count>,
}

/// How many findings of a rule, a severity and a state there were.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Count {
    /// The rule's id.
    pub rule: RuleId,
    /// The severity, as in results.
    pub severity: String,
    /// `new`, `fixed`, `unchanged`, `worse` or `improved`; `all` of a scan.
    pub state: String,
    /// How many.
    pub findings: u64,
}

/// A finding that a change introduced.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FindingRecord {
    /// The rule's id.
    pub rule: RuleId,
    /// The finding's key.
    pub key: String,
    /// The branch on which it was found; empty when there was none.
    pub branch: String,
    /// The file; empty for the change as a whole.
    pub path: String,
    /// Where it was, for people.
    pub place: String,
    /// What it said.
    pub message: String,
    /// Whether a comment suppressed it when it was found last.
    pub suppressed: bool,
    /// When it was found first, in seconds since 1970 (UTC).
    pub first: i64,
    /// When it was found last.
    pub last: i64,
    /// When a later run of the same branch found it no more.
    pub gone: Option<i64>,
}

/// The history of the runs in a repository.
#[derive(Debug)]
pub struct History {
    connection: Mutex<Connection>,
}

impl History {
    /// Opens or makes the history at a path; `None`, with the reason logged, when that can't be.
    pub fn open(path: &Path) -> Option<Self> {
        match Self::try_open(path) {
            Ok(history) => Some(history),
            Err(error) => {
                tracing::info!(path = %path.display(), %error, "working without a history");
                None
            }
        }
    }

    fn try_open(path: &Path) -> Result<Self, Box<dyn std::error::Error>> {
        let mut connection = connect(path)?;
        connection.pragma_update(None, "foreign_keys", true)?;
        let newest = MIGRATIONS.len() as i64;
        if version(&connection)? < newest {
            // The second process finds it done.
            let transaction = connection.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)?;
            let from = version(&transaction)?;
            for step in MIGRATIONS.iter().skip(usize::try_from(from)?) {
                transaction.execute_batch(step)?;
            }
            transaction.pragma_update(None, "user_version", newest)?;
            transaction.commit()?;
        }
        let found = version(&connection)?;
        if found > newest {
            return Err(
                format!("it was written by a later version of Swage (form {found}, known up to {newest})").into()
            );
        }
        Ok(Self { connection: Mutex::new(connection) })
    }

    /// Records a run and the findings that its change introduced; where it looked at all of a branch's work, the branch's other
    /// findings are gone.
    ///
    /// # Errors
    /// When the database can't be written; then nothing is recorded.
    pub fn record(&self, run: &Run, findings: &[FindingRecord], branch: Option<&str>) -> rusqlite::Result<()> {
        let mut connection = locked(&self.connection);
        let transaction = connection.transaction()?;
        let Run { at, command, base, head, rules, verdict, counts } = run;
        transaction.execute(
            "INSERT INTO runs (at, command, base, head, rules, verdict) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            params![at, command, base.as_deref(), head.as_deref(), rules, verdict],
        )?;
        let id = transaction.last_insert_rowid();
        {
            let mut insert = transaction
                .prepare("INSERT INTO counts (run, rule, severity, state, findings) VALUES (?1, ?2, ?3, ?4, ?5)")?;
            for c in counts {
                insert.execute(params![id, c.rule.as_str(), c.severity, c.state, c.findings])?;
            }
            if let Some(branch) = branch {
                let sql = "UPDATE findings SET gone = ?1 WHERE branch = ?2 AND gone IS NULL";
                transaction.execute(sql, params![at, branch])?;
            }
            // What is known already keeps its first time, and is back if it was gone.
            let mut insert = transaction.prepare(
                "INSERT INTO findings (rule, key, branch, path, place, message, first, last, suppressed) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?7, ?8)
                 ON CONFLICT (rule, key) DO UPDATE SET branch = ?3, path = ?4, place = ?5, message = ?6, last = ?7, gone = NULL, suppressed = ?8",
            )?;
            for f in findings {
                insert.execute(params![
                    f.rule.as_str(),
                    f.key,
                    f.branch,
                    f.path,
                    f.place,
                    f.message,
                    at,
                    f.suppressed
                ])?;
            }
        }
        transaction.execute(
            "DELETE FROM runs WHERE id IN (SELECT id FROM runs ORDER BY at DESC, id DESC LIMIT -1 OFFSET ?1)",
            [MAX_RUNS],
        )?;
        transaction.execute(
            "DELETE FROM findings WHERE (rule, key) IN (SELECT rule, key FROM findings ORDER BY last DESC, rule, key LIMIT -1 OFFSET ?1)",
            [MAX_FINDINGS],
        )?;
        transaction.commit()
    }

    /// All runs, oldest first.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn runs(&self) -> rusqlite::Result<Vec<Run>> {
        let connection = locked(&self.connection);
        let mut select =
            connection.prepare("SELECT id, at, command, base, head, rules, verdict FROM runs ORDER BY at, id")?;
        let mut counts = connection.prepare(
            "SELECT rule, severity, state, findings FROM counts WHERE run = ?1 ORDER BY rule, severity, state",
        )?;
        let run = |row: &Row<'_>| {
            let count = |row: &Row<'_>| {
                Ok(Count {
                    rule: row.get::<_, String>(0)?.into(),
                    severity: row.get(1)?,
                    state: row.get(2)?,
                    findings: row.get(3)?,
                })
            };
            Ok(Run {
                at: row.get(1)?,
                command: row.get(2)?,
                base: row.get::<_, Option<String>>(3)?.map(CommitId::from),
                head: row.get::<_, Option<String>>(4)?.map(CommitId::from),
                rules: row.get(5)?,
                verdict: row.get(6)?,
                counts: counts.query_map([row.get::<_, i64>(0)?], count)?.collect::<rusqlite::Result<_>>()?,
            })
        };
        select.query_map([], run)?.collect()
    }

    /// What a rule found in changes, newest first.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn lately(&self, rule: &str) -> rusqlite::Result<Vec<FindingRecord>> {
        self.select("WHERE rule = ?1 ORDER BY first DESC, key LIMIT ?2", params![rule, MAX_OF_RULE])
    }

    /// All that changes introduced, by rule and key.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn findings(&self) -> rusqlite::Result<Vec<FindingRecord>> {
        self.select("ORDER BY rule, key", params![])
    }

    fn select(&self, which: &str, values: impl rusqlite::Params) -> rusqlite::Result<Vec<FindingRecord>> {
        let connection = locked(&self.connection);
        let mut select = connection.prepare(&format!(
            "SELECT rule, key, branch, path, place, message, suppressed, first, last, gone FROM findings {which}"
        ))?;
        let record = |row: &Row<'_>| {
            Ok(FindingRecord {
                rule: row.get::<_, String>(0)?.into(),
                key: row.get(1)?,
                branch: row.get(2)?,
                path: row.get(3)?,
                place: row.get(4)?,
                message: row.get(5)?,
                suppressed: row.get(6)?,
                first: row.get(7)?,
                last: row.get(8)?,
                gone: row.get(9)?,
            })
        };
        select.query_map(values, record)?.collect()
    }

    /// Forgets the runs before a time and the findings that were seen last before it, and gives the space back. How many runs
    /// were forgotten.
    ///
    /// # Errors
    /// When the database can't be written; then nothing is forgotten.
    pub fn forget_before(&self, at: i64) -> rusqlite::Result<usize> {
        let mut connection = locked(&self.connection);
        let transaction = connection.transaction()?;
        let runs = transaction.execute("DELETE FROM runs WHERE at < ?1", [at])?;
        transaction.execute("DELETE FROM findings WHERE last < ?1", [at])?;
        transaction.commit()?;
        connection.execute_batch("VACUUM")?;
        Ok(runs)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(at: i64) -> Run {
        let count =
            |state: &str, findings| Count { rule: "r".into(), severity: "error".into(), state: state.into(), findings };
        Run {
            at,
            command: "review".into(),
            base: None,
            head: Some(format!("{at:040x}").into()),
            rules: "0".into(),
            verdict: None,
            counts: vec![count("fixed", 1), count("new", 2)],
        }
    }

    fn finding(key: u32) -> FindingRecord {
        FindingRecord {
            rule: "r".into(),
            key: format!("{key:04}"),
            branch: "topic".into(),
            path: "a.py".into(),
            place: "a.py:1:1".into(),
            message: "m".into(),
            suppressed: false,
            first: 0,
            last: 0,
            gone: None,
        }
    }

    #[test]
    fn runs_and_findings_are_kept_and_forgotten() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("deep/history.db");
        let history = History::open(&path).unwrap();
        history.record(&run(10), &[finding(1), finding(2)], Some("topic")).unwrap();
        history.record(&run(20), &[finding(2), finding(3)], Some("topic")).unwrap();
        // A run on part of the work, or on another branch, says nothing of the rest.
        history.record(&run(30), &[], None).unwrap();
        history.record(&run(40), &[], Some("other")).unwrap();
        let rendered = |history: &History| {
            let one = |f: FindingRecord| format!("{} {} {} {:?}", f.key, f.first, f.last, f.gone);
            history.lately("r").unwrap().into_iter().map(one).collect::<Vec<_>>()
        };
        let expected = ["0003 20 20 None", "0001 10 10 Some(20)", "0002 10 20 None"];
        assert_eq!(rendered(&history), expected);
        assert_eq!(history.runs().unwrap(), [run(10), run(20), run(30), run(40)]);
        let keys: Vec<String> = history.findings().unwrap().into_iter().map(|f| f.key).collect();
        assert_eq!(keys, ["0001", "0002", "0003"]);
        // What was gone is back when it is found again.
        history.record(&run(50), &[finding(1)], None).unwrap();
        assert_eq!(rendered(&history)[1], "0001 10 50 None");
        drop(history);
        let again = History::open(&path).unwrap();
        assert_eq!(again.forget_before(40).unwrap(), 3);
        assert_eq!((again.runs().unwrap().len(), rendered(&again).len()), (2, 1));
        // A later version's file is skipped.
        locked(&again.connection).pragma_update(None, "user_version", 99).unwrap();
        assert!(History::open(&path).is_none());
        assert_eq!(again.runs().unwrap().len(), 2);
    }

    #[test]
    fn the_oldest_go_first() {
        let dir = tempfile::tempdir().unwrap();
        let history = History::open(&dir.path().join("history.db")).unwrap();
        {
            let connection = locked(&history.connection);
            let fill = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 50100)";
            let runs =
                format!("{fill} INSERT INTO runs (at, command, rules) SELECT i, 'scan', '' FROM n WHERE i <= 20100");
            let findings = format!(
                "{fill} INSERT INTO findings (rule, key, branch, path, place, message, suppressed, first, last) SELECT 'old', i, '', '', '', '', 0, i, i FROM n"
            );
            connection.execute_batch(&format!("BEGIN; {runs}; {findings}; COMMIT")).unwrap();
        }
        history.record(&run(90_000), &[finding(1)], None).unwrap();
        let count = |table: &str| -> (i64, i64) {
            let column = if table == "runs" { "at" } else { "first" };
            let sql = format!("SELECT count(*), min({column}) FROM {table}");
            locked(&history.connection).query_row(&sql, [], |row| Ok((row.get(0)?, row.get(1)?))).unwrap()
        };
        assert_eq!((count("runs"), count("findings")), ((20_000, 102), (50_000, 102)));
    }
}
