package main

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"net"
	"testing/fstest"
	"time"

	"github.com/google/uuid"

	"arbora.example/access/catalogue"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/credential"
	"arbora.example/internal/server"
	"arbora.example/internal/service"
	"arbora.example/internal/signin"
	"arbora.example/internal/standin/loam"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
)

// loam compares making a resource through Loam, which asks Arbora and has it register the resource, with a bare insert of
// the row that Loam keeps, each committed to disk.
func (r *report) loam(ctx context.Context, database *mariadbd.Server, records *store.Store, o *organisation) error {
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	sealer, err := credential.NewSealer(make([]byte, credential.SealingKeySize))
	if err != nil {
		return err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	address := "http://" + listener.Addr().String()
	svc := service.New(service.Options{Records: tenant.RecordsIn(records), Catalogue: catalogue.Shipped(), Clock: time.Now, Log: quiet, Sealer: sealer, Address: address})
	handler, err := server.New(server.Options{Service: svc, Console: fstest.MapFS{}, Version: "bench", Log: quiet})
	if err != nil {
		return err
	}
	defer answer(listener, handler)()
	keeper, err := svc.SignIn(ctx, signin.SignInRequest{Name: "warden", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	keys := map[string]loamapi.Key{}
	for _, name := range loamapi.Services {
		made, err := svc.CreateServiceKey(ctx, keeper, name, signin.NewKey{})
		if err != nil {
			return err
		}
		keys[name] = loamapi.Key{ID: made.Key.ID.String(), Secret: string(made.Secret)}
	}
	if err := database.Create(ctx, "benchloam"); err != nil {
		return err
	}
	cloud, err := loam.Open(ctx, loam.Options{Arbora: address, Keys: keys, Database: database.DSN("benchloam"), Clock: time.Now, Log: quiet})
	if err != nil {
		return err
	}
	defer cloud.Close()
	front, err := cloud.Handler()
	if err != nil {
		return err
	}
	at, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer answer(at, front)()
	steward, err := svc.SignIn(ctx, signin.SignInRequest{Name: "u0@lindenmere", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	arbora, err := client.Open(address, string(steward.Token))
	if err != nil {
		return err
	}
	if err := client.Done(arbora.CreateScope(ctx, "lindenmere", api.ScopeNew{Kind: "project", Name: "shed"})); err != nil {
		return err
	}
	people, err := loamclient.At("http://"+at.Addr().String(), string(steward.Token))
	if err != nil {
		return err
	}
	return r.loamCreate(ctx, people, database.DSN("benchloam"))
}

func (r *report) loamCreate(ctx context.Context, cloud *loamclient.Client, dsn string) error {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	insert, err := db.PrepareContext(ctx, "INSERT INTO resource (id, organisation, type, running, attributes, made_at, settled) VALUES (?, 'bare', 'machine', FALSE, '{\"size\":\"small\"}', ?, TRUE)")
	if err != nil {
		return err
	}
	defer insert.Close()
	const rounds, each = 5, 100
	var failed error
	create, bare := time.Duration(0), time.Duration(0)
	for round := range rounds {
		start := time.Now()
		for i := range each {
			if _, err := cloud.Create(ctx, loamapi.Input{At: "lindenmere/shed", Type: "machine", Name: fmt.Sprintf("m-%d-%d", round, i)}); err != nil {
				failed = err
			}
		}
		create += time.Since(start)
		start = time.Now()
		for range each {
			id := uuid.Must(uuid.NewV7())
			if _, err := insert.ExecContext(ctx, id[:], time.Now().UTC()); err != nil {
				failed = err
			}
		}
		bare += time.Since(start)
	}
	const n = rounds * each
	r.figure("loam-create", float64(create.Microseconds())/n, "µs")
	r.figure("insert", float64(bare.Microseconds())/n, "µs")
	r.figure("loam-create/insert", float64(create)/float64(bare), "times")
	return failed
}
