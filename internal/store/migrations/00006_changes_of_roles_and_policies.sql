-- +goose Up
-- Changes of custom roles and of policies name their scope by another key than rows of other tables do, so the fourth migration
-- left them out when it worked out which changes touched which scopes.
INSERT IGNORE INTO changed_scope (organisation_id, scope_id, revision)
  SELECT organisation_id, UNHEX(REPLACE(id, '-', '')), revision FROM (
    SELECT c.organisation_id, c.revision, t.after_scope AS id FROM change_record c
      JOIN JSON_TABLE(c.changed, '$[*]' COLUMNS (after_scope CHAR(36) PATH '$.after.Scope')) t
    UNION SELECT c.organisation_id, c.revision, t.before_scope FROM change_record c
      JOIN JSON_TABLE(c.changed, '$[*]' COLUMNS (before_scope CHAR(36) PATH '$.before.Scope')) t) ids
  WHERE id IS NOT NULL AND id <> '00000000-0000-0000-0000-000000000000';

-- +goose Down
-- What was filled in is true, and goes with its table.
SELECT 1;
