//! Proposals and their revisions.

use rusqlite::{OptionalExtension, Transaction, params};

use super::events::{Happening, mentioned, note};
use super::people::must_be_people;
use super::{Refusal, Storage, from_json, json, now};
use crate::protocol::{
    Anchor, CodeLine, Edited, NewProposal, Person, Proposal, ProposalState, Revision, Role, ThreadCounts,
};

/// A pushed state that the host has seen.
#[derive(Debug, Clone)]
pub struct NewRevision {
    /// Its commit.
    pub head: String,
    /// Where it left the target.
    pub base: String,
    /// How many files it changes.
    pub files: u64,
    /// Lines that it adds.
    pub added: u64,
    /// Lines that it removes.
    pub removed: u64,
}

/// An open proposal whose branch may have moved.
#[derive(Debug, Clone)]
pub struct Pushed {
    /// Its number.
    pub number: u64,
    /// The repository that it wants to enter.
    pub repository: String,
    /// The branch that it wants to enter.
    pub target: String,
    /// The repository that holds it.
    pub source: String,
    /// The branch that holds it.
    pub branch: String,
    /// The newest revision that is known.
    pub newest: Revision,
}

/// What becomes of a thread's anchor in a new revision: the new one with its code, or `None` when its lines are gone.
pub type Carrying<'a> = dyn Fn(&Anchor) -> Option<(Anchor, Vec<CodeLine>)> + 'a;

/// Whether somebody may change a proposal.
pub(super) fn may_edit(tx: &Transaction<'_>, number: u64, person: &Person) -> Result<(), Refusal> {
    let author: String = tx.query_row("SELECT author FROM proposals WHERE number = ?1", [number], |r| r.get(0))?;
    if person.role == Role::Maintainer || author == person.name {
        Ok(())
    } else {
        Err(Refusal::Forbidden(format!("only {author} and maintainers may change proposal {number}")))
    }
}

/// The newest revision of a proposal.
pub(super) fn newest(tx: &Transaction<'_>, number: u64) -> Result<(u64, String), Refusal> {
    let found = tx
        .query_row(
            "SELECT number, head FROM revisions WHERE proposal = ?1 ORDER BY number DESC LIMIT 1",
            [number],
            |r| Ok((r.get(0)?, r.get(1)?)),
        )
        .optional()?;
    found.ok_or_else(|| no_proposal(number))
}

pub(super) fn no_proposal(number: u64) -> Refusal {
    Refusal::Unknown(format!("there is no proposal {number}"))
}

fn set_list(tx: &Transaction<'_>, table: &str, column: &str, number: u64, list: &[String]) -> Result<(), Refusal> {
    tx.execute(&format!("DELETE FROM {table} WHERE proposal = ?1"), [number])?;
    for item in list {
        tx.execute(&format!("INSERT INTO {table} (proposal, {column}) VALUES (?1, ?2)"), params![number, item])?;
    }
    Ok(())
}

fn set_tickets(tx: &Transaction<'_>, number: u64, tickets: &[String]) -> Result<(), Refusal> {
    for ticket in tickets {
        let known: bool = tx.query_row("SELECT count(*) FROM tickets WHERE name = ?1", [ticket], |r| r.get(0))?;
        if !known {
            return Err(Refusal::Invalid(format!("there is no ticket `{ticket}`")));
        }
    }
    set_list(tx, "proposal_tickets", "ticket", number, tickets)
}

impl Storage {
    pub(super) fn must_exist(&self, number: u64) -> Result<(), Refusal> {
        let there: bool =
            self.connection.query_row("SELECT count(*) FROM proposals WHERE number = ?1", [number], |r| r.get(0))?;
        if there { Ok(()) } else { Err(no_proposal(number)) }
    }

    /// Opens a proposal with its first revision; its number.
    pub fn propose(&mut self, author: &str, new: &NewProposal, first: &NewRevision) -> Result<u64, Refusal> {
        let tx = self.write()?;
        let source = new.source.as_ref().unwrap_or(&new.repository);
        let open: Option<u64> = tx
            .query_row(
                "SELECT number FROM proposals WHERE source = ?1 AND branch = ?2 AND repository = ?3 AND target = ?4
                 AND state = 'open' AND after IS ?5",
                params![source, new.branch, new.repository, new.target, new.after],
                |r| r.get(0),
            )
            .optional()?;
        if let Some(open) = open {
            return Err(Refusal::Conflict(format!("proposal {open} offers this branch already; push to it")));
        }
        must_be_people(&tx, &new.reviewers)?;
        tx.execute(
            "INSERT INTO proposals (repository, target, source, branch, after, title, description, author, state, draft,
                created, updated, due, delete_branch)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, 'open', ?9, ?10, ?10, ?11, ?12)",
            params![
                new.repository,
                new.target,
                source,
                new.branch,
                new.after,
                new.title,
                new.description,
                author,
                new.draft,
                now(),
                new.due,
                new.delete_branch
            ],
        )?;
        let number = tx.last_insert_rowid() as u64;
        set_list(&tx, "reviewers", "person", number, &new.reviewers)?;
        set_list(&tx, "labels", "label", number, &new.labels)?;
        set_tickets(&tx, number, &new.tickets)?;
        insert_revision(&tx, number, 1, first)?;
        let event = Happening {
            proposal: number,
            who: author,
            what: "proposed",
            text: &new.title,
            revision: Some(1),
            thread: None,
        };
        note(&tx, &event, &mentioned(&new.description))?;
        tx.commit()?;
        Ok(number)
    }

    /// Notes a new state of a proposal's branch, and takes the threads along. `None` when it is known already.
    pub fn push(
        &mut self,
        number: u64,
        new: &NewRevision,
        known: u64,
        carry: &Carrying<'_>,
    ) -> Result<Option<u64>, Refusal> {
        let tx = self.write()?;
        let (last, head) = newest(&tx, number)?;
        let state: String = tx.query_row("SELECT state FROM proposals WHERE number = ?1", [number], |r| r.get(0))?;
        // Another request may have been quicker, and then the anchors are those of its revision.
        if last != known || head == new.head || state != "open" {
            return Ok(None);
        }
        insert_revision(&tx, number, last + 1, new)?;
        let mut select = tx.prepare(
            "SELECT number, anchor FROM threads WHERE proposal = ?1 AND anchor IS NOT NULL AND NOT outdated",
        )?;
        let threads: Vec<(u64, String)> =
            select.query_map([number], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?;
        drop(select);
        for (thread, anchor) in threads {
            match carry(&from_json::<Anchor>(&anchor)?) {
                Some((anchor, code)) => tx.execute(
                    "UPDATE threads SET anchor = ?2, code = ?3, revision = ?4 WHERE number = ?1",
                    params![thread, json(&anchor), json(&code), last + 1],
                )?,
                None => tx.execute("UPDATE threads SET outdated = 1 WHERE number = ?1", [thread])?,
            };
        }
        let author: String = tx.query_row("SELECT author FROM proposals WHERE number = ?1", [number], |r| r.get(0))?;
        let event = Happening {
            proposal: number,
            who: &author,
            what: "pushed",
            text: &new.head,
            revision: Some(last + 1),
            thread: None,
        };
        note(&tx, &event, &[])?;
        tx.commit()?;
        Ok(Some(last + 1))
    }

    /// Changes what is said about a proposal, closes it or opens it again.
    /// Long because each thing that changed makes an entry of the timeline.
    pub fn edit(&mut self, number: u64, person: &Person, edited: &Edited) -> Result<bool, Refusal> {
        self.must_exist(number)?;
        let before = self.proposal(number, &person.name)?;
        let tx = self.write()?;
        may_edit(&tx, number, person)?;
        let mut rendered: Vec<(&str, String)> = Vec::new();
        let put = |column: &str, value: &dyn rusqlite::ToSql| {
            tx.execute(&format!("UPDATE proposals SET {column} = ?2 WHERE number = ?1"), params![number, value])
        };
        if let Some(title) = edited.title.as_ref().filter(|title| **title != before.title) {
            put("title", title)?;
            rendered.push(("edited", format!("the title: {title}")));
        }
        if let Some(text) = edited.description.as_ref().filter(|text| **text != before.description) {
            put("description", text)?;
            rendered.push(("edited", "the description".to_owned()));
        }
        if let Some(target) = edited.target.as_ref().filter(|target| **target != before.target) {
            put("target", target)?;
            rendered.push(("edited", format!("the target: {target}")));
        }
        if let Some(draft) = edited.draft.filter(|draft| *draft != before.draft) {
            put("draft", &draft)?;
            rendered.push(("edited", if draft { "work in progress" } else { "ready for review" }.to_owned()));
        }
        if let Some(due) = &edited.due {
            let due = Some(due).filter(|day| !day.is_empty());
            if due != before.due.as_ref() {
                put("due", &due)?;
                rendered.push((
                    "edited",
                    due.map_or("no day by which it is due".to_owned(), |day| format!("due on {day}")),
                ));
            }
        }
        if edited.open.is_some() && before.state == ProposalState::Merged {
            return Err(Refusal::Conflict(format!("proposal {number} has been merged")));
        }
        if let Some(open) = edited.open.filter(|open| *open != (before.state == ProposalState::Open)) {
            let state = if open { ProposalState::Open } else { ProposalState::Closed };
            put("state", &state.word())?;
            rendered.push((if open { "reopened" } else { "closed" }, String::new()));
        }
        if let Some(list) = edited.reviewers.as_ref().filter(|list| **list != before.reviewers) {
            must_be_people(&tx, list)?;
            set_list(&tx, "reviewers", "person", number, list)?;
            rendered.push(("edited", format!("reviewers: {}", list.join(", "))));
        }
        if let Some(list) = edited.labels.as_ref().filter(|list| **list != before.labels) {
            set_list(&tx, "labels", "label", number, list)?;
            rendered.push(("edited", format!("labels: {}", list.join(", "))));
        }
        let named: Vec<String> = before.tickets.iter().map(|ticket| ticket.name.clone()).collect();
        if let Some(list) = edited.tickets.as_ref().filter(|list| **list != named) {
            set_tickets(&tx, number, list)?;
            rendered.push(("edited", format!("tickets: {}", list.join(", "))));
        }
        for (what, text) in &rendered {
            let names = edited.description.as_deref().map(mentioned).unwrap_or_default();
            let event = Happening { proposal: number, who: &person.name, what, text, revision: None, thread: None };
            note(&tx, &event, &names)?;
        }
        tx.commit()?;
        Ok(!rendered.is_empty())
    }

    /// The open proposals whose branches may move, of one repository or of all.
    pub fn watched(&self, repository: Option<&str>) -> Result<Vec<Pushed>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT p.number, repository, target, source, branch, r.number, r.head, r.base, r.at, r.files, r.added, r.removed
             FROM proposals p JOIN revisions r ON r.proposal = p.number
             WHERE state = 'open' AND after IS NULL AND (?1 IS NULL OR source = ?1 OR repository = ?1)
               AND r.number = (SELECT max(number) FROM revisions WHERE proposal = p.number)
             ORDER BY p.number",
        )?;
        let rows = select.query_map([repository], pushed)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// One of them; `None` when it can't move any more.
    pub fn watched_proposal(&self, number: u64) -> Result<Option<Pushed>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT p.number, repository, target, source, branch, r.number, r.head, r.base, r.at, r.files, r.added, r.removed
             FROM proposals p JOIN revisions r ON r.proposal = p.number
             WHERE p.number = ?1 AND state = 'open' AND after IS NULL ORDER BY r.number DESC LIMIT 1",
        )?;
        Ok(select.query_row([number], pushed).optional()?)
    }

    /// A proposal as somebody sees it, but for where its target is.
    pub fn proposal(&self, number: u64, person: &str) -> Result<Proposal, Refusal> {
        let c = &self.connection;
        let mut select = c.prepare_cached(
            "SELECT repository, target, source, branch, title, description, author, state, draft, created, updated, due,
                delete_branch FROM proposals WHERE number = ?1",
        )?;
        let found = select
            .query_row([number], |r| {
                Ok(Proposal {
                    number,
                    repository: r.get(0)?,
                    target: r.get(1)?,
                    target_tip: None,
                    source: r.get(2)?,
                    branch: r.get(3)?,
                    title: r.get(4)?,
                    description: r.get(5)?,
                    author: r.get(6)?,
                    state: ProposalState::of(&r.get::<_, String>(7)?),
                    draft: r.get(8)?,
                    created: r.get(9)?,
                    updated: r.get(10)?,
                    due: r.get(11)?,
                    delete_branch: r.get(12)?,
                    reviewers: Vec::new(),
                    watchers: Vec::new(),
                    labels: Vec::new(),
                    tickets: Vec::new(),
                    revisions: Vec::new(),
                    stances: Vec::new(),
                    statuses: Vec::new(),
                    overview: None,
                    verdict: None,
                    threads: ThreadCounts::default(),
                    merged: None,
                    seen: 0,
                })
            })
            .optional()?;
        let mut proposal = found.ok_or_else(|| no_proposal(number))?;
        let list = |sql: &str| -> Result<Vec<String>, Refusal> {
            let mut select = c.prepare_cached(sql)?;
            Ok(select.query_map([number], |r| r.get(0))?.collect::<Result<_, _>>()?)
        };
        proposal.reviewers = list("SELECT person FROM reviewers WHERE proposal = ?1 ORDER BY rowid")?;
        proposal.watchers = list("SELECT person FROM watchers WHERE proposal = ?1 ORDER BY person")?;
        proposal.labels = list("SELECT label FROM labels WHERE proposal = ?1 ORDER BY rowid")?;
        let tickets = list("SELECT ticket FROM proposal_tickets WHERE proposal = ?1 ORDER BY rowid")?;
        proposal.tickets = tickets.iter().map(|name| self.ticket(name)).collect::<Result<_, _>>()?;
        proposal.revisions = self.revisions(number)?;
        proposal.stances = self.stances(number)?;
        proposal.statuses = self.statuses(number)?;
        proposal.overview = self.overview(number)?;
        proposal.verdict = self.verdict(number)?;
        proposal.threads = self.thread_counts(number, person)?;
        proposal.merged = self.merged(number)?;
        let mut select = c.prepare_cached("SELECT event FROM seen WHERE proposal = ?1 AND person = ?2")?;
        proposal.seen = select.query_row(params![number, person], |r| r.get(0)).optional()?.unwrap_or(0);
        Ok(proposal)
    }

    pub fn revisions(&self, number: u64) -> Result<Vec<Revision>, Refusal> {
        let mut select = self.connection.prepare_cached(
            "SELECT number, head, base, at, files, added, removed FROM revisions WHERE proposal = ?1 ORDER BY number",
        )?;
        let rows = select.query_map([number], |r| revision(r, 0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}

fn revision(r: &rusqlite::Row<'_>, from: usize) -> rusqlite::Result<Revision> {
    Ok(Revision {
        number: r.get(from)?,
        head: r.get(from + 1)?,
        base: r.get(from + 2)?,
        at: r.get(from + 3)?,
        files: r.get(from + 4)?,
        added: r.get(from + 5)?,
        removed: r.get(from + 6)?,
    })
}

fn pushed(r: &rusqlite::Row<'_>) -> rusqlite::Result<Pushed> {
    Ok(Pushed {
        number: r.get(0)?,
        repository: r.get(1)?,
        target: r.get(2)?,
        source: r.get(3)?,
        branch: r.get(4)?,
        newest: revision(r, 5)?,
    })
}

fn insert_revision(tx: &Transaction<'_>, proposal: u64, number: u64, new: &NewRevision) -> Result<(), Refusal> {
    tx.execute(
        "INSERT INTO revisions (proposal, number, head, base, at, files, added, removed)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
        params![proposal, number, new.head, new.base, now(), new.files, new.added, new.removed],
    )?;
    Ok(())
}
