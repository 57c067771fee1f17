-- +goose Up

-- What services remember, where it is kept over restarts: a row for each service, for everybody
-- and for each lane that was written to.
CREATE TABLE memory (
  service TEXT NOT NULL,
  lane    TEXT NOT NULL, -- '' for everybody
  sealed  BLOB NOT NULL, -- the document of core/collection, encrypted: it is what calls said
  PRIMARY KEY (service, lane)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE memory;
