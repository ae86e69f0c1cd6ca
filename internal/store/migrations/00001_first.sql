-- +goose Up
-- Ids are UUIDv7 as 16 bytes; names compare byte by byte; moments are UTC to the microsecond.

CREATE TABLE organisation (
  id        BINARY(16) PRIMARY KEY,
  revision  BIGINT UNSIGNED NOT NULL
) ENGINE=InnoDB;

CREATE TABLE scope (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  parent_id       BINARY(16) NULL,
  sibling_of      BINARY(16) AS (COALESCE(parent_id, 0x00000000000000000000000000000000)) PERSISTENT,
  kind            VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  name            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  type            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  title           VARCHAR(200) NOT NULL,
  description     VARCHAR(2000) NOT NULL,
  tags            JSON NOT NULL,
  retired         BOOLEAN NOT NULL,
  created_at      DATETIME(6) NOT NULL,
  UNIQUE KEY sibling_name (sibling_of, name, type),
  KEY by_organisation (organisation_id, id),
  CONSTRAINT scope_organisation FOREIGN KEY (organisation_id) REFERENCES organisation (id),
  CONSTRAINT scope_parent FOREIGN KEY (parent_id) REFERENCES scope (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Who signs in. Keepers belong to no organisation; everybody else has one home.
CREATE TABLE identity (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NULL,
  home            BINARY(16) AS (COALESCE(organisation_id, 0x00000000000000000000000000000000)) PERSISTENT,
  name            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  email           VARCHAR(254) NOT NULL,
  password_hash   VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  temporary       BOOLEAN NOT NULL,
  created_at      DATETIME(6) NOT NULL,
  UNIQUE KEY sign_in_name (home, name),
  CONSTRAINT identity_organisation FOREIGN KEY (organisation_id) REFERENCES organisation (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Who can hold access in an organisation. A user has the id of its identity.
CREATE TABLE principal (
  organisation_id BINARY(16) NOT NULL,
  id              BINARY(16) NOT NULL,
  kind            VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  name            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  title           VARCHAR(200) NOT NULL,
  description     VARCHAR(2000) NOT NULL,
  inactive        BOOLEAN NOT NULL,
  created_at      DATETIME(6) NOT NULL,
  PRIMARY KEY (organisation_id, id),
  UNIQUE KEY principal_name (organisation_id, kind, name),
  CONSTRAINT principal_organisation FOREIGN KEY (organisation_id) REFERENCES organisation (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE membership (
  organisation_id BINARY(16) NOT NULL,
  group_id        BINARY(16) NOT NULL,
  member_id       BINARY(16) NOT NULL,
  PRIMARY KEY (organisation_id, group_id, member_id),
  KEY by_member (organisation_id, member_id),
  CONSTRAINT membership_group FOREIGN KEY (organisation_id, group_id) REFERENCES principal (organisation_id, id),
  CONSTRAINT membership_member FOREIGN KEY (organisation_id, member_id) REFERENCES principal (organisation_id, id)
) ENGINE=InnoDB;

CREATE TABLE role_grant (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  scope_id        BINARY(16) NOT NULL,
  principal_id    BINARY(16) NOT NULL,
  role            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  description     VARCHAR(2000) NOT NULL,
  created_at      DATETIME(6) NOT NULL,
  created_by      VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  KEY by_organisation (organisation_id, id),
  CONSTRAINT grant_scope FOREIGN KEY (scope_id) REFERENCES scope (id),
  CONSTRAINT grant_principal FOREIGN KEY (organisation_id, principal_id) REFERENCES principal (organisation_id, id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE session (
  token_hash   BINARY(32) PRIMARY KEY,
  identity_id  BINARY(16) NOT NULL,
  signed_in_at DATETIME(6) NOT NULL,
  last_used_at DATETIME(6) NOT NULL,
  KEY by_identity (identity_id),
  CONSTRAINT session_identity FOREIGN KEY (identity_id) REFERENCES identity (id)
) ENGINE=InnoDB;

-- One record a revision: who changed what, with the rows before and after.
CREATE TABLE change_record (
  organisation_id BINARY(16) NOT NULL,
  revision        BIGINT UNSIGNED NOT NULL,
  made_at         DATETIME(6) NOT NULL,
  made_by         VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  made_from       VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  what            VARCHAR(500) NOT NULL,
  changed         JSON NOT NULL,
  PRIMARY KEY (organisation_id, revision),
  CONSTRAINT change_organisation FOREIGN KEY (organisation_id) REFERENCES organisation (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Append-only. Each record carries the SHA-256 of itself and the one before. The chain's newest end is locked by whoever appends.
CREATE TABLE audit_record (
  number       BIGINT UNSIGNED PRIMARY KEY,
  organisation VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  recorded_at  DATETIME(6) NOT NULL,
  actor        VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  came_from    VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  event        VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  detail       VARCHAR(500) NOT NULL,
  hash         BINARY(32) NOT NULL,
  KEY by_organisation (organisation, number)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE audit_end (
  one    TINYINT PRIMARY KEY,
  number BIGINT UNSIGNED NOT NULL,
  hash   BINARY(32) NOT NULL
) ENGINE=InnoDB;

INSERT INTO audit_end VALUES (1, 0, REPEAT(CHAR(0), 32));

-- +goose Down
DROP TABLE audit_end, audit_record, change_record, session, role_grant, membership, principal, identity, scope, organisation;
