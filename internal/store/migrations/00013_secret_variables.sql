-- +goose Up

-- The values of secret variables, encrypted; the documents that they belong to have the rest.
CREATE TABLE secret_variables (
  owner  TEXT NOT NULL, -- "environment", "service s-1", "scenario storm", "lane night-run"
  place  TEXT NOT NULL, -- JSON Pointer into its document
  sealed BLOB NOT NULL, -- a nonce, then AES-GCM with owner and place authenticated
  PRIMARY KEY (owner, place)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE secret_variables;
