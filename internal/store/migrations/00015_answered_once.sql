-- +goose Up
-- Requests that were made under a key of their maker's choice, so that they are carried out once however often they are sent: what was
-- asked, and what came of it. The revision is written with the change itself.
CREATE TABLE answered (
  key_hash     BINARY(32) PRIMARY KEY,
  request_hash BINARY(32) NOT NULL,
  begun_at     DATETIME(6) NOT NULL,
  revision     BIGINT UNSIGNED NOT NULL DEFAULT 0,
  status       SMALLINT UNSIGNED NOT NULL DEFAULT 0,
  body         MEDIUMTEXT NULL,
  KEY answered_begun (begun_at)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- +goose Down
DROP TABLE answered;
