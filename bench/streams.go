package main

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"arbora.example/access"
	"arbora.example/internal/settings"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
)

const (
	streamsOpen = 5000
	writeEvery  = 100 * time.Millisecond
	writesMade  = 60 // in each round
)

// written is when each revision was answered.
type written struct {
	mu sync.Mutex
	at map[uint64]time.Time
}

// toldAfter is how long it took after the oldest change that an event tells was answered until the event came, in each round.
type toldAfter struct {
	mu    sync.Mutex
	round int
	took  [rounds][]time.Duration
}

func (t *toldAfter) begin(round int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.round = round
}

// streams has many streams open while changes are made and questions asked.
func (r *report) streams(ctx context.Context, _ *mariadbd.Server, records *store.Store, o *organisation) error {
	a, end, err := startAsking(ctx, records, o)
	if err != nil {
		return err
	}
	defer end()
	name := o.containers[0].Name
	o.changes, o.resources = nil, nil // a service does not keep what it was made of beside it
	keeper, err := a.SignIn(ctx, signin.SignInRequest{Name: "warden", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	if _, err := a.SetQuotas(ctx, keeper, name, settings.Quotas{Streams: streamsOpen}); err != nil {
		return err
	}
	person, err := a.SignIn(ctx, signin.SignInRequest{Name: "u0@" + name, Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	now, err := a.Snapshot(ctx, o.containers[0].ID)
	if err != nil {
		return err
	}
	last := now.Revision() + rounds*writesMade
	w, told := &written{at: map[uint64]time.Time{}}, &toldAfter{}
	var open, over sync.WaitGroup
	failures := make(chan error, streamsOpen)
	begun := time.Now()
	for range streamsOpen {
		open.Add(1)
		over.Go(func() {
			if err := watch(a, name, string(person.Token), last, w, told, open.Done); err != nil {
				failures <- err
			}
		})
	}
	open.Wait()
	r.figure("streams-open", time.Since(begun).Seconds(), "s")
	var p99s []time.Duration
	for round := range rounds {
		told.begin(round)
		p99, err := a.writeAndRead(ctx, person, o, w, round)
		if err != nil {
			return err
		}
		p99s = append(p99s, p99)
	}
	over.Wait()
	close(failures)
	for err := range failures {
		return err
	}
	var tolds []time.Duration
	for _, took := range told.took {
		slices.Sort(took)
		tolds = append(tolds, took[len(took)*99/100])
	}
	r.milliseconds("streams-delay", median(tolds), 400)
	r.milliseconds("reads-beside-streams", median(p99s), 20)
	return nil
}

// writeAndRead makes the changes of a round, and asks beside them; it gives what 99 of 100 questions took at most.
func (a *asking) writeAndRead(ctx context.Context, person tenant.Caller, o *organisation, w *written, round int) (p99 time.Duration, err error) {
	reads, client := &load{token: a.token}, &http.Client{}
	for i := range writesMade {
		due := time.Now().Add(writeEvery)
		revision, err := a.tag(ctx, person, o, round*writesMade+i)
		if err != nil {
			return 0, err
		}
		w.mu.Lock()
		w.at[revision] = time.Now()
		w.mu.Unlock()
		for time.Now().Before(due) {
			start := time.Now()
			if err := reads.send(client, a.base+"/access/v1/evaluation", a.bodies[len(reads.took)%len(a.bodies)]); err != nil {
				return 0, err
			}
			reads.took = append(reads.took, time.Since(start))
			time.Sleep(2 * time.Millisecond)
		}
	}
	return reads.p99(), nil
}

// tag alters the tags of a shelf.
func (a *asking) tag(ctx context.Context, person tenant.Caller, o *organisation, i int) (uint64, error) {
	next, err := a.Write(ctx, person, o.containers[0].ID, func(*access.Snapshot, tenant.Details) (tenant.Plan, error) {
		return tenant.Plan{Changes: []access.Change{access.TagScope{ID: o.shelves[i%len(o.shelves)], Tags: map[string]string{"round": strconv.Itoa(i)}}}}, nil
	})
	if err != nil {
		return 0, err
	}
	return next.Revision(), nil
}

// watch opens a stream and reads it up to a revision.
func watch(a *asking, organisation, token string, last uint64, w *written, told *toldAfter, opened func()) error {
	var once sync.Once
	defer once.Do(opened)
	conn, err := net.Dial("tcp", strings.TrimPrefix(a.base, "http://"))
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := fmt.Fprintf(conn, "GET /api/v1/organisations/%s/stream HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer %s\r\n\r\n", organisation, token); err != nil {
		return err
	}
	// Readers share the processor and the collector with what is measured: they keep and leave little.
	lines := bufio.NewReaderSize(conn, 1<<10)
	var seen uint64
	for {
		line, err := lines.ReadSlice('\n')
		if err != nil {
			return fmt.Errorf("a stream ended at revision %d: %w", seen, err)
		}
		text, ok := bytes.CutPrefix(line, []byte("id: "))
		if !ok {
			continue
		}
		came := time.Now()
		revision, err := strconv.ParseUint(string(bytes.TrimSpace(text)), 10, 64)
		if err != nil {
			return err
		}
		once.Do(opened)
		if seen > 0 {
			w.mu.Lock()
			answered, known := w.at[seen+1]
			w.mu.Unlock()
			told.mu.Lock()
			if known { // else it came before its answer
				told.took[told.round] = append(told.took[told.round], came.Sub(answered))
			}
			told.mu.Unlock()
		}
		if seen = revision; revision >= last {
			return nil
		}
	}
}
