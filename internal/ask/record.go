package ask

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// AuditDetails is an audit record and, for a change, what each thing was before it and after it.
type AuditDetails struct {
	store.AuditEntry
	Revision uint64 // that the change led to; 0 for what is no change
	Things   []ThingChanged
}

// ThingChanged is a scope, a principal, a grant, a role or a policy that a change altered.
type ThingChanged struct {
	What   string // in words, such as "user bram", by today's names
	At     string // the address of the scope that it is, or that it is at; empty where there is none
	Fields []FieldChanged
}

// FieldChanged is one thing that is known of it. What was created has nothing before, what was deleted has nothing after.
type FieldChanged struct {
	Field, Before, After string
}

// AuditRecord tells one record of the audit log in full. It takes "list audit-record" at the organisation, as the list does.
func (s *Answers) AuditRecord(ctx context.Context, c tenant.Caller, organisation string, number uint64) (AuditDetails, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return AuditDetails{}, err
	}
	if _, err := d.NeedAtTop("list audit-record", organisation); err != nil {
		return AuditDetails{}, err
	}
	list, _, err := s.Records.AuditRecords(ctx, c.Organisation, store.AuditFilter{Before: number + 1, Limit: 1})
	if err != nil {
		return AuditDetails{}, err
	}
	if len(list) == 0 || list[0].Number != number {
		return AuditDetails{}, problem.Missing("audit record", fmt.Sprint(number), "")
	}
	told := AuditDetails{AuditEntry: list[0]}
	if told.Event != "change" {
		return told, nil
	}
	revision, err := s.Records.RevisionOf(ctx, c.Organisation, told.AuditRecord)
	if errors.Is(err, store.ErrNotFound) {
		return told, nil
	} else if err != nil {
		return told, err
	}
	record, err := s.Records.Change(ctx, c.Organisation, revision)
	told.Revision, told.Things = record.Revision, thingsChanged(d.Snapshot, record)
	return told, err
}

// recordedThings collects what the changes of a record say of each thing, and what takes them back, which says what there was before.
type recordedThings struct {
	now   *access.Snapshot
	after bool // what is read is of after the change
	order []string
	of    map[string]*recordedThing
}

type recordedThing struct {
	what   string
	at     string
	fields []FieldChanged
}

func thingsChanged(now *access.Snapshot, record store.Recorded) []ThingChanged {
	t := recordedThings{now: now, of: map[string]*recordedThing{}}
	for _, t.after = range []bool{true, false} {
		changes, known := record.Back, record.Before
		if t.after {
			changes, known = record.Changes, record.After
		}
		for _, change := range changes {
			t.read(change)
		}
		t.describe(known)
	}
	list := []ThingChanged{}
	for _, key := range t.order {
		one := t.of[key]
		one.fields = slices.DeleteFunc(one.fields, func(f FieldChanged) bool { return f.Before == f.After })
		if len(one.fields) > 0 {
			list = append(list, ThingChanged{one.what, one.at, one.fields})
		}
	}
	return list
}

// add says of a thing, found by its key, what its fields are on the side that is read: a name and a value each.
func (t *recordedThings) add(key, what string, fields ...string) {
	one := t.of[key]
	if one == nil {
		one = &recordedThing{}
		t.of[key], t.order = one, append(t.order, key)
	}
	if what != "" {
		one.what = what
	}
	for i := 0; i < len(fields); i += 2 {
		at := slices.IndexFunc(one.fields, func(f FieldChanged) bool { return f.Field == fields[i] })
		if at < 0 {
			at, one.fields = len(one.fields), append(one.fields, FieldChanged{Field: fields[i]})
		}
		if t.after {
			one.fields[at].After = fields[i+1]
		} else {
			one.fields[at].Before = fields[i+1]
		}
	}
}

// read takes what a change says. What removes something says nothing: what takes it back does.
func (t *recordedThings) read(change access.Change) {
	switch c := change.(type) {
	case access.CreateScope:
		t.scope(c.Scope.ID, "name", c.Scope.FullName(), "in", t.address(c.Scope.Parent), "tags", tagsOf(c.Scope.Tags))
	case access.RenameScope:
		t.scope(c.ID, "name", c.Name)
	case access.MoveScope:
		t.scope(c.ID, "in", t.address(c.Parent))
	case access.TagScope:
		t.scope(c.ID, "tags", tagsOf(c.Tags))
	case access.OfferServices:
		offered := "all"
		if c.Services != nil {
			offered = strings.Join(c.Services, ", ")
		}
		t.scope(c.ID, "services offered", offered)
	case access.RetireScope:
		t.scope(c.ID, "state", string(credential.Retired))
	case access.RestoreScope:
		t.scope(c.ID, "state", string(credential.Active))
	case access.CreatePrincipal:
		p := c.Principal
		t.principal(p.ID, "name", p.Name, "lives at", t.address(p.Home), "tags", tagsOf(p.Tags), "owner", t.who(p.Owner), "gathers people with", condition(p.Gathers))
	case access.TagPrincipal:
		t.principal(c.ID, "tags", tagsOf(c.Tags))
	case access.RenamePrincipal:
		t.principal(c.ID, "name", c.Name)
	case access.SetOwner:
		t.principal(c.Group, "owner", t.who(c.Owner))
	case access.SetGathers:
		t.principal(c.Group, "gathers people with", condition(c.Condition))
	case access.AddMember:
		m := c.Membership
		t.add(m.Group.String()+m.Member.String(), t.who(m.Group), "member", t.who(m.Member))
	case access.CreateGrant:
		t.grant(c.Grant)
	case access.EditGrant:
		t.grant(c.Grant)
	case access.CreateRole:
		t.role(c.Definition)
	case access.EditRole:
		t.role(c.Definition)
	case access.PutPolicy:
		state := "active"
		if c.Policy.Suspended {
			state = "suspended"
		}
		t.add(c.Policy.ID.String(), "policy "+c.Policy.Name+" at "+t.address(c.Policy.Scope), "name", c.Policy.Name, "state", state, "text", t.now.Print(c.Policy))
	}
}

// describe takes what is known of things besides.
func (t *recordedThings) describe(known store.Descriptions) {
	for _, id := range sortedIDs(known.Scopes) {
		t.scope(id, "title", known.Scopes[id].Title, "description", known.Scopes[id].Description)
	}
	for _, id := range sortedIDs(known.Principals) {
		p := known.Principals[id]
		t.principal(id, "title", p.Title, "email", p.Email, "description", p.Description, "state", string(p.State))
	}
	for _, id := range sortedIDs(known.Grants) {
		t.add(id.String(), "", "reason", known.Grants[id])
	}
	for _, id := range sortedIDs(known.Policies) {
		t.add(id.String(), "", "description", known.Policies[id])
	}
}

func sortedIDs[V any](of map[model.ID]V) []model.ID {
	return slices.SortedFunc(maps.Keys(of), model.ID.Compare)
}

func (t *recordedThings) scope(id model.ID, fields ...string) {
	scope, _ := t.now.Scope(id)
	t.add(id.String(), scope.TypeName()+" "+t.address(id), fields...)
	t.of[id.String()].at = t.address(id)
}

func (t *recordedThings) principal(id model.ID, fields ...string) {
	t.add(id.String(), t.who(id), fields...)
}

func (t *recordedThings) grant(g access.Grant) {
	t.add(g.ID.String(), fmt.Sprintf("grant of %s to %s at %s", g.Role, t.who(g.Principal), t.address(g.Scope)),
		"role", g.Role, "who", t.who(g.Principal), "at", t.address(g.Scope), "if", condition(g.Condition), "from", instant(g.From), "until", instant(g.Until))
	t.of[g.ID.String()].at = t.address(g.Scope)
}

func (t *recordedThings) role(r catalogue.RoleDefinition) {
	var under []string
	for _, id := range r.Under {
		under = append(under, t.address(id))
	}
	t.add("role "+r.Name, "role "+r.Name, "title", r.Title, "description", r.Description,
		"holds", filters(r.Include), "but not", filters(r.Exclude), "at", t.address(r.Scope), "may be granted under", strings.Join(under, ", "))
}

// filters writes what a role picks, a line each.
func filters(list []catalogue.Filter) string {
	lines := make([]string, len(list))
	for i, f := range list {
		lines[i] = f.String()
	}
	return strings.Join(lines, "\n")
}

// address returns where a scope is today, and nothing of none.
func (t *recordedThings) address(id model.ID) string {
	if _, ok := t.now.Scope(id); !ok {
		return ""
	}
	return t.now.Address(id)
}

func (t *recordedThings) who(id model.ID) string {
	p, ok := t.now.Principal(id)
	if !ok {
		return ""
	}
	return p.Kind.Words() + " " + p.Name
}

func tagsOf(tags map[string]string) string {
	words := make([]string, 0, len(tags))
	for _, key := range slices.Sorted(maps.Keys(tags)) {
		words = append(words, key+"="+tags[key])
	}
	return strings.Join(words, ", ")
}

func instant(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return statement.PrintInstant(t)
}

func condition(c *statement.Condition) string {
	if c == nil {
		return ""
	}
	return c.String()
}
