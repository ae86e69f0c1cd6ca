-- +goose Up
-- People of a provider that is the organisation's own are staff.
ALTER TABLE principal ADD COLUMN IF NOT EXISTS own BOOL NOT NULL DEFAULT FALSE;

-- A directory whose people come by a provider (LDAP, RFC 4511), and how it is read.
CREATE TABLE IF NOT EXISTS directory (
  provider_id     BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  settings        BLOB NOT NULL, -- JSON
  sealed_password VARBINARY(1024) NOT NULL, -- empty for none
  next_at         DATETIME(6) NULL, -- when it is read again; NULL for when somebody asks
  mark            VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, -- how far it was read, as JSON; empty for not at all
  KEY by_next (next_at)
) ENGINE=InnoDB;

-- What the readings of a directory found and did.
CREATE TABLE IF NOT EXISTS reading (
  id          BINARY(16) PRIMARY KEY,
  provider_id BINARY(16) NOT NULL,
  told        MEDIUMBLOB NOT NULL, -- JSON
  KEY by_provider (provider_id, id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE reading;
DROP TABLE directory;
ALTER TABLE principal DROP COLUMN own;
