-- +goose Up

-- Contents that are written together share a row: see contentpack.go. id is that of the first,
-- those behind it follow; sizes has the length of each, NULL where there is one alone.
ALTER TABLE contents ADD COLUMN sizes BLOB;

-- +goose Down
DELETE FROM call_blocks;
DELETE FROM contents;
ALTER TABLE contents DROP COLUMN sizes;
