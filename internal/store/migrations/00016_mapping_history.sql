-- +goose Up

-- Which entries of the activity made a mapping what it was: its history. The states are those
-- of the entries. What mapping_versions has is carried over by the program.
CREATE TABLE activity_mappings (
  service_id TEXT NOT NULL,
  id         TEXT NOT NULL,
  version    INTEGER NOT NULL, -- of the mapping
  entry      INTEGER NOT NULL REFERENCES activity (version) ON DELETE CASCADE,
  removed    INTEGER NOT NULL, -- 1 where the entry removed it
  PRIMARY KEY (service_id, id, version)
) WITHOUT ROWID;
CREATE INDEX activity_mappings_entry ON activity_mappings (entry);

-- +goose Down
DROP TABLE activity_mappings;
