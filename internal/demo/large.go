package demo

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"golang.org/x/sync/errgroup"

	"arbora.example/api"
	"arbora.example/client"
)

// How much a large demo has beside the scenario: the Trust maps all its beds, and takes in volunteers to tend them.
const (
	volunteers = 4_990
	teams      = 60
	gardens    = 20 // folders, each with as many projects, each with plots and what is in them
	plots      = 49
	atATime    = 8
)

// LoadLarge adds 20,000 scopes and 5,000 people to a service with the scenario. Told hears how far it is.
func LoadLarge(ctx context.Context, address string, told func(done, of int)) error {
	keeper, err := SignIn(ctx, address, Keeper, Passphrase)
	if err != nil {
		return err
	}
	// Nobody makes so many changes in a minute by hand.
	many := 1_000_000
	if err := client.Done(keeper.SetQuotas(ctx, lindenmere, api.Quotas{Writes: &many})); err != nil {
		return err
	}
	l, err := as(ctx, address, "rowan@lindenmere")
	if err != nil {
		return err
	}
	if err := l.volunteerTeams(ctx); err != nil {
		return err
	}
	if err := l.volunteers(ctx); err != nil {
		return err
	}
	if err := l.beds(ctx, told); err != nil {
		return err
	}
	return client.Done(keeper.SetQuotas(ctx, lindenmere, api.Quotas{}))
}

func team(i int) string { return fmt.Sprintf("volunteers-%02d", i%teams+1) }

func (l loader) volunteerTeams(ctx context.Context) error {
	for i := range teams {
		if err := client.Done(l.CreateGroup(ctx, lindenmere, api.GroupNew{Name: team(i), Title: fmt.Sprintf("Volunteers, team %d", i+1)})); err != nil {
			return fmt.Errorf("create group %s: %w", team(i), err)
		}
	}
	return nil
}

// volunteers makes people by one file, as an administrator would.
func (l loader) volunteers(ctx context.Context) error {
	var file strings.Builder
	w := csv.NewWriter(&file)
	rows := [][]string{{"name", "title", "tags", "groups", "sign-in-by"}}
	for i := range volunteers {
		name := fmt.Sprintf("volunteer-%04d", i+1)
		rows = append(rows, []string{name, fmt.Sprintf("Volunteer %d", i+1), fmt.Sprintf("bed=%d", i%gardens+1), team(i), "provider"})
	}
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	response, err := l.CreateNewcomers(ctx, lindenmere, api.NewcomerFile{File: file.String()})
	if err != nil {
		return fmt.Errorf("create the volunteers: %w", err)
	}
	defer response.Body.Close()
	for lines := json.NewDecoder(response.Body); ; {
		var line api.NewcomerProgress
		switch err := lines.Decode(&line); {
		case errors.Is(err, io.EOF):
			return errors.New("create the volunteers: the answer broke off")
		case err != nil:
			return fmt.Errorf("create the volunteers: %w", err)
		case line.Problem != nil:
			return fmt.Errorf("create the volunteers: %w", &client.Error{Problem: *line.Problem})
		case line.Made != nil:
			return nil
		}
	}
}

// beds lays out folders of beds with a project for each bed, the plots in it, and what is kept of them.
func (l loader) beds(ctx context.Context, told func(done, of int)) error {
	const top = lindenmere + "/beds"
	if err := l.create(ctx, lindenmere, api.ScopeNew{Kind: "folder", Name: "beds", Title: "All beds"}); err != nil {
		return err
	}
	kinds := []api.ScopeNew{{Kind: "compartment"}, {Kind: "resource", Type: "bucket"}, {Kind: "resource", Type: "machine"}, {Kind: "resource", Type: "database"}}
	for g := range gardens {
		told(g, gardens)
		garden := fmt.Sprintf("garden-%02d", g+1)
		if err := l.create(ctx, top, api.ScopeNew{Kind: "folder", Name: garden, Title: fmt.Sprintf("Garden %d", g+1)}); err != nil {
			return err
		}
		work, inner := errgroup.WithContext(ctx)
		work.SetLimit(atATime)
		for b := range gardens {
			work.Go(func() error {
				bed := fmt.Sprintf("bed-%02d", b+1)
				if err := l.create(inner, top+"/"+garden, api.ScopeNew{Kind: "project", Name: bed, Title: fmt.Sprintf("Bed %d of garden %d", b+1, g+1)}); err != nil {
					return err
				}
				for p := range plots {
					wanted := kinds[p%len(kinds)]
					wanted.Name = fmt.Sprintf("plot-%02d", p+1)
					if err := l.create(inner, top+"/"+garden+"/"+bed, wanted); err != nil {
						return err
					}
				}
				grant := api.GrantNew{Principal: api.PrincipalRef{Kind: api.GroupKind, Name: team(g*gardens + b)}, Role: "builder", Description: "tend this bed"}
				return client.Done(l.CreateGrant(inner, top+"/"+garden+"/"+bed, grant))
			})
		}
		if err := work.Wait(); err != nil {
			return err
		}
	}
	told(gardens, gardens)
	return nil
}

func (l loader) create(ctx context.Context, parent string, wanted api.ScopeNew) error {
	if err := client.Done(l.CreateScope(ctx, parent, wanted)); err != nil {
		return fmt.Errorf("create %s/%s: %w", parent, wanted.Name, err)
	}
	return nil
}
