-- +goose Up
-- An audit record is told in full from the change that it is about, which is found by its moment.
CREATE INDEX by_moment ON change_record (organisation_id, made_at);

-- +goose Down
DROP INDEX by_moment ON change_record;
