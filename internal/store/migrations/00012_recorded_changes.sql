-- +goose Up
-- What a change did to what is decided by, in the form of access.EncodeChanges, so that others can do the same. Those made before
-- this have none: whoever follows reads the organisation whole then.
ALTER TABLE change_record ADD COLUMN changes LONGTEXT NULL, ADD COLUMN beside BOOLEAN NOT NULL DEFAULT FALSE; -- it altered settings or quotas besides

-- +goose Down
ALTER TABLE change_record DROP COLUMN beside, DROP COLUMN changes;
