-- +goose Up

-- Moments that somebody has named, to come back to.
CREATE TABLE marks (
  name    TEXT PRIMARY KEY,
  version INTEGER NOT NULL, -- of the last change before it
  at      INTEGER NOT NULL, -- microseconds since 1970
  made_by TEXT NOT NULL
) WITHOUT ROWID;

-- +goose Down
DROP TABLE marks;
