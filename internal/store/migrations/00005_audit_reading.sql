-- +goose Up
-- The audit log is read by what happened, by who did it, and by when.
ALTER TABLE audit_record
  ADD KEY by_event (organisation, event, number),
  ADD KEY by_actor (organisation, actor, number),
  ADD KEY by_time (organisation, recorded_at, number);

-- +goose Down
ALTER TABLE audit_record DROP KEY by_event, DROP KEY by_actor, DROP KEY by_time;
