-- +goose Up

-- Bodies of recorded calls are stored once, by their SHA-256; an exchange names its own.
CREATE TABLE recorded_bodies (
  hash  BLOB PRIMARY KEY,
  bytes BLOB NOT NULL
);
ALTER TABLE exchanges ADD COLUMN path TEXT NOT NULL DEFAULT '';
ALTER TABLE exchanges ADD COLUMN request_body BLOB; -- hashes; NULL for those in the document
ALTER TABLE exchanges ADD COLUMN answer_body BLOB;
ALTER TABLE exchanges ADD COLUMN coded_body BLOB;
UPDATE exchanges SET path = json_extract(CAST(document AS TEXT), '$.path');
CREATE INDEX exchanges_path ON exchanges (path);

-- +goose Down
DROP INDEX exchanges_path;
DELETE FROM exchanges WHERE request_body IS NOT NULL OR answer_body IS NOT NULL OR coded_body IS NOT NULL;
ALTER TABLE exchanges DROP COLUMN coded_body;
ALTER TABLE exchanges DROP COLUMN answer_body;
ALTER TABLE exchanges DROP COLUMN request_body;
ALTER TABLE exchanges DROP COLUMN path;
DROP TABLE recorded_bodies;
