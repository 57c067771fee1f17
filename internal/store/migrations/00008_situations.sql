-- +goose Up

CREATE TABLE scenarios (
  name     TEXT PRIMARY KEY,
  version  INTEGER NOT NULL,
  document TEXT NOT NULL -- spec.Scenario as JSON
) WITHOUT ROWID;

-- The lanes that are open.
CREATE TABLE lanes (
  name     TEXT PRIMARY KEY,
  document TEXT NOT NULL -- catalog.StoredLane as JSON
) WITHOUT ROWID;

-- +goose Down
DROP TABLE lanes;
DROP TABLE scenarios;
