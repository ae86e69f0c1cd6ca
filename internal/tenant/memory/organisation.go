package memory

import (
	"cmp"
	"context"
	"crypto/sha256"
	"fmt"
	"math"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// in calls fn with an organisation, which is [store.ErrNotFound] when it is not there.
func in[T any](r *Records, id model.ID, fn func(organisation) (T, error)) (T, error) {
	return read(r, func() (T, error) {
		o, err := found(r.organisations, id)
		if err != nil {
			var none T
			return none, err
		}
		return fn(o)
	})
}

// Revisions returns the revision of every organisation.
func (r *Records) Revisions(context.Context) (map[model.ID]uint64, error) {
	return read(r, func() (map[model.ID]uint64, error) {
		revisions := map[model.ID]uint64{}
		for id, o := range r.organisations {
			revisions[id] = o.revision
		}
		return revisions, nil
	})
}

// Load hands on the changes that make an organisation.
func (r *Records) Load(_ context.Context, id model.ID, into func(access.Change) error) (uint64, error) {
	o, err := in(r, id, func(o organisation) (organisation, error) { return o, nil })
	if err != nil {
		return 0, err
	}
	for _, change := range o.now.Changes() {
		if err := into(change); err != nil {
			return 0, err
		}
	}
	return o.revision, nil
}

// Settings returns what an organisation has decided for itself.
func (r *Records) Settings(_ context.Context, id model.ID) (settings.Settings, error) {
	return read(r, func() (settings.Settings, error) {
		if o := r.organisations[id]; o.settings != nil {
			return *o.settings, nil
		}
		return settings.DefaultSettings(), nil
	})
}

// Quotas returns what keepers bound an organisation to.
func (r *Records) Quotas(_ context.Context, id model.ID) (settings.Quotas, error) {
	return in(r, id, func(o organisation) (settings.Quotas, error) { return o.quotas, nil })
}

// OrganisationNamed finds the organisation that has a name, or has had it.
func (r *Records) OrganisationNamed(_ context.Context, name string) (model.ID, error) {
	return read(r, func() (model.ID, error) { return found(r.names, name) })
}

// top returns the name of an organisation; empty for none.
func (r *Records) top(id model.ID) string {
	if o, ok := r.organisations[id]; ok {
		top, _ := o.now.Top()
		return top.Name
	}
	return ""
}

// ScopeDetails returns what is known of scopes.
func (r *Records) ScopeDetails(_ context.Context, ids []model.ID) (map[model.ID]store.ScopeDetails, error) {
	return read(r, func() (map[model.ID]store.ScopeDetails, error) {
		return gather(r, ids, func(o organisation) map[model.ID]store.ScopeDetails { return o.scopes }), nil
	})
}

// gather collects details from all organisations, whose ids differ.
func gather[V any](r *Records, ids []model.ID, of func(organisation) map[model.ID]V) map[model.ID]V {
	all := make(map[model.ID]V, len(ids))
	for _, o := range r.organisations {
		for id, d := range some(of(o), ids) {
			all[id] = d
		}
	}
	return all
}

// PrincipalDetails returns what is known of principals of an organisation.
func (r *Records) PrincipalDetails(_ context.Context, id model.ID, ids []model.ID) (map[model.ID]store.PrincipalDetails, error) {
	return read(r, func() (map[model.ID]store.PrincipalDetails, error) {
		details := some(r.organisations[id].people, ids)
		for p, d := range details {
			d.Email = r.identities[d.Identity].Email
			details[p] = d
		}
		return details, nil
	})
}

// WithEmail finds the users of an organisation that have a mail address.
func (r *Records) WithEmail(_ context.Context, id model.ID, email string) ([]model.ID, error) {
	return read(r, func() (ids []model.ID, err error) {
		for p, d := range r.organisations[id].people {
			if i, ok := r.identities[d.Identity]; ok && i.Email == email {
				ids = append(ids, p)
			}
		}
		slices.SortFunc(ids, model.ID.Compare)
		return ids[:min(3, len(ids))], nil
	})
}

// GrantDetails returns what is known of grants.
func (r *Records) GrantDetails(_ context.Context, ids []model.ID) (map[model.ID]store.GrantDetails, error) {
	return read(r, func() (map[model.ID]store.GrantDetails, error) {
		return gather(r, ids, func(o organisation) map[model.ID]store.GrantDetails { return o.grants }), nil
	})
}

// PolicyDetails returns what is known of policies.
func (r *Records) PolicyDetails(_ context.Context, ids []model.ID) (map[model.ID]store.PolicyDetails, error) {
	return read(r, func() (map[model.ID]store.PolicyDetails, error) {
		return gather(r, ids, func(o organisation) map[model.ID]store.PolicyDetails { return o.policies }), nil
	})
}

// PendingGuests lists the guests who have not accepted, longest invited first.
func (r *Records) PendingGuests(_ context.Context, id model.ID, limit int) ([]model.ID, error) {
	return in(r, id, func(o organisation) (ids []model.ID, err error) {
		for p, d := range o.people {
			if one, _ := o.now.Principal(p); one.Kind == model.Guest && d.State == credential.Pending {
				ids = append(ids, p)
			}
		}
		slices.SortFunc(ids, func(a, b model.ID) int {
			return cmp.Or(o.people[a].CreatedAt.Compare(o.people[b].CreatedAt), a.Compare(b))
		})
		return ids[:min(limit, len(ids))], nil
	})
}

// Change returns the record of the change that led to a revision.
func (r *Records) Change(_ context.Context, id model.ID, revision uint64) (store.Recorded, error) {
	return in(r, id, func(o organisation) (store.Recorded, error) {
		for _, one := range o.records {
			if one.Revision == revision {
				return one.Recorded, nil
			}
		}
		return store.Recorded{}, store.ErrNotFound
	})
}

// LastChange finds the last change that somebody made.
func (r *Records) LastChange(_ context.Context, id model.ID, by string) (uint64, error) {
	return in(r, id, func(o organisation) (uint64, error) {
		for _, one := range slices.Backward(o.records) {
			if one.Author.Name == by {
				return one.Revision, nil
			}
		}
		return 0, store.ErrNotFound
	})
}

// RevisionOf finds the revision that the change of an audit record led to.
func (r *Records) RevisionOf(_ context.Context, id model.ID, record store.AuditRecord) (uint64, error) {
	return in(r, id, func(o organisation) (uint64, error) {
		for _, one := range o.records {
			if one.Author.At.Equal(record.Author.At) && one.Author.Name == record.Author.Name && one.What == record.Detail {
				return one.Revision, nil
			}
		}
		return 0, store.ErrNotFound
	})
}

// ChangesSince returns the steps that an organisation has made since a revision.
func (r *Records) ChangesSince(_ context.Context, id model.ID, revision, upTo uint64) (steps []store.Step, untold, err error) {
	if upTo == 0 {
		upTo = math.MaxUint64
	}
	steps, err = in(r, id, func(o organisation) (steps []store.Step, err error) {
		for _, one := range o.records {
			if one.Revision > revision && one.Revision <= upTo {
				steps = append(steps, store.Step{Revision: one.Revision, Changes: one.Changes, Beside: one.beside})
			}
		}
		return steps, nil
	})
	return steps, nil, err
}

// OldestTold returns the first revision from which on every step is told.
func (r *Records) OldestTold(_ context.Context, id model.ID) (uint64, error) {
	return in(r, id, func(o organisation) (uint64, error) {
		if len(o.records) == 0 {
			return 0, nil
		}
		return o.records[0].Revision, nil
	})
}

// RecordMark returns what stands for the change record that led to a revision.
func (r *Records) RecordMark(ctx context.Context, id model.ID, revision uint64) (mark [32]byte, err error) {
	one, err := r.Change(ctx, id, revision)
	if err != nil {
		return mark, err
	}
	return sha256.Sum256(fmt.Appendf(nil, "%d|%s|%s|%s", one.Author.At.UnixMicro(), one.Author.Name, one.Author.From, one.What)), nil
}

// ScopeChanges lists the changes that touched a scope, newest first.
func (r *Records) ScopeChanges(_ context.Context, id, scope model.ID, before uint64, limit int) ([]store.ScopeChange, error) {
	return in(r, id, func(o organisation) ([]store.ScopeChange, error) {
		changes := []store.ScopeChange{}
		for _, one := range slices.Backward(o.records) {
			if one.Revision < before && slices.Contains(one.touched, scope) && len(changes) < limit {
				changes = append(changes, store.ScopeChange{Revision: one.Revision, Author: one.Author, What: one.What, Scopes: one.touched})
			}
		}
		return changes, nil
	})
}

// PolicyVersions lists what changes wrote of a policy, newest first.
func (r *Records) PolicyVersions(_ context.Context, policy model.ID, before uint64, limit int) ([]store.PolicyVersion, error) {
	return read(r, func() ([]store.PolicyVersion, error) {
		all := []store.PolicyVersion{}
		for _, o := range r.organisations {
			for _, one := range o.records {
				for _, p := range one.written {
					if p.ID == policy && one.Revision < before {
						all = append(all, store.PolicyVersion{Number: len(all) + 1, Revision: one.Revision, Author: one.Author, Policy: p})
					}
				}
			}
		}
		slices.Reverse(all)
		return all[:min(limit, len(all))], nil
	})
}

// SearchScopes finds scopes by what their terms begin with, or lists them by id.
func (r *Records) SearchScopes(_ context.Context, id model.ID, q store.Search) ([]store.Found, error) {
	return in(r, id, func(o organisation) ([]store.Found, error) {
		list := []store.Found{}
		for _, change := range o.now.Changes() {
			made, ok := change.(access.CreateScope)
			if !ok {
				continue
			}
			scope, _ := o.now.Scope(made.Scope.ID)
			terms := scope.Terms()
			tagged := slices.ContainsFunc(terms, func(term string) bool {
				return term == q.Tag || strings.HasSuffix(q.Tag, "=") && strings.HasPrefix(term, q.Tag)
			})
			if q.Kind != "" && scope.Kind.String() != q.Kind || q.Type != "" && scope.Type != q.Type || q.Retired != nil && scope.Retired != *q.Retired || q.Tag != "" && !tagged {
				continue
			}
			if q.Term == "" {
				terms = []string{""}
			}
			for _, term := range terms {
				if strings.HasPrefix(term, q.Term) && (!q.Exact || term == q.Term) {
					list = append(list, store.Found{Term: term, ID: scope.ID, Title: o.scopes[scope.ID].Title})
				}
			}
		}
		order := func(a, b store.Found) int { return cmp.Or(cmp.Compare(a.Term, b.Term), a.ID.Compare(b.ID)) }
		slices.SortFunc(list, order)
		after := q.After
		if q.Exact {
			after.Term = q.Term
		}
		list = slices.DeleteFunc(list, func(f store.Found) bool {
			return (after.Term != "" || !after.ID.IsZero()) && order(f, after) <= 0
		})
		return list[:min(q.Limit, len(list))], nil
	})
}
