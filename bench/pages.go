package main

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
)

// pages measures pages of the tree: 200 scopes beneath one, asked for over HTTP by a person with a session.
func (r *report) pages(ctx context.Context, _ *mariadbd.Server, records *store.Store, o *organisation) error {
	a, end, err := startAsking(ctx, records, o)
	if err != nil {
		return err
	}
	defer end()
	o.changes = nil // a service does not keep what it was made of beside it
	person, err := a.SignIn(ctx, signin.SignInRequest{Name: "u0@" + o.containers[0].Name, Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	urls := make([]string, len(o.shelves))
	for i, id := range o.shelves {
		urls[i] = fmt.Sprintf("%s/api/v1/scopes/%s/children?limit=%d", a.base, id, shelfSize)
	}
	l := &load{token: string(person.Token), prefix: `{"scopes":`, method: http.MethodGet}
	if err := l.runAll(urls, nil, time.Second); err != nil { // the titles are read
		return err
	}
	var rates []float64
	for range rounds {
		l.took, l.total = nil, 0
		if err := l.runAll(urls, nil, 2*time.Second); err != nil {
			return err
		}
		rates = append(rates, l.rate())
	}
	slices.Sort(rates)
	r.figure("tree-page", rates[rounds/2], "pages/s")
	r.atLeast("tree-page-rate", rates[rounds/2]/1500, 1)
	return nil
}
