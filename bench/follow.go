package main

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"runtime"
	"slices"
	"time"

	"arbora.example/access/catalogue"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	"arbora.example/internal/service"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
)

// followed is how many changes are followed.
const followed = 100

// follow measures how soon a change made at one instance is what another decides by, and what it costs an instance to write when
// another wrote just before.
func (r *report) follow(ctx context.Context, _ *mariadbd.Server, records *store.Store, o *organisation) error {
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	sealer, err := credential.NewSealer(make([]byte, credential.SealingKeySize))
	if err != nil {
		return err
	}
	open := func() (*service.Service, tenant.Caller, error) {
		s := service.New(service.Options{Records: tenant.RecordsIn(records), Catalogue: catalogue.Shipped(), Clock: time.Now, Log: quiet, Sealer: sealer, Address: "http://127.0.0.1:8420"})
		c, err := s.SignIn(ctx, signin.SignInRequest{Name: "u0@lindenmere", Password: passphrase, From: "127.0.0.1"})
		return s, c, err
	}
	first, one, err := open()
	if err != nil {
		return err
	}
	second, other, err := open()
	if err != nil {
		return err
	}
	write := func(s *service.Service, c tenant.Caller, name string) (took time.Duration, revision uint64, err error) {
		start := time.Now()
		_, revision, err = s.CreateScope("lindenmere", change.NewScope{Kind: "folder", Name: name}).Make(ctx, c)
		return time.Since(start), revision, err
	}

	var own, turns, follows []time.Duration
	for i := range followed {
		took, _, err := write(first, one, fmt.Sprintf("own-%d", i))
		if err != nil {
			return err
		}
		own = append(own, took)
	}
	for i := range followed {
		s, c := first, one
		if i%2 == 0 {
			s, c = second, other
		}
		took, _, err := write(s, c, fmt.Sprintf("turn-%d", i))
		if err != nil {
			return err
		}
		turns = append(turns, took)
	}

	following, stop := context.WithCancel(ctx)
	defer stop()
	go second.Follow(following, 20*time.Millisecond)
	for i := range followed {
		_, revision, err := write(first, one, fmt.Sprintf("followed-%d", i))
		if err != nil {
			return err
		}
		start := time.Now()
		for {
			now, err := second.Snapshot(ctx, o.containers[0].ID)
			if err != nil {
				return err
			}
			if now.Revision() >= revision {
				break
			}
			runtime.Gosched()
		}
		follows = append(follows, time.Since(start))
	}
	r.milliseconds("follow", median(follows), 50)
	r.milliseconds("follow-p99", slices.Max(follows), 200)
	r.figure("own-write", float64(median(own).Microseconds())/1000, "ms")
	r.atMost("follow/own-write", float64(median(follows))/float64(median(own)), 50)
	r.milliseconds("write-in-turn", median(turns), 50)
	return nil
}
