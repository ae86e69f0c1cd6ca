-- +goose Up
-- The tree in use: what scopes are found by, and which changes touched which scopes.

-- The terms that a search finds a scope by: its full name from each word on, its type or kind, its tags.
CREATE TABLE scope_term (
  organisation_id BINARY(16) NOT NULL,
  term            VARCHAR(300) NOT NULL,
  scope_id        BINARY(16) NOT NULL,
  PRIMARY KEY (organisation_id, term, scope_id),
  KEY by_scope (scope_id),
  CONSTRAINT term_scope FOREIGN KEY (scope_id) REFERENCES scope (id)
) ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

INSERT INTO scope_term (organisation_id, term, scope_id)
  WITH RECURSIVE n AS (SELECT 1 AS i UNION ALL SELECT i + 1 FROM n WHERE i < 63)
  SELECT organisation_id, CONCAT(SUBSTRING_INDEX(name, '-', -n.i), IF(kind = 'resource', CONCAT('.', type), '')), id
    FROM scope JOIN n ON n.i <= LENGTH(name) - LENGTH(REPLACE(name, '-', '')) + 1
  UNION DISTINCT SELECT organisation_id, IF(kind = 'resource', type, kind), id FROM scope;
INSERT IGNORE INTO scope_term (organisation_id, term, scope_id)
  SELECT s.organisation_id, LOWER(CONCAT(t.k, '=', JSON_UNQUOTE(JSON_EXTRACT(s.tags, CONCAT('$."', t.k, '"'))))), s.id
    FROM scope s JOIN JSON_TABLE(JSON_KEYS(s.tags), '$[*]' COLUMNS (k VARCHAR(63) PATH '$')) t
  UNION DISTINCT SELECT s.organisation_id, LOWER(JSON_UNQUOTE(JSON_EXTRACT(s.tags, CONCAT('$."', t.k, '"')))), s.id
    FROM scope s JOIN JSON_TABLE(JSON_KEYS(s.tags), '$[*]' COLUMNS (k VARCHAR(63) PATH '$')) t;
DELETE FROM scope_term WHERE term = '';

ALTER TABLE scope ADD KEY by_state (organisation_id, retired, id);

CREATE TABLE changed_scope (
  organisation_id BINARY(16) NOT NULL,
  scope_id        BINARY(16) NOT NULL,
  revision        BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (organisation_id, scope_id, revision),
  KEY by_revision (organisation_id, revision),
  CONSTRAINT changed_revision FOREIGN KEY (organisation_id, revision) REFERENCES change_record (organisation_id, revision)
) ENGINE=InnoDB;

INSERT IGNORE INTO changed_scope (organisation_id, scope_id, revision)
  WITH named AS (
    SELECT c.organisation_id, c.revision, t.* FROM change_record c JOIN JSON_TABLE(c.changed, '$[*]' COLUMNS (
      row_table VARCHAR(63) PATH '$.table',
      after_id CHAR(36) PATH '$.after.id', before_id CHAR(36) PATH '$.before.id',
      after_scope CHAR(36) PATH '$.after.scope_id', before_scope CHAR(36) PATH '$.before.scope_id',
      after_parent CHAR(36) PATH '$.after.parent_id', before_parent CHAR(36) PATH '$.before.parent_id')) t)
  SELECT organisation_id, UNHEX(REPLACE(id, '-', '')), revision FROM (
    SELECT organisation_id, revision, after_id AS id FROM named WHERE row_table = 'scope'
    UNION SELECT organisation_id, revision, before_id FROM named WHERE row_table = 'scope'
    UNION SELECT organisation_id, revision, after_parent FROM named WHERE row_table = 'scope'
    UNION SELECT organisation_id, revision, before_parent FROM named WHERE row_table = 'scope'
    UNION SELECT organisation_id, revision, after_scope FROM named
    UNION SELECT organisation_id, revision, before_scope FROM named) ids
  WHERE id IS NOT NULL AND id <> '' AND id <> '00000000-0000-0000-0000-000000000000';

-- +goose Down
DROP TABLE changed_scope, scope_term;
ALTER TABLE scope DROP KEY by_state;
