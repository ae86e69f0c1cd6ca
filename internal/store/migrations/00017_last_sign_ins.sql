-- +goose Up
-- When somebody last came to work in an organisation; sessions are cleared away, this stays.
CREATE TABLE last_sign_in (
  organisation_id BINARY(16) NOT NULL,
  identity_id     BINARY(16) NOT NULL,
  at              DATETIME(6) NOT NULL,
  PRIMARY KEY (organisation_id, identity_id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

INSERT INTO last_sign_in (organisation_id, identity_id, at)
  SELECT organisation_id, identity_id, MAX(signed_in_at) FROM session WHERE organisation_id IS NOT NULL GROUP BY organisation_id, identity_id;

-- +goose Down
DROP TABLE last_sign_in;
