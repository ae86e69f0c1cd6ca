-- +goose Up
-- Sessions, identities, keys, tokens, principals and organisations of which something that a sign-in depends on was changed, by id, in
-- the order in which that was committed. Instances forget by them what they know.
CREATE TABLE IF NOT EXISTS signalled (
  number BIGINT UNSIGNED PRIMARY KEY,
  id     BINARY(16) NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE signalled;
