package store_test

import (
	"database/sql"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// TestTheAccountOfTheServiceIsConfined tries with the service's own account of the database what it has no business with. All
// other tests of a whole service use such an account, and so tell when it may do too little.
func TestTheAccountOfTheServiceIsConfined(t *testing.T) {
	owner, dsn := testbed.Confined(t)
	s := testbed.OpenRecords(t, dsn)
	fill(t, tenant.RecordsIn(s))
	require.NoError(t, s.CheckAudit(t.Context()))
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	for _, statement := range []string{
		"UPDATE audit_record SET detail = 'nothing' WHERE number = 1",
		"DELETE FROM audit_record",
		"TRUNCATE audit_record",
		"REPLACE INTO audit_record (number, organisation, recorded_at, actor, came_from, event, detail, hash, keyed) VALUES (1, '', NOW(), '', '', '', '', '', FALSE)",
		"INSERT INTO audit_record (number, organisation, recorded_at, actor, came_from, event, detail, hash, keyed) VALUES (1, '', NOW(), '', '', '', '', '', FALSE) ON DUPLICATE KEY UPDATE detail = 'nothing'",
		"DELETE FROM audit_end",
		"INSERT INTO audit_end VALUES (2, 0, REPEAT(CHAR(0), 32))",
		"UPDATE change_record SET what = 'nothing'",
		"DELETE FROM change_record",
		"ALTER TABLE audit_record DROP COLUMN hash",
		"DROP TABLE audit_record",
		"CREATE TABLE another (id INT)",
		"CREATE TRIGGER quiet BEFORE INSERT ON audit_record FOR EACH ROW SET NEW.detail = ''",
		"GRANT UPDATE ON audit_record TO CURRENT_USER",
		"SELECT * FROM mysql.global_priv",
	} {
		_, err := db.ExecContext(t.Context(), statement)
		require.ErrorContains(t, err, "denied", statement)
	}
	require.NoError(t, s.CheckAudit(t.Context()))
	may, err := s.MayAlterAudit(t.Context())
	require.NoError(t, err)
	require.False(t, may)
	may, err = testbed.OpenRecords(t, owner).MayAlterAudit(t.Context())
	require.NoError(t, err)
	require.True(t, may, "so that the operator can be warned")

	_, dsn = testbed.Accounts(t)
	_, err = store.Open(t.Context(), dsn)
	require.ErrorContains(t, err, "denied", "before its owner has made the tables")
}
