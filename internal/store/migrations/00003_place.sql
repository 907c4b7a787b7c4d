-- +goose Up
-- What is known of the place beside the circuit (elvat-conditions/1), and of
-- the order of its boxes (elvat-map/1); null: nothing.
ALTER TABLE calls ADD COLUMN conditions TEXT;
ALTER TABLE calls ADD COLUMN map TEXT;

-- A reading its taker does not trust counts little.
ALTER TABLE readings ADD COLUMN doubtful INTEGER NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE readings DROP COLUMN doubtful;
ALTER TABLE calls DROP COLUMN map;
ALTER TABLE calls DROP COLUMN conditions;
