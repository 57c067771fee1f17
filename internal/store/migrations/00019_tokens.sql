-- +goose Up

-- Who may use the control port.
CREATE TABLE tokens (
  id       TEXT PRIMARY KEY,
  digest   BLOB NOT NULL UNIQUE, -- SHA-256 of its secret
  document TEXT NOT NULL -- access.Token as JSON
) WITHOUT ROWID;

-- +goose Down
DROP TABLE tokens;
