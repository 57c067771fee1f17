-- +goose Up

-- Every state that a mapping was in; document is NULL where it was removed.
CREATE TABLE mapping_versions (
  service_id TEXT NOT NULL REFERENCES services (id) ON DELETE CASCADE,
  id         TEXT NOT NULL,
  version    INTEGER NOT NULL,
  at         INTEGER NOT NULL, -- microseconds since 1970; 0 when that is not known
  made_by    TEXT NOT NULL,
  document   TEXT,
  PRIMARY KEY (service_id, id, version)
) WITHOUT ROWID;
INSERT INTO mapping_versions SELECT service_id, id, version, 0, '', document FROM mappings;

-- Large bodies: names of a service, and each text once.
CREATE TABLE payload_contents (
  digest BLOB PRIMARY KEY, -- SHA-256
  bytes  BLOB NOT NULL
);
CREATE TABLE payloads (
  service_id TEXT NOT NULL REFERENCES services (id) ON DELETE CASCADE,
  name       TEXT NOT NULL,
  version    INTEGER NOT NULL,
  digest     BLOB NOT NULL REFERENCES payload_contents (digest),
  PRIMARY KEY (service_id, name)
);

-- +goose Down
DROP TABLE payloads;
DROP TABLE payload_contents;
DROP TABLE mapping_versions;
