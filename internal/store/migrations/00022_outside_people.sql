-- +goose Up
-- Outside people come by a provider, which is a principal too: what it knows them by, and what it said of them last, as JSON.
ALTER TABLE principal
  ADD COLUMN IF NOT EXISTS provider_id BINARY(16) NULL,
  ADD COLUMN IF NOT EXISTS subject VARCHAR(255) NULL,
  ADD COLUMN IF NOT EXISTS claims JSON NULL, -- NULL before it said anything
  ADD UNIQUE KEY IF NOT EXISTS outside_subject (organisation_id, provider_id, subject);

-- +goose Down
ALTER TABLE principal
  DROP KEY outside_subject,
  DROP COLUMN provider_id,
  DROP COLUMN subject,
  DROP COLUMN claims;
