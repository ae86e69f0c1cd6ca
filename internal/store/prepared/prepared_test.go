package prepared_test

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"sync"
	"testing"

	_ "github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
	"arbora.example/internal/store/prepared"
)

func TestMain(m *testing.M) { os.Exit(testbed.Run(m)) }

// open opens a pool of so many connections on a database of the test's own.
func open(t *testing.T, connections int) *prepared.DB {
	db, err := sql.Open("mysql", testbed.DSN(t))
	require.NoError(t, err)
	db.SetMaxOpenConns(connections)
	pool := prepared.New(db)
	t.Cleanup(func() { require.NoError(t, pool.Close()) })
	_, err = pool.ExecContext(t.Context(), "CREATE TABLE word (text VARCHAR(40) PRIMARY KEY)")
	require.NoError(t, err)
	return pool
}

func count(t *testing.T, pool *prepared.DB) (n int) {
	require.NoError(t, pool.QueryRowContext(t.Context(), "SELECT COUNT(*) FROM word").Scan(&n))
	return n
}

// TestStatementsAreKept sees that a statement is prepared once a connection, however often and by however many it is run, in
// transactions and outside; that the pool's last connection is enough; and that errors are told.
func TestStatementsAreKept(t *testing.T) {
	for _, connections := range []int{1, 4} {
		t.Run(fmt.Sprint(connections), func(t *testing.T) {
			pool := open(t, connections)
			prepares := func() (n int) {
				var name string
				require.NoError(t, pool.DB.QueryRowContext(t.Context(), "SHOW GLOBAL STATUS LIKE 'Com_stmt_prepare'").Scan(&name, &n))
				return n
			}
			write := func(text string) error {
				tx, err := pool.BeginTx(t.Context(), nil)
				if err != nil {
					return err
				}
				defer tx.Rollback() // after a commit it does nothing
				if _, err := tx.ExecContext(t.Context(), "INSERT INTO word VALUES (?)", text); err != nil {
					return err
				}
				var there int
				if err := tx.QueryRowContext(t.Context(), "SELECT COUNT(*) FROM word WHERE text = ?", text).Scan(&there); err != nil {
					return err
				}
				return tx.Commit()
			}
			var going sync.WaitGroup
			for w := range 8 {
				going.Go(func() {
					for i := range 20 {
						if err := write(fmt.Sprint(w, "-", i)); err != nil {
							t.Error(err)
						}
					}
				})
			}
			going.Wait()
			before := prepares()
			for i := range 50 {
				require.NoError(t, write(fmt.Sprint("later-", i)))
			}
			require.Equal(t, 8*20+50, count(t, pool))
			require.Less(t, prepares()-before, 50, "they are used again")

			require.Error(t, write("later-1"), "a row that is there already")
			require.Equal(t, 8*20+50, count(t, pool), "what failed wrote nothing")
			_, err := pool.ExecContext(t.Context(), "INSERT INTO wrod VALUES (?)", "x")
			require.ErrorContains(t, err, "wrod")
			require.ErrorContains(t, pool.QueryRowContext(t.Context(), "SELECT txt FROM word").Scan(new(string)), "txt")
			_, err = pool.QueryContext(t.Context(), "SELECT txt FROM word")
			require.ErrorContains(t, err, "txt")
			gone, cancel := context.WithCancel(t.Context())
			cancel()
			_, err = pool.ExecContext(gone, "DELETE FROM word")
			require.ErrorIs(t, err, context.Canceled)
		})
	}
}

// TestManyTexts sees that more statements than are kept are run all the same.
func TestManyTexts(t *testing.T) {
	pool := open(t, 2)
	for i := range 450 {
		var n int
		require.NoError(t, pool.QueryRowContext(t.Context(), fmt.Sprintf("SELECT ? + %d", i), 1).Scan(&n))
		require.Equal(t, i+1, n)
	}
	rows, err := pool.QueryContext(t.Context(), "SELECT 451 WHERE 1 = ?", 1)
	require.NoError(t, err)
	require.True(t, rows.Next())
	require.NoError(t, rows.Close())
	_, err = pool.ExecContext(t.Context(), "DELETE FROM word WHERE text = ?", "x")
	require.NoError(t, err)
}
