-- +goose Up
CREATE TABLE calls (
    id               INTEGER PRIMARY KEY AUTOINCREMENT,
    title            TEXT NOT NULL,
    complaint        TEXT NOT NULL,
    created_at       TEXT NOT NULL,
    cautions_read_at TEXT
);

-- Every change of a run is a new revision; undo withdraws the latest.
CREATE TABLE circuits (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    call_id    INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    document   TEXT NOT NULL,
    created_at TEXT NOT NULL,
    withdrawn  INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX circuits_of_call ON circuits (call_id, id);

-- Readings as they were entered; id is made by the browser.
CREATE TABLE readings (
    id        TEXT PRIMARY KEY,
    call_id   INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    entry     INTEGER NOT NULL,
    taken_at  TEXT NOT NULL,
    document  TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;
CREATE UNIQUE INDEX readings_of_call ON readings (call_id, entry);

-- +goose Down
DROP TABLE readings;
DROP TABLE circuits;
DROP TABLE calls;
