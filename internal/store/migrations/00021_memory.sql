-- +goose Up

-- What services remember, where it is kept over restarts: a row for each service, for everybody
-- and for each lane that was written to.
CREATE TABLE memory (
  service TEXT NOT NULL,
  lane    TEXT NOT NULL, -- '' for everybody
  of_situation TEXT NOT NULL, -- what brings a memory of its own: "scenario storm"; '' for nothing
  sealed  BLOB NOT NULL, -- the document of core/collection, encrypted: it is what calls said
  PRIMARY KEY (service, lane, of_situation)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE memory;
