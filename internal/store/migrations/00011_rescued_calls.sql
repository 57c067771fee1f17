-- +goose Up

-- Calls of services and lanes that are seldom called are kept when those around them
-- go: in blocks of their own, with contents of a later generation, which kept_by names.
ALTER TABLE call_blocks ADD COLUMN kept_by INTEGER NOT NULL DEFAULT 0;
CREATE INDEX call_blocks_kept_by ON call_blocks (kept_by) WHERE kept_by > 0;

-- +goose Down
DELETE FROM call_blocks WHERE kept_by > 0;
DROP INDEX call_blocks_kept_by;
ALTER TABLE call_blocks DROP COLUMN kept_by;
