package store

import (
	"context"
	"strings"
	"time"
	"unicode"

	"arbora.example/access/model"
)

// AuditFilter says which audit records are wanted. What is empty narrows nothing.
type AuditFilter struct {
	Event       string
	Actor       string // the whole of a name with an @, part of any other
	Text        string // within the detail, whatever its capitals
	From, Until time.Time
	Before      uint64 // only records before this number; 0 for the newest
	Limit       int
}

// whole reports whether an actor is named, rather than part of their name.
func (f AuditFilter) whole() bool { return strings.Contains(f.Actor, "@") }

// By reports whether somebody is who the filter looks for.
func (f AuditFilter) By(actor string) bool {
	if f.whole() {
		return actor == f.Actor
	}
	return strings.Contains(actor, strings.ToLower(f.Actor))
}

// AuditEntry is an audit record with its number in the log.
type AuditEntry struct {
	Number uint64
	AuditRecord
}

// textWindow is how many records are looked through for a text at once: no index helps there.
const textWindow = 50_000

// recordsOf returns the condition that picks an organisation's audit records, which stand under every name that it has had.
func (s *Store) recordsOf(ctx context.Context, organisation model.ID) (condition string, values []any, err error) {
	if organisation.IsZero() {
		return "organisation = ''", nil, nil // the installation's own
	}
	names, err := s.namesOf(ctx, organisation)
	for _, name := range names {
		values = append(values, name)
	}
	return "organisation IN (NULL" + strings.Repeat(", ?", len(values)) + ")", values, err
}

// AuditRecords lists an organisation's audit records, newest first. Next is the number to go on before; 0 at the end. With a
// text to look for a page may be short of its limit though more come after it.
func (s *Store) AuditRecords(ctx context.Context, organisation model.ID, f AuditFilter) (entries []AuditEntry, next uint64, err error) {
	if !plain(f.Event) || !plain(f.Actor) {
		return nil, 0, nil // no record has such a one, and MariaDB compares no other letters with ASCII columns
	}
	of, values, err := s.recordsOf(ctx, organisation)
	if err != nil {
		return nil, 0, err
	}
	if f.Before == 0 {
		if err := s.db.QueryRowContext(ctx, "SELECT number FROM audit_end WHERE one = 1").Scan(&f.Before); err != nil {
			return nil, 0, mark(err)
		}
		f.Before++
	}
	query := "SELECT number, organisation, recorded_at, actor, came_from, event, detail FROM audit_record WHERE " + of + " AND number < ?"
	values = append(values, f.Before)
	and := func(condition string, value any) {
		query += " AND " + condition
		values = append(values, value)
	}
	if f.Event != "" {
		and("event = ?", f.Event)
	}
	if f.whole() {
		and("actor = ?", f.Actor)
	}
	if !f.From.IsZero() {
		and("recorded_at >= ?", f.From)
	}
	if !f.Until.IsZero() {
		and("recorded_at < ?", f.Until)
	}
	floor := uint64(0)
	if f.Text != "" || f.Actor != "" && !f.whole() {
		if f.Before > textWindow {
			floor = f.Before - textWindow
		}
		and("number >= ?", floor)
		and("LOWER(detail) LIKE ?", "%"+likeEscaper.Replace(strings.ToLower(f.Text))+"%")
		if !f.whole() {
			and("actor LIKE ?", "%"+likeEscaper.Replace(strings.ToLower(f.Actor))+"%")
		}
	}
	values = append(values, f.Limit+1)
	err = each(ctx, s.db, query+" ORDER BY number DESC LIMIT ?", values, func(scan scanner) error {
		var e AuditEntry
		err := scan(&e.Number, &e.Organisation, &e.Author.At, &e.Author.Name, &e.Author.From, &e.Event, &e.Detail)
		entries = append(entries, e)
		return err
	})
	switch {
	case err != nil:
		return nil, 0, err
	case len(entries) > f.Limit:
		entries = entries[:f.Limit]
		next = entries[f.Limit-1].Number
	case floor > 1:
		next = floor
	}
	return entries, next, nil
}

// plain tells texts of ASCII.
func plain(text string) bool {
	return !strings.ContainsFunc(text, func(r rune) bool { return r > unicode.MaxASCII })
}

// likeEscaper has a text mean itself in a LIKE pattern.
var likeEscaper = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)
