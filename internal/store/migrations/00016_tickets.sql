-- +goose Up
-- By a ticket a browser that is signed in at one address of the shop is signed in at another,
-- which has cookies of its own: once, within a minute.
CREATE TABLE tickets (
    token      TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'), -- its hash
    session_id INTEGER NOT NULL REFERENCES sessions (id) ON DELETE CASCADE CHECK (typeof(session_id) = 'integer'),
    until      INTEGER NOT NULL CHECK (typeof(until) = 'integer')
) WITHOUT ROWID;
CREATE INDEX tickets_of_session ON tickets (session_id);
CREATE INDEX tickets_by_end ON tickets (until);

-- A session at another address ends with the one that it was carried from.
ALTER TABLE sessions ADD COLUMN carried INTEGER REFERENCES sessions (id) ON DELETE CASCADE CHECK (typeof(carried) IN ('integer', 'null'));
CREATE INDEX sessions_carried ON sessions (carried);

-- +goose Down
DROP INDEX sessions_carried;
ALTER TABLE sessions DROP COLUMN carried;
DROP TABLE tickets;
