-- +goose Up
-- What an organisation demands of people is demanded of everybody, or of those who govern: a second factor was of the latter.
UPDATE organisation_setting
  SET settings = JSON_MERGE_PATCH(settings, '{"secondFactor": null}', IF(JSON_EXTRACT(settings, '$.secondFactor') = TRUE, '{"governing": {"secondFactor": true}}', '{}'));

-- What keepers bound an organisation to.
ALTER TABLE organisation ADD COLUMN quotas JSON NULL;

-- +goose Down
ALTER TABLE organisation DROP COLUMN quotas;
UPDATE organisation_setting
  SET settings = JSON_MERGE_PATCH(settings, '{"governing": null, "everybody": null}', IF(JSON_EXTRACT(settings, '$.governing.secondFactor') = TRUE, '{"secondFactor": true}', '{"secondFactor": false}'));
