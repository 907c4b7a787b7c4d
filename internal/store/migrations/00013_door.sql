-- +goose Up
-- Sessions have a number, so that one's own can be seen and ended, and know when the
-- passphrase was last given in them. Those of before end: their cookie had another name.
DROP TABLE sessions;
CREATE TABLE sessions (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    token      TEXT NOT NULL UNIQUE CHECK (typeof(token) = 'text'),
    person_id  INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    seen_at    INTEGER NOT NULL CHECK (typeof(seen_at) = 'integer'),
    fresh_at   INTEGER NOT NULL CHECK (typeof(fresh_at) = 'integer'),
    place      TEXT NOT NULL CHECK (typeof(place) = 'text'),
    browser    TEXT NOT NULL CHECK (typeof(browser) = 'text')
);
CREATE INDEX sessions_of_person ON sessions (person_id);
CREATE INDEX sessions_by_use ON sessions (seen_at);

-- Browsers that somebody signed in with before: they have a counter of wrong passphrases of
-- their own, so that nobody else can close their door.
CREATE TABLE browsers (
    token     TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'),
    person_id INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    seen_at   INTEGER NOT NULL CHECK (typeof(seen_at) = 'integer')
) WITHOUT ROWID;
CREATE INDEX browsers_of_person ON browsers (person_id, seen_at);

DROP TABLE failures;
CREATE TABLE failures (
    name    TEXT NOT NULL COLLATE NOCASE CHECK (typeof(name) = 'text'),
    browser TEXT NOT NULL CHECK (typeof(browser) = 'text'), -- a known one; empty: any other
    at      INTEGER NOT NULL CHECK (typeof(at) = 'integer')
);
CREATE INDEX failures_of_name ON failures (name, browser, at);

-- A second factor beside the passphrase: a passkey, or the secret of one-time codes.
CREATE TABLE factors (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    person_id  INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    kind       TEXT NOT NULL CHECK (kind IN ('passkey', 'code', 'recovery')),
    name       TEXT NOT NULL CHECK (typeof(name) = 'text'),
    secret     TEXT NOT NULL CHECK (typeof(secret) = 'text'), -- of a recovery code: its hash
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    used_at    INTEGER CHECK (typeof(used_at) IN ('integer', 'null')),
    last       INTEGER NOT NULL DEFAULT 0 CHECK (typeof(last) = 'integer') -- the step of the last one-time code
);
CREATE INDEX factors_of_person ON factors (person_id);

-- What happened that a shop may have to answer for. Nobody edits it; what is older than two
-- years goes.
CREATE TABLE events (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      INTEGER NOT NULL CHECK (typeof(at) = 'integer'),
    what    TEXT NOT NULL CHECK (typeof(what) = 'text'),
    person  TEXT NOT NULL CHECK (typeof(person) = 'text'),
    place   TEXT NOT NULL CHECK (typeof(place) = 'text'),
    call_id INTEGER CHECK (typeof(call_id) IN ('integer', 'null')),
    about   TEXT NOT NULL CHECK (typeof(about) = 'text')
);
CREATE INDEX events_by_time ON events (at);
-- +goose StatementBegin
CREATE TRIGGER events_stand BEFORE UPDATE ON events
BEGIN SELECT RAISE(ABORT, 'what happened is not edited'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER events_stay BEFORE DELETE ON events WHEN old.at > (unixepoch() - 730 * 86400) * 1000
BEGIN SELECT RAISE(ABORT, 'what happened stays for two years'); END;
-- +goose StatementEnd

-- What is taken out of the index leaves nothing behind in it.
INSERT INTO search (search, rank) VALUES ('secure-delete', 1);

-- Some customers' data were erased on request: what is left says only that.
ALTER TABLE sites ADD COLUMN erased_at INTEGER CHECK (typeof(erased_at) IN ('integer', 'null'));

-- +goose Down
ALTER TABLE sites DROP COLUMN erased_at;
DROP TABLE events;
DROP TABLE factors;
DROP TABLE failures;
CREATE TABLE failures (
    name TEXT NOT NULL COLLATE NOCASE CHECK (typeof(name) = 'text'),
    at   INTEGER NOT NULL CHECK (typeof(at) = 'integer')
);
CREATE INDEX failures_of_name ON failures (name, at);
DROP TABLE browsers;
DROP TABLE sessions;
CREATE TABLE sessions (
    token      TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'),
    person_id  INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    seen_at    INTEGER NOT NULL CHECK (typeof(seen_at) = 'integer')
) WITHOUT ROWID;
