-- +goose Up
-- Arbora shows the provider of a trust a signature of its own in place of a secret.
ALTER TABLE trust ADD COLUMN IF NOT EXISTS own_key BOOL NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE trust DROP COLUMN own_key;
