package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"github.com/go-sql-driver/mysql"
)

// confined are the tables of which the service's account may do less than read, add, alter and delete rows: what was recorded
// stays as it was recorded.
var confined = map[string]string{
	"audit_record":     "SELECT, INSERT",
	"audit_end":        "SELECT, UPDATE",
	"change_record":    "SELECT, INSERT",
	"goose_db_version": "SELECT", // which migrations were made
}

// Confine has the service use an account of its own, which the DSN service names: it may read and write rows, but neither
// alter tables nor what was recorded in the audit log. The account that owner names brings the tables up to date and grants
// this; it takes all privileges on the database, and the right to grant them.
func Confine(ctx context.Context, owner, service string) error {
	s, err := Open(ctx, owner)
	if err != nil {
		return err
	}
	defer s.Close()
	account, err := accountOf(ctx, service)
	if err != nil {
		return err
	}
	var tables []string
	err = each(ctx, s.db, "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()", nil, func(scan scanner) error {
		var table string
		if err := scan(&table); err != nil {
			return err
		}
		tables = append(tables, table)
		return nil
	})
	if err != nil {
		return mark(err)
	}
	for _, table := range tables {
		rights, ok := confined[table]
		if !ok {
			rights = "SELECT, INSERT, UPDATE, DELETE"
		}
		// Neither tables nor accounts can be values of a prepared statement; both come from the server itself.
		if _, err := s.db.DB.ExecContext(ctx, "GRANT "+rights+" ON `"+table+"` TO "+account); err != nil {
			return fmt.Errorf("the owner of the database cannot grant the service's account its rights: %w", err)
		}
	}
	return nil
}

// accountOf returns the account that a DSN names, quoted, as the server knows it.
func accountOf(ctx context.Context, dsn string) (string, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return "", fmt.Errorf("the database DSN cannot be read: %w; write it as user:password@tcp(host:port)/database", err)
	}
	config.DBName = "" // of which it may have no rights yet
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return "", err
	}
	db := sql.OpenDB(connector)
	defer db.Close()
	var account string
	if err := db.QueryRowContext(ctx, "SELECT CURRENT_USER()").Scan(&account); err != nil {
		return "", mark(err)
	}
	at := strings.LastIndex(account, "@")
	quoted := func(text string) string { return "`" + strings.ReplaceAll(text, "`", "``") + "`" }
	return quoted(account[:at]) + "@" + quoted(account[at+1:]), nil
}

// MayAlterAudit reports whether the account in use may alter what was recorded in the audit log: it needs not.
func (s *Store) MayAlterAudit(ctx context.Context) (bool, error) {
	// It alters nothing, and is refused all the same where it could not.
	_, err := s.db.DB.ExecContext(ctx, "UPDATE audit_record SET detail = detail WHERE FALSE")
	var answer *mysql.MySQLError
	if errors.As(err, &answer) && (answer.Number == tableDenied || answer.Number == columnDenied) {
		return false, nil
	}
	return err == nil, mark(err)
}

// MariaDB's error numbers for rights that an account has not.
const (
	tableDenied  = 1142
	columnDenied = 1143
)
