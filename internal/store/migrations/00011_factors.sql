-- +goose Up
-- A session knows by which second factor it began, and an organisation names those that let people in.
ALTER TABLE session ADD COLUMN factor VARCHAR(10) NOT NULL DEFAULT ''; -- empty for a password alone
UPDATE session SET factor = 'code' WHERE strong;
ALTER TABLE session DROP COLUMN strong;
ALTER TABLE device_request ADD COLUMN factor VARCHAR(10) NOT NULL DEFAULT ''; -- of the session of whoever let it in
UPDATE device_request SET factor = 'code' WHERE strong;
ALTER TABLE device_request DROP COLUMN strong;
UPDATE organisation_setting SET settings = JSON_MERGE_PATCH(settings,
  IF(JSON_EXTRACT(settings, '$.everybody.secondFactor') = TRUE, '{"everybody": {"secondFactor": null, "factors": ["code", "passkey"]}}', '{}'),
  IF(JSON_EXTRACT(settings, '$.governing.secondFactor') = TRUE, '{"governing": {"secondFactor": null, "factors": ["code", "passkey"]}}', '{}'));

-- +goose Down
UPDATE organisation_setting SET settings = JSON_MERGE_PATCH(settings,
  IF(JSON_EXTRACT(settings, '$.everybody.factors') IS NULL, '{}', '{"everybody": {"secondFactor": true, "factors": null}}'),
  IF(JSON_EXTRACT(settings, '$.governing.factors') IS NULL, '{}', '{"governing": {"secondFactor": true, "factors": null}}'));
ALTER TABLE device_request ADD COLUMN strong BOOLEAN NOT NULL DEFAULT FALSE;
UPDATE device_request SET strong = factor <> '';
ALTER TABLE device_request DROP COLUMN factor;
ALTER TABLE session ADD COLUMN strong BOOLEAN NOT NULL DEFAULT FALSE;
UPDATE session SET strong = factor <> '';
ALTER TABLE session DROP COLUMN factor;
