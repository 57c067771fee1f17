-- +goose Up

CREATE TABLE recordings (
  id         TEXT PRIMARY KEY,
  service_id TEXT NOT NULL REFERENCES services (id) ON DELETE CASCADE,
  started    INTEGER NOT NULL, -- microseconds since 1970
  running    INTEGER NOT NULL, -- 1 until it is stopped
  document   TEXT NOT NULL     -- spec.Recording as JSON
);
CREATE TABLE exchanges (
  recording_id TEXT NOT NULL REFERENCES recordings (id) ON DELETE CASCADE,
  number       INTEGER NOT NULL, -- of the call
  document     BLOB NOT NULL,    -- recording.Exchange as JSON
  PRIMARY KEY (recording_id, number)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE exchanges;
DROP TABLE recordings;
