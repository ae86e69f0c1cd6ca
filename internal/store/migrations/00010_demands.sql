-- +goose Up
-- What an organisation demands of people is demanded of everybody, or of those who govern: a second factor was of the latter.
UPDATE organisation_setting
  SET settings = JSON_MERGE_PATCH(settings, '{"secondFactor": null}', IF(JSON_EXTRACT(settings, '$.secondFactor') = TRUE, '{"governing": {"secondFactor": true}}', '{}'));

-- What keepers bound an organisation to.
ALTER TABLE organisation ADD COLUMN quotas JSON NULL;

-- An address counts for somebody only when they have used a link that was mailed there and shown to nobody else.
ALTER TABLE identity ADD COLUMN proved_email VARCHAR(254) NOT NULL DEFAULT '';
ALTER TABLE link ADD COLUMN mailed_to VARCHAR(254) NOT NULL DEFAULT ''; -- empty when it was shown to whoever made it

-- Links by which guests from outside, who have no administrators, choose another password.
CREATE TABLE recovery (
  token_hash  BINARY(32) PRIMARY KEY,
  identity_id BINARY(16) NOT NULL,
  made_at     DATETIME(6) NOT NULL,
  expires_at  DATETIME(6) NOT NULL,
  UNIQUE KEY by_identity (identity_id),
  CONSTRAINT recovery_identity FOREIGN KEY (identity_id) REFERENCES identity (id)
) ENGINE=InnoDB;

-- A program may hold the private half of a key pair in place of a secret; what it signs is taken once.
ALTER TABLE api_key ADD COLUMN public_key VARCHAR(2000) NOT NULL DEFAULT '';
CREATE TABLE assertion (
  hash       BINARY(32) PRIMARY KEY,
  expires_at DATETIME(6) NOT NULL,
  KEY by_time (expires_at)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE assertion;
ALTER TABLE api_key DROP COLUMN public_key;
DROP TABLE recovery;
ALTER TABLE link DROP COLUMN mailed_to;
ALTER TABLE identity DROP COLUMN proved_email;
ALTER TABLE organisation DROP COLUMN quotas;
UPDATE organisation_setting
  SET settings = JSON_MERGE_PATCH(settings, '{"governing": null, "everybody": null}', IF(JSON_EXTRACT(settings, '$.governing.secondFactor') = TRUE, '{"secondFactor": true}', '{"secondFactor": false}'));
