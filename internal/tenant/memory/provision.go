package memory

import (
	"context"
	"slices"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// Provisioned finds what a provider's system has told of by its id.
func (r *Records) Provisioned(_ context.Context, id model.ID) (store.Provisioned, error) {
	return read(r, func() (store.Provisioned, error) { return found(r.provisioned, id) })
}

// ProvisionedBy lists what a provider's system has told of, the oldest first, and counts all that is asked for.
func (r *Records) ProvisionedBy(_ context.Context, provider model.ID, q store.ProvisionedQuery) (list []store.Provisioned, total int, err error) {
	list, err = read(r, func() ([]store.Provisioned, error) {
		return byID(r.provisioned, func(p store.Provisioned) bool {
			return p.Provider == provider && p.Kind == q.Kind && (q.Name == "" || p.Name == q.Name) && (q.External == "" || p.External == q.External) &&
				(len(q.Principals) == 0 || slices.Contains(q.Principals, p.Principal))
		}), nil
	})
	total = len(list)
	list = list[min(q.Offset, total):]
	return list[:min(q.Limit, len(list))], total, err
}

// PutProvisioned keeps what a provider's system tells.
func (w *write) PutProvisioned(_, after store.Provisioned) error {
	w.then(func(*organisation) { w.provisioned[after.ID] = after })
	return nil
}

// RemoveProvisioned forgets what a provider's system has told of somebody or a group.
func (w *write) RemoveProvisioned(p store.Provisioned) error {
	w.then(func(*organisation) { delete(w.provisioned, p.ID) })
	return nil
}

// ProvisioningToken finds a token by its hash.
func (r *Records) ProvisioningToken(_ context.Context, hash [32]byte) (store.ProvisioningToken, error) {
	return read(r, func() (store.ProvisioningToken, error) {
		for _, t := range r.provisioningTokens {
			if t.Hash == hash {
				return t, nil
			}
		}
		return store.ProvisioningToken{}, store.ErrNotFound
	})
}

// ProvisioningTokens lists the tokens of a provider, the oldest first.
func (r *Records) ProvisioningTokens(_ context.Context, provider model.ID) ([]store.ProvisioningToken, error) {
	return read(r, func() ([]store.ProvisioningToken, error) {
		return byID(r.provisioningTokens, func(t store.ProvisioningToken) bool { return t.Provider == provider }), nil
	})
}

// TouchProvisioningToken notes that a token was shown.
func (r *Records) TouchProvisioningToken(_ context.Context, id model.ID, at time.Time) error {
	return r.alter(func() error {
		if t, there := r.provisioningTokens[id]; there {
			t.UsedAt = at
			r.provisioningTokens[id] = t
		}
		return nil
	})
}

// PutProvisioningToken keeps a token.
func (w *write) PutProvisioningToken(_, after store.ProvisioningToken) error {
	after.Organisation = w.organisation
	w.then(func(*organisation) { w.provisioningTokens[after.ID] = after })
	return nil
}
