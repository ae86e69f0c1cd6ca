package change

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Many users at once come as a CSV text (RFC 4180): a dry run reports each faulty line, then all are made or none.

// NewcomerReading is what a text with newcomers says.
type NewcomerReading struct {
	Names  []string
	Faults []problem.Fault // each with its line
	Impact *plan.Impact    // of all of them, when there are no faults
}

// newcomerColumns are what the first line may name, and how each fills in a user.
var newcomerColumns = []struct {
	name string
	fill func(text string, into *NewUser) error
}{
	{"name", func(t string, u *NewUser) error { u.Name = t; return nil }},
	{"title", func(t string, u *NewUser) error { u.Title = t; return nil }},
	{"email", func(t string, u *NewUser) error { u.Email = t; return nil }},
	{"description", func(t string, u *NewUser) error { u.Description = t; return nil }},
	{"tags", fillTags},
	{"groups", func(t string, u *NewUser) error { u.Groups = listed(t); return nil }},
	{"grants", fillGrants},
	{"sign-in-by", fillBy},
	{"temporary", func(t string, u *NewUser) error { return fillYes(t, &u.Temporary) }},
	{"link", func(t string, u *NewUser) error { return fillYes(t, &u.Link) }},
	{"notify", func(t string, u *NewUser) error { return fillYes(t, &u.Notify) }},
}

// listed splits a cell that holds several things, apart by semicolons.
func listed(text string) []string {
	var list []string
	for part := range strings.SplitSeq(text, ";") {
		if part = strings.TrimSpace(part); part != "" {
			list = append(list, part)
		}
	}
	return list
}

func fillTags(text string, u *NewUser) error {
	u.Tags = map[string]string{}
	for _, tag := range listed(text) {
		key, value, ok := strings.Cut(tag, "=")
		if !ok {
			return fmt.Errorf("%q is not a valid tag: write KEY=VALUE, and separate several by semicolons", tag)
		}
		u.Tags[strings.TrimSpace(key)] = strings.TrimSpace(value)
	}
	return nil
}

func fillGrants(text string, u *NewUser) error {
	for _, grant := range listed(text) {
		given, err := statement.ParseGiven(grant)
		if err != nil {
			return fmt.Errorf("%w; separate several by semicolons", err)
		}
		u.Grants = append(u.Grants, NewGrant{Role: given.Role, Scope: given.Scope, Period: given.Period})
	}
	return nil
}

func fillBy(text string, u *NewUser) error {
	ways := []string{string(credential.ByPassword), string(credential.ByKey), string(credential.ByBoth)}
	if text != "" && !slices.Contains(ways, text) {
		return fmt.Errorf("nobody signs in by %q: use %s", text, strings.Join(ways, ", "))
	}
	u.By = credential.SignInBy(text)
	return nil
}

func fillYes(text string, into *bool) error {
	switch strings.ToLower(text) {
	case "yes":
		*into = true
	case "", "no":
	default:
		return fmt.Errorf("%q is neither yes nor no", text)
	}
	return nil
}

// row is a newcomer of the text and where they stand.
type row struct {
	line    int
	wanted  NewUser
	columns map[string]int // where its cells begin, by the names of their columns
}

// columnOf returns where in the line the cell begins that a field of a user comes from.
func (r row) columnOf(field string) int { return max(1, r.columns[field]) }

// maxNewcomers bounds how many one text may hold.
const maxNewcomers = 5000

// readNewcomers reads a text. What is wrong with it is told line by line.
func readNewcomers(text string) (rows []row, faults []problem.Fault) {
	reader := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\ufeff")))
	reader.FieldsPerRecord = -1
	// Where the comma stands in numbers, spreadsheets put semicolons between cells.
	if first, _, _ := strings.Cut(text, "\n"); strings.Contains(first, ";") && !strings.Contains(first, ",") {
		reader.Comma = ';'
	}
	head, err := reader.Read()
	if err != nil {
		return nil, []problem.Fault{{Line: 1, Column: 1, Detail: "the first line must name the columns: " + columnNames()}}
	}
	fills, columns := make([]func(string, *NewUser) error, len(head)), make([]string, len(head))
	for i, name := range head {
		name = strings.ToLower(strings.TrimSpace(name))
		columns[i] = name
		for _, column := range newcomerColumns {
			if column.name == name {
				fills[i] = column.fill
			}
		}
		if fills[i] == nil {
			_, at := reader.FieldPos(i)
			faults = append(faults, problem.Fault{Line: 1, Column: at, Detail: fmt.Sprintf("there is no column %q: %s", name, columnNames()), Nearest: english.Nearest(name, strings.Split(columnNames(), ", "))})
		}
	}
	if len(faults) > 0 {
		return nil, faults
	}
	first := map[string]int{}
	for {
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var broken *csv.ParseError
		if errors.As(err, &broken) {
			// The reader cannot go on after a broken quote.
			return rows, append(faults, problem.Fault{Line: broken.Line, Column: broken.Column, Detail: broken.Err.Error()})
		}
		line, _ := reader.FieldPos(0)
		if len(record) != len(head) {
			faults = append(faults, problem.Fault{Line: line, Column: 1, Detail: fmt.Sprintf("the line has %d fields, the first line has %d", len(record), len(head))})
			continue
		}
		r := row{line: line, columns: map[string]int{}}
		for i, cell := range record {
			_, r.columns[columns[i]] = reader.FieldPos(i)
			if err := fills[i](strings.TrimSpace(cell), &r.wanted); err != nil {
				faults = append(faults, problem.Fault{Line: line, Column: r.columns[columns[i]], Detail: err.Error()})
			}
		}
		if before, twice := first[r.wanted.Name]; twice {
			faults = append(faults, problem.Fault{Line: line, Column: 1, Detail: fmt.Sprintf("%s is in line %d already", r.wanted.Name, before)})
		}
		first[r.wanted.Name] = line
		rows = append(rows, r)
	}
	switch {
	case len(rows) == 0 && len(faults) == 0:
		faults = append(faults, problem.Fault{Line: 2, Column: 1, Detail: "the file holds no people: write a line for each person after the first"})
	case len(rows) > maxNewcomers:
		faults = append(faults, problem.Fault{Line: rows[maxNewcomers].line, Column: 1, Detail: fmt.Sprintf("there are more than %d people: divide the file", maxNewcomers)})
	}
	return rows, faults
}

func columnNames() string {
	var names []string
	for _, column := range newcomerColumns {
		names = append(names, column.name)
	}
	return strings.Join(names, ", ")
}

// planNewcomers works out everybody in a text, and what is wrong line by line.
func (s *Changes) planNewcomers(ctx context.Context, c tenant.Caller, organisation, text string) (users []*newcomer, rows []row, faults []problem.Fault, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return nil, nil, nil, err
	}
	if _, err := d.NeedAtTop("create user", organisation); err != nil {
		return nil, nil, nil, err
	}
	rows, faults = readNewcomers(text)
	for _, r := range rows {
		user, wrong, err := s.planRow(ctx, c, d, organisation, r)
		if err != nil {
			return nil, nil, nil, err
		}
		users, faults = append(users, user), append(faults, wrong...)
	}
	slices.SortStableFunc(faults, func(a, b problem.Fault) int { return a.Line - b.Line })
	return users, rows, faults, nil
}

// planRow works out one newcomer, and what is wrong with them: what is wrong with what they are given does not hide the rest.
func (s *Changes) planRow(ctx context.Context, c tenant.Caller, d tenant.Viewer, organisation string, r row) (user *newcomer, faults []problem.Fault, err error) {
	for wanted := r.wanted; ; {
		user, err := s.tryUser(ctx, c, d, organisation, wanted)
		var wrong *problem.Problem
		if !errors.As(err, &wrong) {
			return user, faults, err
		}
		at, without := wrong.Field, wanted
		switch _, named := r.columns[at]; {
		case at == "groups":
			without.Groups = nil
		case len(wanted.Grants) > 0 && (!named || at == "grants"): // what is wrong with a grant is told of its own parts, too
			at, without.Grants = "grants", nil
		}
		fault := problem.Fault{Line: r.line, Column: r.columnOf(at), Detail: wrong.Detail, Nearest: wrong.Nearest}
		if wrong.Nearest == "" {
			fault.Detail = wrong.Error()
		}
		faults = append(faults, fault)
		if len(without.Groups) == len(wanted.Groups) && len(without.Grants) == len(wanted.Grants) {
			return user, faults, nil
		}
		wanted = without
	}
}

// tryUser works out one newcomer as if they were the only one.
func (s *Changes) tryUser(ctx context.Context, c tenant.Caller, d tenant.Viewer, organisation string, wanted NewUser) (*newcomer, error) {
	p, user, err := s.planUser(ctx, c, organisation, wanted)
	if err != nil {
		return nil, err
	}
	planned, err := p(d)
	if err == nil {
		err = planned.Propose(d.Snapshot)
	}
	if err == nil {
		_, err = plan.MayMake(d, planned)
	}
	return user, err
}

// planAll plans everybody as one change, and tells each in words.
func planAll(d tenant.Viewer, organisation string, users []*newcomer, rows []row, told *[]string) (tenant.Plan, error) {
	all := tenant.Plan{What: "created " + english.Count(len(users), "user")}
	var writes []func(tenant.Tx) error
	for i, user := range users {
		p, err := planNewcomer(d, organisation, user, rows[i].wanted)
		if err != nil {
			return tenant.Plan{}, err
		}
		all.Changes, all.ActsAs = append(all.Changes, p.Changes...), append(all.ActsAs, p.ActsAs...)
		writes = append(writes, p.Beside)
		for id, details := range p.Described.Principals {
			all.Describe(id, details)
		}
		for id, description := range p.Described.Grants {
			all.DescribeGrant(id, description)
		}
		*told = append(*told, p.What)
	}
	all.Beside = func(tx tenant.Tx) error {
		for _, write := range writes {
			if err := write(tx); err != nil {
				return err
			}
		}
		return nil
	}
	return all, nil
}

// ReadNewcomers returns what a text holds and what is wrong with it, and makes nobody.
func (s *Changes) ReadNewcomers(ctx context.Context, c tenant.Caller, organisation, text string) (NewcomerReading, error) {
	users, rows, faults, err := s.planNewcomers(ctx, c, organisation, text)
	if err != nil {
		return NewcomerReading{}, err
	}
	reading := NewcomerReading{Faults: faults}
	for _, r := range rows {
		reading.Names = append(reading.Names, r.wanted.Name)
	}
	if len(faults) > 0 {
		return reading, nil
	}
	impact, err := s.Preview(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		return planAll(d, organisation, users, rows, new([]string))
	})
	reading.Impact = &impact
	return reading, err
}

// Newcomers are many users worked out, found good and not yet made.
type Newcomers struct {
	service      *Changes
	caller       tenant.Caller
	organisation string
	users        []*newcomer
	rows         []row
	told         []string // what was done for each, in words
}

// Newcomers works out everybody in a text. It fails with all faults when there are any.
func (s *Changes) Newcomers(ctx context.Context, c tenant.Caller, organisation, text string) (*Newcomers, error) {
	users, rows, faults, err := s.planNewcomers(ctx, c, organisation, text)
	if err != nil {
		return nil, err
	}
	if len(faults) > 0 {
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("line %d: %s", faults[0].Line, faults[0].Detail), Next: "correct the file; nobody was created", Field: "file", Faults: faults}
	}
	return &Newcomers{service: s, caller: c, organisation: organisation, users: users, rows: rows}, nil
}

// Len is how many there are.
func (n *Newcomers) Len() int { return len(n.users) }

// Make makes them all, or none. It tells how far it is after each; the last of it is one write.
func (n *Newcomers) Make(ctx context.Context, tell func(done int)) ([]UserMade, error) {
	for i, user := range n.users {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := n.service.hashOf(ctx, user); err != nil {
			return nil, err
		}
		tell(i + 1)
	}
	revision, err := n.service.Made(ctx, n.caller, func(d tenant.Viewer) (tenant.Plan, error) {
		n.told = nil
		return planAll(d, n.organisation, n.users, n.rows, &n.told)
	})
	if err != nil {
		return nil, err
	}
	// The change is one; the log tells it person by person.
	records := make([]store.AuditRecord, len(n.told))
	for i, what := range n.told {
		records[i] = store.AuditRecord{Organisation: n.caller.OrganisationName, Author: n.service.Author(n.caller), Event: "imported", Detail: what}
	}
	if err := n.service.Records.Audit(context.WithoutCancel(ctx), records...); err != nil {
		return nil, err
	}
	made := make([]UserMade, len(n.users))
	for i, user := range n.users {
		made[i] = n.service.userMade(ctx, n.caller, n.rows[i].wanted, n.organisation, user, revision)
	}
	return made, nil
}
