-- What a status said since it was last begun, for who wants to see the steps. Times are milliseconds since 1970-01-01 UTC.
CREATE TABLE status_steps (
    number INTEGER PRIMARY KEY,
    proposal INTEGER NOT NULL REFERENCES proposals,
    revision INTEGER NOT NULL,
    name TEXT NOT NULL,
    text TEXT NOT NULL,
    at INTEGER NOT NULL
) STRICT;
CREATE INDEX status_steps_by_status ON status_steps (proposal, revision, name);

-- What the host's own checker has been run on.
CREATE TABLE checked (
    proposal INTEGER PRIMARY KEY REFERENCES proposals,
    -- The newest revision that it ended with, whatever it said.
    revision INTEGER NOT NULL,
    -- The last remark in a thread of a checker that it has been asked to answer.
    remark INTEGER NOT NULL
) STRICT;

ALTER TABLE people ADD COLUMN mail TEXT;
ALTER TABLE notices ADD COLUMN mailed INTEGER NOT NULL DEFAULT 0;
