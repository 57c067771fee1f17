-- +goose Up

-- When everything comes back to a mark each night, as 03:00; '' for never.
ALTER TABLE marks ADD COLUMN nightly TEXT NOT NULL DEFAULT '';
-- When that was last seen to, in microseconds since 1970.
ALTER TABLE marks ADD COLUMN returned INTEGER NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE marks DROP COLUMN nightly;
ALTER TABLE marks DROP COLUMN returned;
