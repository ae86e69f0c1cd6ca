package demo

import (
	"context"
	"fmt"
	"strings"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// LoamKeys issues the keys that Loam's services act by.
func LoamKeys(ctx context.Context, address string) (map[string]loamapi.Key, error) {
	keeper, err := SignIn(ctx, address, Keeper, Passphrase)
	if err != nil {
		return nil, err
	}
	keys := map[string]loamapi.Key{}
	label := "Loam"
	for _, service := range loamapi.Services {
		made, err := keeper.CreateServiceKey(ctx, service, api.KeyNew{Label: label})
		if err != nil {
			return nil, fmt.Errorf("issue a key for service %s: %w", service, err)
		}
		keys[service] = loamapi.Key{ID: made.Key.Id, Secret: made.Secret}
	}
	return keys, nil
}

type object struct{ address, mediaType, text string }

type records struct {
	database string
	rows     []string // KEY=VALUE
}

type attributes struct {
	resource string
	in       loamapi.Input
}

const (
	ticketing  = "lindenmere/visitors/ticketing"
	trailGuide = "lindenmere/visitors/trail-guide"
	leaf       = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 120 160"><rect width="120" height="160" fill="#f4efe1"/><path d="M60 20C95 55 95 105 60 130 25 105 25 55 60 20Z" fill="#5d7f4b"/><path d="M60 20V150" stroke="#3d5431" stroke-width="3"/></svg>`
)

// objects are what lies in the buckets.
var objects = []object{
	{trailGuide + "/guide-media.bucket/welcome.txt", "text/plain; charset=utf-8", "Welcome to Lindenmere. The long trail takes two hours; the short one passes the ponds.\n"},
	{trailGuide + "/guide-media.bucket/trail-map.svg", "image/svg+xml", leaf},
	{digitising + "/scans.bucket/sheets/00412-quercus-robur.svg", "image/svg+xml", leaf},
	{digitising + "/scans.bucket/sheets/00413-fagus-sylvatica.svg", "image/svg+xml", leaf},
	{digitising + "/scans.bucket/labels/00412.txt", "text/plain; charset=utf-8", "Quercus robur L. Lindenmere, by the lower pond. Coll. 12 May 1931.\n"},
	{"lindenmere/gardens/glasshouses/alpine-house/sensor-log.bucket/2026-11-24.csv", "text/csv", "hour,celsius,humidity\n00,6.1,71\n06,5.4,74\n12,9.8,63\n18,7.0,68\n"},
	{"lindenmere/science/seedbank/seedbank-trial/trial-scans.bucket/tray-07.svg", "image/svg+xml", leaf},
	{"lindenmere/science/seedbank/seedbank-vault/vault-scans.bucket/accession-1187.svg", "image/svg+xml", leaf},
}

var databases = []records{
	{"lindenmere/science/seedbank/seedbank-trial/germination.database", []string{"tray-07=41 of 50 after 12 days", "tray-08=12 of 50 after 12 days"}},
	{"lindenmere/science/seedbank/seedbank-vault/accessions.database", []string{"1187=Gentiana verna, 400 seeds, -20 C", "1188=Dryas octopetala, 250 seeds, -20 C"}},
	{ticketing + "/sales.database", []string{"2026-11-23=118 visitors", "2026-11-24=96 visitors"}},
}

// running are what runs and what it is attached to.
var running = []attributes{
	{"lindenmere/gardens/glasshouses/alpine-house/house-lan.network", loamapi.Input{Range: "10.20.0.0/16", Rules: []string{"let in tcp 8883 from 10.20.0.0/16"}}},
	{"lindenmere/gardens/glasshouses/alpine-house/vent-controller.machine", loamapi.Input{Network: "lindenmere/gardens/glasshouses/alpine-house/house-lan.network"}},
	{digitising + "/digitising-lan.network", loamapi.Input{Range: "10.40.0.0/16"}},
	{ticketing + "/staff-desk.app", loamapi.Input{Text: page("Staff desk", "Tills open at nine. The lower car park is closed this week.")}},
	{trailGuide + "/guide.app", loamapi.Input{Text: page("Trail guide", "Two trails start at the gate: the long one by the ponds, the short one under the limes.")}},
}

func page(title, text string) *string {
	html := "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>" + title + "</title><style>body{font:18px/1.5 sans-serif;max-width:32em;margin:3em auto;color:#24331f}</style><h1>" +
		title + "</h1><p>" + text + "</p></html>\n"
	return &html
}

// LoadLoam fills Loam, which is reached through the service: what lies in buckets and databases, and what runs. A steward
// reads and writes no data; rowan holds what it takes for as long as it takes.
func LoadLoam(ctx context.Context, address string) error {
	l, err := as(ctx, address, "rowan@lindenmere")
	if err != nil {
		return err
	}
	var lent []string
	for _, role := range []string{"content-writer", "record-writer"} {
		made, err := l.CreateGrant(ctx, lindenmere, api.GrantNew{
			Principal: api.PrincipalRef{Kind: api.UserKind, Name: "rowan"}, Role: role,
		})
		if err != nil {
			return fmt.Errorf("lend %s: %w", role, err)
		}
		lent = append(lent, made.Grant.Id)
	}
	if err := l.fillLoam(ctx, loamclient.Through(l.Client)); err != nil {
		return fmt.Errorf("fill Loam: %w", err)
	}
	for _, id := range lent {
		if err := client.Done(l.RevokeGrant(ctx, id, nil)); err != nil {
			return fmt.Errorf("give back: %w", err)
		}
	}
	return nil
}

func (l loader) fillLoam(ctx context.Context, cloud *loamclient.Client) error {
	for _, o := range objects {
		if _, err := cloud.Put(ctx, o.address, o.mediaType, strings.NewReader(o.text)); err != nil {
			return err
		}
	}
	for _, d := range databases {
		connection, err := loamclient.Act[loamapi.Connection](ctx, cloud, d.database, "connect", loamapi.Input{})
		if err != nil {
			return err
		}
		for _, row := range d.rows {
			key, value, _ := strings.Cut(row, "=")
			if _, err := loamclient.Act[loamapi.Entry](ctx, cloud.Connected(connection), d.database, "amend", loamapi.Input{Key: key, Value: value}); err != nil {
				return err
			}
		}
	}
	for _, r := range running {
		if _, err := loamclient.Act[loamapi.Description](ctx, cloud, r.resource, "edit", r.in); err != nil {
			return err
		}
	}
	return nil
}

// LoadLoamStory attaches what the story has made.
func LoadLoamStory(ctx context.Context, address string) error {
	l, err := as(ctx, address, "rowan@lindenmere")
	if err != nil {
		return err
	}
	cloud, machine := loamclient.Through(l.Client), digitising+"/label-reader.machine"
	in := loamapi.Input{Network: digitising + "/digitising-lan.network", RunsAs: digitising + "/label-indexer"}
	if _, err := loamclient.Act[loamapi.Description](ctx, cloud, machine, "edit", in); err != nil {
		return err
	}
	_, err = loamclient.Act[loamapi.Description](ctx, cloud, machine, "start", loamapi.Input{})
	return err
}
