-- +goose Up

-- stored_by is now the call with which a generation of contents began, instead of the
-- one at the time. All that are there are the first one.
UPDATE contents SET stored_by = 0;

-- +goose Down
UPDATE contents SET stored_by = (SELECT coalesce(max(last), 0) FROM call_blocks);
