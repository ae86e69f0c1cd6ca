package loam

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"time"

	"github.com/google/uuid"

	"arbora.example/authzen"
	"arbora.example/internal/standin/loam/loamapi"
)

// Options are what Loam works with.
type Options struct {
	Arbora string                 // where Arbora answers, such as http://127.0.0.1:8420
	Keys   map[string]loamapi.Key // by service; see [loamapi.Services]
	// Followers of Arbora decide for some of the services, by name: see [authzen.Beside].
	Followers map[string]string
	Database  string // DSN of Loam's own database
	Clock     func() time.Time
	Log       *slog.Logger
}

// Cloud is Loam. It is safe for concurrent use.
type Cloud struct {
	arbora  *arbora
	records *records
	clock   func() time.Time
	log     *slog.Logger
}

// Open opens Loam's records and clears away what was begun and never came to be.
func Open(ctx context.Context, o Options) (*Cloud, error) {
	a, err := newArbora(o.Arbora, o.Keys, o.Followers)
	if err != nil {
		return nil, err
	}
	r, err := openRecords(ctx, o.Database)
	if err != nil {
		return nil, err
	}
	return &Cloud{arbora: a, records: r, clock: o.Clock, log: o.Log}, nil
}

// Close closes the records.
func (l *Cloud) Close() error { return l.records.db.Close() }

func (l *Cloud) moment() time.Time { return l.clock().UTC().Truncate(time.Microsecond) }

// settleEvery is how often what was begun is compared with what Arbora has; settleAfter is how old it has to be, so that
// nothing is taken for lost that is still being registered.
const (
	settleEvery = 30 * time.Second
	settleAfter = time.Minute
	settleMost  = 1000
)

// KeepSettled compares Loam's records with Arbora's, at once and then again and again, until the context ends. A resource is
// recorded here first and then registered with Arbora, so a stop in between leaves one that nobody was told of: it is
// forgotten. At the start no other request is under way, and all is compared.
func (l *Cloud) KeepSettled(ctx context.Context) {
	begun := l.moment()
	tick := time.NewTicker(settleEvery)
	defer tick.Stop()
	for {
		before := l.moment().Add(-settleAfter)
		if before.Before(begun) {
			before = begun
		}
		if err := l.Settle(ctx, before); err != nil && ctx.Err() == nil {
			l.log.Warn("cannot compare with Arbora", "error", err, "cause", errors.Unwrap(err))
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// Settle compares resources recorded before a moment with what Arbora has, and forgets those it has not.
func (l *Cloud) Settle(ctx context.Context, before time.Time) error {
	for {
		open, err := l.records.unsettled(ctx, before, settleMost)
		if err != nil || len(open) == 0 {
			return err
		}
		var there, gone []uuid.UUID
		for s, list := range bySeat(open) {
			questions := make([]question, len(list))
			for i, r := range list {
				questions[i] = question{subject: Subject{Kind: "service", ID: s.service}, operation: "describe", typ: r.Type, at: r.ID.String()}
			}
			verdicts, err := l.arbora.ask(ctx, s, questions...)
			if err != nil {
				return err
			}
			for i, v := range verdicts {
				if v.Scope == list[i].ID {
					there = append(there, list[i].ID)
				} else {
					gone = append(gone, list[i].ID)
				}
			}
		}
		if err := errors.Join(l.records.settle(ctx, there), l.records.forget(ctx, gone...)); err != nil {
			return err
		}
		if len(gone) > 0 {
			l.log.Info("forgot what was begun and never registered", "resources", len(gone))
		}
	}
}

func bySeat(list []resource) map[seat][]resource {
	groups := map[seat][]resource{}
	for _, r := range list {
		s := seat{kinds[r.Type].service, r.Organisation}
		groups[s] = append(groups[s], r)
	}
	return groups
}

// Healthy checks that Loam can work: its records answer, and so does Arbora.
func (l *Cloud) Healthy(ctx context.Context) error {
	if err := l.records.db.PingContext(ctx); err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, l.arbora.address+"/api/v1/status", nil)
	if err != nil {
		return err
	}
	var status struct{}
	return authzen.Fetch(l.arbora.anybody().HTTP(), request, &status)
}
