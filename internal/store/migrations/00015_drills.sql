-- +goose Up
-- Calls to learn on, apart from all others: each is kept whole, as it travels to a phone.
CREATE TABLE drills (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    command  TEXT NOT NULL UNIQUE CHECK (typeof(command) = 'text'), -- that began it
    person   TEXT NOT NULL CHECK (typeof(person) = 'text'), -- who learns; '' where nobody signs in
    begun_at INTEGER NOT NULL CHECK (typeof(begun_at) = 'integer'),
    version  INTEGER NOT NULL CHECK (typeof(version) = 'integer'), -- the last action on it
    packed   TEXT NOT NULL CHECK (typeof(packed) = 'text'),
    result   TEXT CHECK (typeof(result) IN ('text', 'null')) -- once it is over and was scored
);
CREATE INDEX drills_of_person ON drills (person, begun_at);
CREATE INDEX drills_by_time ON drills (begun_at, id);

-- +goose Down
DROP TABLE drills;
