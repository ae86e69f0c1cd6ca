-- +goose Up
-- What one instance at a time does in the background, which one, and until when unless it says so again.
CREATE TABLE lease (
  name   VARCHAR(127) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  holder BINARY(16) NOT NULL,
  until  DATETIME(6) NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE lease;
