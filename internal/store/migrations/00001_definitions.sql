-- +goose Up
CREATE TABLE settings (
  key   TEXT PRIMARY KEY,
  value BLOB NOT NULL
);

CREATE TABLE services (
  id       TEXT PRIMARY KEY,
  version  INTEGER NOT NULL,
  document TEXT NOT NULL -- spec.Service as JSON
);

CREATE TABLE contracts (
  service_id TEXT NOT NULL REFERENCES services (id) ON DELETE CASCADE,
  revision   INTEGER NOT NULL,
  file       TEXT NOT NULL,
  imported   INTEGER NOT NULL, -- microseconds since 1970
  text       BLOB NOT NULL, -- as imported
  PRIMARY KEY (service_id, revision)
);

CREATE TABLE mappings (
  service_id TEXT NOT NULL REFERENCES services (id) ON DELETE CASCADE,
  id         TEXT NOT NULL,
  version    INTEGER NOT NULL,
  position   INTEGER NOT NULL,
  document   TEXT NOT NULL, -- spec.Mapping as JSON
  PRIMARY KEY (service_id, id)
);

-- +goose Down
DROP TABLE mappings;
DROP TABLE contracts;
DROP TABLE services;
DROP TABLE settings;
