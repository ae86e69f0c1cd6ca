-- +goose Up
-- What an organisation demands of people is demanded of everybody, or of those who govern: a second factor was of the latter.
UPDATE organisation_setting
  SET settings = JSON_MERGE_PATCH(settings, '{"secondFactor": null}', IF(JSON_EXTRACT(settings, '$.secondFactor') = TRUE, '{"governing": {"secondFactor": true}}', '{}'));

-- +goose Down
UPDATE organisation_setting
  SET settings = JSON_MERGE_PATCH(settings, '{"governing": null, "everybody": null}', IF(JSON_EXTRACT(settings, '$.governing.secondFactor') = TRUE, '{"secondFactor": true}', '{"secondFactor": false}'));
