-- +goose Up
-- The site book: a house, its panels, and the runs that hang on them.
CREATE TABLE sites (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL,
    address    TEXT NOT NULL DEFAULT '',
    notes      TEXT NOT NULL DEFAULT '',
    created_at TEXT NOT NULL
);
CREATE INDEX sites_by_name ON sites (name COLLATE NOCASE);
CREATE TABLE panels (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id   INTEGER NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    name      TEXT NOT NULL,
    directory TEXT NOT NULL DEFAULT '[]'
);
CREATE INDEX panels_of_site ON panels (site_id);
CREATE TABLE runs (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    panel_id INTEGER NOT NULL REFERENCES panels (id) ON DELETE CASCADE,
    name     TEXT NOT NULL
);
CREATE INDEX runs_of_panel ON runs (panel_id);

-- A call is about a run. version is the last action on it; stale says that its
-- summary is older than that.
ALTER TABLE calls ADD COLUMN run_id INTEGER REFERENCES runs (id);
ALTER TABLE calls ADD COLUMN version INTEGER NOT NULL DEFAULT 0;
ALTER TABLE calls ADD COLUMN stale INTEGER NOT NULL DEFAULT 1;
INSERT INTO sites (id, name, created_at) SELECT id, title, created_at FROM calls;
INSERT INTO panels (id, site_id, name, directory) SELECT id, id, 'Main panel', coalesce(directory, '[]') FROM calls;
INSERT INTO runs (id, panel_id, name) SELECT id, id, title FROM calls;
UPDATE calls SET run_id = id;
ALTER TABLE calls DROP COLUMN directory;
CREATE INDEX calls_of_run ON calls (run_id, created_at, id);
CREATE INDEX calls_stale ON calls (id) WHERE stale;

-- Documents are kept without white space between their parts, so that an
-- archive can lay them out and still give back what was there.
UPDATE circuits SET document = json(document);
UPDATE readings SET document = json(document);
UPDATE journal SET document = json(document);
UPDATE boxes SET document = json(document);

-- What the lists show of a call, worked out when it was last changed.
CREATE TABLE summaries (
    call_id     INTEGER PRIMARY KEY REFERENCES calls (id) ON DELETE CASCADE,
    document    TEXT NOT NULL,
    handed_over INTEGER NOT NULL,
    diagnosis   TEXT
);
CREATE INDEX summaries_open ON summaries (handed_over, call_id);

-- Answers of the diagnosis by what was asked: the same question has the same answer.
CREATE TABLE diagnoses (
    key    TEXT PRIMARY KEY,
    result TEXT NOT NULL
) WITHOUT ROWID;

-- Calls (rowid twice their id) and sites (one more), by their words.
CREATE VIRTUAL TABLE search USING fts5 (title, body, tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3');

-- The GFCIs of a run: when each was put in and last tested, and when the next test is due.
CREATE TABLE gfcis (
    run_id       INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    device       TEXT NOT NULL,
    label        TEXT NOT NULL,
    serves       INTEGER NOT NULL,
    installed_at TEXT,
    tested_at    TEXT,
    held         INTEGER,
    due_at       TEXT NOT NULL,
    PRIMARY KEY (run_id, device)
) WITHOUT ROWID;
CREATE INDEX gfcis_due ON gfcis (due_at);

-- When a device was put in, as someone read it off or knew it.
CREATE TABLE installs (
    run_id       INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    device       TEXT NOT NULL,
    installed_at TEXT NOT NULL,
    PRIMARY KEY (run_id, device)
) WITHOUT ROWID;

-- Parts put on a van (count above zero) and used up on a call (below).
CREATE TABLE stock (
    id        TEXT PRIMARY KEY,
    call_id   INTEGER REFERENCES calls (id) ON DELETE CASCADE,
    box       TEXT NOT NULL DEFAULT '',
    van       TEXT NOT NULL,
    item      TEXT NOT NULL,
    unit      TEXT NOT NULL,
    count     REAL NOT NULL,
    at        TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;
CREATE INDEX stock_of_item ON stock (van, item);
CREATE INDEX stock_of_call ON stock (call_id);

-- Who works here. passphrase is an argon2id hash.
CREATE TABLE people (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL UNIQUE COLLATE NOCASE,
    role       TEXT NOT NULL,
    passphrase TEXT NOT NULL,
    created_at TEXT NOT NULL,
    withdrawn  INTEGER NOT NULL DEFAULT 0
);
-- Tokens are kept as hashes only: a stolen copy of the file opens nothing.
CREATE TABLE sessions (
    token      TEXT PRIMARY KEY,
    person_id  INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE,
    created_at TEXT NOT NULL,
    seen_at    TEXT NOT NULL
) WITHOUT ROWID;
CREATE TABLE failures (
    name TEXT NOT NULL COLLATE NOCASE,
    at   TEXT NOT NULL
);
CREATE INDEX failures_of_name ON failures (name, at);

-- A customer's link to one call, and what was answered through it.
CREATE TABLE visits (
    token      TEXT PRIMARY KEY,
    call_id    INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    made_at    TEXT NOT NULL,
    expires_at TEXT NOT NULL,
    withdrawn  INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;
CREATE INDEX visits_of_call ON visits (call_id);
CREATE TABLE answers (
    id       TEXT PRIMARY KEY,
    call_id  INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    entry    INTEGER NOT NULL,
    at       TEXT NOT NULL,
    document TEXT NOT NULL
) WITHOUT ROWID;
CREATE UNIQUE INDEX answers_of_call ON answers (call_id, entry);

-- A photograph sent twice is kept once; who sends it makes the id.
ALTER TABLE photographs ADD COLUMN sent_as TEXT;
CREATE UNIQUE INDEX photographs_sent ON photographs (sent_as);

-- What was done, one row a request that changed something, and what each changed
-- row was before (null: it was not there). This is what undo goes by, and
-- what two devices on one call are merged by.
CREATE TABLE actions (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    call_id INTEGER REFERENCES calls (id) ON DELETE CASCADE,
    what    TEXT NOT NULL,
    device  TEXT NOT NULL DEFAULT '',
    person  TEXT NOT NULL DEFAULT '',
    at      TEXT NOT NULL,
    undoes  INTEGER,
    undone  INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX actions_of_call ON actions (call_id, id);
CREATE TABLE changes (
    id     INTEGER PRIMARY KEY AUTOINCREMENT,
    action INTEGER NOT NULL REFERENCES actions (id) ON DELETE CASCADE,
    kind   TEXT NOT NULL,
    key    TEXT NOT NULL,
    was    TEXT
);
CREATE INDEX changes_of_action ON changes (action);
CREATE INDEX changes_of_row ON changes (kind, key, action);

-- What two devices set differently without having seen each other's: the later
-- one is in force until someone settles it.
CREATE TABLE conflicts (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    call_id    INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    at         TEXT NOT NULL,
    document   TEXT NOT NULL,
    path       TEXT NOT NULL,
    theirs     TEXT,
    mine       TEXT,
    their_name TEXT NOT NULL,
    my_name    TEXT NOT NULL,
    settled_at TEXT
);
CREATE INDEX conflicts_of_call ON conflicts (call_id, settled_at);

-- The action of the transaction that is writing; null between them.
CREATE TABLE present (action INTEGER);
INSERT INTO present VALUES (NULL);

-- +goose StatementBegin
CREATE TRIGGER circuits_added AFTER INSERT ON circuits WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'circuits', json_array(NEW.id) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER circuits_changed AFTER UPDATE ON circuits WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'circuits', json_array(OLD.id), json_object('withdrawn', OLD.withdrawn) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER readings_added AFTER INSERT ON readings WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'readings', json_array(NEW.id) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER readings_changed AFTER UPDATE ON readings WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'readings', json_array(OLD.id), json_object('withdrawn', OLD.withdrawn, 'doubtful', OLD.doubtful) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER journal_added AFTER INSERT ON journal WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'journal', json_array(NEW.id) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER journal_changed AFTER UPDATE ON journal WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'journal', json_array(OLD.id), json_object('withdrawn', OLD.withdrawn) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER photographs_added AFTER INSERT ON photographs WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'photographs', json_array(NEW.id) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER photographs_changed AFTER UPDATE ON photographs WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'photographs', json_array(OLD.id), json_object('withdrawn', OLD.withdrawn) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER stock_added AFTER INSERT ON stock WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'stock', json_array(NEW.id) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER stock_changed AFTER UPDATE ON stock WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'stock', json_array(OLD.id), json_object('withdrawn', OLD.withdrawn) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER changed_devices_added AFTER INSERT ON changed_devices WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'changed_devices', json_array(NEW.call_id, NEW.device) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER changed_devices_removed AFTER DELETE ON changed_devices WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'changed_devices', json_array(OLD.call_id, OLD.device), json_object('call_id', OLD.call_id, 'device', OLD.device) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER boxes_added AFTER INSERT ON boxes WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'boxes', json_array(NEW.call_id, NEW.box) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER boxes_changed AFTER UPDATE ON boxes WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'boxes', json_array(OLD.call_id, OLD.box), json_object('call_id', OLD.call_id, 'box', OLD.box, 'document', OLD.document, 'done', OLD.done, 'made_at', OLD.made_at, 'made_by', OLD.made_by) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER boxes_removed AFTER DELETE ON boxes WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'boxes', json_array(OLD.call_id, OLD.box), json_object('call_id', OLD.call_id, 'box', OLD.box, 'document', OLD.document, 'done', OLD.done, 'made_at', OLD.made_at, 'made_by', OLD.made_by) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER calls_changed AFTER UPDATE OF title, complaint, cautions_read_at, state, conditions, map ON calls WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'calls', json_array(OLD.id), json_object('title', OLD.title, 'complaint', OLD.complaint, 'cautions_read_at', OLD.cautions_read_at, 'state', OLD.state, 'conditions', OLD.conditions, 'map', OLD.map) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER panels_changed AFTER UPDATE OF directory ON panels WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key, was) SELECT action, 'panels', json_array(OLD.id), json_object('directory', OLD.directory) FROM present; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER answers_added AFTER INSERT ON answers WHEN (SELECT action FROM present) IS NOT NULL
BEGIN INSERT INTO changes (action, kind, key) SELECT action, 'answers', json_array(NEW.id) FROM present; END;
-- +goose StatementEnd
