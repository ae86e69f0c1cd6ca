-- +goose Up
-- What Loam keeps of the resources it runs. Names, places, tags and whether they are retired are Arbora's to know.

CREATE TABLE resource (
  id           BINARY(16) PRIMARY KEY, -- as registered with Arbora
  organisation VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  type         VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  running      BOOLEAN NOT NULL,
  attributes   JSON NOT NULL,
  made_at      DATETIME(6) NOT NULL,
  settled      BOOLEAN NOT NULL,       -- Arbora is known to have it
  KEY unsettled (settled, made_at)
) ENGINE=InnoDB;

CREATE TABLE object (
  bucket_id   BINARY(16) NOT NULL,
  name        VARCHAR(500) NOT NULL,
  media_type  VARCHAR(200) NOT NULL,
  size        BIGINT UNSIGNED NOT NULL,
  sha256      BINARY(32) NOT NULL,
  put_at      DATETIME(6) NOT NULL,
  put_by      VARCHAR(300) NOT NULL,
  body        LONGBLOB NOT NULL,
  PRIMARY KEY (bucket_id, name)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE record (
  database_id BINARY(16) NOT NULL,
  name        VARCHAR(200) NOT NULL,
  value       VARCHAR(10000) NOT NULL,
  PRIMARY KEY (database_id, name)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Connections to databases: each works for a few minutes, for whom it was made. Only a hash of its token is kept.
CREATE TABLE connection (
  token_hash   BINARY(32) PRIMARY KEY,
  database_id  BINARY(16) NOT NULL,
  organisation VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  subject_kind VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  subject_id   VARCHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  subject_name VARCHAR(300) NOT NULL,
  ends_at      DATETIME(6) NOT NULL,
  KEY by_end (ends_at)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- +goose Down
DROP TABLE connection, record, object, resource;
