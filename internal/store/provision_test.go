package store_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// TestProvisionedAreKept writes, finds and forgets what a provider's system tells, and what it shows to come in.
func TestProvisionedAreKept(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		ctx, provider := t.Context(), model.ID{40}
		write := func(fn func(tx tenant.Tx) error) {
			t.Helper()
			_, err := s.Write(ctx, top.ID, by, func(tx tenant.Tx, _ uint64) (string, error) { return "wrote", fn(tx) })
			require.NoError(t, err)
		}
		ilka := store.Provisioned{
			ID: model.ID{1}, Provider: provider, Principal: model.ID{41}, Kind: store.ProvisionedUser, Name: "ilka ü", External: "q-4711", Active: true, Body: json.RawMessage(`{"a":1}`), Version: 1, CreatedAt: now, ChangedAt: now,
		}
		group := store.Provisioned{ID: model.ID{2}, Provider: provider, Principal: model.ID{42}, Kind: store.ProvisionedGroup, Name: "Ilka Ü", Body: json.RawMessage(`{}`), Version: 1, CreatedAt: now, ChangedAt: now}
		write(func(tx tenant.Tx) error { return tx.PutProvisioned(store.Provisioned{}, ilka) })
		write(func(tx tenant.Tx) error { return tx.PutProvisioned(store.Provisioned{}, group) })
		kept, err := s.Provisioned(ctx, ilka.ID)
		require.NoError(t, err)
		require.Equal(t, ilka, kept)
		_, err = s.Provisioned(ctx, model.ID{9})
		require.ErrorIs(t, err, store.ErrNotFound)

		found := func(q store.ProvisionedQuery) (ids []model.ID, total int) {
			if q.Limit == 0 {
				q.Limit = 10
			}
			list, total, err := s.ProvisionedBy(ctx, provider, q)
			require.NoError(t, err)
			for _, one := range list {
				ids = append(ids, one.ID)
			}
			return ids, total
		}
		for _, q := range []store.ProvisionedQuery{
			{Kind: store.ProvisionedUser}, {Kind: store.ProvisionedUser, Name: "ilka ü"}, {Kind: store.ProvisionedUser, External: "q-4711"}, {Kind: store.ProvisionedUser, Principals: []model.ID{{7}, {41}}},
		} {
			ids, total := found(q)
			require.Equal(t, []model.ID{ilka.ID}, ids)
			require.Equal(t, 1, total)
		}
		for _, q := range []store.ProvisionedQuery{
			{Kind: store.ProvisionedLeft}, {Kind: store.ProvisionedUser, Name: "Ilka Ü"}, {Kind: store.ProvisionedUser, External: "Q-4711"}, {Kind: store.ProvisionedGroup, Principals: []model.ID{{41}}},
		} {
			ids, _ := found(q)
			require.Empty(t, ids)
		}
		ids, total := found(store.ProvisionedQuery{Kind: store.ProvisionedUser, Offset: 1})
		require.Empty(t, ids)
		require.Equal(t, 1, total)

		left := ilka
		left.Kind, left.Name, left.Active, left.Version = store.ProvisionedLeft, "q-4711", false, 2
		write(func(tx tenant.Tx) error { return tx.PutProvisioned(ilka, left) })
		kept, err = s.Provisioned(ctx, ilka.ID)
		require.NoError(t, err)
		require.Equal(t, left, kept)
		write(func(tx tenant.Tx) error { return tx.RemoveProvisioned(left) })
		_, err = s.Provisioned(ctx, ilka.ID)
		require.ErrorIs(t, err, store.ErrNotFound)

		token := store.ProvisioningToken{ID: model.ID{3}, Organisation: top.ID, Provider: provider, Label: "people system", Hash: [32]byte{1, 2}, CreatedBy: "rowan", CreatedAt: now, Until: now.AddDate(0, 0, 7)}
		write(func(tx tenant.Tx) error { return tx.PutProvisioningToken(store.ProvisioningToken{}, token) })
		shown, err := s.ProvisioningToken(ctx, token.Hash)
		require.NoError(t, err)
		require.Equal(t, token, shown)
		_, err = s.ProvisioningToken(ctx, [32]byte{9})
		require.ErrorIs(t, err, store.ErrNotFound)
		require.NoError(t, s.TouchProvisioningToken(ctx, token.ID, now))
		revoked := token
		revoked.UsedAt, revoked.RevokedAt = now, now
		all, err := s.ProvisioningTokens(ctx, provider)
		require.NoError(t, err)
		require.Equal(t, now, all[0].UsedAt)
		write(func(tx tenant.Tx) error { return tx.PutProvisioningToken(token, revoked) })
		all, err = s.ProvisioningTokens(ctx, provider)
		require.NoError(t, err)
		require.Equal(t, []store.ProvisioningToken{revoked}, all)
	})
}
