package store

import (
	"context"
	"encoding/json"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// PolicyVersion is a policy as a change wrote it.
type PolicyVersion struct {
	Number   int // of the versions of the policy, from 1
	Revision uint64
	Author   Author
	Policy   statement.Policy
}

// PolicyVersions lists what changes wrote of a policy, newest first: those before a revision, and at most so many.
func (s *Store) PolicyVersions(ctx context.Context, policy model.ID, before uint64, limit int) ([]PolicyVersion, error) {
	versions := []PolicyVersion{}
	err := each(ctx, s.db, `SELECT (SELECT COUNT(*) FROM policy_version o WHERE o.policy_id = v.policy_id AND o.revision <= v.revision), v.revision, c.made_by, c.made_from, c.made_at, c.changed, c.changes FROM policy_version v
		JOIN change_record c ON c.organisation_id = v.organisation_id AND c.revision = v.revision
		WHERE v.policy_id = ? AND v.revision < ? ORDER BY v.revision DESC LIMIT ?`, []any{idColumn(policy), before, limit}, func(scan scanner) error {
		var v PolicyVersion
		var changed, changes []byte
		err := scan(&v.Number, &v.Revision, &v.Author.Name, &v.Author.From, &v.Author.At, &changed, &changes)
		if err != nil {
			return err
		}
		if changes == nil {
			v.Policy, err = writtenInRows(changed, policy)
		} else {
			v.Policy, err = writtenIn(changes, policy)
		}
		versions = append(versions, v)
		return err
	})
	return versions, err
}

// writtenIn finds a policy among recorded changes, as the last of them wrote it.
func writtenIn(text []byte, policy model.ID) (written statement.Policy, err error) {
	changes, err := access.DecodeChanges(text)
	for _, change := range changes {
		if put, ok := change.(access.PutPolicy); ok && put.Policy.ID == policy {
			written = put.Policy
		}
	}
	return written, err
}

// writtenInRows finds a policy in a change record of a version of Arbora that kept rows.
func writtenInRows(text []byte, policy model.ID) (written statement.Policy, err error) {
	var rows []struct {
		Table string
		After json.RawMessage
	}
	if err := json.Unmarshal(text, &rows); err != nil {
		return written, err
	}
	for _, row := range rows {
		var p statement.Policy
		if row.Table != "policy" || string(row.After) == "null" {
			continue
		}
		if err := json.Unmarshal(row.After, &p); err != nil {
			return written, err
		}
		if p.ID == policy {
			written = p
		}
	}
	return written, nil
}
