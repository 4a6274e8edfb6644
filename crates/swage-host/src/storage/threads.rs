//! Threads and what is said in them. Drafts are seen by their authors only.

use rusqlite::{OptionalExtension, Transaction, params};

use super::events::{Happening, mentioned, note};
use super::proposals::newest;
use super::{Refusal, Storage, from_json, json, now};
use crate::protocol::{
    CodeLine, Mark, NewRemark, NewThread, Person, Published, Remark, Role, Thread, ThreadCounts, ThreadEnd, ThreadKind,
    ThreadPlace,
};

/// A line of what was said, for the timeline.
fn first_line(text: &str) -> String {
    let line = text.trim().lines().next().unwrap_or_default();
    let mut short: String = line.chars().take(80).collect();
    if short.len() < line.len() || text.trim().lines().count() > 1 {
        short.push('…');
    }
    short
}

pub(super) fn add_remark(
    tx: &Transaction<'_>,
    thread: u64,
    revision: u64,
    author: &str,
    text: &str,
    draft: bool,
) -> Result<u64, Refusal> {
    tx.execute(
        "INSERT INTO remarks (thread, revision, author, at, text, draft) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
        params![thread, revision, author, now(), text, draft],
    )?;
    Ok(tx.last_insert_rowid() as u64)
}

/// What decides who may do something with a thread.
struct Standing {
    proposal: u64,
    author: String,
    kind: ThreadKind,
    is_finding: bool,
    open: bool,
    draft: bool,
    proposer: String,
}

impl Storage {
    /// Opens a thread; `code` are its lines.
    pub fn open_thread(
        &mut self,
        number: u64,
        person: &Person,
        new: &NewThread,
        code: &[CodeLine],
    ) -> Result<u64, Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let (last, _) = newest(&tx, number)?;
        let revision = new.revision.unwrap_or(last);
        tx.execute(
            "INSERT INTO threads (proposal, author, kind, anchor, revision, outdated, code, open, draft)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, 1, ?8)",
            params![
                number,
                person.name,
                new.kind.word(),
                new.anchor.as_ref().map(json),
                revision,
                new.anchor.is_some() && revision != last,
                json(&code),
                new.draft
            ],
        )?;
        let thread = tx.last_insert_rowid() as u64;
        add_remark(&tx, thread, last, &person.name, &new.text, new.draft)?;
        if !new.draft {
            rendered(&tx, number, person, new.kind.word(), &new.text, last, thread)?;
        }
        tx.commit()?;
        Ok(thread)
    }

    /// Says something in a thread; the number of the remark.
    pub fn reply(&mut self, thread: u64, person: &Person, new: &NewRemark) -> Result<u64, Refusal> {
        let tx = self.write()?;
        let standing = standing(&tx, thread, &person.name)?;
        if person.role == Role::Checker && !standing.is_finding {
            return Err(Refusal::Forbidden("a checker answers in the threads of findings only".to_owned()));
        }
        let (last, _) = newest(&tx, standing.proposal)?;
        let draft = new.draft || standing.draft;
        let remark = add_remark(&tx, thread, last, &person.name, &new.text, draft)?;
        if !draft {
            rendered(&tx, standing.proposal, person, "reply", &new.text, last, thread)?;
        }
        tx.commit()?;
        Ok(remark)
    }

    /// Closes a thread or opens it again; whether that changes anything.
    pub fn resolve(&mut self, thread: u64, person: &Person, end: ThreadEnd) -> Result<bool, Refusal> {
        let tx = self.write()?;
        let standing = standing(&tx, thread, &person.name)?;
        let is_own = standing.author == person.name || person.role == Role::Maintainer;
        // What must be done is done when its author, or a maintainer, says so; and of findings the checker judges.
        let by_proposer = standing.proposer == person.name && standing.kind != ThreadKind::Todo && !standing.is_finding;
        if !is_own && !by_proposer {
            let who = match standing.kind {
                _ if standing.is_finding => format!("{} and maintainers", standing.author),
                ThreadKind::Todo => format!("{}, who asked for it, and maintainers", standing.author),
                ThreadKind::Remark | ThreadKind::Praise => {
                    format!("{}, {} and maintainers", standing.author, standing.proposer)
                }
            };
            return Err(Refusal::Forbidden(format!("only {who} may close or open thread {thread}")));
        }
        let open = end == ThreadEnd::Reopened;
        if standing.open == open {
            return Ok(false);
        }
        tx.execute(
            "UPDATE threads SET open = ?2, closed_by = ?3 WHERE number = ?1",
            params![thread, open, (!open).then_some(&person.name)],
        )?;
        let event = Happening {
            proposal: standing.proposal,
            who: &person.name,
            what: if open { "unresolved" } else { "resolved" },
            text: standing.kind.word(),
            revision: None,
            thread: Some(thread),
        };
        note(&tx, &event, &[])?;
        tx.commit()?;
        Ok(true)
    }

    /// Lets others see one's drafts.
    pub fn publish(&mut self, number: u64, person: &Person) -> Result<Published, Refusal> {
        self.must_exist(number)?;
        let tx = self.write()?;
        let published = publish(&tx, number, person)?;
        tx.commit()?;
        Ok(published)
    }

    /// Takes one's draft away: a remark, with its thread when that holds nothing else.
    pub fn drop_draft(&mut self, remark: u64, person: &Person) -> Result<(), Refusal> {
        let tx = self.write()?;
        let found = tx
            .query_row("SELECT author, draft, thread FROM remarks WHERE number = ?1", [remark], |r| {
                Ok((r.get::<_, String>(0)?, r.get::<_, bool>(1)?, r.get::<_, u64>(2)?))
            })
            .optional()?;
        let unknown = || Refusal::Unknown(format!("there is no remark {remark}"));
        let (author, draft, thread) = found.ok_or_else(unknown)?;
        if draft && author != person.name {
            return Err(unknown());
        }
        if !draft {
            return Err(Refusal::Conflict("what others have seen stays; answer it instead".to_owned()));
        }
        tx.execute("DELETE FROM remarks WHERE number = ?1", [remark])?;
        tx.execute(
            "DELETE FROM threads WHERE number = ?1 AND draft AND NOT EXISTS (SELECT 1 FROM remarks WHERE thread = ?1)",
            [thread],
        )?;
        Ok(tx.commit()?)
    }

    /// Adds somebody's reaction to a remark, or takes it away; whether that changes anything.
    pub fn react(&mut self, remark: u64, person: &Person, word: &str, mark: Mark) -> Result<bool, Refusal> {
        let tx = self.write()?;
        let found: Option<(bool, String)> = tx
            .query_row("SELECT draft, author FROM remarks WHERE number = ?1", [remark], |r| Ok((r.get(0)?, r.get(1)?)))
            .optional()?;
        if found.is_none_or(|(draft, author)| draft && author != person.name) {
            return Err(Refusal::Unknown(format!("there is no remark {remark}")));
        }
        let sql = match mark {
            Mark::Put => "INSERT OR IGNORE INTO reactions (remark, person, word) VALUES (?1, ?2, ?3)",
            Mark::TakenAway => "DELETE FROM reactions WHERE remark = ?1 AND person = ?2 AND word = ?3",
        };
        let changed = tx.execute(sql, params![remark, person.name, word])?;
        tx.commit()?;
        Ok(changed > 0)
    }

    /// The threads of a proposal as somebody sees them, in the order in which they were opened.
    pub fn threads(&self, number: u64, person: &str) -> Result<Vec<Thread>, Refusal> {
        self.must_exist(number)?;
        self.threads_where("t.proposal = ?1", number, person)
    }

    /// The threads of which a condition on `t` and a number holds.
    fn threads_where(&self, condition: &str, number: u64, person: &str) -> Result<Vec<Thread>, Refusal> {
        let mut remarks = self.remarks_where(condition, number, person)?;
        let mut select = self.connection.prepare_cached(&format!(
            "SELECT number, author, kind, finding, anchor, revision, outdated, code, open, closed_by, draft, proposal
             FROM threads t WHERE {condition} AND (NOT draft OR author = ?2) ORDER BY number",
        ))?;
        let rows = select.query_map(params![number, person], |r| {
            let thread: u64 = r.get(0)?;
            let anchor: Option<String> = r.get(4)?;
            let outdated: bool = r.get(6)?;
            Ok(Thread {
                number: thread,
                proposal: r.get(11)?,
                author: r.get(1)?,
                kind: ThreadKind::of(&r.get::<_, String>(2)?),
                finding: r.get::<_, Option<String>>(3)?.map(|text| from_json(&text)).transpose()?,
                place: match &anchor {
                    None => ThreadPlace::Whole,
                    Some(_) if outdated => ThreadPlace::Outdated,
                    Some(_) => ThreadPlace::Here,
                },
                anchor: anchor.map(|text| from_json(&text)).transpose()?,
                revision: r.get(5)?,
                code: from_json(&r.get::<_, String>(7)?)?,
                open: r.get(8)?,
                closed_by: r.get(9)?,
                draft: r.get(10)?,
                remarks: Vec::new(),
            })
        })?;
        let mut threads: Vec<Thread> = rows.collect::<Result<_, _>>()?;
        for thread in &mut threads {
            thread.remarks = remarks.remove(&thread.number).unwrap_or_default();
        }
        Ok(threads)
    }

    /// The remarks of such threads, by the thread.
    fn remarks_where(
        &self,
        condition: &str,
        number: u64,
        person: &str,
    ) -> Result<std::collections::HashMap<u64, Vec<Remark>>, Refusal> {
        let mut select = self.connection.prepare_cached(&format!(
            "SELECT r.thread, r.number, r.revision, r.author, r.at, r.text, r.draft,
                (SELECT json_group_array(json_array(word, person)) FROM reactions WHERE remark = r.number)
             FROM threads t JOIN remarks r ON r.thread = t.number
             WHERE {condition} AND (NOT r.draft OR r.author = ?2) ORDER BY r.number",
        ))?;
        let rows = select.query_map(params![number, person], |r| {
            let remark = Remark {
                number: r.get(1)?,
                revision: r.get(2)?,
                author: r.get(3)?,
                at: r.get(4)?,
                text: r.get(5)?,
                draft: r.get(6)?,
                reactions: from_json(&r.get::<_, String>(7)?)?,
            };
            Ok((r.get::<_, u64>(0)?, remark))
        })?;
        let mut found: std::collections::HashMap<u64, Vec<Remark>> = std::collections::HashMap::new();
        for row in rows {
            let (thread, remark) = row?;
            found.entry(thread).or_default().push(remark);
        }
        Ok(found)
    }

    /// One thread as somebody sees it.
    pub fn thread(&self, number: u64, person: &str) -> Result<Thread, Refusal> {
        let found = self.threads_where("t.number = ?1", number, person)?;
        found.into_iter().next().ok_or_else(|| Refusal::Unknown(format!("there is no thread {number}")))
    }

    pub(super) fn thread_counts(&self, number: u64, person: &str) -> Result<ThreadCounts, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT sum(open), sum(open AND kind = 'todo'), sum(open AND key IS NOT NULL), sum(NOT open)
             FROM threads WHERE proposal = ?1 AND (NOT draft OR author = ?2)",
        )?;
        let count = |value: Option<u64>| value.unwrap_or(0);
        Ok(select.query_row(params![number, person], |r| {
            Ok(ThreadCounts {
                open: count(r.get(0)?),
                todos: count(r.get(1)?),
                findings: count(r.get(2)?),
                resolved: count(r.get(3)?),
            })
        })?)
    }
}

/// A thread as far as somebody may know of it.
fn standing(tx: &Transaction<'_>, thread: u64, person: &str) -> Result<Standing, Refusal> {
    let found = tx
        .query_row(
            "SELECT t.proposal, t.author, t.kind, t.key IS NOT NULL, t.open, t.draft, p.author
             FROM threads t JOIN proposals p ON p.number = t.proposal WHERE t.number = ?1",
            [thread],
            |r| {
                Ok(Standing {
                    proposal: r.get(0)?,
                    author: r.get(1)?,
                    kind: ThreadKind::of(&r.get::<_, String>(2)?),
                    is_finding: r.get(3)?,
                    open: r.get(4)?,
                    draft: r.get(5)?,
                    proposer: r.get(6)?,
                })
            },
        )
        .optional()?;
    found
        .filter(|standing| !standing.draft || standing.author == person)
        .ok_or_else(|| Refusal::Unknown(format!("there is no thread {thread}")))
}

fn rendered(
    tx: &Transaction<'_>,
    proposal: u64,
    person: &Person,
    kind: &str,
    text: &str,
    revision: u64,
    thread: u64,
) -> Result<(), Refusal> {
    let line = format!("{kind}: {}", first_line(text));
    let event = Happening {
        proposal,
        who: &person.name,
        what: "remarked",
        text: &line,
        revision: Some(revision),
        thread: Some(thread),
    };
    note(tx, &event, &mentioned(text)).map(|_| ())
}

pub(super) fn publish(tx: &Transaction<'_>, number: u64, person: &Person) -> Result<Published, Refusal> {
    let (last, _) = newest(tx, number)?;
    let mut select = tx.prepare(
        "SELECT r.number, r.thread, r.text, t.kind, t.draft FROM remarks r JOIN threads t ON t.number = r.thread
         WHERE t.proposal = ?1 AND r.author = ?2 AND r.draft ORDER BY r.number",
    )?;
    let drafts: Vec<(u64, u64, String, String, bool)> = select
        .query_map(params![number, person.name], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?)))?
        .collect::<Result<_, _>>()?;
    drop(select);
    let mut published = Published { threads: 0, remarks: drafts.len() as u64 };
    for (remark, thread, text, kind, _) in &drafts {
        tx.execute("UPDATE remarks SET draft = 0, at = ?2 WHERE number = ?1", params![remark, now()])?;
        let opened = tx.execute("UPDATE threads SET draft = 0 WHERE number = ?1 AND draft", [thread])?;
        published.threads += opened as u64;
        rendered(tx, number, person, if opened > 0 { kind } else { "reply" }, text, last, *thread)?;
    }
    Ok(published)
}
