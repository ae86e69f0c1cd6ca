-- +goose Up
-- Wrong passwords are counted by name and network, so that strangers elsewhere lock nobody out; wrong codes by name, apart.
-- What is in the table counts for a day at most: it begins anew.
DROP TABLE guess;
CREATE TABLE guess (
  name_hash BINARY(32) NOT NULL,
  kind      VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, -- password, code
  network   VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, -- of passwords: from which; empty for all together
  failures  INT UNSIGNED NOT NULL,
  last_at   DATETIME(6) NOT NULL,
  PRIMARY KEY (name_hash, kind, network),
  KEY by_time (last_at)
) ENGINE=InnoDB;

-- When a person last gave a password or passkey in a session, and whether an API key may govern: those there are keep what
-- they could.
ALTER TABLE session ADD COLUMN proved_at DATETIME(6) NULL;
ALTER TABLE api_key ADD COLUMN governs BOOLEAN NOT NULL DEFAULT FALSE;
UPDATE api_key k SET k.governs = TRUE WHERE k.organisation_id IS NOT NULL;

-- Audit records are chained by a key that is not in the database; those of before were chained without one.
ALTER TABLE audit_record ADD COLUMN keyed BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE audit_record DROP COLUMN keyed;
ALTER TABLE session DROP COLUMN proved_at;
ALTER TABLE api_key DROP COLUMN governs;
DROP TABLE guess;
CREATE TABLE guess (
  name_hash BINARY(32) PRIMARY KEY,
  failures  INT UNSIGNED NOT NULL,
  last_at   DATETIME(6) NOT NULL,
  KEY by_time (last_at)
) ENGINE=InnoDB;
