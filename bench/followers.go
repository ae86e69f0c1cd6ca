package main

import (
	"context"
	"errors"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/authzen"
	"arbora.example/follower"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
)

// followers measures a follower beside a platform service.
func (r *report) followers(ctx context.Context, _ *mariadbd.Server, records *store.Store, o *organisation) (err error) {
	before := liveHeap()
	a, end, err := startAsking(ctx, records, o)
	if err != nil {
		return err
	}
	defer end()
	serving := liveHeap() - before
	directory, err := os.MkdirTemp("", "arbora-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(directory)
	key, err := a.followingKey(ctx)
	if err != nil {
		return err
	}
	before = liveHeap()
	start := time.Now()
	name := o.containers[0].Name
	f, err := follower.Open(ctx, follower.Options{Service: a.base, Key: key, Organisations: []string{name}, Directory: directory})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, f.Close(), a.withdraw(ctx, key)) }()
	r.figure("follower-start", time.Since(start).Seconds(), "s")
	r.atMost("follower-memory/service", float64(liveHeap()-before)/float64(serving), 1.2)
	one, _ := f.In(name)
	if err := r.followerDecides(ctx, a, one, o); err != nil {
		return err
	}
	if err := r.followerBySocket(a, f, directory); err != nil {
		return err
	}
	return r.followerRevokes(ctx, a, one, o)
}

// followingKey makes a key by which a follower reads.
func (a *asking) followingKey(ctx context.Context) (authzen.Key, error) {
	keeper, err := a.SignIn(ctx, signin.SignInRequest{Name: "warden", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return authzen.Key{}, err
	}
	made, err := a.CreateServiceKey(ctx, keeper, "storage", signin.NewKey{Label: "bench", Follows: true})
	return authzen.Key{ID: made.Key.ID.String(), Secret: string(made.Secret)}, err
}

func (a *asking) withdraw(ctx context.Context, key authzen.Key) error {
	keeper, err := a.SignIn(ctx, signin.SignInRequest{Name: "warden", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	return a.WithdrawKey(ctx, keeper, key.ID)
}

// followerDecides compares decisions of the follower, in its own process, with those of a snapshot.
func (r *report) followerDecides(ctx context.Context, a *asking, one *follower.Organisation, o *organisation) error {
	now, err := a.Snapshot(ctx, o.containers[0].ID)
	if err != nil {
		return err
	}
	asked := questions(o, 1<<18)
	allowed := 0
	decision := each(len(asked), func(i int) {
		if now.Decide(asked[i]).Allowed {
			allowed++
		}
	})
	var failed error
	followed := each(len(asked), func(i int) {
		d, err := one.Decide(asked[i])
		if err != nil {
			failed = err
		}
		if d.Allowed {
			allowed++
		}
	})
	r.figure("follower-decide", float64(followed.Nanoseconds()), "ns")
	r.atMost("follower-decide/decide", float64(followed)/float64(decision), 2)
	return failed
}

// followerBySocket compares questions by a Unix socket with a route that only reads and writes JSON, by another.
func (r *report) followerBySocket(a *asking, f *follower.Follower, directory string) error {
	var loads []*load
	for i, handler := range []http.Handler{bareRoute(), f.Handler("http://localhost")} {
		socket := filepath.Join(directory, nameOf("s", i))
		listener, err := net.Listen("unix", socket)
		if err != nil {
			return err
		}
		defer answer(listener, handler)()
		loads = append(loads, &load{socket: socket})
	}
	for range 5 {
		for _, l := range loads {
			if err := l.run("http://localhost/access/v1/evaluation", a.bodies, 2*time.Second); err != nil {
				return err
			}
		}
	}
	r.figure("socket-bare", loads[0].rate(), "requests/s")
	r.figure("socket-follower", loads[1].rate(), "requests/s")
	r.atLeast("socket-follower/bare", loads[1].rate()/loads[0].rate(), 0.8)
	return nil
}

// followerRevokes measures how long it takes from the answer to a revocation at the service until the follower says no.
func (r *report) followerRevokes(ctx context.Context, a *asking, one *follower.Organisation, o *organisation) error {
	const times = 100 // in each round
	person, err := a.SignIn(ctx, signin.SignInRequest{Name: "u0@" + o.containers[0].Name, Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	write := func(changes ...access.Change) (uint64, error) {
		next, err := a.Write(ctx, person, o.containers[0].ID, func(*access.Snapshot, tenant.Details) (tenant.Plan, error) {
			return tenant.Plan{Changes: changes}, nil
		})
		if err != nil {
			return 0, err
		}
		return next.Revision(), nil
	}
	permission := catalogue.Shipped().MustPermission("describe project")
	var took []time.Duration
	for i := 0; len(took) < rounds*times; i++ {
		q := access.Question{Principal: o.users[1+i].ID, Permission: permission, Scope: o.shelves[i%len(o.shelves)], Context: now}
		if d, err := one.Decide(q); err != nil {
			return err
		} else if d.Allowed {
			continue // they hold it otherwise
		}
		id := model.ID(tenant.NewID())
		revision, err := write(access.CreateGrant{Grant: access.Grant{ID: id, Scope: q.Scope, Principal: q.Principal, Role: "observer"}})
		if err != nil {
			return err
		}
		if err := one.AtLeast(ctx, revision); err != nil {
			return err
		}
		if d, err := one.Decide(q); err != nil {
			return err
		} else if !d.Allowed {
			continue // a rule cuts it
		}
		if _, err := write(access.RevokeGrant{ID: id}); err != nil {
			return err
		}
		start := time.Now()
		for allowed := true; allowed; runtime.Gosched() {
			d, err := one.Decide(q)
			if err != nil {
				return err
			}
			allowed = d.Allowed
		}
		took = append(took, time.Since(start))
	}
	var p99s []time.Duration
	for round := range slices.Chunk(took, times) {
		slices.Sort(round)
		p99s = append(p99s, round[times*99/100])
	}
	r.figure("follower-revocation-median", float64(median(took).Microseconds())/1000, "ms")
	r.milliseconds("follower-revocation", median(p99s), 200)
	return nil
}
