package ask

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/store"
)

// TestPrivilegedByDay goes back from the grants of today through a grant that was made, one that was revoked, one whose end was moved
// and one that ended by itself.
func TestPrivilegedByDay(t *testing.T) {
	first := time.Date(2026, 9, 1, 0, 0, 0, 0, time.UTC)
	at := func(day, hour int) time.Time { return first.AddDate(0, 0, day-1).Add(time.Duration(hour) * time.Hour) }
	days := []time.Time{at(1, 0), at(2, 0), at(3, 0), at(4, 0), at(5, 0)}
	grant := func(id byte, role string, until time.Time) access.Grant {
		return access.Grant{ID: model.ID{id}, Role: role, Period: statement.Period{Until: until}}
	}
	lasting, made, revoked := grant(1, "steward", time.Time{}), grant(2, "steward", time.Time{}), grant(3, "steward", time.Time{})
	lapsed, plain := grant(4, "steward", at(2, 12)), grant(5, "observer", time.Time{})
	moved := lapsed
	moved.Until = at(3, 12)
	steps := []store.GrantStep{
		{At: at(4, 9), Back: []access.Change{access.CreateGrant{Grant: revoked}}},
		{At: at(3, 9), Back: []access.Change{access.RevokeGrant{ID: made.ID}, access.RevokeGrant{ID: plain.ID}}},
		{At: at(2, 9), Back: []access.Change{access.EditGrant{Grant: moved}}},
	}
	counts := privilegedByDay([]access.Grant{lasting, made, lapsed, plain}, steps, days, at(5, 6), func(role string) bool { return role == "steward" })
	require.Equal(t, []int{3, 2, 3, 2, 2}, counts)
}
