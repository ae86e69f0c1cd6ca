package main

import (
	"context"
	"database/sql"
	"io"
	"log/slog"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/service"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/store/prepared"
	"arbora.example/internal/tenant"
)

// searchAlone is search on a database that nothing else was measured on.
func (r *report) searchAlone(ctx context.Context, database *mariadbd.Server, records *store.Store, o *organisation) error {
	db, err := sql.Open("mysql", database.DSN("bench"))
	if err != nil {
		return err
	}
	defer db.Close()
	return r.search(ctx, records, db, o)
}

// search compares a search of the tree, as a person asks for it, with a bare query, by index, of the rows it tells.
func (r *report) search(ctx context.Context, records *store.Store, db *sql.DB, o *organisation) error {
	svc := service.New(service.Options{Records: tenant.RecordsIn(records), Catalogue: catalogue.Shipped(), Clock: time.Now, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	caller, err := svc.SignIn(ctx, signin.SignInRequest{Name: "u0@lindenmere", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	const most = 50
	prefixes := searchPrefixes(o, 2000)
	top := o.containers[0].ID
	bare := prepared.New(db)
	var failed error
	query := func(i int) {
		found := 0
		rows, err := bare.QueryContext(ctx, "SELECT w.term, w.scope_id, s.title FROM scope_term w JOIN scope s ON s.id = w.scope_id WHERE w.organisation_id = ? AND w.term >= ? AND w.term < ? ORDER BY w.term, w.scope_id LIMIT ?",
			top[:], prefixes[i], prefixes[i]+"\U0010FFFF", most+1)
		if err != nil {
			failed = err
			return
		}
		defer rows.Close()
		for rows.Next() {
			var term, title string
			var id []byte
			if failed = rows.Scan(&term, &id, &title); failed != nil {
				return
			}
			found++
		}
		if found == 0 {
			failed = sql.ErrNoRows
		}
	}
	search := func(i int) {
		if _, _, err := svc.SearchScopes(ctx, caller, "lindenmere", ask.ScopeSearch{Text: prefixes[i], Limit: most}); err != nil {
			failed = err
		}
	}
	each(200, query) // what is not there yet is made
	each(200, search)
	took, plain := each(len(prefixes), search), each(len(prefixes), query)
	r.figure("search", float64(took.Microseconds()), "µs")
	r.figure("search-query", float64(plain.Microseconds()), "µs")
	r.atMost("search/query", float64(took)/float64(plain), 2)
	return failed
}

// searchPrefixes returns beginnings of the names of resources, as people would type them.
func searchPrefixes(o *organisation, n int) []string {
	var names []string
	for _, change := range o.changes {
		if c, ok := change.(access.CreateScope); ok && c.Scope.Kind == model.Resource {
			names = append(names, c.Scope.Name)
		}
	}
	prefixes := make([]string, n)
	for i := range prefixes {
		name := names[(i*7919)%len(names)]
		prefixes[i] = name[:max(1, len(name)-2)]
	}
	return prefixes
}
