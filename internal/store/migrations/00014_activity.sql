-- +goose Up

-- What was changed, an edit each.
CREATE TABLE activity (
  version  INTEGER PRIMARY KEY, -- the highest that the edit gave
  at       INTEGER NOT NULL, -- microseconds since 1970
  made_by  TEXT NOT NULL,
  via      TEXT NOT NULL,
  origin   TEXT NOT NULL,
  undoes   INTEGER NOT NULL DEFAULT 0,
  undone   INTEGER NOT NULL DEFAULT 0, -- by which entry
  services TEXT NOT NULL, -- their names, each between line feeds
  items    INTEGER NOT NULL,
  note     TEXT NOT NULL DEFAULT '', -- what for
  heads    TEXT NOT NULL, -- JSON: the first items, without their documents
  states   BLOB -- all items as JSON, in gzip where they are large; NULL where they are too large
);

-- The contents that payloads had before an entry.
CREATE TABLE activity_payloads (
  version    INTEGER NOT NULL REFERENCES activity (version) ON DELETE CASCADE,
  service_id TEXT NOT NULL,
  name       TEXT NOT NULL,
  digest     BLOB NOT NULL,
  PRIMARY KEY (version, service_id, name)
) WITHOUT ROWID;

-- When a service was removed, in microseconds since 1970; it is kept for a while.
ALTER TABLE services ADD COLUMN removed INTEGER;

-- Whether a revision was taken away again; it is kept in case it comes back.
ALTER TABLE contracts ADD COLUMN withdrawn INTEGER NOT NULL DEFAULT 0;

-- +goose Down
DELETE FROM services WHERE removed IS NOT NULL;
ALTER TABLE services DROP COLUMN removed;
DELETE FROM contracts WHERE withdrawn = 1;
ALTER TABLE contracts DROP COLUMN withdrawn;
DROP TABLE activity_payloads;
DROP TABLE activity;
