package store_test

import (
	"encoding/json"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// write makes one write and expects it to go well.
func write(t *testing.T, s tenant.Records, rows func(tenant.Tx) error) {
	t.Helper()
	_, err := s.Write(t.Context(), top.ID, by, func(tx tenant.Tx, _ uint64) (string, error) { return "a test", rows(tx) })
	require.NoError(t, err)
}

// once runs something in eight places at once and gives how often it went well.
func once(t *testing.T, try func() bool) int64 {
	t.Helper()
	var well atomic.Int64
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			if try() {
				well.Add(1)
			}
		})
	}
	all.Wait()
	return well.Load()
}

// TestWhatWorksOnce uses links, codes, ceremonies and terminals from many places at once: each works for one of them.
func TestWhatWorksOnce(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		identity, err := s.Identity(t.Context(), rowan.ID)
		require.NoError(t, err)

		token := credential.NewToken()
		link := store.Link{Purpose: credential.ToPassword, Principal: rowan.ID, MadeAt: now, MadeBy: "maeve@lindenmere", Until: now.Add(time.Hour)}
		write(t, s, func(tx tenant.Tx) error { return tx.PutLink(token, link) })
		found, err := s.Link(t.Context(), token)
		require.NoError(t, err)
		link.Organisation = top.ID
		require.Equal(t, link, found)
		require.EqualValues(t, 1, once(t, func() bool {
			_, err := s.Write(t.Context(), top.ID, by, func(tx tenant.Tx, _ uint64) (string, error) { return "used", tx.UseLink(token) })
			return err == nil
		}))
		_, err = s.Link(t.Context(), token)
		require.ErrorIs(t, err, store.ErrNotFound)
		first, second := credential.NewToken(), credential.NewToken()
		for _, each := range []credential.Token{first, second} {
			write(t, s, func(tx tenant.Tx) error { return tx.PutLink(each, link) })
		}
		_, err = s.Link(t.Context(), first)
		require.ErrorIs(t, err, store.ErrNotFound, "a new link takes the place of the one before")
		last, err := s.LinkFor(t.Context(), top.ID, rowan.ID, credential.ToPassword)
		require.NoError(t, err)
		require.Equal(t, link, last)
		spare := access.Principal{ID: model.ID{59}, Kind: model.User, Name: "spare"}
		commit(t, s, "", store.Descriptions{}, access.CreatePrincipal{Principal: spare}, access.CreateGrant{Grant: access.Grant{ID: model.ID{7}, Scope: top.ID, Principal: spare.ID, Role: "steward"}})
		commit(t, s, "suspended", store.Descriptions{}, access.SetInactive{ID: rowan.ID, Inactive: true})
		_, err = s.Link(t.Context(), second)
		require.ErrorIs(t, err, store.ErrNotFound, "who is out of use has no link")

		_, err = s.Factor(t.Context(), rowan.ID)
		require.ErrorIs(t, err, store.ErrNotFound)
		require.NoError(t, s.BeginFactor(t.Context(), rowan.ID, []byte("sealed")))
		require.NoError(t, s.BeginFactor(t.Context(), rowan.ID, []byte("sealed anew")))
		require.NoError(t, s.ConfirmFactor(t.Context(), identity, model.ID{}, 100, []string{"abcde-fghjk", "zzzzz-zzzzz"}, by))
		require.NoError(t, s.BeginFactor(t.Context(), rowan.ID, []byte("too late")))
		factor, err := s.Factor(t.Context(), rowan.ID)
		require.NoError(t, err)
		require.Equal(t, store.Factor{Sealed: []byte("sealed anew"), Confirmed: true, LastStep: 100, Codes: 2}, factor)
		require.EqualValues(t, 1, once(t, func() bool {
			taken, err := s.TakeStep(t.Context(), rowan.ID, 101)
			return err == nil && taken
		}))
		taken, err := s.TakeStep(t.Context(), rowan.ID, 100)
		require.NoError(t, err)
		require.False(t, taken, "a step that is past")
		require.EqualValues(t, 1, once(t, func() bool {
			taken, err := s.TakeRecoveryCode(t.Context(), identity, "ABCDEFGHJK", by)
			return err == nil && taken
		}))
		identity, err = s.Identity(t.Context(), rowan.ID)
		require.NoError(t, err)
		require.True(t, identity.Factor)
		require.NoError(t, s.DropFactor(t.Context(), identity, store.AuditRecord{Author: by, Event: "second-factor-dropped"}))
		taken, err = s.TakeRecoveryCode(t.Context(), identity, "zzzzz-zzzzz", by)
		require.NoError(t, err)
		require.False(t, taken, "recovery codes go with the factor")

		ceremony := credential.NewToken()
		require.NoError(t, s.PutCeremony(t.Context(), ceremony, json.RawMessage(`{"challenge":"x"}`), now.Add(time.Minute), now))
		require.EqualValues(t, 1, once(t, func() bool {
			_, err := s.TakeCeremony(t.Context(), ceremony, now)
			return err == nil
		}))
		require.NoError(t, s.PutCeremony(t.Context(), ceremony, json.RawMessage(`{}`), now.Add(time.Minute), now))
		_, err = s.TakeCeremony(t.Context(), ceremony, now.Add(time.Minute))
		require.ErrorIs(t, err, store.ErrNotFound, "too late")

		device := store.DeviceRequest{Code: credential.NewToken(), UserCode: "BCDF-GHJK", Agent: "a test", From: "127.0.0.1", MadeAt: now, Until: now.Add(time.Minute)}
		require.NoError(t, s.AddDeviceRequest(t.Context(), device))
		asked, err := s.DeviceRequest(t.Context(), "BCDF-GHJK")
		require.NoError(t, err)
		require.True(t, asked.Identity.IsZero())
		record := store.AuditRecord{Author: by, Event: "terminal-decided"}
		require.EqualValues(t, 1, once(t, func() bool {
			return s.DecideDevice(t.Context(), "BCDF-GHJK", rowan.ID, top.ID, model.ID{8}, settings.PasskeyFactor, record) == nil
		}))
		polled, err := s.PollDevice(t.Context(), device.Code, now.Add(time.Second))
		require.NoError(t, err)
		require.Equal(t, rowan.ID, polled.Identity)
		require.Equal(t, settings.PasskeyFactor, polled.Factor)
		require.EqualValues(t, 1, once(t, func() bool { return s.TakeDevice(t.Context(), device.Code) == nil }))
	})
}

// TestKeysAndTokens keeps keys and what became of them and their tokens.
func TestKeysAndTokens(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		secret := credential.NewSecret()
		key := store.Key{ID: model.ID{40}, Organisation: top.ID, Principal: rowan.ID, SecretHash: secret.Hash(), Label: "laptop", CreatedAt: now, CreatedBy: "rowan@lindenmere", Until: now.Add(time.Hour)}
		write(t, s, func(tx tenant.Tx) error { return tx.CreateKey(key) })
		labs := store.Key{ID: model.ID{41}, Principal: model.PlatformServiceID("labs"), SecretHash: secret.Hash(), CreatedAt: now}
		require.NoError(t, s.CreateServiceKey(t.Context(), labs, "labs", by))
		found, err := s.Key(t.Context(), key.ID)
		require.NoError(t, err)
		require.Equal(t, key, found)
		require.NoError(t, s.TouchKey(t.Context(), key.ID, now.Add(time.Second), "127.0.0.2", store.AuditRecord{Author: by, Event: "token-issued"}))
		list, err := s.Keys(t.Context(), top.ID, rowan.ID)
		require.NoError(t, err)
		require.Len(t, list, 1)
		require.Equal(t, "127.0.0.2", list[0].LastUsedFrom)
		list, err = s.Keys(t.Context(), model.ID{}, labs.Principal)
		require.NoError(t, err)
		require.Len(t, list, 1, "a service's keys belong to no organisation")

		token := model.ID{50}
		_, revoked, err := s.KeyOfToken(t.Context(), key.ID, token)
		require.NoError(t, err)
		require.False(t, revoked)
		for range 2 {
			require.NoError(t, s.RevokeToken(t.Context(), token, now.Add(time.Minute), store.AuditRecord{Author: by, Event: "token-revoked"}))
		}
		_, revoked, err = s.KeyOfToken(t.Context(), key.ID, token)
		require.NoError(t, err)
		require.True(t, revoked)
		_, _, err = s.KeyOfToken(t.Context(), model.ID{99}, token)
		require.ErrorIs(t, err, store.ErrNotFound)
		later := by
		later.At = now.Add(time.Hour)
		require.NoError(t, s.RevokeToken(t.Context(), model.ID{51}, now.Add(2*time.Hour), store.AuditRecord{Author: later, Event: "token-revoked"}))
		_, revoked, err = s.KeyOfToken(t.Context(), key.ID, token)
		require.NoError(t, err)
		require.False(t, revoked, "a token that ended by itself is forgotten")

		write(t, s, func(tx tenant.Tx) error { return tx.WithdrawKey(key) })
		require.NoError(t, s.WithdrawServiceKey(t.Context(), labs, by))
		for _, id := range []model.ID{key.ID, labs.ID} {
			found, err = s.Key(t.Context(), id)
			require.NoError(t, err)
			require.Equal(t, now, found.WithdrawnAt, "kept, to tell so to whoever still uses it")
		}
		list, err = s.Keys(t.Context(), top.ID, rowan.ID)
		require.NoError(t, err)
		require.Empty(t, list)

		for i := range 3 {
			require.NoError(t, s.AddSigningKey(t.Context(), store.SigningKey{ID: string(rune('a' + i)), Sealed: []byte("sealed"), CreatedAt: now.Add(time.Duration(i) * time.Hour)}, now))
		}
		signing, err := s.SigningKeys(t.Context(), now.Add(-time.Hour))
		require.NoError(t, err)
		require.Len(t, signing, 2, "one that is too old to verify anything is forgotten")
		require.Equal(t, "c", signing[0].ID, "the newest first")
	})
}

// TestGuestsAndSeats lets a pending guest in, under another name, and tells where an identity is known.
func TestGuestsAndSeats(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		guest := access.Principal{ID: model.ID{60}, Kind: model.Guest, Name: "wren@meadowside.example", Inactive: true}
		said := func(d store.PrincipalDetails) store.Descriptions {
			return store.Descriptions{Principals: map[model.ID]store.PrincipalDetails{guest.ID: d}}
		}
		commit(t, s, "invited", said(store.PrincipalDetails{Title: "Wren", State: credential.Pending}), access.CreatePrincipal{Principal: guest})
		p, ok := load(t, s).Principal(guest.ID)
		require.True(t, ok)
		require.True(t, p.Inactive, "who is pending holds nothing")
		outsider := store.Identity{ID: model.ID{61}, Name: guest.Name, Email: guest.Name, Title: "Wren H.", PasswordHash: "hash"}
		write(t, s, func(tx tenant.Tx) error { return tx.CreateOutsider(outsider) })
		in := store.PrincipalDetails{Title: "Wren H.", State: credential.Active, Identity: outsider.ID}
		commit(t, s, "accepted", said(in), access.SetInactive{ID: guest.ID})
		p, _ = load(t, s).Principal(guest.ID)
		require.False(t, p.Inactive)
		found, err := s.IdentityNamed(t.Context(), credential.SignIn{Name: guest.Name})
		require.NoError(t, err)
		require.Equal(t, outsider.ID, found.ID)
		require.True(t, found.Organisation.IsZero())
		require.False(t, found.Keeper, "nobody from outside is a keeper")
		seats, err := s.Seats(t.Context(), outsider.ID)
		require.NoError(t, err)
		require.Equal(t, []store.Seat{{Organisation: top.ID, Name: "lindenmere", Principal: guest.ID, Kind: "guest"}}, seats)
		in.State = credential.Retired
		commit(t, s, "retired", said(in), access.SetInactive{ID: guest.ID, Inactive: true})
		seats, err = s.Seats(t.Context(), outsider.ID)
		require.NoError(t, err)
		require.Empty(t, seats)
		write(t, s, func(tx tenant.Tx) error {
			return tx.ChangeSettings(settings.DefaultSettings(), settings.Settings{KeysEach: 5, ForbidPublic: true})
		})
		set, err := s.Settings(t.Context(), top.ID)
		require.NoError(t, err)
		require.Equal(t, settings.Settings{KeysEach: 5, ForbidPublic: true}, set)
		set, err = s.Settings(t.Context(), model.ID{99})
		require.NoError(t, err)
		require.Equal(t, settings.DefaultSettings(), set)
	})
}
