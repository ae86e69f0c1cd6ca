-- +goose Up
-- Sessions, identities, keys, tokens, principals and scopes of which something was changed that instances keep in memory, by id, in the
-- order in which that was committed. Instances forget by them what they know.
CREATE TABLE IF NOT EXISTS signalled (
  number BIGINT UNSIGNED PRIMARY KEY,
  id     BINARY(16) NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE signalled;
