-- +goose Up
-- What takes a change back, in the form of access.EncodeChanges, and what was and is known of things besides, which decides nothing.
-- Records made before this have neither: those changes are not taken back by one command.
ALTER TABLE change_record ADD COLUMN back LONGTEXT NULL, ADD COLUMN described LONGTEXT NULL;

-- +goose Down
ALTER TABLE change_record DROP COLUMN described, DROP COLUMN back;
