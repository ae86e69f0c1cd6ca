-- +goose Up
-- What a provider's system has told of its people and groups (SCIM, RFC 7643), as it told it.
CREATE TABLE IF NOT EXISTS provisioned (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  provider_id     BINARY(16) NOT NULL,
  principal_id    BINARY(16) NOT NULL, -- an outside person, or an outside group
  kind            VARCHAR(8) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, -- user, group
  name            VARCHAR(320) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL, -- as it is found: of people in small letters
  external_id     VARCHAR(255) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL, -- empty for none
  active          BOOL NOT NULL, -- what it said last
  body            MEDIUMBLOB NOT NULL, -- JSON
  version         BIGINT UNSIGNED NOT NULL, -- counts from 1
  created_at      DATETIME(6) NOT NULL,
  changed_at      DATETIME(6) NOT NULL,
  UNIQUE KEY by_name (provider_id, kind, name),
  KEY by_external_id (provider_id, kind, external_id),
  KEY by_principal (principal_id)
) ENGINE=InnoDB;

-- What such a system shows to come in.
CREATE TABLE IF NOT EXISTS provisioning_token (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  provider_id     BINARY(16) NOT NULL,
  label           VARCHAR(100) NOT NULL,
  token_hash      BINARY(32) NOT NULL,
  created_by      VARCHAR(320) NOT NULL,
  created_at      DATETIME(6) NOT NULL,
  until           DATETIME(6) NOT NULL,
  used_at         DATETIME(6) NULL,
  revoked_at      DATETIME(6) NULL,
  UNIQUE KEY by_hash (token_hash),
  KEY by_provider (provider_id, id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE provisioning_token;
DROP TABLE provisioned;
