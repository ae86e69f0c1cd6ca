package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/store/prepared"
)

// Load reads all that decisions need of an organisation and hands it on as the changes that make its snapshot, in an
// order in which they apply, while it reads on. It returns the revision they make up. The error may be one of into's.
func (s *Store) Load(ctx context.Context, organisation model.ID, into func(access.Change) error) (revision uint64, err error) {
	// One transaction with one consistent view, so that the rows and the revision belong together.
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return 0, mark(err)
	}
	defer tx.Rollback()
	if err := tx.QueryRowContext(ctx, "SELECT revision FROM organisation WHERE id = ?", idColumn(organisation)).Scan(&revision); err != nil {
		return 0, mark(err)
	}
	l := &loader{ctx: ctx, tx: tx, organisation: organisation, of: []any{idColumn(organisation)}, read: make(chan []access.Change, 4), done: make(chan error, 1)}
	go l.handOn(into)
	for _, load := range []func() error{l.containers, l.resources, l.principals, l.members, l.roles, l.grants, l.policies, l.retire} {
		if err = load(); err != nil {
			break
		}
	}
	l.read <- l.batch
	close(l.read)
	return revision, errors.Join(err, <-l.done)
}

// loadBatch is how many changes are handed on at once.
const loadBatch = 1024

// into hands a change on to be applied.
func (l *loader) into(change access.Change) error {
	if l.batch = append(l.batch, change); len(l.batch) == loadBatch {
		l.read <- l.batch
		l.batch = make([]access.Change, 0, loadBatch)
	}
	return nil
}

// handOn applies what was read, one change after the other; after one that fails the rest is left.
func (l *loader) handOn(into func(access.Change) error) {
	var failed error
	for batch := range l.read {
		for _, change := range batch {
			if failed == nil {
				failed = into(change)
			}
		}
	}
	l.done <- failed
}

// loader reads an organisation table by table.
type loader struct {
	ctx          context.Context
	tx           *prepared.Tx
	of           []any
	organisation model.ID
	batch        []access.Change
	read         chan []access.Change
	done         chan error
	made         map[model.ID]bool // containers
	retired      []model.ID        // nothing can be made in a retired scope, so they are retired last
}

func (l *loader) each(query string, fn func(scanner) error) error {
	return each(l.ctx, l.tx, query, l.of, fn)
}

const scopeColumns = "SELECT id, parent_id, kind, name, type, tags, offered, retired FROM scope WHERE organisation_id = ? AND "

func scanScope(scan scanner) (scope model.Scope, err error) {
	var id, parent idColumn
	var kind string
	var tags, offered sql.RawBytes
	if err = scan(&id, &parent, &kind, &scope.Name, &scope.Type, &tags, &offered, &scope.Retired); err != nil {
		return scope, err
	}
	scope.ID, scope.Parent = model.ID(id), model.ID(parent)
	if scope.Kind, err = model.ParseKind(kind); err != nil {
		return scope, err
	}
	if scope.Tags, err = readTags(tags); err != nil {
		return scope, fmt.Errorf("tags of scope %s: %w", scope.ID, err)
	}
	if offered != nil {
		if err = json.Unmarshal(offered, &scope.Offered); err != nil {
			return scope, fmt.Errorf("services offered at scope %s: %w", scope.ID, err)
		}
	}
	return scope, nil
}

// readTags reads tags; most things have none, which costs nothing.
func readTags(column []byte) (tags map[string]string, err error) {
	if string(column) == "{}" {
		return nil, nil
	}
	err = json.Unmarshal(column, &tags)
	return tags, err
}

// containers makes the containers, parents before children: a move may have put one under a younger one.
func (l *loader) containers() error {
	beneath := map[model.ID][]model.Scope{}
	err := l.each(scopeColumns+"kind <> 'resource' ORDER BY id", func(scan scanner) error {
		scope, err := scanScope(scan)
		beneath[scope.Parent] = append(beneath[scope.Parent], scope)
		return err
	})
	if err != nil {
		return err
	}
	l.made = make(map[model.ID]bool, len(beneath))
	next := beneath[model.ID{}]
	names, err := Details{l.tx}.namesOf(l.ctx, l.organisation)
	if err != nil {
		return err
	}
	for i, top := range next {
		next[i].Formerly = slices.DeleteFunc(names, func(name string) bool { return name == top.Name })
	}
	for len(next) > 0 {
		scope := next[0]
		next = append(next[1:], beneath[scope.ID]...)
		if err := l.make(scope); err != nil {
			return err
		}
		l.made[scope.ID] = true
	}
	return nil
}

func (l *loader) make(scope model.Scope) error {
	if scope.Retired {
		scope.Retired = false
		l.retired = append(l.retired, scope.ID)
	}
	return l.into(access.CreateScope{Scope: scope})
}

// resources makes the resources; those that sit in other resources come after them.
func (l *loader) resources() error {
	waiting := map[model.ID][]model.Scope{}
	err := l.each(scopeColumns+"kind = 'resource' ORDER BY id", func(scan scanner) error {
		scope, err := scanScope(scan)
		if err != nil {
			return err
		}
		if !l.made[scope.Parent] {
			waiting[scope.Parent] = append(waiting[scope.Parent], scope)
			return nil
		}
		return l.make(scope)
	})
	if err != nil || len(waiting) == 0 {
		return err
	}
	within := map[model.ID]bool{} // resources that sit in resources
	for _, list := range waiting {
		for _, scope := range list {
			within[scope.ID] = true
		}
	}
	var next []model.Scope
	for parent, list := range waiting {
		if !within[parent] {
			next = append(next, list...)
		}
	}
	for len(next) > 0 {
		scope := next[0]
		next = append(next[1:], waiting[scope.ID]...)
		if err := l.make(scope); err != nil {
			return err
		}
	}
	return nil
}

func (l *loader) principals() error {
	var owners []access.SetOwner // who may be younger than their groups
	query := "SELECT id, kind, name, home_id, tags, state <> 'active', owner_id, gathers, provider_id, subject, claims, pattern, own FROM principal WHERE organisation_id = ? ORDER BY kind <> 'provider', id"
	err := l.each(query, func(scan scanner) error {
		var id, home, owner, provider idColumn
		var kind string
		var tags, gathers, subject, claims sql.RawBytes
		var p access.Principal
		err := scan(&id, &kind, &p.Name, &home, &tags, &p.Inactive, &owner, &gathers, &provider, &subject, &claims, &p.Pattern, &p.Own)
		if err != nil {
			return err
		}
		if len(gathers) > 0 {
			if p.Gathers, err = statement.ParseGathering(string(gathers)); err != nil {
				return fmt.Errorf("condition of group %s: %w", p.Name, err)
			}
		}
		if owner := model.ID(owner); !owner.IsZero() {
			owners = append(owners, access.SetOwner{Group: model.ID(id), Owner: owner})
		}
		p.ID, p.Home, p.Provider, p.Subject = model.ID(id), model.ID(home), model.ID(provider), string(subject)
		if p.Kind, err = model.ParsePrincipalKind(kind); err != nil {
			return err
		}
		if p.Kind == model.OutsideGroup {
			p.Subject = p.Name[:strings.LastIndexByte(p.Name, '@')] // the name of a provider has no @
		}
		if p.Tags, err = readTags(tags); err != nil {
			return fmt.Errorf("tags of principal %s: %w", p.ID, err)
		}
		if claims != nil {
			if err = json.Unmarshal(claims, &p.Claims); err != nil {
				return fmt.Errorf("claims of %s: %w", p.Name, err)
			}
		}
		return l.into(access.CreatePrincipal{Principal: p})
	})
	for _, change := range owners {
		err = errors.Join(err, l.into(change))
	}
	return err
}

func (l *loader) members() error {
	return l.each("SELECT group_id, member_id FROM membership WHERE organisation_id = ?", func(scan scanner) error {
		var group, member idColumn
		if err := scan(&group, &member); err != nil {
			return err
		}
		return l.into(access.AddMember{Membership: access.Membership{Group: model.ID(group), Member: model.ID(member)}})
	})
}

func (l *loader) roles() error {
	query := "SELECT name, title, description, scope_id, includes, excludes, grantable_under FROM custom_role WHERE organisation_id = ? ORDER BY name"
	return l.each(query, func(scan scanner) error {
		var def catalogue.RoleDefinition
		var scope idColumn
		var include, exclude, under []byte
		if err := scan(&def.Name, &def.Title, &def.Description, &scope, &include, &exclude, &under); err != nil {
			return err
		}
		def.Scope = model.ID(scope)
		for _, column := range []struct {
			text []byte
			into any
		}{{include, &def.Include}, {exclude, &def.Exclude}, {under, &def.Under}} {
			if err := json.Unmarshal(column.text, column.into); err != nil {
				return fmt.Errorf("role %s: %w", def.Name, err)
			}
		}
		return l.into(access.CreateRole{Definition: def, Recorded: true})
	})
}

func (l *loader) grants() error {
	query := "SELECT id, scope_id, principal_id, role, applies_if, applies_from, applies_until FROM role_grant WHERE organisation_id = ? ORDER BY id"
	return l.each(query, func(scan scanner) error {
		var id, scope, principal idColumn
		var g access.Grant
		var condition string
		var from, until sql.NullTime
		err := scan(&id, &scope, &principal, &g.Role, &condition, &from, &until)
		if err != nil {
			return err
		}
		g.ID, g.Scope, g.Principal = model.ID(id), model.ID(scope), model.ID(principal)
		g.From, g.Until = from.Time, until.Time
		if condition != "" {
			g.Condition = new(statement.Condition)
			if err = g.Condition.UnmarshalText([]byte(condition)); err != nil {
				return fmt.Errorf("condition of grant %s: %w", g.ID, err)
			}
		}
		return l.into(access.CreateGrant{Grant: g, Recorded: true})
	})
}

func (l *loader) policies() error {
	return l.each("SELECT id, scope_id, name, statements, notes, suspended FROM policy WHERE organisation_id = ? ORDER BY id", func(scan scanner) error {
		var id, scope idColumn
		var p statement.Policy
		var statements, notes []byte
		if err := scan(&id, &scope, &p.Name, &statements, &notes, &p.Suspended); err != nil {
			return err
		}
		p.ID, p.Scope = model.ID(id), model.ID(scope)
		if err := json.Unmarshal(statements, &p.Statements); err != nil {
			return fmt.Errorf("policy %s: %w", p.ID, err)
		}
		if err := json.Unmarshal(notes, &p.Notes); err != nil {
			return fmt.Errorf("policy %s: %w", p.ID, err)
		}
		return l.into(access.PutPolicy{Policy: p})
	})
}

func (l *loader) retire() error {
	for _, id := range l.retired {
		if err := l.into(access.RetireScope{ID: id}); err != nil {
			return err
		}
	}
	return nil
}

// momentColumn writes a moment; the zero one is NULL.
func momentColumn(t time.Time) sql.NullTime { return sql.NullTime{Time: t.UTC(), Valid: !t.IsZero()} }
