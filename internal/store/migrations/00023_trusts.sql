-- +goose Up
-- By what providers are trusted to say who somebody is.
CREATE TABLE IF NOT EXISTS trust (
  id              BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  provider_id     BINARY(16) NOT NULL,
  issuer          VARCHAR(500) NOT NULL,
  client_id       VARCHAR(200) NOT NULL,
  sealed_secret   VARBINARY(2000) NULL,
  scopes          VARCHAR(500) NOT NULL, -- parted by spaces
  state           VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, -- trial, in-use
  tried_at        DATETIME(6) NULL, -- when a trial by it went well
  created_at      DATETIME(6) NOT NULL,
  KEY by_provider (organisation_id, provider_id)
) ENGINE=InnoDB;

-- What is made of what a provider says, and whom it lets in.
CREATE TABLE IF NOT EXISTS entry (
  provider_id     BINARY(16) PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  claim_map       JSON NOT NULL,
  entry_rule      TEXT NOT NULL, -- empty: all come in
  claims_last     INT UNSIGNED NOT NULL -- minutes
) ENGINE=InnoDB;

-- Who came by a provider, and who was not let in and why. The last of each provider are kept.
CREATE TABLE IF NOT EXISTS arrival (
  id              BINARY(16) PRIMARY KEY, -- rises with time
  organisation_id BINARY(16) NOT NULL,
  provider_id     BINARY(16) NOT NULL,
  trust_id        BINARY(16) NOT NULL,
  at              DATETIME(6) NOT NULL,
  trial           BOOLEAN NOT NULL,
  refused         VARCHAR(500) NOT NULL, -- why not; empty for let in
  subject         VARCHAR(255) NOT NULL,
  name            VARCHAR(255) NOT NULL, -- of the outside person; empty where it came to none
  claims          JSON NULL, -- as they came
  made_from       VARCHAR(64) NOT NULL,
  KEY by_provider (provider_id, id)
) ENGINE=InnoDB;

-- Of sessions of outside people: by which trust they began, the provider's own name and token for them, and when the claims are too old.
ALTER TABLE session
  ADD COLUMN IF NOT EXISTS trust_id BINARY(16) NULL,
  ADD COLUMN IF NOT EXISTS outside_session VARCHAR(255) NULL,
  ADD COLUMN IF NOT EXISTS outside_token BLOB NULL, -- sealed
  ADD COLUMN IF NOT EXISTS until DATETIME(6) NULL,
  ADD KEY IF NOT EXISTS by_trust (trust_id);

-- Nobody could sign in so: whoever was to gets a key, or is edited.
UPDATE identity i SET i.sign_in_by = 'key' WHERE i.sign_in_by = 'provider' AND NOT EXISTS (SELECT 1 FROM principal p WHERE p.id = i.id AND p.kind = 'outside-person');

-- +goose Down
ALTER TABLE session
  DROP KEY by_trust,
  DROP COLUMN trust_id,
  DROP COLUMN outside_session,
  DROP COLUMN outside_token,
  DROP COLUMN until;
DROP TABLE arrival;
DROP TABLE entry;
DROP TABLE trust;
