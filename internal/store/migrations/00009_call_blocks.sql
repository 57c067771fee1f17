-- +goose Up

-- The calls of the log, many in a row: see callblock.go. What was logged before is
-- let go, and noted as cleared: calls are the only thing that is kept for a while
-- alone.
INSERT INTO settings (key, value) SELECT 'highest call cleared', max(number) FROM calls HAVING max(number) > 0
  ON CONFLICT (key) DO UPDATE SET value = excluded.value;
INSERT INTO settings (key, value) SELECT 'last call cleared at', max(at) FROM calls HAVING max(number) > 0
  ON CONFLICT (key) DO UPDATE SET value = excluded.value;
DROP TABLE calls;
DELETE FROM contents;

CREATE TABLE call_blocks (
  last   INTEGER PRIMARY KEY, -- the highest number of its calls
  first  INTEGER NOT NULL,    -- the lowest
  calls  INTEGER NOT NULL,    -- how many they are
  newest INTEGER NOT NULL,    -- when the latest of them came, microseconds since 1970
  data   BLOB NOT NULL
);

-- +goose Down
DROP TABLE call_blocks;
DELETE FROM contents;
CREATE TABLE calls (
  number  INTEGER PRIMARY KEY,
  at      INTEGER NOT NULL,
  service TEXT NOT NULL,
  line    TEXT NOT NULL,
  detail  BLOB NOT NULL
);
