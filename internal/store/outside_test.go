package store_test

import (
	"encoding/json"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// TestTrustsAreKept writes what people come in by, who came, and ends their sessions with it.
func TestTrustsAreKept(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		ctx := t.Context()
		provider := access.Principal{ID: model.ID{40}, Kind: model.Provider, Name: "quaywater-sso", Own: true}
		ilka := access.Principal{ID: model.ID{39}, Kind: model.OutsidePerson, Name: "ilka@quaywater-sso", Provider: provider.ID, Subject: "Q 4711 ü"}
		identity := store.Identity{ID: ilka.ID, Name: ilka.Name, Title: "Ilka", By: credential.ByProvider}
		write := func(beside func(tx tenant.Tx) error, changes ...access.Change) {
			t.Helper()
			_, err := s.Write(ctx, top.ID, by, func(tx tenant.Tx, revision uint64) (string, error) {
				p, err := load(t, s).Propose(changes...)
				require.NoError(t, err)
				described := store.Descriptions{}
				if len(changes) > 0 {
					described.Principals = map[model.ID]store.PrincipalDetails{ilka.ID: {Title: "Ilka", Identity: ilka.ID, State: credential.Active}}
				}
				require.NoError(t, tx.Apply(p, described))
				return "wrote", beside(tx)
			})
			require.NoError(t, err)
		}
		write(func(tx tenant.Tx) error { return tx.CreateIdentity(identity) }, access.CreatePrincipal{Principal: provider}, access.CreatePrincipal{Principal: ilka})

		groups := []access.Principal{
			{ID: model.ID{38}, Kind: model.OutsideGroup, Name: "Säer (1)@quaywater-sso", Provider: provider.ID, Subject: "Säer (1)"},
			{ID: model.ID{37}, Kind: model.OutsideGroup, Name: "säer (1)@quaywater-sso", Provider: provider.ID, Subject: "säer (1)"},
			{ID: model.ID{36}, Kind: model.OutsideGroup, Name: "Säer ({n})@quaywater-sso", Provider: provider.ID, Subject: "Säer ({n})", Pattern: true},
		}
		for _, group := range groups {
			write(func(tenant.Tx) error { return nil }, access.CreatePrincipal{Principal: group})
		}
		write(func(tenant.Tx) error { return nil }, access.AddMember{Membership: access.Membership{Group: groups[0].ID, Member: ilka.ID}})
		again := load(t, s)
		known, _ := again.Principal(provider.ID)
		require.Equal(t, provider, known)
		for _, group := range groups {
			kept, _ := again.Principal(group.ID)
			require.Equal(t, group, kept)
		}
		require.Len(t, again.EveryMember(groups[2].ID), 1, "who is in a group that it matches")

		trust := store.Trust{ID: model.ID{7}, Organisation: top.ID, Provider: provider.ID, Issuer: "https://id.quaywater.example", ClientID: "arbora", Sealed: []byte{0, 1}, Scopes: []string{"profile", "email"}, State: store.TrustInUse, CreatedAt: now}
		write(func(tx tenant.Tx) error { return tx.PutTrust(store.Trust{}, trust) })
		read, err := s.Trust(ctx, trust.ID)
		require.NoError(t, err)
		require.Equal(t, trust, read)
		require.NoError(t, s.Tried(ctx, trust.ID, now))
		all, err := s.Trusts(ctx, top.ID)
		require.NoError(t, err)
		require.Len(t, all, 1)
		require.Equal(t, now, all[0].TriedAt)

		_, err = s.Entry(ctx, provider.ID)
		require.ErrorIs(t, err, store.ErrNotFound)
		entry := store.Entry{Provider: provider.ID, Map: json.RawMessage(`{"a": 1}`), Rule: `claim.role is "x"`, ClaimsLast: time.Hour}
		write(func(tx tenant.Tx) error { return tx.PutEntry(store.Entry{}, entry) })
		kept, err := s.Entry(ctx, provider.ID)
		require.NoError(t, err)
		require.JSONEq(t, string(entry.Map), string(kept.Map))
		kept.Map = entry.Map
		require.Equal(t, entry, kept)

		const many = 503
		for i := range many {
			a := store.Arrival{ID: tenant.NewID(), Organisation: top.ID, Provider: provider.ID, Trust: trust.ID, At: now, Subject: strconv.Itoa(i), Claims: json.RawMessage(`{}`), From: "192.0.2.1"}
			record := store.AuditRecord{}
			if i == many-1 {
				a.Refused, record = "why", store.AuditRecord{Organisation: "lindenmere", Author: by, Event: "sign-in-failed", Detail: "why"}
			}
			require.NoError(t, s.AddArrival(ctx, a, record))
		}
		arrivals, err := s.Arrivals(ctx, provider.ID, 1000)
		require.NoError(t, err)
		require.Len(t, arrivals, 500, "the last are kept")
		require.Equal(t, "502", arrivals[0].Subject)
		require.Equal(t, "why", arrivals[0].Refused)

		sign := func(sid string) credential.Token {
			token := credential.NewToken()
			session := store.Session{ID: tenant.NewID(), Identity: identity, Organisation: top.ID, Outside: store.Outside{Trust: trust.ID, Session: sid, Sealed: []byte{9}, Until: now.Add(time.Hour)}}
			require.NoError(t, s.StartSession(ctx, session, token, by))
			read, err := s.SessionFor(ctx, token)
			require.NoError(t, err)
			require.Equal(t, provider.ID, read.Provider)
			require.Equal(t, trust.ID, read.Outside.Trust)
			require.Equal(t, now.Add(time.Hour), read.Outside.Until)
			ends, err := s.EndsOutside(ctx, read.ID)
			require.NoError(t, err)
			require.Equal(t, []byte{9}, ends.Sealed)
			return token
		}
		ended := func(token credential.Token) bool {
			read, err := s.SessionFor(ctx, token)
			require.NoError(t, err)
			return !read.EndedAt.IsZero()
		}
		sign("z")
		for at, n := range map[time.Time]int{now.Add(59 * time.Minute): 1, now.Add(61 * time.Minute): 0} {
			list, err := s.Sessions(ctx, ilka.ID, at)
			require.NoError(t, err)
			require.Len(t, list, n, "a session is listed until its claims are too old")
		}
		write(func(tx tenant.Tx) error { return tx.EndSessions([]model.ID{ilka.ID}) })
		first, second := sign("a"), sign("b")
		record := store.AuditRecord{Organisation: "lindenmere", Author: by, Event: "session-ended", Detail: "ended"}
		n, err := s.EndOutside(ctx, trust.ID, "", "a", record)
		require.NoError(t, err)
		require.Equal(t, 1, n)
		require.True(t, ended(first))
		require.False(t, ended(second))
		n, err = s.EndOutside(ctx, trust.ID, "somebody else", "", record)
		require.NoError(t, err)
		require.Zero(t, n)
		n, err = s.EndOutside(ctx, trust.ID, ilka.Subject, "", record)
		require.NoError(t, err)
		require.Equal(t, 1, n)
		require.True(t, ended(second))

		third := sign("c")
		write(func(tx tenant.Tx) error { return tx.EndSessions([]model.ID{ilka.ID}) })
		require.True(t, ended(third))
		fourth := sign("d")
		on := trust
		on.State = store.TrustOnTrial
		write(func(tx tenant.Tx) error { return tx.PutTrust(trust, on) })
		require.True(t, ended(fourth), "what goes back on trial ends its sessions")
		fifth := sign("e")
		write(func(tx tenant.Tx) error { return tx.RemoveTrust(on) })
		require.True(t, ended(fifth))
		_, err = s.Trust(ctx, trust.ID)
		require.ErrorIs(t, err, store.ErrNotFound)
		sixth := sign("f")
		_, err = s.Write(ctx, top.ID, by, func(tx tenant.Tx, _ uint64) (string, error) {
			p, err := load(t, s).Propose(access.SetInactive{ID: provider.ID, Inactive: true})
			require.NoError(t, err)
			return "suspended", tx.Apply(p, store.Descriptions{Principals: map[model.ID]store.PrincipalDetails{provider.ID: {State: credential.Suspended}}})
		})
		require.NoError(t, err)
		require.True(t, ended(sixth), "a provider out of use ends all that began by it")
	})
}
