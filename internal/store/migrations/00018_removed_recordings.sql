-- +goose Up

-- When a recording was removed, in microseconds since 1970; it is kept for a while.
ALTER TABLE recordings ADD COLUMN removed INTEGER;

-- +goose Down
DELETE FROM recordings WHERE removed IS NOT NULL;
ALTER TABLE recordings DROP COLUMN removed;
