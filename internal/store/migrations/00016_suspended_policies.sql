-- +goose Up
-- A suspended policy decides nothing until it is resumed.
ALTER TABLE policy ADD COLUMN suspended BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE policy DROP COLUMN suspended;
