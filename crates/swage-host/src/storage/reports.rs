//! What checkers report: their threads are made to agree with it.

use rusqlite::{OptionalExtension, Transaction, params};
use sha2::{Digest, Sha256};

use super::events::{Happening, note};
use super::proposals::newest;
use super::threads::add_remark;
use super::{Refusal, Storage, from_json, json, now};
use crate::protocol::{Overview, Posted, Report, ReportedFinding, ThreadKind};

impl Storage {
    /// Makes the threads of a reporter agree with its report on a revision.
    /// Long because threads are opened, kept, resolved and opened again in one transaction.
    pub fn report(&mut self, number: u64, head: &str, reporter: &str, report: &Report) -> Result<Posted, Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let (revision, newest_head) = newest(&tx, number)?;
        if newest_head != head {
            let older: Option<u64> = tx
                .query_row(
                    "SELECT number FROM revisions WHERE proposal = ?1 AND head = ?2",
                    params![number, head],
                    |r| r.get(0),
                )
                .optional()?;
            let short: String = head.chars().take(10).collect();
            return Err(Refusal::Conflict(match older {
                Some(older) => {
                    format!("{short} is revision {older} of proposal {number}, and {revision} is the newest")
                }
                None => format!("{short} isn't a revision of proposal {number}; push it first"),
            }));
        }
        let mut posted = Posted { proposal: number, revision, ..Posted::default() };
        let body = json(report);
        let digest = Sha256::digest([head.as_bytes(), body.as_bytes()].concat()).to_vec();
        let known: Option<Vec<u8>> = tx
            .query_row(
                "SELECT digest FROM reports WHERE proposal = ?1 AND reporter = ?2",
                params![number, reporter],
                |r| r.get(0),
            )
            .optional()?;
        if known.as_ref() == Some(&digest) {
            posted.unchanged = true;
            return Ok(posted);
        }
        let most = report.most_threads.unwrap_or(u64::MAX);
        for finding in &report.findings {
            place(&tx, number, reporter, finding, most, &mut posted)?;
        }
        close_gone(&tx, number, head, reporter, report, &mut posted)?;
        praise(&tx, &posted, reporter, report.praise.as_deref())?;
        let overview = match posted.left {
            0 => report.overview.clone(),
            left => format!("{}\n\nWithout a thread, because {most} are open at once: {left} more.", report.overview),
        };
        tx.execute(
            "INSERT OR REPLACE INTO reports (proposal, reporter, revision, overview, verdict, digest, at)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
            params![number, reporter, revision, overview, report.verdict, digest, now()],
        )?;
        let text = format!("{} opened, {} closed", posted.opened + posted.reopened, posted.closed);
        let event = Happening {
            proposal: number,
            who: reporter,
            what: "reported",
            text: &text,
            revision: Some(revision),
            thread: None,
        };
        note(&tx, &event, &[])?;
        tx.commit()?;
        Ok(posted)
    }

    pub(super) fn overview(&self, number: u64) -> Result<Option<Overview>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT reporter, revision, overview, verdict FROM reports WHERE proposal = ?1 ORDER BY at DESC, reporter LIMIT 1",
        )?;
        let read = |r: &rusqlite::Row<'_>| {
            Ok(Overview { reporter: r.get(0)?, revision: r.get(1)?, text: r.get(2)?, verdict: r.get(3)? })
        };
        Ok(select.query_row([number], read).optional()?)
    }
}

/// What a thread about a finding asks for.
fn kind(finding: &ReportedFinding) -> ThreadKind {
    if finding.severity == "error" && !finding.advisory { ThreadKind::Todo } else { ThreadKind::Remark }
}

/// Opens, keeps, moves or opens again the thread of a finding.
fn place(
    tx: &Transaction<'_>,
    proposal: u64,
    reporter: &str,
    finding: &ReportedFinding,
    most: u64,
    posted: &mut Posted,
) -> Result<(), Refusal> {
    let there: Option<(u64, String, bool)> = tx
        .query_row(
            "SELECT number, finding, open FROM threads WHERE proposal = ?1 AND author = ?2 AND key = ?3",
            params![proposal, reporter, finding.key],
            |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)),
        )
        .optional()?;
    let (anchor, code, word) = (finding.anchor.as_ref().map(json), json(&finding.code), kind(finding).word());
    let Some((thread, before, open)) = there else {
        if posted.opened + posted.reopened + posted.kept + posted.moved >= most {
            posted.left += 1;
            return Ok(());
        }
        tx.execute(
            "INSERT INTO threads (proposal, author, kind, key, finding, anchor, revision, code, open, draft)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, 1, 0)",
            params![proposal, reporter, word, finding.key, json(finding), anchor, posted.revision, code],
        )?;
        posted.opened += 1;
        return Ok(());
    };
    tx.execute(
        "UPDATE threads SET finding = ?2, kind = ?3, anchor = ?4, code = ?5, revision = ?6, outdated = 0, open = 1,
            closed_by = NULL WHERE number = ?1",
        params![thread, json(finding), word, anchor, code, posted.revision],
    )?;
    if !open {
        add_remark(tx, thread, posted.revision, reporter, "The finding is back in this revision.", false)?;
        posted.reopened += 1;
    } else if from_json::<ReportedFinding>(&before)?.anchor != finding.anchor {
        posted.moved += 1;
    } else {
        posted.kept += 1;
    }
    Ok(())
}

/// Opens the reporter's thread with praise, or closes it. One that is open stays as it is.
fn praise(tx: &Transaction<'_>, posted: &Posted, reporter: &str, text: Option<&str>) -> Result<(), Refusal> {
    let (proposal, revision) = (posted.proposal, posted.revision);
    let own = "proposal = ?1 AND author = ?2 AND kind = 'praise' AND key IS NULL AND open = 1";
    let open: Option<u64> = tx
        .query_row(&format!("SELECT number FROM threads WHERE {own}"), params![proposal, reporter], |r| r.get(0))
        .optional()?;
    match (open, text) {
        (None, Some(text)) => {
            tx.execute(
                "INSERT INTO threads (proposal, author, kind, revision, code, open, draft) VALUES (?1, ?2, 'praise', ?3, '[]', 1, 0)",
                params![proposal, reporter, revision],
            )?;
            add_remark(tx, tx.last_insert_rowid() as u64, revision, reporter, text, false)?;
        }
        (Some(thread), None) => {
            tx.execute("UPDATE threads SET open = 0, closed_by = ?2 WHERE number = ?1", params![thread, reporter])?;
        }
        (None, None) | (Some(_), Some(_)) => {}
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
) -> Result<(), Refusal> {
    let mut select = tx.prepare(
        "SELECT number, key FROM threads WHERE proposal = ?1 AND author = ?2 AND open = 1 AND key IS NOT NULL",
    )?;
    let open: Vec<(u64, String)> =
        select.query_map(params![proposal, reporter], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?;
    let here: std::collections::HashSet<&str> = report.findings.iter().map(|f| f.key.as_str()).collect();
    for (thread, key) in open.iter().filter(|(_, key)| !here.contains(key.as_str())) {
        tx.execute("UPDATE threads SET open = 0, closed_by = ?2 WHERE number = ?1", params![thread, reporter])?;
        let short: String = head.chars().take(10).collect();
        let why = match report.settled.iter().find(|settled| settled.key == *key) {
            Some(settled) => format!("Closed: settled as {}.", settled.why.trim_end_matches('.')),
            None => format!("Closed: fixed in revision {} ({short}).", posted.revision),
        };
        add_remark(tx, *thread, posted.revision, reporter, &why, false)?;
        posted.closed += 1;
    }
    Ok(())
}
