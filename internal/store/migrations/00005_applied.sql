-- +goose Up

-- What came from a folder, as it was then; see catalog/apply.go. Services are
-- kept by name, so that one that was removed is still known to have come.
CREATE TABLE applied (
  service TEXT NOT NULL,
  kind    TEXT NOT NULL, -- service, contract, payload or mapping
  id      TEXT NOT NULL, -- "" for the kinds that a service has one of
  digest  TEXT NOT NULL,
  source  TEXT NOT NULL, -- names the folder
  PRIMARY KEY (service, kind, id)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE applied;
