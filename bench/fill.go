package main

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
)

// fill writes an organisation into the database, many rows at once: the tables of package store, and beside them what
// roles hold, which the recursive query needs.
func fill(ctx context.Context, db *sql.DB, o *organisation) error {
	at := time.Date(2026, 11, 25, 9, 0, 0, 0, time.UTC)
	top := o.containers[0].ID
	w := &bulk{ctx: ctx, db: db}
	w.exec("INSERT INTO organisation (id, revision) VALUES (?, 1)", top[:])
	w.exec("INSERT INTO organisation_name (name, organisation_id) VALUES (?, ?)", o.containers[0].Name, top[:])
	hash, err := credential.HashPassword(context.Background(), passphrase)
	if err != nil {
		return err
	}
	steward := o.users[0].ID
	w.exec(`INSERT INTO identity (id, organisation_id, name, email, password_hash, temporary, created_at) VALUES (?, ?, 'u0', '', ?, FALSE, ?)`, steward[:], top[:], hash, at)
	w.exec(`INSERT INTO identity (id, organisation_id, keeper, name, email, password_hash, temporary, created_at) VALUES (?, NULL, TRUE, 'warden', '', ?, FALSE, ?)`, top[:], hash, at)
	w.exec("SET FOREIGN_KEY_CHECKS = 0")
	for _, change := range o.changes {
		switch c := change.(type) {
		case access.CreateScope:
			s := c.Scope
			w.row("scope (id, organisation_id, parent_id, kind, name, type, title, description, tags, retired, created_at)",
				s.ID[:], top[:], orNull(s.Parent), s.Kind.String(), s.Name, s.Type, "", "", "{}", false, at)
		case access.CreatePrincipal:
			tags, err := json.Marshal(c.Principal.Tags)
			if err != nil {
				return err
			}
			if c.Principal.Tags == nil {
				tags = []byte("{}")
			}
			w.row("principal (organisation_id, id, kind, name, home_id, tags, title, description, identity_id, created_at)",
				top[:], c.Principal.ID[:], c.Principal.Kind.String(), c.Principal.Name, nil, tags, "", "", c.Principal.ID[:], at)
		case access.AddMember:
			w.row("membership (organisation_id, group_id, member_id)", top[:], c.Membership.Group[:], c.Membership.Member[:])
		case access.CreateGrant:
			g := c.Grant
			w.row("role_grant (id, organisation_id, scope_id, principal_id, role, description, applies_if, created_at, created_by)",
				g.ID[:], top[:], g.Scope[:], g.Principal[:], g.Role, "", g.Condition.String(), at, "bench")
		case access.PutPolicy:
			statements, err := json.Marshal(c.Policy.Statements)
			if err != nil {
				return err
			}
			w.row("policy (id, organisation_id, scope_id, name, description, statements, notes, created_at, created_by, written_at, written_by)",
				c.Policy.ID[:], top[:], c.Policy.Scope[:], c.Policy.Name, "", statements, "[]", at, "bench", at, "bench")
		}
	}
	for _, change := range o.changes {
		if c, ok := change.(access.CreateScope); ok {
			for _, term := range c.Scope.Terms() {
				w.row("scope_term (organisation_id, term, scope_id)", top[:], term, c.Scope.ID[:])
			}
		}
	}
	w.flush()
	w.exec("CREATE TABLE role_holds (role VARCHAR(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, permission INT NOT NULL, PRIMARY KEY (role, permission))")
	for _, role := range catalogue.Shipped().Roles() {
		for p := range role.Permissions.All {
			w.row("role_holds (role, permission)", role.Name, int(p))
		}
	}
	w.flush()
	w.exec("ANALYZE TABLE scope, scope_term, membership, role_grant, role_holds")
	return w.failed
}

func orNull(id model.ID) any {
	if id.IsZero() {
		return nil
	}
	return id[:]
}

// bulk writes rows of one table after the other, some thousand values in a statement. The first error is kept.
type bulk struct {
	ctx    context.Context
	db     *sql.DB
	into   string
	width  int
	values []any
	failed error
}

const mostValues = 30_000

func (w *bulk) exec(statement string, values ...any) {
	if w.failed == nil {
		// One connection, for its settings.
		w.db.SetMaxOpenConns(1)
		_, w.failed = w.db.ExecContext(w.ctx, statement, values...)
	}
}

func (w *bulk) row(into string, values ...any) {
	if into != w.into || len(w.values)+len(values) > mostValues {
		w.flush()
	}
	w.into, w.width = into, len(values)
	w.values = append(w.values, values...)
}

func (w *bulk) flush() {
	if len(w.values) == 0 {
		return
	}
	row := "(" + strings.Repeat("?, ", w.width-1) + "?)"
	rows := len(w.values) / w.width
	w.exec(fmt.Sprintf("INSERT INTO %s VALUES %s", w.into, strings.Repeat(row+", ", rows-1)+row), w.values...)
	w.values = w.values[:0]
}
