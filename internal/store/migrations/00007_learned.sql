-- +goose Up
-- What opened boxes showed is asked for by itself: it corrects the weights.
CREATE INDEX readings_of_eyes ON readings (taken_at) WHERE json_extract(document, '$.tool') = 'eyes';

-- +goose Down
DROP INDEX readings_of_eyes;
