package store

import (
	"context"
	"encoding/json"

	"arbora.example/access"
)

// PolicyVersion is a policy as a change wrote it.
type PolicyVersion struct {
	Revision uint64
	Author   Author
	Policy   access.Policy
}

// PolicyVersions lists what changes wrote of a policy, newest first: those before a revision, and at most so many.
func (s *Store) PolicyVersions(ctx context.Context, policy access.ID, before uint64, limit int) ([]PolicyVersion, error) {
	versions := []PolicyVersion{}
	err := each(ctx, s.db, `SELECT v.revision, c.made_by, c.made_from, c.made_at, c.changed FROM policy_version v
		JOIN change_record c ON c.organisation_id = v.organisation_id AND c.revision = v.revision
		WHERE v.policy_id = ? AND v.revision < ? ORDER BY v.revision DESC LIMIT ?`, []any{idColumn(policy), before, limit}, func(scan scanner) error {
		var v PolicyVersion
		var changed []byte
		if err := scan(&v.Revision, &v.Author.Name, &v.Author.From, &v.Author.At, &changed); err != nil {
			return err
		}
		var rows []struct {
			Table string
			After json.RawMessage
		}
		if err := json.Unmarshal(changed, &rows); err != nil {
			return err
		}
		for _, row := range rows {
			var p access.Policy
			if row.Table != "policy" || string(row.After) == "null" {
				continue
			}
			if err := json.Unmarshal(row.After, &p); err != nil {
				return err
			}
			if p.ID == policy {
				v.Policy = p
			}
		}
		versions = append(versions, v)
		return nil
	})
	return versions, err
}
