-- +goose Up
-- A customer's link shows either what is asked before the visit, or what came of it.
ALTER TABLE visits ADD COLUMN of_result INTEGER NOT NULL DEFAULT 0 CHECK (of_result IN (0, 1));

-- +goose Down
DELETE FROM visits WHERE of_result = 1;
ALTER TABLE visits DROP COLUMN of_result;
