package store_test

import (
	"database/sql"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/e2e/testbed"
)

// TestOneHoldsALease: who holds it keeps it by saying so, another takes it over once it has ended or was given up.
func TestOneHoldsALease(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	first, second := model.ID{1}, model.ID{2}
	take := func(holder model.ID) bool {
		held, err := s.Lease(t.Context(), "snapshots of a host", holder, time.Minute)
		require.NoError(t, err)
		return held
	}
	require.True(t, take(first))
	require.True(t, take(first))
	require.False(t, take(second))
	other, err := s.Lease(t.Context(), "something else", second, time.Minute)
	require.NoError(t, err)
	require.True(t, other)

	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.ExecContext(t.Context(), "UPDATE lease SET until = UTC_TIMESTAMP(6) - INTERVAL 1 SECOND") // as if it had not said so for long
	require.NoError(t, err)
	require.True(t, take(second))
	require.False(t, take(first))
	require.NoError(t, s.EndLease(t.Context(), "snapshots of a host", first), "who does not hold it gives nothing up")
	require.False(t, take(first))
	require.NoError(t, s.EndLease(t.Context(), "snapshots of a host", second))
	require.True(t, take(first))
}
