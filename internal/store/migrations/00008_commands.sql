-- +goose Up
-- What a browser asks for carries an id of its own: sent twice, it is done once.
ALTER TABLE actions ADD COLUMN command TEXT;
CREATE UNIQUE INDEX actions_by_command ON actions (command) WHERE command IS NOT NULL;

-- +goose Down
DROP INDEX actions_by_command;
ALTER TABLE actions DROP COLUMN command;
