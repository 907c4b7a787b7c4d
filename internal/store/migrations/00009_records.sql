-- A call is kept as the parts of its record (core/call), and every change of a part
-- in the log of what set it: undo, merging and what another device has to learn
-- follow from that, and no longer from triggers. Times are milliseconds since 1970:
-- text loses their order within a second. Columns say their type themselves, for
-- SQLite by itself keeps anything anywhere.

-- +goose Up
PRAGMA defer_foreign_keys = ON;

DROP TRIGGER circuits_added;
DROP TRIGGER circuits_changed;
DROP TRIGGER readings_added;
DROP TRIGGER readings_changed;
DROP TRIGGER journal_added;
DROP TRIGGER journal_changed;
DROP TRIGGER photographs_added;
DROP TRIGGER photographs_changed;
DROP TRIGGER stock_added;
DROP TRIGGER stock_changed;
DROP TRIGGER changed_devices_added;
DROP TRIGGER changed_devices_removed;
DROP TRIGGER boxes_added;
DROP TRIGGER boxes_changed;
DROP TRIGGER boxes_removed;
DROP TRIGGER calls_changed;
DROP TRIGGER panels_changed;
DROP TRIGGER answers_added;
DROP TABLE present;
DROP TABLE changes; -- what they say is in a form that is gone: steps from before cannot be taken back any more

ALTER TABLE settings RENAME TO old_settings;
ALTER TABLE people RENAME TO old_people;
ALTER TABLE sessions RENAME TO old_sessions;
ALTER TABLE failures RENAME TO old_failures;
ALTER TABLE sites RENAME TO old_sites;
ALTER TABLE panels RENAME TO old_panels;
ALTER TABLE runs RENAME TO old_runs;
ALTER TABLE installs RENAME TO old_installs;
ALTER TABLE gfcis RENAME TO old_gfcis;
ALTER TABLE calls RENAME TO old_calls;
ALTER TABLE stock RENAME TO old_stock;
ALTER TABLE visits RENAME TO old_visits;
ALTER TABLE actions RENAME TO old_actions;
ALTER TABLE summaries RENAME TO old_summaries;
ALTER TABLE diagnoses RENAME TO old_diagnoses;
ALTER TABLE conflicts RENAME TO old_conflicts;

-- What the shop set for itself, as JSON by name.
CREATE TABLE settings (
    name  TEXT NOT NULL PRIMARY KEY CHECK (typeof(name) = 'text'),
    value TEXT NOT NULL CHECK (typeof(value) = 'text')
) WITHOUT ROWID;

-- Who works here. passphrase is an argon2id hash.
CREATE TABLE people (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (typeof(name) = 'text'),
    role       TEXT NOT NULL CHECK (typeof(role) = 'text'),
    passphrase TEXT NOT NULL CHECK (typeof(passphrase) = 'text'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    withdrawn  INTEGER NOT NULL DEFAULT 0 CHECK (withdrawn IN (0, 1))
);

-- Tokens are kept as hashes only: a stolen copy of the file opens nothing.
CREATE TABLE sessions (
    token      TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'),
    person_id  INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    seen_at    INTEGER NOT NULL CHECK (typeof(seen_at) = 'integer')
) WITHOUT ROWID;

CREATE TABLE failures (
    name TEXT NOT NULL COLLATE NOCASE CHECK (typeof(name) = 'text'),
    at   INTEGER NOT NULL CHECK (typeof(at) = 'integer')
);

-- The site book: a house, its panels, and the runs that hang on them.
CREATE TABLE sites (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL CHECK (typeof(name) = 'text'),
    address    TEXT NOT NULL DEFAULT '' CHECK (typeof(address) = 'text'),
    notes      TEXT NOT NULL DEFAULT '' CHECK (typeof(notes) = 'text'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer')
);

-- version is the last action that set the directory.
CREATE TABLE panels (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id   INTEGER NOT NULL REFERENCES sites (id) ON DELETE CASCADE CHECK (typeof(site_id) = 'integer'),
    name      TEXT NOT NULL CHECK (typeof(name) = 'text'),
    directory TEXT NOT NULL DEFAULT '[]' CHECK (typeof(directory) = 'text'),
    version   INTEGER NOT NULL DEFAULT 0 CHECK (typeof(version) = 'integer')
);

CREATE TABLE runs (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    panel_id INTEGER NOT NULL REFERENCES panels (id) ON DELETE CASCADE CHECK (typeof(panel_id) = 'integer'),
    name     TEXT NOT NULL CHECK (typeof(name) = 'text')
);

-- When a device was put in, as someone read it off or knew it.
CREATE TABLE installs (
    run_id       INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE CHECK (typeof(run_id) = 'integer'),
    device       TEXT NOT NULL CHECK (typeof(device) = 'text'),
    installed_at INTEGER NOT NULL CHECK (typeof(installed_at) = 'integer'),
    PRIMARY KEY (run_id, device)
) WITHOUT ROWID;

-- The GFCIs of a run: when each was put in and last tested, and when the next test is due.
CREATE TABLE gfcis (
    run_id       INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE CHECK (typeof(run_id) = 'integer'),
    device       TEXT NOT NULL CHECK (typeof(device) = 'text'),
    label        TEXT NOT NULL CHECK (typeof(label) = 'text'),
    serves       INTEGER NOT NULL CHECK (typeof(serves) = 'integer'),
    installed_at INTEGER CHECK (typeof(installed_at) IN ('integer', 'null')),
    tested_at    INTEGER CHECK (typeof(tested_at) IN ('integer', 'null')),
    held         INTEGER CHECK (held IN (0, 1)),
    due_at       INTEGER NOT NULL CHECK (typeof(due_at) = 'integer'),
    PRIMARY KEY (run_id, device)
) WITHOUT ROWID;

-- A call is about a run. version is the last action on it; stale says that its
-- summary is older than that. What a call is stands in its parts.
CREATE TABLE calls (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    run_id     INTEGER NOT NULL REFERENCES runs (id) CHECK (typeof(run_id) = 'integer'),
    title      TEXT NOT NULL CHECK (typeof(title) = 'text'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    version    INTEGER NOT NULL DEFAULT 0 CHECK (typeof(version) = 'integer'),
    stale      INTEGER NOT NULL DEFAULT 1 CHECK (stale IN (0, 1))
);

-- The parts of the records of calls, but for the panel's directory; n is the order
-- in which they came to be on their call.
CREATE TABLE parts (
    call_id  INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) = 'integer'),
    kind     TEXT NOT NULL CHECK (typeof(kind) = 'text'),
    id       TEXT NOT NULL CHECK (typeof(id) = 'text'),
    n        INTEGER NOT NULL CHECK (typeof(n) = 'integer'),
    document TEXT NOT NULL CHECK (typeof(document) = 'text'),
    PRIMARY KEY (call_id, kind, id)
) WITHOUT ROWID;

CREATE TABLE images (
    call_id INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) = 'integer'),
    id      TEXT NOT NULL CHECK (typeof(id) = 'text'), -- of the part of kind picture
    image   BLOB NOT NULL CHECK (typeof(image) = 'blob'),
    PRIMARY KEY (call_id, id)
);

-- Parts put on a van (count above zero), and, for counting, those used up on calls
-- (below), which are parts of their records.
CREATE TABLE stock (
    id        TEXT NOT NULL PRIMARY KEY CHECK (typeof(id) = 'text'),
    call_id   INTEGER REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) IN ('integer', 'null')),
    van       TEXT NOT NULL CHECK (typeof(van) = 'text'),
    item      TEXT NOT NULL CHECK (typeof(item) = 'text'),
    unit      TEXT NOT NULL CHECK (typeof(unit) = 'text'),
    count     REAL NOT NULL CHECK (typeof(count) IN ('real', 'integer')),
    at        INTEGER NOT NULL CHECK (typeof(at) = 'integer'),
    withdrawn INTEGER NOT NULL DEFAULT 0 CHECK (withdrawn IN (0, 1))
) WITHOUT ROWID;

-- What was done, one row for each command that set something, in the order of
-- arrival; on a call, or on none. undoes is the command that it takes back, made
-- what it made where that has a number.
CREATE TABLE actions (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    call_id    INTEGER REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) IN ('integer', 'null')),
    command    TEXT NOT NULL CHECK (typeof(command) = 'text'),
    doing      TEXT NOT NULL CHECK (typeof(doing) = 'text'),
    what       TEXT NOT NULL CHECK (typeof(what) = 'text'),
    device     TEXT NOT NULL CHECK (typeof(device) = 'text'),
    person     TEXT NOT NULL CHECK (typeof(person) = 'text'),
    at         INTEGER NOT NULL CHECK (typeof(at) = 'integer'),
    arrived_at INTEGER NOT NULL CHECK (typeof(arrived_at) = 'integer'),
    undoes     TEXT NOT NULL DEFAULT '' CHECK (typeof(undoes) = 'text'),
    changed    INTEGER NOT NULL DEFAULT 0 CHECK (typeof(changed) = 'integer'),
    made       INTEGER CHECK (typeof(made) IN ('integer', 'null'))
);

-- What each action set, place by place, in its order. before is null where there was
-- nothing; after where there is none, and where the whole part came to be: that is
-- the part itself, without what was set later.
CREATE TABLE changes (
    action INTEGER NOT NULL REFERENCES actions (id) ON DELETE CASCADE CHECK (typeof(action) = 'integer'),
    n      INTEGER NOT NULL CHECK (typeof(n) = 'integer'),
    kind   TEXT NOT NULL CHECK (typeof(kind) = 'text'),
    id     TEXT NOT NULL CHECK (typeof(id) = 'text'),
    path   TEXT NOT NULL CHECK (typeof(path) = 'text'),
    next   TEXT NOT NULL CHECK (typeof(next) = 'text'),
    before TEXT CHECK (typeof(before) IN ('text', 'null')),
    after  TEXT CHECK (typeof(after) IN ('text', 'null')),
    PRIMARY KEY (action, n)
) WITHOUT ROWID;

-- A customer's link to one call.
CREATE TABLE visits (
    token      TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'),
    call_id    INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) = 'integer'),
    made_at    INTEGER NOT NULL CHECK (typeof(made_at) = 'integer'),
    expires_at INTEGER NOT NULL CHECK (typeof(expires_at) = 'integer'),
    withdrawn  INTEGER NOT NULL DEFAULT 0 CHECK (withdrawn IN (0, 1))
) WITHOUT ROWID;

-- What the lists show of a call, worked out when it was last changed, and the answer
-- of the diagnosis to what was known then: one a call.
CREATE TABLE summaries (
    call_id     INTEGER PRIMARY KEY REFERENCES calls (id) ON DELETE CASCADE,
    document    TEXT NOT NULL CHECK (typeof(document) = 'text'),
    handed_over INTEGER NOT NULL CHECK (handed_over IN (0, 1)),
    question    TEXT NOT NULL CHECK (typeof(question) = 'text'),
    build       TEXT NOT NULL CHECK (typeof(build) = 'text'),
    answer      BLOB NOT NULL CHECK (typeof(answer) = 'blob')
);

INSERT INTO settings SELECT name, value FROM old_settings;
INSERT INTO people SELECT id, name, role, passphrase, CAST(round(unixepoch(created_at, 'subsec') * 1000) AS INTEGER), withdrawn FROM old_people;
INSERT INTO sessions SELECT token, person_id, CAST(round(unixepoch(created_at, 'subsec') * 1000) AS INTEGER), CAST(round(unixepoch(seen_at, 'subsec') * 1000) AS INTEGER) FROM old_sessions;
INSERT INTO failures SELECT name, CAST(round(unixepoch(at, 'subsec') * 1000) AS INTEGER) FROM old_failures;
INSERT INTO sites SELECT id, name, address, notes, CAST(round(unixepoch(created_at, 'subsec') * 1000) AS INTEGER) FROM old_sites;
INSERT INTO panels (id, site_id, name, directory) SELECT id, site_id, name, directory FROM old_panels;
INSERT INTO runs SELECT id, panel_id, name FROM old_runs;
INSERT INTO installs SELECT run_id, device, CAST(round(unixepoch(installed_at, 'subsec') * 1000) AS INTEGER) FROM old_installs;
INSERT INTO gfcis SELECT run_id, device, label, serves, CAST(round(unixepoch(installed_at, 'subsec') * 1000) AS INTEGER),
    CAST(round(unixepoch(tested_at, 'subsec') * 1000) AS INTEGER), held, CAST(round(unixepoch(due_at, 'subsec') * 1000) AS INTEGER) FROM old_gfcis;
INSERT INTO calls SELECT id, run_id, title, CAST(round(unixepoch(created_at, 'subsec') * 1000) AS INTEGER), version, stale FROM old_calls;

INSERT INTO parts SELECT id, 'call', '', 1, json_patch(json_object('title', title, 'complaint', complaint), json_object('cautionsReadAt', cautions_read_at)) FROM old_calls;
INSERT INTO parts SELECT call_id, 'run', '', 2, document FROM circuits c
    WHERE id = (SELECT max(id) FROM circuits WHERE call_id = c.call_id AND NOT withdrawn);
INSERT INTO parts SELECT id, 'state', '', 3, state FROM old_calls WHERE state IS NOT NULL AND state <> 'null';
INSERT INTO parts SELECT id, 'conditions', '', 4, conditions FROM old_calls WHERE conditions IS NOT NULL;
INSERT INTO parts SELECT id, 'order', '', 5, map FROM old_calls WHERE map IS NOT NULL;
INSERT INTO parts SELECT call_id, 'changed', device, 6, 'true' FROM changed_devices;
INSERT INTO parts SELECT call_id, 'reading', id, 6 + entry,
    json_patch(json_object('at', taken_at, 'reading', json(document)), json_object('doubtful', iif(doubtful, json('true'), NULL), 'withdrawn', iif(withdrawn, json('true'), NULL))) FROM readings;
INSERT INTO parts SELECT call_id, 'entry', id, 6 + entry, json_patch(json_set(document, '$.at', at), json_object('withdrawn', iif(withdrawn, json('true'), NULL))) FROM journal;
INSERT INTO parts SELECT call_id, 'answer', id, 6 + entry, json_object('at', at, 'answer', json(document)) FROM answers;
INSERT INTO parts SELECT call_id, 'box', box, 6, json_patch(json_object('makeup', json(document), 'done', json(done)),
    json_object('madeAt', CASE WHEN EXISTS (SELECT 1 FROM circuits WHERE id = boxes.made_by AND NOT withdrawn) THEN made_at END)) FROM boxes;
INSERT INTO parts SELECT call_id, 'picture', coalesce(sent_as, 'picture-' || id), 6 + id,
    json_patch(json_object('box', box, 'phase', phase, 'at', taken_at), json_object('withdrawn', iif(withdrawn, json('true'), NULL))) FROM photographs;
INSERT INTO images SELECT call_id, coalesce(sent_as, 'picture-' || id), image FROM photographs;
INSERT INTO parts SELECT call_id, 'used', id, 6,
    json_patch(json_object('van', van, 'item', item, 'unit', unit, 'count', -count, 'at', at, 'box', box), json_object('withdrawn', iif(withdrawn, json('true'), NULL)))
    FROM old_stock WHERE call_id IS NOT NULL;
INSERT INTO stock SELECT id, call_id, van, item, unit, count, CAST(round(unixepoch(at, 'subsec') * 1000) AS INTEGER), withdrawn FROM old_stock;
INSERT INTO parts SELECT call_id, 'conflict', 'conflict-' || id, 6, json_patch(
    json_object('of', json_patch(json_object('kind', CASE document WHEN 'state of the circuit' THEN 'state' WHEN 'place' THEN 'conditions' WHEN 'order of the boxes' THEN 'order'
            WHEN 'panel directory' THEN 'directory' WHEN 'run' THEN 'run' WHEN 'call' THEN 'call' ELSE 'box' END),
        json_object('id', CASE WHEN document LIKE 'box %' THEN substr(document, 5) WHEN document = 'panel directory' THEN
            (SELECT CAST(r.panel_id AS TEXT) FROM old_runs r JOIN old_calls c ON c.run_id = r.id WHERE c.id = k.call_id) END)),
        'path', iif(document LIKE 'box %', rtrim('makeup.' || path, '.'), path), 'theirName', their_name, 'myName', my_name, 'at', at),
    json_object('settledAt', settled_at)) FROM old_conflicts k;
-- What was chosen between may itself be null, which no merge patch keeps.
UPDATE parts SET document = json_set(document, '$.theirs', json((SELECT theirs FROM old_conflicts WHERE 'conflict-' || id = parts.id)))
    WHERE kind = 'conflict' AND (SELECT theirs FROM old_conflicts WHERE 'conflict-' || id = parts.id) IS NOT NULL;
UPDATE parts SET document = json_set(document, '$.mine', json((SELECT mine FROM old_conflicts WHERE 'conflict-' || id = parts.id)))
    WHERE kind = 'conflict' AND (SELECT mine FROM old_conflicts WHERE 'conflict-' || id = parts.id) IS NOT NULL;

INSERT INTO actions (id, call_id, command, doing, what, device, person, at, arrived_at)
    SELECT id, call_id, coalesce(command, 'action-' || id), 'before', what, device, person, CAST(round(unixepoch(at, 'subsec') * 1000) AS INTEGER), CAST(round(unixepoch(at, 'subsec') * 1000) AS INTEGER) FROM old_actions;
INSERT INTO visits SELECT token, call_id, CAST(round(unixepoch(made_at, 'subsec') * 1000) AS INTEGER), CAST(round(unixepoch(expires_at, 'subsec') * 1000) AS INTEGER), withdrawn FROM old_visits;
INSERT INTO summaries SELECT s.call_id, s.document, s.handed_over, coalesce(s.diagnosis, ''), 'before', CAST(coalesce(d.result, '') AS BLOB)
    FROM old_summaries s LEFT JOIN old_diagnoses d ON d.key = s.diagnosis;

DROP TABLE old_diagnoses;
DROP TABLE old_summaries;
DROP TABLE old_visits;
DROP TABLE old_actions;
DROP TABLE old_conflicts;
DROP TABLE old_stock;
DROP TABLE photographs;
DROP TABLE boxes;
DROP TABLE answers;
DROP TABLE journal;
DROP TABLE readings;
DROP TABLE changed_devices;
DROP TABLE circuits;
DROP TABLE old_calls;
DROP TABLE old_gfcis;
DROP TABLE old_installs;
DROP TABLE old_runs;
DROP TABLE old_panels;
DROP TABLE old_sites;
DROP TABLE old_failures;
DROP TABLE old_sessions;
DROP TABLE old_people;
DROP TABLE old_settings;

CREATE INDEX failures_of_name ON failures (name, at);
CREATE INDEX sites_by_name ON sites (name COLLATE NOCASE);
CREATE INDEX panels_of_site ON panels (site_id);
CREATE INDEX runs_of_panel ON runs (panel_id);
CREATE INDEX gfcis_due ON gfcis (due_at);
CREATE INDEX calls_of_run ON calls (run_id, created_at, id);
CREATE INDEX calls_stale ON calls (id) WHERE stale;
-- Ids that devices make: one that came with something else is refused.
CREATE UNIQUE INDEX parts_once ON parts (kind, id) WHERE kind IN ('reading', 'entry', 'picture', 'used', 'answer');
-- What opened boxes showed is asked for by itself: it corrects the weights.
CREATE INDEX parts_of_eyes ON parts (json_extract(document, '$.at')) WHERE kind = 'reading' AND json_extract(document, '$.reading.tool') = 'eyes';
CREATE INDEX stock_of_item ON stock (van, item);
CREATE INDEX stock_of_call ON stock (call_id);
CREATE INDEX actions_of_call ON actions (call_id, id);
CREATE UNIQUE INDEX actions_by_command ON actions (command);
CREATE INDEX changes_of_directory ON changes (id, action) WHERE kind = 'directory';
CREATE INDEX visits_of_call ON visits (call_id);
CREATE INDEX summaries_open ON summaries (handed_over, call_id);
