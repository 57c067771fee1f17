-- +goose Up

-- Walks through the boundary values of an answer, with what testers said of each.
CREATE TABLE walks (
  name     TEXT PRIMARY KEY,
  document TEXT NOT NULL -- walk.Walk as JSON
) WITHOUT ROWID;

-- +goose Down
DROP TABLE walks;
