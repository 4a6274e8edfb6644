-- Times are seconds since 1970-01-01 UTC.

CREATE TABLE people (name TEXT PRIMARY KEY, role TEXT NOT NULL) STRICT;
-- Of a token only its SHA-256 is kept.
CREATE TABLE tokens (hash BLOB PRIMARY KEY, person TEXT NOT NULL REFERENCES people, created INTEGER NOT NULL) STRICT;

CREATE TABLE repositories (name TEXT PRIMARY KEY, owner TEXT REFERENCES people, copy_of TEXT REFERENCES repositories) STRICT;
CREATE TABLE protected (repository TEXT NOT NULL REFERENCES repositories, branch TEXT NOT NULL, PRIMARY KEY (repository, branch)) STRICT;

CREATE TABLE proposals (
    number INTEGER PRIMARY KEY,
    repository TEXT NOT NULL REFERENCES repositories,
    target TEXT NOT NULL,
    source TEXT NOT NULL REFERENCES repositories,
    branch TEXT NOT NULL,
    -- For a review after the fact: the commit before the change.
    after TEXT,
    title TEXT NOT NULL,
    description TEXT NOT NULL,
    author TEXT NOT NULL REFERENCES people,
    state TEXT NOT NULL CHECK (state IN ('open', 'merged', 'closed')),
    draft INTEGER NOT NULL,
    created INTEGER NOT NULL,
    updated INTEGER NOT NULL,
    due TEXT,
    delete_branch INTEGER NOT NULL
) STRICT;
CREATE INDEX proposals_by_state ON proposals (state, updated);
CREATE INDEX proposals_by_branch ON proposals (source, branch, state);

CREATE TABLE reviewers (proposal INTEGER NOT NULL REFERENCES proposals, person TEXT NOT NULL, PRIMARY KEY (proposal, person)) STRICT;
CREATE INDEX reviewers_by_person ON reviewers (person);
CREATE TABLE watchers (proposal INTEGER NOT NULL REFERENCES proposals, person TEXT NOT NULL, PRIMARY KEY (proposal, person)) STRICT;
CREATE INDEX watchers_by_person ON watchers (person);
CREATE TABLE labels (proposal INTEGER NOT NULL REFERENCES proposals, label TEXT NOT NULL, PRIMARY KEY (proposal, label)) STRICT;
CREATE TABLE tickets (name TEXT PRIMARY KEY, title TEXT NOT NULL, open INTEGER NOT NULL, points TEXT NOT NULL) STRICT;
CREATE TABLE proposal_tickets (proposal INTEGER NOT NULL REFERENCES proposals, ticket TEXT NOT NULL, PRIMARY KEY (proposal, ticket)) STRICT;
CREATE INDEX proposals_by_ticket ON proposal_tickets (ticket);

-- Numbers follow the pushed history, never reports.
CREATE TABLE revisions (
    proposal INTEGER NOT NULL REFERENCES proposals,
    number INTEGER NOT NULL,
    head TEXT NOT NULL,
    base TEXT NOT NULL,
    at INTEGER NOT NULL,
    files INTEGER NOT NULL,
    added INTEGER NOT NULL,
    removed INTEGER NOT NULL,
    PRIMARY KEY (proposal, number)
) STRICT;

CREATE TABLE reports (
    proposal INTEGER NOT NULL REFERENCES proposals,
    reporter TEXT NOT NULL,
    revision INTEGER NOT NULL,
    overview TEXT NOT NULL,
    verdict TEXT,
    digest BLOB NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (proposal, reporter)
) STRICT;

CREATE TABLE threads (
    number INTEGER PRIMARY KEY,
    proposal INTEGER NOT NULL REFERENCES proposals,
    author TEXT NOT NULL,
    kind TEXT NOT NULL,
    -- What a checker's thread is about.
    key TEXT,
    finding TEXT,
    anchor TEXT,
    revision INTEGER NOT NULL,
    outdated INTEGER NOT NULL DEFAULT 0,
    code TEXT NOT NULL,
    open INTEGER NOT NULL,
    closed_by TEXT,
    draft INTEGER NOT NULL,
    UNIQUE (proposal, author, key)
) STRICT;
CREATE INDEX threads_by_proposal ON threads (proposal, open);

CREATE TABLE remarks (
    number INTEGER PRIMARY KEY,
    thread INTEGER NOT NULL REFERENCES threads,
    revision INTEGER NOT NULL,
    author TEXT NOT NULL,
    at INTEGER NOT NULL,
    text TEXT NOT NULL,
    draft INTEGER NOT NULL
) STRICT;
CREATE INDEX remarks_by_thread ON remarks (thread);
CREATE TABLE reactions (
    remark INTEGER NOT NULL REFERENCES remarks,
    person TEXT NOT NULL,
    word TEXT NOT NULL,
    PRIMARY KEY (remark, person, word)
) STRICT;

CREATE TABLE stances (
    proposal INTEGER NOT NULL REFERENCES proposals,
    person TEXT NOT NULL,
    stance TEXT NOT NULL,
    revision INTEGER NOT NULL,
    text TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (proposal, person)
) STRICT;

CREATE TABLE statuses (
    proposal INTEGER NOT NULL REFERENCES proposals,
    revision INTEGER NOT NULL,
    name TEXT NOT NULL,
    state TEXT NOT NULL,
    text TEXT NOT NULL,
    link TEXT,
    by TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (proposal, revision, name)
) STRICT;

CREATE TABLE read_marks (
    proposal INTEGER NOT NULL REFERENCES proposals,
    person TEXT NOT NULL,
    path TEXT NOT NULL,
    revision INTEGER NOT NULL,
    PRIMARY KEY (proposal, person, path)
) STRICT;
CREATE TABLE seen (
    proposal INTEGER NOT NULL REFERENCES proposals,
    person TEXT NOT NULL,
    event INTEGER NOT NULL,
    PRIMARY KEY (proposal, person)
) STRICT;

CREATE TABLE verdicts (
    proposal INTEGER PRIMARY KEY REFERENCES proposals,
    target TEXT NOT NULL,
    head TEXT NOT NULL,
    result TEXT NOT NULL,
    conditions TEXT NOT NULL,
    -- The last event that was taken into account.
    upto INTEGER NOT NULL,
    by TEXT NOT NULL,
    at INTEGER NOT NULL
) STRICT;

-- Written before the target moves, so that a merge that was cut short can be distinguished from one that never was.
CREATE TABLE merges (
    proposal INTEGER PRIMARY KEY REFERENCES proposals,
    before TEXT NOT NULL,
    head TEXT NOT NULL,
    commit_id TEXT NOT NULL,
    kind TEXT NOT NULL,
    delete_branch INTEGER NOT NULL,
    done INTEGER NOT NULL,
    by TEXT NOT NULL,
    at INTEGER NOT NULL
) STRICT;

CREATE TABLE events (
    number INTEGER PRIMARY KEY,
    proposal INTEGER NOT NULL REFERENCES proposals,
    at INTEGER NOT NULL,
    who TEXT NOT NULL,
    what TEXT NOT NULL,
    text TEXT NOT NULL,
    revision INTEGER,
    thread INTEGER
) STRICT;
CREATE INDEX events_by_proposal ON events (proposal, number);
-- Who is to be notified of an event, until they have looked.
CREATE TABLE notices (person TEXT NOT NULL, event INTEGER NOT NULL REFERENCES events, PRIMARY KEY (person, event)) STRICT;
