-- +goose Up
-- A contract may be an archive of several files; main names the contract itself.
ALTER TABLE contracts ADD COLUMN main TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE contracts DROP COLUMN main;
