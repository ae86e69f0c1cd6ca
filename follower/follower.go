package follower

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"slices"
	"sync"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/authzen"
	"arbora.example/internal/evaluation"
)

// DefaultLease is for how long answers are given after the follower was level with the service, when nothing else is said.
const DefaultLease = 5 * time.Second

// Options say what is followed.
type Options struct {
	Service       string      // where Arbora answers, such as https://arbora.example
	Key           authzen.Key // of a platform service, made for following
	Organisations []string    // by name
	Directory     string      // keeps snapshots between starts; empty for none
	Lease         time.Duration
	Log           *slog.Logger      // what goes wrong; nil for nowhere
	Transport     http.RoundTripper // sends requests to Arbora; nil for the usual one
	Clock         func() time.Time  // what time it is for conditions; nil for the machine's
}

// Follower follows organisations. It is safe for concurrent use.
type Follower struct {
	options Options
	service *authzen.Service
	all     []*Organisation
	stop    context.CancelFunc
	going   sync.WaitGroup
}

// Behind is the error of whoever asks while the follower has had no answer of the service for longer than the lease.
type Behind struct {
	Organisation string
	Reason       error // why the service did not answer; nil when that is not known
}

// Error says since when, and why.
func (b *Behind) Error() string {
	text := "the follower has not been level with Arbora for longer than its lease in organisation " + b.Organisation
	if b.Reason != nil {
		text += ": " + b.Reason.Error()
	}
	return text
}

// Unwrap returns the reason.
func (b *Behind) Unwrap() error { return b.Reason }

// Open follows organisations, and returns when all of them are known. The error is that of the context, or says what the service refused.
func Open(ctx context.Context, o Options) (*Follower, error) {
	if o.Lease == 0 {
		o.Lease = DefaultLease
	}
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	if o.Clock == nil {
		o.Clock = time.Now
	}
	switch {
	case len(o.Organisations) == 0:
		return nil, errors.New("follower: no organisation is named")
	case o.Lease < shortestLease:
		return nil, fmt.Errorf("follower: a lease of %v is too short: give %v or more", o.Lease, shortestLease)
	}
	if o.Directory != "" {
		if err := os.MkdirAll(o.Directory, 0o700); err != nil {
			return nil, fmt.Errorf("follower: %w", err)
		}
		if err := os.Chmod(o.Directory, 0o700); err != nil {
			return nil, fmt.Errorf("follower: %w", err)
		}
	}
	sending := []authzen.Option{authzen.Tries(1), authzen.Within(o.Lease / 2)}
	if o.Transport != nil {
		sending = append(sending, authzen.Over(o.Transport))
	}
	f := &Follower{options: o, service: authzen.NewService(o.Service, o.Key, sending...)}
	following, stop := context.WithCancel(context.Background())
	f.stop = stop
	known := make(chan error, len(o.Organisations))
	for _, name := range slices.Compact(slices.Sorted(slices.Values(o.Organisations))) {
		one := newOrganisation(f, name)
		f.all = append(f.all, one)
		f.going.Go(func() { one.follow(following, known) })
	}
	for range f.all {
		select {
		case err := <-known:
			if err != nil {
				return nil, errors.Join(err, f.Close())
			}
		case <-ctx.Done():
			return nil, errors.Join(ctx.Err(), f.Close())
		}
	}
	return f, nil
}

// shortestLease is the shortest that a lease may be.
const shortestLease = 200 * time.Millisecond

// Close ends following, and keeps on the disk where each organisation stood.
func (f *Follower) Close() error {
	f.stop()
	f.going.Wait()
	var failed []error
	for _, one := range f.all {
		failed = append(failed, one.keep())
	}
	return errors.Join(failed...)
}

// In returns an organisation that is followed.
func (f *Follower) In(name string) (*Organisation, bool) {
	for _, one := range f.all {
		if one.name == name {
			return one, true
		}
	}
	return nil, false
}

// Organisations returns all that is followed, by name.
func (f *Follower) Organisations() []*Organisation { return f.all }

// Snapshot returns what decisions in the organisation are made by at present. The error is a [*Behind] when that is not known.
func (o *Organisation) Snapshot() (*access.Snapshot, error) {
	now := o.now.Load()
	if now == nil || ownClock() >= o.until.Load() {
		return nil, o.behind()
	}
	return now.Snapshot, nil
}

// Decide decides a question. The error is a [*Behind] when the follower is not level with the service.
func (o *Organisation) Decide(q access.Question) (access.Decision, error) {
	now, err := o.Snapshot()
	if err != nil {
		return access.Decision{}, err
	}
	return now.Decide(q), nil
}

// evaluator answers as Arbora answers the platform service that the follower stands for.
func (o *Organisation) evaluator() (*evaluation.Evaluator, error) {
	now := o.now.Load()
	if now == nil || ownClock() >= o.until.Load() {
		return nil, o.behind()
	}
	return evaluation.New(now.Snapshot, evaluation.Asker{
		Principal: model.PlatformServiceID(now.state.Platform), Service: now.state.Platform,
		Context: &access.Context{Time: o.follower.options.Clock().UTC()},
	}), nil
}

// Evaluate answers requests of the AuthZEN API on one snapshot, as Arbora answers the platform service. What it refuses that was attempted is
// sent to Arbora, which records it.
func (o *Organisation) Evaluate(_ context.Context, asked []authzen.Request) ([]authzen.Answer, error) {
	e, err := o.evaluator()
	if err != nil {
		return nil, err
	}
	answers, err := e.AnswerAll(evaluation.Questions(asked))
	if err != nil {
		return nil, err
	}
	for i := range answers {
		if c := asked[i].Context; c != nil && c.Attempted && !answers[i].Allowed && !answers[i].Scope.IsZero() {
			o.attempted(asked[i])
		}
	}
	return evaluation.AnswersOf(answers, e.Revision()), nil
}

// SearchSubjects is [authzen.Decider.SearchSubjects].
func (o *Organisation) SearchSubjects(_ context.Context, asked authzen.Request) ([]authzen.Entity, error) {
	e, err := o.evaluator()
	if err != nil {
		return nil, err
	}
	found, err := e.SearchSubjects(evaluation.QuestionOf(asked))
	return evaluation.Entities(found), err
}

// SearchActions is [authzen.Decider.SearchActions].
func (o *Organisation) SearchActions(_ context.Context, asked authzen.Request) ([]authzen.Action, error) {
	e, err := o.evaluator()
	if err != nil {
		return nil, err
	}
	names, err := e.SearchActions(evaluation.QuestionOf(asked))
	return evaluation.Actions(names), err
}

// SearchResources is [authzen.Decider.SearchResources].
func (o *Organisation) SearchResources(_ context.Context, asked authzen.Request, after string, limit int) ([]authzen.Entity, bool, error) {
	e, err := o.evaluator()
	if err != nil {
		return nil, false, err
	}
	found, more, err := e.SearchResources(evaluation.QuestionOf(asked), after, limit)
	return evaluation.Entities(found), more, err
}
