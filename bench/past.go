package main

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"os"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/service"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/store/snapshots"
	"arbora.example/internal/tenant"
)

const (
	sinceFile = 1000   // changes that a start makes at most: then there is another file
	between   = 20_000 // changes between two files, of a year of 365,000 kept as 20
)

// past measures how soon a service is ready that starts from a snapshot file, and how soon it has a revision of the past.
func (r *report) past(ctx context.Context, database *mariadbd.Server, records *store.Store, o *organisation) error {
	db, err := sql.Open("mysql", database.DSN("bench"))
	if err != nil {
		return err
	}
	defer db.Close()
	directory, err := os.MkdirTemp("", "arbora-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(directory)
	files, err := snapshots.Open(directory)
	if err != nil {
		return err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	sealer, err := credential.NewSealer(make([]byte, credential.SealingKeySize))
	if err != nil {
		return err
	}
	top := o.containers[0].ID
	var s *service.Service
	start := func() (now *access.Snapshot, err error) {
		s = service.New(service.Options{Records: tenant.RecordsIn(records), Files: files, Catalogue: catalogue.Shipped(), Clock: time.Now, Log: quiet, Sealer: sealer})
		return s.Snapshot(ctx, top)
	}
	before := time.Now()
	now, err := start()
	if err != nil {
		return err
	}
	r.figure("start-without-file", time.Since(before).Seconds(), "s")
	if now, err = record(ctx, db, o, now, 1); err != nil { // a file is of a revision that has a record
		return err
	}
	if _, err := start(); err != nil {
		return err
	}
	ended, end := context.WithCancel(ctx)
	end()
	before = time.Now()
	s.KeepSnapshots(ended)
	r.figure("snapshot-file", time.Since(before).Seconds(), "s")
	if now, err = record(ctx, db, o, now, sinceFile); err != nil {
		return err
	}
	var failed error
	r.atMost("start/2s", once(func() { _, failed = start() }).Seconds()/2, 1)
	if failed != nil {
		return failed
	}
	if now, err = record(ctx, db, o, now, between-sinceFile); err != nil {
		return err
	}
	if _, err := start(); err != nil {
		return err
	}
	took := once(func() { _, failed = s.Past(ctx, top, now.Revision()-1) })
	r.milliseconds("past", took, 1000)
	return failed
}

// record writes the records of changes, one a revision, as if they had been made in turn.
func record(ctx context.Context, db *sql.DB, o *organisation, now *access.Snapshot, n int) (*access.Snapshot, error) {
	w := &bulk{ctx: ctx, db: db}
	top := o.containers[0].ID
	for i := range n {
		place := o.containers[1+o.random.IntN(len(o.containers)-1)]
		var change access.Change
		switch i % 3 {
		case 0:
			change = access.TagScope{ID: place.ID, Tags: map[string]string{"round": fmt.Sprint(i)}}
		case 1:
			change = access.CreateScope{Scope: model.Scope{ID: o.id(), Parent: place.ID, Kind: model.Compartment, Name: fmt.Sprintf("past-%d", o.sequence)}}
		case 2:
			change = access.CreateGrant{Grant: access.Grant{ID: o.id(), Scope: place.ID, Principal: o.users[1+o.random.IntN(len(o.users)-1)].ID, Role: "observer"}}
		}
		next, err := now.With(now.Revision()+1, change)
		if err != nil { // what is drawn may be too deep, or there already
			change = access.TagScope{ID: place.ID}
			next, err = now.With(now.Revision()+1, change)
		}
		if err != nil {
			return nil, err
		}
		now = next
		text, err := access.EncodeChanges([]access.Change{change})
		if err != nil {
			return nil, err
		}
		w.row("change_record (organisation_id, revision, made_at, made_by, made_from, what, changed, changes)",
			top[:], now.Revision(), time.Now().UTC(), "u0@lindenmere", "127.0.0.1", "changed something", "null", text)
	}
	w.flush()
	w.exec("UPDATE organisation SET revision = ? WHERE id = ?", now.Revision(), top[:])
	return now, w.failed
}
