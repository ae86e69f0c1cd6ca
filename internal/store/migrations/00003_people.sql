-- +goose Up
-- The life of people and machines: states, owners, gathering groups, service accounts, guests, keys, sessions, links.

ALTER TABLE principal
  ADD COLUMN state VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT 'active', -- pending, active, suspended, retired
  ADD COLUMN owner_id BINARY(16) NULL,                   -- of a group
  ADD COLUMN gathers VARCHAR(2000) NOT NULL DEFAULT '',  -- of a gathering group: its condition
  ADD COLUMN identity_id BINARY(16) NULL,                -- of a user or guest: who signs in as it
  ADD COLUMN lives_at BINARY(16) AS (COALESCE(home_id, 0x00000000000000000000000000000000)) PERSISTENT,
  MODIFY COLUMN name VARCHAR(254) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  DROP KEY principal_name,
  ADD UNIQUE KEY principal_name (organisation_id, kind, lives_at, name),
  ADD KEY by_identity (identity_id);
UPDATE principal p SET p.state = 'suspended' WHERE inactive;
UPDATE principal p SET p.identity_id = id WHERE kind = 'user';
ALTER TABLE principal DROP COLUMN inactive;

-- A guest from outside signs in by the mail address that was invited; it belongs to no organisation and is no keeper.
ALTER TABLE identity
  MODIFY COLUMN name VARCHAR(254) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  ADD COLUMN keeper BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN title VARCHAR(200) NOT NULL DEFAULT '',     -- of a guest from outside; a user's is its principal's
  ADD COLUMN sign_in_by VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT 'password', -- password, key, both, provider
  ADD COLUMN temporary_until DATETIME(6) NULL;           -- when a temporary password ends
UPDATE identity SET keeper = TRUE WHERE organisation_id IS NULL;

ALTER TABLE session
  ADD COLUMN id BINARY(16) NOT NULL DEFAULT (RANDOM_BYTES(16)),
  ADD COLUMN organisation_id BINARY(16) NULL,            -- where it works at present
  ADD COLUMN made_from VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  ADD COLUMN agent VARCHAR(200) NOT NULL DEFAULT '',     -- what the program calls itself
  ADD COLUMN strong BOOLEAN NOT NULL DEFAULT FALSE,      -- signed in with two factors
  ADD COLUMN ended_at DATETIME(6) NULL,                  -- ended before its time; kept for a while to tell so
  ADD UNIQUE KEY session_id (id);
UPDATE session s JOIN identity i ON i.id = s.identity_id SET s.organisation_id = i.organisation_id;

-- Keys of users, service accounts and platform services. Only a hash of the secret is kept.
CREATE TABLE api_key (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NULL, -- NULL for a platform service, which acts in every organisation
  principal_id    BINARY(16) NOT NULL,
  secret_hash     BINARY(32) NOT NULL,
  label           VARCHAR(200) NOT NULL,
  created_at      DATETIME(6) NOT NULL,
  created_by      VARCHAR(300) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  expires_at      DATETIME(6) NULL,
  last_used_at    DATETIME(6) NULL,
  last_used_from  VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  withdrawn_at    DATETIME(6) NULL, -- taken back; kept to tell so to whoever still uses it
  KEY by_principal (organisation_id, principal_id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Keys that access tokens are signed with, sealed; the newest signs, the others still verify.
CREATE TABLE signing_key (
  id         VARCHAR(43) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY, -- the thumbprint (RFC 7638)
  sealed     VARBINARY(4000) NOT NULL,
  created_at DATETIME(6) NOT NULL
) ENGINE=InnoDB;

-- Wrong passwords in a row, by the name that was tried: known and unknown ones alike, so that nothing tells them apart.
CREATE TABLE guess (
  name_hash BINARY(32) PRIMARY KEY,
  failures  INT UNSIGNED NOT NULL,
  last_at   DATETIME(6) NOT NULL,
  KEY by_time (last_at)
) ENGINE=InnoDB;

-- Access tokens taken back before they ended.
CREATE TABLE revoked_token (
  id         BINARY(16) PRIMARY KEY,
  expires_at DATETIME(6) NOT NULL
) ENGINE=InnoDB;

-- Links sent by mail: each works once and for a while. Only a hash is kept.
CREATE TABLE link (
  token_hash      BINARY(32) PRIMARY KEY,
  purpose         VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, -- invitation, password
  organisation_id BINARY(16) NOT NULL,
  principal_id    BINARY(16) NOT NULL,
  made_at         DATETIME(6) NOT NULL,
  made_by         VARCHAR(300) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  expires_at      DATETIME(6) NOT NULL,
  KEY by_principal (organisation_id, principal_id)
) ENGINE=InnoDB;

-- Second factors: the seed of one-time codes (RFC 6238), sealed, and the codes for the day the device is lost.
CREATE TABLE second_factor (
  identity_id  BINARY(16) PRIMARY KEY,
  sealed       VARBINARY(200) NOT NULL,
  confirmed_at DATETIME(6) NULL,                -- NULL until a first code was given
  last_step    BIGINT NOT NULL DEFAULT 0,       -- of the last code taken: none is taken twice
  CONSTRAINT factor_identity FOREIGN KEY (identity_id) REFERENCES identity (id)
) ENGINE=InnoDB;
CREATE TABLE recovery_code (
  identity_id BINARY(16) NOT NULL,
  code_hash   BINARY(32) NOT NULL,
  PRIMARY KEY (identity_id, code_hash),
  CONSTRAINT code_identity FOREIGN KEY (identity_id) REFERENCES identity (id)
) ENGINE=InnoDB;

-- Passkeys (WebAuthn): public keys and what belongs to them.
CREATE TABLE passkey (
  id            BINARY(16) PRIMARY KEY,
  identity_id   BINARY(16) NOT NULL,
  credential_id VARBINARY(1023) NOT NULL,
  credential    JSON NOT NULL,
  label         VARCHAR(200) NOT NULL,
  created_at    DATETIME(6) NOT NULL,
  last_used_at  DATETIME(6) NULL,
  UNIQUE KEY by_credential (credential_id),
  KEY by_identity (identity_id),
  CONSTRAINT passkey_identity FOREIGN KEY (identity_id) REFERENCES identity (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- What a browser was asked to sign with a passkey; each is answered once.
CREATE TABLE ceremony (
  token_hash  BINARY(32) PRIMARY KEY,
  body        JSON NOT NULL,
  expires_at  DATETIME(6) NOT NULL,
  KEY by_expiry (expires_at)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Terminals that wait for somebody to let them in (RFC 8628).
CREATE TABLE device_request (
  code_hash   BINARY(32) PRIMARY KEY,
  user_code   CHAR(9) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  agent       VARCHAR(200) NOT NULL,
  made_from   VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  made_at     DATETIME(6) NOT NULL,
  expires_at  DATETIME(6) NOT NULL,
  polled_at   DATETIME(6) NULL,
  refused     BOOLEAN NOT NULL DEFAULT FALSE,
  identity_id BINARY(16) NULL,                  -- who let it in
  organisation_id BINARY(16) NULL,
  strong      BOOLEAN NOT NULL DEFAULT FALSE,   -- who let it in had signed in with two factors
  UNIQUE KEY by_user_code (user_code)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- What an organisation has decided for itself, as one document; absent ones have their defaults.
CREATE TABLE organisation_setting (
  organisation_id BINARY(16) PRIMARY KEY,
  settings        JSON NOT NULL,
  CONSTRAINT setting_organisation FOREIGN KEY (organisation_id) REFERENCES organisation (id)
) ENGINE=InnoDB;

-- Who acts can be a service account, which is called by its address.
ALTER TABLE change_record MODIFY COLUMN made_by VARCHAR(300) CHARACTER SET ascii COLLATE ascii_bin NOT NULL;
ALTER TABLE audit_record MODIFY COLUMN actor VARCHAR(300) CHARACTER SET ascii COLLATE ascii_bin NOT NULL;

-- +goose Down
DROP TABLE device_request, ceremony, passkey, recovery_code, second_factor, organisation_setting, link, revoked_token, guess, signing_key, api_key;
ALTER TABLE session DROP KEY session_id, DROP COLUMN id, DROP COLUMN organisation_id, DROP COLUMN made_from, DROP COLUMN agent, DROP COLUMN strong, DROP COLUMN ended_at;
ALTER TABLE identity DROP COLUMN keeper, DROP COLUMN title, DROP COLUMN sign_in_by, DROP COLUMN temporary_until;
ALTER TABLE principal ADD COLUMN inactive BOOLEAN NOT NULL DEFAULT FALSE;
UPDATE principal p SET p.inactive = state <> 'active';
ALTER TABLE principal DROP KEY principal_name, DROP KEY by_identity, DROP COLUMN lives_at, DROP COLUMN state, DROP COLUMN owner_id, DROP COLUMN gathers, DROP COLUMN identity_id,
  ADD UNIQUE KEY principal_name (organisation_id, kind, name);
