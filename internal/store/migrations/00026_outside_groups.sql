-- +goose Up
-- Outside groups are principals, too, called as their provider calls them, and its name after an @. A pattern stands for those that it matches.
ALTER TABLE principal
  MODIFY COLUMN name VARCHAR(320) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  ADD COLUMN IF NOT EXISTS pattern BOOL NOT NULL DEFAULT FALSE;

-- +goose Down
DELETE m FROM membership m JOIN principal p ON p.organisation_id = m.organisation_id AND p.id IN (m.group_id, m.member_id) WHERE p.kind = 'outside-group';
DELETE FROM principal WHERE kind = 'outside-group';
ALTER TABLE principal
  MODIFY COLUMN name VARCHAR(254) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  DROP COLUMN pattern;
