-- +goose Up
-- What a phone sends is written down as it comes, before any of it is carried out. A row goes
-- once its command is on the record; what the record does not take stays until somebody decides.
CREATE TABLE arrived (
    n          INTEGER PRIMARY KEY AUTOINCREMENT,
    command    TEXT NOT NULL UNIQUE CHECK (typeof(command) = 'text'),
    call_id    INTEGER REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) IN ('integer', 'null')),
    document   TEXT NOT NULL CHECK (typeof(document) = 'text'),
    device     TEXT NOT NULL CHECK (typeof(device) = 'text'),
    person     TEXT NOT NULL CHECK (typeof(person) = 'text'),
    role       TEXT NOT NULL CHECK (typeof(role) = 'text'),
    arrived_at INTEGER NOT NULL CHECK (typeof(arrived_at) = 'integer'),
    refused    TEXT NOT NULL DEFAULT '' CHECK (typeof(refused) = 'text'),
    settled_at INTEGER CHECK (typeof(settled_at) IN ('integer', 'null')),
    settled_by TEXT NOT NULL DEFAULT '' CHECK (typeof(settled_by) = 'text')
);

CREATE INDEX arrived_open ON arrived (call_id, n) WHERE settled_at IS NULL;

-- +goose Down
DROP TABLE arrived;
