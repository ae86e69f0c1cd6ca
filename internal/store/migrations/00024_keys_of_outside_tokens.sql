-- +goose Up
-- Of keys without a secret: whose signed tokens take its place, as JSON.
ALTER TABLE api_key ADD COLUMN IF NOT EXISTS outside_tokens JSON NULL;

-- +goose Down
ALTER TABLE api_key DROP COLUMN outside_tokens;
