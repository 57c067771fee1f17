-- +goose Up

-- What calls consist of, each text once: header sets, bodies, explanations.
-- stored_by is the highest call number at the time; see callwriter.go on when
-- a content may go.
CREATE TABLE contents (
  id        INTEGER PRIMARY KEY,
  stored_by INTEGER NOT NULL,
  size      INTEGER NOT NULL,
  data      BLOB NOT NULL
);
CREATE INDEX contents_stored_by ON contents (stored_by, size);

-- Only what selects calls has a column, since each one costs time for every
-- call: line is the text that filters search, detail holds all the rest; see
-- calldetail.go.
CREATE TABLE calls (
  number  INTEGER PRIMARY KEY,
  at      INTEGER NOT NULL, -- microseconds since 1970
  service TEXT NOT NULL,
  line    TEXT NOT NULL,
  detail  BLOB NOT NULL
);

-- +goose Down
DROP TABLE calls;
DROP TABLE contents;
