-- +goose Up
-- An opened box: what is in it and what is to go in (elvat-box/1), the steps
-- done, and when it was made up as planned, by the revision of the run that did.
CREATE TABLE boxes (
    call_id  INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    box      TEXT NOT NULL,
    document TEXT NOT NULL,
    done     TEXT NOT NULL DEFAULT '[]',
    made_at  TEXT,
    made_by  INTEGER REFERENCES circuits (id),
    PRIMARY KEY (call_id, box)
) WITHOUT ROWID;

-- Photographs of the pulled device; the latest is shown.
CREATE TABLE photographs (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    call_id  INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    box      TEXT NOT NULL,
    taken_at TEXT NOT NULL,
    image    BLOB NOT NULL
);
CREATE INDEX photographs_of_box ON photographs (call_id, box, id);

-- +goose Down
DROP TABLE photographs;
DROP TABLE boxes;
