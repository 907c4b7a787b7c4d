-- +goose Up
-- The state the circuit is in now (elvat-readings/1, state); null: as its file says.
ALTER TABLE calls ADD COLUMN state TEXT;

-- Devices known to have been changed lately.
CREATE TABLE changed_devices (
    call_id INTEGER NOT NULL REFERENCES calls (id) ON DELETE CASCADE,
    device  TEXT NOT NULL,
    PRIMARY KEY (call_id, device)
) WITHOUT ROWID;

-- What the shop set for itself, as JSON by name.
CREATE TABLE settings (
    name  TEXT PRIMARY KEY,
    value TEXT NOT NULL
) WITHOUT ROWID;

-- +goose Down
DROP TABLE settings;
DROP TABLE changed_devices;
ALTER TABLE calls DROP COLUMN state;
