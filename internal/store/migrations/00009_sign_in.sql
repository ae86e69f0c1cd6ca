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

-- Who issued a key, whatever they are called later; by name, those called now as they were then.
ALTER TABLE api_key ADD COLUMN issuer_id BINARY(16) NULL, ADD KEY by_issuer (organisation_id, issuer_id);
UPDATE api_key k
  JOIN scope s ON s.organisation_id = k.organisation_id AND s.parent_id IS NULL
  JOIN principal p ON p.organisation_id = k.organisation_id AND p.kind = 'user' AND k.created_by = CONCAT(p.name, '@', s.name)
  SET k.issuer_id = p.id;

-- Audit records are chained by a key that is not in the database; those of before were chained without one.
ALTER TABLE audit_record ADD COLUMN keyed BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE audit_record DROP COLUMN keyed;
ALTER TABLE session DROP COLUMN proved_at;
ALTER TABLE api_key DROP KEY by_issuer, DROP COLUMN issuer_id, DROP COLUMN governs;
DROP TABLE guess;
CREATE TABLE guess (
  name_hash BINARY(32) PRIMARY KEY,
  failures  INT UNSIGNED NOT NULL,
  last_at   DATETIME(6) NOT NULL,
  KEY by_time (last_at)
) ENGINE=InnoDB;
