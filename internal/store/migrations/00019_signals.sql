-- +goose Up
-- How many signals were given: see the table of them.
ALTER TABLE audit_end ADD COLUMN IF NOT EXISTS signals BIGINT UNSIGNED NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE audit_end DROP COLUMN signals;
