-- +goose Up
-- Which changes wrote a policy, and so where each of its versions stands in the change records.
CREATE TABLE policy_version (
  organisation_id BINARY(16) NOT NULL,
  policy_id       BINARY(16) NOT NULL,
  revision        BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (policy_id, revision),
  CONSTRAINT version_revision FOREIGN KEY (organisation_id, revision) REFERENCES change_record (organisation_id, revision)
) ENGINE=InnoDB;

INSERT IGNORE INTO policy_version (organisation_id, policy_id, revision)
  SELECT c.organisation_id, UNHEX(REPLACE(t.id, '-', '')), c.revision FROM change_record c
    JOIN JSON_TABLE(c.changed, '$[*]' COLUMNS (row_table VARCHAR(63) PATH '$.table', id CHAR(36) PATH '$.after.ID')) t
  WHERE t.row_table = 'policy' AND t.id IS NOT NULL;

-- +goose Down
DROP TABLE policy_version;
