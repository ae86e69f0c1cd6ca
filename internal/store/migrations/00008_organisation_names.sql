-- +goose Up
-- Every name that an organisation has had: its audit records stand under them, and no other organisation takes one.
CREATE TABLE organisation_name (
  name            VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  organisation_id BINARY(16) NOT NULL,
  KEY by_organisation (organisation_id)
);
INSERT INTO organisation_name (name, organisation_id) SELECT s.name, o.id FROM organisation o JOIN scope s ON s.id = o.id;

-- +goose Down
DROP TABLE organisation_name;
