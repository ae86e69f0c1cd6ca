package store_test

import (
	"database/sql"
	"fmt"
	"os"
	"slices"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// rowsOf tells all rows of a query, one a line, in order.
func rowsOf(t *testing.T, db *sql.DB, query string) (lines []string) {
	t.Helper()
	rows, err := db.QueryContext(t.Context(), query)
	require.NoError(t, err)
	defer rows.Close()
	columns, err := rows.Columns()
	require.NoError(t, err)
	for rows.Next() {
		values, into := make([]sql.NullString, len(columns)), make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		require.NoError(t, rows.Scan(into...))
		lines = append(lines, fmt.Sprint(values))
	}
	require.NoError(t, rows.Err())
	slices.Sort(lines)
	return lines
}

// TestAMigrationFillsInWhatCodeWrites takes a database back to before there were terms and changed scopes, and forward again:
// what the migration works out of older records is what the code has written with each of them.
func TestAMigrationFillsInWhatCodeWrites(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	fill(t, tenant.RecordsIn(s))
	odd := model.Scope{ID: model.ID{30}, Parent: house.ID, Kind: model.Compartment, Name: "north-wing-of-2026", Tags: map[string]string{"care": "High", "floor": "", "label": "Ö=ü"}}
	deep := model.Scope{ID: model.ID{31}, Parent: odd.ID, Kind: model.Resource, Name: "a-b-c-d-e", Type: "machine", Tags: map[string]string{"team": `with "quotes" and \ strokes`}}
	commit(t, tenant.RecordsIn(s), "planted", store.Descriptions{}, access.CreateScope{Scope: odd}, access.CreateScope{Scope: deep})
	commit(t, tenant.RecordsIn(s), "moved", store.Descriptions{}, access.RenameScope{ID: deep.ID, Name: "f-g"}, access.MoveScope{ID: deep.ID, Parent: house.ID},
		access.TagScope{ID: deep.ID, Tags: map[string]string{"team": "glass"}})
	commit(t, tenant.RecordsIn(s), "retired", store.Descriptions{}, access.RetireScope{ID: deep.ID})
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	const terms = "SELECT HEX(organisation_id), term, HEX(scope_id) FROM scope_term"
	const changed = "SELECT HEX(organisation_id), HEX(scope_id), revision FROM changed_scope"
	termsBefore := rowsOf(t, db, terms)
	require.Greater(t, len(termsBefore), 15)
	// As the code of that time recorded a move: the rows before and after.
	_, err = db.ExecContext(t.Context(), "UPDATE change_record SET changed = ? WHERE revision = 3", fmt.Sprintf(
		`[{"table": "scope", "before": {"id": %q, "parent_id": %q}, "after": {"id": %[1]q, "parent_id": %[3]q}}]`, deep.ID, odd.ID, house.ID))
	require.NoError(t, err)

	migrations, err := goose.NewProvider(goose.DialectMySQL, db, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = migrations.DownTo(t.Context(), 3)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), "SELECT 1 FROM scope_term")
	require.Error(t, err, "the tables are gone")
	_, err = migrations.Up(t.Context())
	require.NoError(t, err)
	require.Equal(t, termsBefore, rowsOf(t, db, terms))
	require.Equal(t, []string{
		fmt.Sprintf("[{%X true} {%X true} {3 true}]", top.ID[:], house.ID[:]),
		fmt.Sprintf("[{%X true} {%X true} {3 true}]", top.ID[:], odd.ID[:]), fmt.Sprintf("[{%X true} {%X true} {3 true}]", top.ID[:], deep.ID[:]),
	}, rowsOf(t, db, changed))
}

// TestDemandsOfASecondFactorStay takes settings back to before there were demands, and forward again.
func TestDemandsOfASecondFactorStay(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	fill(t, tenant.RecordsIn(s))
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	migrations, err := goose.NewProvider(goose.DialectMySQL, db, os.DirFS("migrations"))
	require.NoError(t, err)
	for demanded, factors := range map[bool][]settings.Factor{true: settings.AllFactors, false: nil} {
		_, err = s.Write(t.Context(), top.ID, by, func(tx *store.Tx, _ uint64) (string, error) {
			return "", tx.ChangeSettings(settings.DefaultSettings(), settings.Settings{KeysEach: 4, Governing: settings.Demands{Factors: factors}})
		})
		require.NoError(t, err)
		_, err = migrations.DownTo(t.Context(), 9)
		require.NoError(t, err)
		require.Equal(t, []string{fmt.Sprintf("[{%t true} {0 true}]", demanded)}, rowsOf(t, db,
			"SELECT JSON_EXTRACT(settings, '$.secondFactor'), JSON_EXISTS(settings, '$.governing') FROM organisation_setting"))
		_, err = migrations.Up(t.Context())
		require.NoError(t, err)
		set, err := s.Settings(t.Context(), top.ID)
		require.NoError(t, err)
		require.Equal(t, settings.Settings{KeysEach: 4, Governing: settings.Demands{Factors: factors}}, set)
	}
}

// TestMigrationsGoBack takes a database back to nothing and forward again, so that a migration that fails half way can be
// undone by hand.
func TestMigrationsGoBack(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	const shape = `SELECT table_name, column_name, column_type, is_nullable FROM information_schema.columns WHERE table_schema = DATABASE()
		UNION ALL SELECT table_name, index_name, column_name, seq_in_index FROM information_schema.statistics WHERE table_schema = DATABASE()`
	before := rowsOf(t, db, shape)
	migrations, err := goose.NewProvider(goose.DialectMySQL, db, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = migrations.DownTo(t.Context(), 0)
	require.NoError(t, err)
	require.Equal(t, []string{"[{goose_db_version true}]"}, rowsOf(t, db, "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()"))
	_, err = migrations.Up(t.Context())
	require.NoError(t, err)
	require.Equal(t, before, rowsOf(t, db, shape))
	fill(t, tenant.RecordsIn(s))
}
