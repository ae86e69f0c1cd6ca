-- +goose Up
-- In which session a terminal was let in: that of an outside person ends with what their provider said.
ALTER TABLE device_request ADD COLUMN IF NOT EXISTS session_id BINARY(16) NULL;

-- +goose Down
ALTER TABLE device_request DROP COLUMN session_id;
