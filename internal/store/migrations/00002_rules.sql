-- +goose Up
-- What rules are made of besides roles: conditions, periods, tags, policies, roles of the organisation's own, services.

ALTER TABLE scope
  ADD COLUMN offered JSON NULL; -- the services offered beneath a container; NULL narrows nothing

ALTER TABLE principal
  ADD COLUMN home_id BINARY(16) NULL, -- the scope a service account lives at
  ADD COLUMN tags JSON NOT NULL DEFAULT '{}';

-- A grant names a built-in set or a platform service by its fixed id; those have no row.
ALTER TABLE role_grant
  DROP FOREIGN KEY grant_principal,
  ADD COLUMN applies_if VARCHAR(2000) NOT NULL DEFAULT '',
  ADD COLUMN applies_from DATETIME(6) NULL,
  ADD COLUMN applies_until DATETIME(6) NULL;

CREATE TABLE custom_role (
  organisation_id BINARY(16) NOT NULL,
  name            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  title           VARCHAR(200) NOT NULL,
  description     VARCHAR(2000) NOT NULL,
  scope_id        BINARY(16) NOT NULL,
  includes        JSON NOT NULL,
  excludes        JSON NOT NULL,
  grantable_under JSON NOT NULL, -- ids of scopes
  created_at      DATETIME(6) NOT NULL,
  created_by      VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  PRIMARY KEY (organisation_id, name),
  CONSTRAINT custom_role_scope FOREIGN KEY (scope_id) REFERENCES scope (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE policy (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  scope_id        BINARY(16) NOT NULL,
  name            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  description     VARCHAR(2000) NOT NULL,
  statements      JSON NOT NULL, -- bound to ids
  notes           JSON NOT NULL,
  created_at      DATETIME(6) NOT NULL,
  created_by      VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  written_at      DATETIME(6) NOT NULL,
  written_by      VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  UNIQUE KEY policy_name (scope_id, name),
  KEY by_organisation (organisation_id, id),
  CONSTRAINT policy_scope FOREIGN KEY (scope_id) REFERENCES scope (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Services registered after those that came with Arbora, for the whole installation, in the order they came.
CREATE TABLE catalogue_service (
  number        BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  name          VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL UNIQUE,
  file          MEDIUMTEXT NOT NULL,
  registered_at DATETIME(6) NOT NULL,
  registered_by VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin NOT NULL
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- +goose Down
DROP TABLE catalogue_service, policy, custom_role;
ALTER TABLE role_grant DROP COLUMN applies_if, DROP COLUMN applies_from, DROP COLUMN applies_until,
  ADD CONSTRAINT grant_principal FOREIGN KEY (organisation_id, principal_id) REFERENCES principal (organisation_id, id);
ALTER TABLE principal DROP COLUMN home_id, DROP COLUMN tags;
ALTER TABLE scope DROP COLUMN offered;
