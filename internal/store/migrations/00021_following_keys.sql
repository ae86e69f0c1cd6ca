-- +goose Up
-- Keys of platform services by which followers read what decisions are made by, and that open nothing else.
ALTER TABLE api_key ADD COLUMN IF NOT EXISTS follows BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE api_key DROP COLUMN follows;
