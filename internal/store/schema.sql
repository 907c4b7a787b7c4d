CREATE TRIGGER events_stand BEFORE UPDATE ON events
BEGIN SELECT RAISE(ABORT, 'what happened is not edited'); END;

CREATE TRIGGER events_stay BEFORE DELETE ON events WHEN old.at > (unixepoch() - 730 * 86400) * 1000
BEGIN SELECT RAISE(ABORT, 'what happened stays for two years'); END;

CREATE TRIGGER invoices_stand BEFORE UPDATE ON invoices
BEGIN SELECT RAISE(ABORT, 'an invoice is not edited'); END;

CREATE TRIGGER invoices_stay BEFORE DELETE ON invoices
BEGIN SELECT RAISE(ABORT, 'an invoice stays'); END;

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

CREATE TABLE browsers (
    token     TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'),
    person_id INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    seen_at   INTEGER NOT NULL CHECK (typeof(seen_at) = 'integer')
) WITHOUT ROWID;

CREATE TABLE calls (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    run_id     INTEGER NOT NULL REFERENCES runs (id) CHECK (typeof(run_id) = 'integer'),
    title      TEXT NOT NULL CHECK (typeof(title) = 'text'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    version    INTEGER NOT NULL DEFAULT 0 CHECK (typeof(version) = 'integer'),
    stale      INTEGER NOT NULL DEFAULT 1 CHECK (stale IN (0, 1))
);

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

CREATE TABLE drills (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    command  TEXT NOT NULL UNIQUE CHECK (typeof(command) = 'text'), -- that began it
    person   TEXT NOT NULL CHECK (typeof(person) = 'text'), -- who learns; '' where nobody signs in
    begun_at INTEGER NOT NULL CHECK (typeof(begun_at) = 'integer'),
    version  INTEGER NOT NULL CHECK (typeof(version) = 'integer'), -- the last action on it
    packed   TEXT NOT NULL CHECK (typeof(packed) = 'text'),
    result   TEXT CHECK (typeof(result) IN ('text', 'null')) -- once it is over and was scored
);

CREATE TABLE events (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      INTEGER NOT NULL CHECK (typeof(at) = 'integer'),
    what    TEXT NOT NULL CHECK (typeof(what) = 'text'),
    person  TEXT NOT NULL CHECK (typeof(person) = 'text'),
    place   TEXT NOT NULL CHECK (typeof(place) = 'text'),
    call_id INTEGER CHECK (typeof(call_id) IN ('integer', 'null')),
    about   TEXT NOT NULL CHECK (typeof(about) = 'text')
);

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

CREATE TABLE failures (
    name    TEXT NOT NULL COLLATE NOCASE CHECK (typeof(name) = 'text'),
    browser TEXT NOT NULL CHECK (typeof(browser) = 'text'), -- a known one; empty: any other
    at      INTEGER NOT NULL CHECK (typeof(at) = 'integer')
);

CREATE TABLE feeds (
    van     TEXT NOT NULL PRIMARY KEY CHECK (typeof(van) = 'text'),
    token   TEXT NOT NULL UNIQUE CHECK (typeof(token) = 'text'), -- its hash
    made_at INTEGER NOT NULL CHECK (typeof(made_at) = 'integer')
) WITHOUT ROWID;

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

CREATE TABLE images (
    call_id INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) = 'integer'),
    id      TEXT NOT NULL CHECK (typeof(id) = 'text'), -- of the part of kind picture
    image   BLOB NOT NULL CHECK (typeof(image) = 'blob'),
    PRIMARY KEY (call_id, id)
);

CREATE TABLE installs (
    run_id       INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE CHECK (typeof(run_id) = 'integer'),
    device       TEXT NOT NULL CHECK (typeof(device) = 'text'),
    installed_at INTEGER NOT NULL CHECK (typeof(installed_at) = 'integer'),
    PRIMARY KEY (run_id, device)
) WITHOUT ROWID;

CREATE TABLE invoices (
    number   INTEGER PRIMARY KEY CHECK (number > 0),
    paper    TEXT NOT NULL CHECK (paper IN ('invoice', 'credit-note')),
    call_id  INTEGER NOT NULL CHECK (typeof(call_id) = 'integer'),
    of       INTEGER UNIQUE CHECK (typeof(of) IN ('integer', 'null')), -- the invoice that is credited, once
    command  TEXT NOT NULL UNIQUE CHECK (typeof(command) = 'text'), -- asked for twice, it is issued once
    at       INTEGER NOT NULL CHECK (typeof(at) = 'integer'),
    document TEXT NOT NULL CHECK (typeof(document) = 'text')
);

CREATE TABLE panels (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id   INTEGER NOT NULL REFERENCES sites (id) ON DELETE CASCADE CHECK (typeof(site_id) = 'integer'),
    name      TEXT NOT NULL CHECK (typeof(name) = 'text'),
    directory TEXT NOT NULL DEFAULT '[]' CHECK (typeof(directory) = 'text'),
    version   INTEGER NOT NULL DEFAULT 0 CHECK (typeof(version) = 'integer')
);

CREATE TABLE parts (
    call_id  INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) = 'integer'),
    kind     TEXT NOT NULL CHECK (typeof(kind) = 'text'),
    id       TEXT NOT NULL CHECK (typeof(id) = 'text'),
    n        INTEGER NOT NULL CHECK (typeof(n) = 'integer'),
    document TEXT NOT NULL CHECK (typeof(document) = 'text'),
    PRIMARY KEY (call_id, kind, id)
) WITHOUT ROWID;

CREATE TABLE people (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (typeof(name) = 'text'),
    role       TEXT NOT NULL CHECK (typeof(role) = 'text'),
    passphrase TEXT NOT NULL CHECK (typeof(passphrase) = 'text'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    withdrawn  INTEGER NOT NULL DEFAULT 0 CHECK (withdrawn IN (0, 1))
);

CREATE TABLE runs (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    panel_id INTEGER NOT NULL REFERENCES panels (id) ON DELETE CASCADE CHECK (typeof(panel_id) = 'integer'),
    name     TEXT NOT NULL CHECK (typeof(name) = 'text')
);

CREATE VIRTUAL TABLE search USING fts5 (title, body, tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3');

CREATE TABLE sessions (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    token      TEXT NOT NULL UNIQUE CHECK (typeof(token) = 'text'),
    person_id  INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    seen_at    INTEGER NOT NULL CHECK (typeof(seen_at) = 'integer'),
    fresh_at   INTEGER NOT NULL CHECK (typeof(fresh_at) = 'integer'),
    place      TEXT NOT NULL CHECK (typeof(place) = 'text'),
    browser    TEXT NOT NULL CHECK (typeof(browser) = 'text')
, carried INTEGER REFERENCES sessions (id) ON DELETE CASCADE CHECK (typeof(carried) IN ('integer', 'null')));

CREATE TABLE settings (
    name  TEXT NOT NULL PRIMARY KEY CHECK (typeof(name) = 'text'),
    value TEXT NOT NULL CHECK (typeof(value) = 'text')
) WITHOUT ROWID;

CREATE TABLE sites (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL CHECK (typeof(name) = 'text'),
    address    TEXT NOT NULL DEFAULT '' CHECK (typeof(address) = 'text'),
    notes      TEXT NOT NULL DEFAULT '' CHECK (typeof(notes) = 'text'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer')
, erased_at INTEGER CHECK (typeof(erased_at) IN ('integer', 'null')), telephone TEXT NOT NULL DEFAULT '' CHECK (typeof(telephone) = 'text'), lat REAL CHECK (typeof(lat) IN ('real', 'null')), lon REAL CHECK (typeof(lon) IN ('real', 'null')));

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

CREATE TABLE summaries (
    call_id     INTEGER PRIMARY KEY REFERENCES calls (id) ON DELETE CASCADE,
    document    TEXT NOT NULL CHECK (typeof(document) = 'text'),
    handed_over INTEGER NOT NULL CHECK (handed_over IN (0, 1)),
    question    TEXT NOT NULL CHECK (typeof(question) = 'text'),
    build       TEXT NOT NULL CHECK (typeof(build) = 'text'),
    answer      BLOB NOT NULL CHECK (typeof(answer) = 'blob')
);

CREATE TABLE tickets (
    token      TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'), -- its hash
    session_id INTEGER NOT NULL REFERENCES sessions (id) ON DELETE CASCADE CHECK (typeof(session_id) = 'integer'),
    until      INTEGER NOT NULL CHECK (typeof(until) = 'integer')
) WITHOUT ROWID;

CREATE TABLE tokens (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    person_id  INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE CHECK (typeof(person_id) = 'integer'),
    name       TEXT NOT NULL CHECK (typeof(name) = 'text'),
    role       TEXT NOT NULL CHECK (typeof(role) = 'text'),
    token      TEXT NOT NULL UNIQUE CHECK (typeof(token) = 'text'),
    created_at INTEGER NOT NULL CHECK (typeof(created_at) = 'integer'),
    used_at    INTEGER CHECK (typeof(used_at) IN ('integer', 'null')),
    withdrawn  INTEGER NOT NULL DEFAULT 0 CHECK (withdrawn IN (0, 1))
);

CREATE TABLE visits (
    token      TEXT NOT NULL PRIMARY KEY CHECK (typeof(token) = 'text'),
    call_id    INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE CHECK (typeof(call_id) = 'integer'),
    made_at    INTEGER NOT NULL CHECK (typeof(made_at) = 'integer'),
    expires_at INTEGER NOT NULL CHECK (typeof(expires_at) = 'integer'),
    withdrawn  INTEGER NOT NULL DEFAULT 0 CHECK (withdrawn IN (0, 1))
, of_result INTEGER NOT NULL DEFAULT 0 CHECK (of_result IN (0, 1))) WITHOUT ROWID;

CREATE UNIQUE INDEX actions_by_command ON actions (command);

CREATE INDEX actions_of_call ON actions (call_id, id);

CREATE INDEX arrived_open ON arrived (call_id, n) WHERE settled_at IS NULL;

CREATE INDEX browsers_of_person ON browsers (person_id, seen_at);

CREATE INDEX calls_of_run ON calls (run_id, created_at, id);

CREATE INDEX calls_stale ON calls (id) WHERE stale;

CREATE INDEX changes_of_directory ON changes (id, action) WHERE kind = 'directory';

CREATE INDEX drills_by_time ON drills (begun_at, id);

CREATE INDEX drills_of_person ON drills (person, begun_at);

CREATE INDEX events_by_time ON events (at);

CREATE INDEX factors_of_person ON factors (person_id);

CREATE INDEX failures_of_name ON failures (name, browser, at);

CREATE INDEX gfcis_due ON gfcis (due_at);

CREATE INDEX invoices_of_call ON invoices (call_id, number);

CREATE INDEX panels_of_site ON panels (site_id);

CREATE INDEX parts_of_eyes ON parts (json_extract(document, '$.at')) WHERE kind = 'reading' AND json_extract(document, '$.reading.tool') = 'eyes';

CREATE UNIQUE INDEX parts_once ON parts (kind, id) WHERE kind IN ('reading', 'entry', 'picture', 'used', 'answer');

CREATE INDEX runs_of_panel ON runs (panel_id);

CREATE INDEX sessions_by_use ON sessions (seen_at);

CREATE INDEX sessions_carried ON sessions (carried);

CREATE INDEX sessions_of_person ON sessions (person_id);

CREATE INDEX sites_by_name ON sites (name COLLATE NOCASE);

CREATE INDEX stock_of_call ON stock (call_id);

CREATE INDEX stock_of_item ON stock (van, item);

CREATE INDEX summaries_open ON summaries (handed_over, call_id);

CREATE INDEX tickets_by_end ON tickets (until);

CREATE INDEX tickets_of_session ON tickets (session_id);

CREATE INDEX tokens_of_person ON tokens (person_id);

CREATE INDEX visits_of_call ON visits (call_id);

