-- +goose Up
-- Where a house is, and how it is rung; the day is planned by it.
ALTER TABLE sites ADD COLUMN telephone TEXT NOT NULL DEFAULT '' CHECK (typeof(telephone) = 'text');
ALTER TABLE sites ADD COLUMN lat REAL CHECK (typeof(lat) IN ('real', 'null'));
ALTER TABLE sites ADD COLUMN lon REAL CHECK (typeof(lon) IN ('real', 'null'));

-- Invoices and credit notes, in one series without gaps. Nobody edits them, and none goes: what
-- was wrong is credited and invoiced anew. They outlive their calls.
CREATE TABLE invoices (
    number   INTEGER PRIMARY KEY CHECK (number > 0),
    paper    TEXT NOT NULL CHECK (paper IN ('invoice', 'credit-note')),
    call_id  INTEGER NOT NULL CHECK (typeof(call_id) = 'integer'),
    of       INTEGER UNIQUE CHECK (typeof(of) IN ('integer', 'null')), -- the invoice that is credited, once
    command  TEXT NOT NULL UNIQUE CHECK (typeof(command) = 'text'), -- asked for twice, it is issued once
    at       INTEGER NOT NULL CHECK (typeof(at) = 'integer'),
    document TEXT NOT NULL CHECK (typeof(document) = 'text')
);
CREATE INDEX invoices_of_call ON invoices (call_id, number);
-- +goose StatementBegin
CREATE TRIGGER invoices_stand BEFORE UPDATE ON invoices
BEGIN SELECT RAISE(ABORT, 'an invoice is not edited'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER invoices_stay BEFORE DELETE ON invoices
BEGIN SELECT RAISE(ABORT, 'an invoice stays'); END;
-- +goose StatementEnd

-- A van's calendar is read by whoever has its token; a new one ends the old.
CREATE TABLE feeds (
    van     TEXT NOT NULL PRIMARY KEY CHECK (typeof(van) = 'text'),
    token   TEXT NOT NULL UNIQUE CHECK (typeof(token) = 'text'), -- its hash
    made_at INTEGER NOT NULL CHECK (typeof(made_at) = 'integer')
) WITHOUT ROWID;

-- +goose Down
DROP TABLE feeds;
DROP TABLE invoices;
ALTER TABLE sites DROP COLUMN lon;
ALTER TABLE sites DROP COLUMN lat;
ALTER TABLE sites DROP COLUMN telephone;
