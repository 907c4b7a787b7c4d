-- +goose Up
-- What a person gave programs to sign in with. Kept as a hash only; role bounds what
-- may be done with it, beside what the person may.
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
CREATE INDEX tokens_of_person ON tokens (person_id);

-- +goose Down
DROP TABLE tokens;
