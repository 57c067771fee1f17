-- +goose Up

-- What calls consist of, each text once: header sets, bodies, explanations.
-- stored_by is the highest call number at the time; see call.go on when a
-- content may go.
CREATE TABLE contents (
  id        INTEGER PRIMARY KEY,
  stored_by INTEGER NOT NULL,
  size      INTEGER NOT NULL,
  data      BLOB NOT NULL
);
CREATE INDEX contents_stored_by ON contents (stored_by, size);

CREATE TABLE calls (
  number          INTEGER PRIMARY KEY,
  at              INTEGER NOT NULL, -- microseconds since 1970
  service         TEXT NOT NULL,
  method          TEXT NOT NULL,
  address         TEXT NOT NULL,
  path            TEXT NOT NULL,
  query           TEXT NOT NULL,
  host            TEXT NOT NULL,
  protocol        TEXT NOT NULL,
  caller          TEXT NOT NULL,
  status          INTEGER NOT NULL,
  source          TEXT NOT NULL,
  answered_by     TEXT NOT NULL,
  read_ns         INTEGER NOT NULL,
  decide_ns       INTEGER NOT NULL,
  send_ns         INTEGER NOT NULL,
  explanation     INTEGER NOT NULL, -- contents.id, 0 for none
  request_headers INTEGER NOT NULL,
  request_body    INTEGER NOT NULL,
  request_size    INTEGER NOT NULL,
  answer_headers  INTEGER NOT NULL,
  answer_body     INTEGER NOT NULL,
  answer_size     INTEGER NOT NULL
);

-- +goose Down
DROP TABLE calls;
DROP TABLE contents;
