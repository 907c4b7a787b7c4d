-- +goose Up
-- What was done on a call, in the order of entry; id is made by the browser.
CREATE TABLE journal (
    id        TEXT PRIMARY KEY,
    call_id   INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    entry     INTEGER NOT NULL,
    at        TEXT NOT NULL,
    document  TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;
CREATE UNIQUE INDEX journal_of_call ON journal (call_id, entry);

-- The panel's directory as it is known on the call.
ALTER TABLE calls ADD COLUMN directory TEXT;

-- Photographs belong to any step: the pulled device, or a phase of the call.
ALTER TABLE photographs ADD COLUMN phase TEXT NOT NULL DEFAULT 'pulled';
ALTER TABLE photographs ADD COLUMN withdrawn INTEGER NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE photographs DROP COLUMN withdrawn;
ALTER TABLE photographs DROP COLUMN phase;
ALTER TABLE calls DROP COLUMN directory;
DROP TABLE journal;
