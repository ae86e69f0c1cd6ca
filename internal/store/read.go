package store

import (
	"context"
	"strings"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/store/prepared"
)

// Details reads what is known of things that no decision needs: as it is, from a [Store], or within a write, from its [Tx],
// where nobody else alters it before the write ends.
type Details struct{ from prepared.Querier }

// ScopeDetails is what is known of a scope that no decision needs.
type ScopeDetails struct {
	Title       string    `json:"title,omitempty"`
	Description string    `json:"description,omitempty"`
	CreatedAt   time.Time `json:"-"`
}

// PrincipalDetails is what is known of a principal that no decision needs.
type PrincipalDetails struct {
	Title       string           `json:"title,omitempty"` // a person's display name
	Description string           `json:"description,omitempty"`
	Email       string           `json:"email,omitempty"` // of users, and of guests: what was invited
	State       credential.State `json:"state,omitempty"`
	Identity    model.ID         `json:"identity,omitzero"` // of a user or guest: who acts as it; zero while nobody does
	CreatedAt   time.Time        `json:"-"`
}

// GrantDetails is what is known of a grant that no decision needs.
type GrantDetails struct {
	Description string
	CreatedAt   time.Time
	CreatedBy   string
}

// PolicyDetails is what is known of a policy that no decision needs.
type PolicyDetails struct {
	Description string
	CreatedAt   time.Time
	CreatedBy   string
	WrittenAt   time.Time
	WrittenBy   string
}

// Revisions returns the revision of every organisation.
func (s *Store) Revisions(ctx context.Context) (map[model.ID]uint64, error) {
	revisions := map[model.ID]uint64{}
	err := each(ctx, s.db, "SELECT id, revision FROM organisation", nil, func(scan scanner) error {
		var id idColumn
		var revision uint64
		if err := scan(&id, &revision); err != nil {
			return err
		}
		revisions[model.ID(id)] = revision
		return nil
	})
	return revisions, err
}

// OrganisationNamed finds the organisation that has a name, or has had it. It returns [ErrNotFound] when there is none.
func (d Details) OrganisationNamed(ctx context.Context, name string) (id model.ID, err error) {
	err = each(ctx, d.from, "SELECT organisation_id FROM organisation_name WHERE name = ?", []any{name}, func(scan scanner) error { return scan((*idColumn)(&id)) })
	if err == nil && id.IsZero() {
		err = ErrNotFound
	}
	return id, err
}

// namesOf returns every name that an organisation has had, in order.
func (d Details) namesOf(ctx context.Context, organisation model.ID) (names []string, err error) {
	err = each(ctx, d.from, "SELECT name FROM organisation_name WHERE organisation_id = ? ORDER BY name", []any{idColumn(organisation)}, func(scan scanner) error {
		var name string
		err := scan(&name)
		names = append(names, name)
		return err
	})
	return names, err
}

// ScopeDetails reads the details of scopes by id.
func (d Details) ScopeDetails(ctx context.Context, ids []model.ID) (map[model.ID]ScopeDetails, error) {
	details := make(map[model.ID]ScopeDetails, len(ids))
	err := eachOf(ctx, d.from, "SELECT id, title, description, created_at FROM scope WHERE id IN ", ids, func(scan scanner) error {
		var id idColumn
		var one ScopeDetails
		if err := scan(&id, &one.Title, &one.Description, &one.CreatedAt); err != nil {
			return err
		}
		details[model.ID(id)] = one
		return nil
	})
	return details, err
}

// PrincipalDetails reads the details of principals of an organisation by id.
func (d Details) PrincipalDetails(ctx context.Context, organisation model.ID, ids []model.ID) (map[model.ID]PrincipalDetails, error) {
	details := make(map[model.ID]PrincipalDetails, len(ids))
	query := `SELECT p.id, p.title, p.description, COALESCE(i.email, ''), p.state, p.identity_id, p.created_at
		FROM principal p LEFT JOIN identity i ON i.id = p.identity_id WHERE p.organisation_id = ? AND p.id IN `
	err := eachOf(ctx, d.from, query, ids, func(scan scanner) error {
		var id idColumn
		var one PrincipalDetails
		if err := scan(&id, &one.Title, &one.Description, &one.Email, &one.State, (*idColumn)(&one.Identity), &one.CreatedAt); err != nil {
			return err
		}
		details[model.ID(id)] = one
		return nil
	}, idColumn(organisation))
	return details, err
}

// WithEmail finds the users of an organisation that have a mail address, by id; at most three of them.
func (d Details) WithEmail(ctx context.Context, organisation model.ID, email string) (ids []model.ID, err error) {
	query := "SELECT p.id FROM principal p JOIN identity i ON i.id = p.identity_id WHERE p.organisation_id = ? AND i.email = ? ORDER BY p.id LIMIT 3"
	return ids, each(ctx, d.from, query, []any{idColumn(organisation), email}, func(scan scanner) error {
		var id model.ID
		err := scan((*idColumn)(&id))
		ids = append(ids, id)
		return err
	})
}

// GrantDetails reads the details of grants by id.
func (d Details) GrantDetails(ctx context.Context, ids []model.ID) (map[model.ID]GrantDetails, error) {
	details := make(map[model.ID]GrantDetails, len(ids))
	err := eachOf(ctx, d.from, "SELECT id, description, created_at, created_by FROM role_grant WHERE id IN ", ids, func(scan scanner) error {
		var id idColumn
		var one GrantDetails
		if err := scan(&id, &one.Description, &one.CreatedAt, &one.CreatedBy); err != nil {
			return err
		}
		details[model.ID(id)] = one
		return nil
	})
	return details, err
}

// PolicyDetails reads the details of policies by id.
func (d Details) PolicyDetails(ctx context.Context, ids []model.ID) (map[model.ID]PolicyDetails, error) {
	details := make(map[model.ID]PolicyDetails, len(ids))
	query := "SELECT id, description, created_at, created_by, written_at, written_by FROM policy WHERE id IN "
	err := eachOf(ctx, d.from, query, ids, func(scan scanner) error {
		var id idColumn
		var one PolicyDetails
		if err := scan(&id, &one.Description, &one.CreatedAt, &one.CreatedBy, &one.WrittenAt, &one.WrittenBy); err != nil {
			return err
		}
		details[model.ID(id)] = one
		return nil
	})
	return details, err
}

type scanner = func(into ...any) error

// each runs a query and calls fn for every row.
func each(ctx context.Context, q prepared.Querier, query string, args []any, fn func(scanner) error) error {
	return mark(prepared.Each(ctx, q, query, args, fn))
}

// eachOf runs a query that ends in "IN" for a list of ids, a thousand at a time; before are the values of the
// placeholders that come first.
func eachOf(ctx context.Context, q prepared.Querier, query string, ids []model.ID, fn func(scanner) error, before ...any) error {
	const most = 1000
	for len(ids) > 0 {
		some := ids[:min(most, len(ids))]
		ids = ids[len(some):]
		args := append([]any{}, before...)
		for _, id := range some {
			args = append(args, idColumn(id))
		}
		places := "(" + strings.Repeat("?, ", len(some)-1) + "?)"
		if err := each(ctx, q, query+places, args, fn); err != nil {
			return err
		}
	}
	return nil
}
