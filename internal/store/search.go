package store

import (
	"context"
	"strings"

	"arbora.example/access/model"
)

// Search says which scopes are wanted. What is empty narrows nothing.
type Search struct {
	Term    string // what one of their terms begins with
	Exact   bool   // that term is the whole of it
	Kind    string
	Type    string
	Tag     string // a term that they have besides; with a = at its end, only a key
	Retired *bool
	After   Found // the last of the page before
	Limit   int
}

// Found is a scope that was found, and by which of its terms.
type Found struct {
	Term  string // empty when no term was asked for
	ID    model.ID
	Title string
}

// SearchScopes finds scopes of an organisation by an index: by term and id when a term is given, by id otherwise. A scope is
// found once for each of its terms that fit.
func (s *Store) SearchScopes(ctx context.Context, organisation model.ID, q Search) ([]Found, error) {
	text, values := q.statement(organisation)
	found := make([]Found, 0, q.Limit)
	err := each(ctx, s.db, text, values, func(scan scanner) error {
		var f Found
		if err := scan(&f.Term, (*idColumn)(&f.ID), &f.Title); err != nil {
			return err
		}
		found = append(found, f)
		return nil
	})
	return found, err
}

// statement writes the query: a handful of forms, all of which read an index in its order.
func (q Search) statement(organisation model.ID) (string, []any) {
	var b strings.Builder
	var values []any
	and := func(condition string, more ...any) {
		b.WriteString(" AND " + condition)
		values = append(values, more...)
	}
	if q.Term != "" {
		b.WriteString("SELECT w.term, w.scope_id, s.title FROM scope_term w JOIN scope s ON s.id = w.scope_id WHERE w.organisation_id = ?")
		values = append(values, idColumn(organisation))
		switch {
		case q.Exact:
			and("w.term = ? AND w.scope_id > ?", q.Term, q.After.ID[:])
		case q.After.Term == "":
			and("w.term >= ? AND w.term < ?", q.Term, pastPrefix(q.Term))
		default:
			and("w.term >= ? AND w.term < ? AND (w.term > ? OR w.scope_id > ?)", q.After.Term, pastPrefix(q.Term), q.After.Term, q.After.ID[:])
		}
	} else {
		b.WriteString("SELECT '', s.id, s.title FROM scope s WHERE s.organisation_id = ?")
		values = append(values, idColumn(organisation))
		and("s.id > ?", q.After.ID[:])
	}
	if q.Kind != "" {
		and("s.kind = ?", q.Kind)
	}
	if q.Type != "" {
		and("s.type = ?", q.Type)
	}
	if q.Retired != nil {
		and("s.retired = ?", *q.Retired)
	}
	if q.Tag != "" {
		const tagged = "EXISTS (SELECT 1 FROM scope_term t WHERE t.organisation_id = s.organisation_id AND t.scope_id = s.id AND "
		if strings.HasSuffix(q.Tag, "=") {
			and(tagged+"t.term >= ? AND t.term < ?)", q.Tag, pastPrefix(q.Tag))
		} else {
			and(tagged+"t.term = ?)", q.Tag)
		}
	}
	if q.Term != "" {
		b.WriteString(" ORDER BY w.term, w.scope_id LIMIT ?")
	} else {
		b.WriteString(" ORDER BY s.id LIMIT ?")
	}
	return b.String(), append(values, q.Limit)
}

// pastPrefix returns the first text after all that begin with a prefix.
func pastPrefix(prefix string) string { return prefix + "\U0010FFFF" }
