-- +goose Up

-- What is switched on; services go with their impairments by the catalogue.
CREATE TABLE impairments (
  service_id TEXT NOT NULL, -- "" for the whole environment
  operation  TEXT NOT NULL, -- "" for all of the service
  mapping    TEXT NOT NULL, -- likewise
  since      INTEGER NOT NULL, -- microseconds since 1970
  by         TEXT NOT NULL,
  version    INTEGER NOT NULL,
  document   TEXT NOT NULL, -- spec.Impairment as JSON
  PRIMARY KEY (service_id, operation, mapping)
) WITHOUT ROWID;
CREATE TABLE lines (
  name     TEXT PRIMARY KEY,
  document TEXT NOT NULL -- spec.Line as JSON
) WITHOUT ROWID;

-- +goose Down
DROP TABLE lines;
DROP TABLE impairments;
