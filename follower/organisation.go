package follower

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"arbora.example/access"
	"arbora.example/authzen"
	"arbora.example/internal/feed"
	"arbora.example/internal/wholefile"
)

// Organisation is one that is followed. It is safe for concurrent use, and an [authzen.Decider].
type Organisation struct {
	follower *Follower
	name     string
	now      atomic.Pointer[known]
	until    atomic.Int64 // when the lease ends, by the program's own clock
	reason   atomic.Pointer[error]
	changed  chan struct{}        // closed when another snapshot is known
	mu       sync.Mutex           // guards changed and kept
	kept     feed.State           // what is on the disk
	refused  chan authzen.Request // attempts to send to the service
}

// known is a snapshot, and where the organisation stands with it.
type known struct {
	*access.Snapshot
	state feed.State
}

// mostAttempts is how many refused attempts wait to be sent. What does not fit is only logged: no answer waits for it.
const mostAttempts = 1000

func newOrganisation(f *Follower, name string) *Organisation {
	return &Organisation{follower: f, name: name, changed: make(chan struct{}), refused: make(chan authzen.Request, mostAttempts)}
}

// programBegan is where the program's own clock begins, which nobody sets.
var programBegan = time.Now()

func ownClock() int64 { return int64(time.Since(programBegan)) }

// Name is the organisation's.
func (o *Organisation) Name() string { return o.name }

// Lease returns for how long answers are given unless the service is heard of again; 0 when none are given.
func (o *Organisation) Lease() time.Duration {
	return max(time.Duration(o.until.Load()-ownClock()), 0)
}

func (o *Organisation) behind() error {
	b := &Behind{Organisation: o.name}
	if reason := o.reason.Load(); reason != nil {
		b.Reason = *reason
	}
	return b
}

// Retries wait twice as long each time, up to a limit.
const (
	firstRetry = 50 * time.Millisecond
	lastRetry  = 2 * time.Second
)

// follow keeps the organisation level until the context ends. It reports to known once: nil, or why the service refused it.
func (o *Organisation) follow(ctx context.Context, known chan<- error) {
	report := func(err error) {
		if known != nil {
			known <- err
			known = nil
		}
	}
	if err := o.fromDisk(); err != nil {
		o.follower.options.Log.Warn("the snapshot on the disk is not used", "organisation", o.name, "reason", err)
	}
	go o.sendAttempts(ctx)
	save := time.Now().Add(saveEvery)
	for retry := firstRetry; ctx.Err() == nil; {
		begun := ownClock()
		err := o.catchUp(ctx, known == nil)
		if err == nil {
			o.reason.Store(nil)
			o.until.Store(begun + int64(o.follower.options.Lease))
			if o.Lease() > 0 { // reading the whole may take longer
				report(nil)
			}
			retry = firstRetry
			if time.Now().After(save) {
				save = time.Now().Add(saveEvery)
				if err := o.keep(); err != nil {
					o.follower.options.Log.Error("a snapshot cannot be kept on the disk", "organisation", o.name, "error", err)
				}
			}
			continue
		}
		if ctx.Err() != nil {
			return
		}
		o.reason.Store(&err)
		var refused *authzen.Error
		if errors.As(err, &refused) && refused.Status >= 400 && refused.Status < 500 && refused.Status != http.StatusTooManyRequests {
			o.until.Store(0) // it may not follow any more: nothing is answered from now on
			report(fmt.Errorf("organisation %s cannot be followed: %w", o.name, err))
		}
		o.follower.options.Log.Warn("the service did not answer", "organisation", o.name, "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(retry):
		}
		retry = min(2*retry, lastRetry)
	}
}

// catchUp brings the organisation level with the service once, and waits for a change if it may.
func (o *Organisation) catchUp(ctx context.Context, mayWait bool) error {
	now := o.now.Load()
	if now == nil {
		return o.begin(ctx)
	}
	page, err := o.changes(ctx, now.state, mayWait)
	if err != nil {
		return err
	}
	if page.Reset || page.State.Platform != now.state.Platform {
		return o.begin(ctx)
	}
	if len(page.Changes) == 0 {
		return nil
	}
	next, err := page.Follow(now.Snapshot)
	if err != nil {
		o.follower.options.Log.Warn("the changes cannot be applied: the organisation is read anew", "organisation", o.name, "reason", err)
		return o.begin(ctx)
	}
	o.publish(page.State, next)
	return nil
}

func (o *Organisation) publish(state feed.State, s *access.Snapshot) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.now.Store(&known{s, state})
	close(o.changed)
	o.changed = make(chan struct{})
}

func (o *Organisation) path(what string) string {
	return strings.TrimSuffix(o.follower.options.Service, "/") + "/api/v1/organisations/" + url.PathEscape(o.name) + "/following/" + what
}

// begin reads everything that decisions depend on.
func (o *Organisation) begin(ctx context.Context) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, o.path("snapshot"), nil)
	if err != nil {
		return err
	}
	text, err := authzen.Read(o.follower.service.In(o.name).Patient(), r)
	if err != nil {
		return err
	}
	state, s, err := feed.Read(text)
	if err != nil {
		return fmt.Errorf("the snapshot of the service cannot be read: %w", err)
	}
	o.publish(state, s)
	return nil
}

// changes asks for the changes since a state.
func (o *Organisation) changes(ctx context.Context, since feed.State, mayWait bool) (page feed.Page, err error) {
	query := url.Values{"since": {strconv.FormatUint(since.Revision, 10)}, "record": {since.Record.String()}, "catalogue": {since.Catalogue.String()}}
	if mayWait {
		query.Set("wait", strconv.FormatInt((o.follower.options.Lease/4).Milliseconds(), 10))
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, o.path("changes")+"?"+query.Encode(), nil)
	if err != nil {
		return page, err
	}
	return page, authzen.Fetch(o.follower.service.In(o.name).HTTP(), r, &page)
}

// attempted has a refused attempt sent to the service.
func (o *Organisation) attempted(r authzen.Request) {
	select {
	case o.refused <- r:
	default:
		o.follower.options.Log.Warn("a refused attempt is not recorded: too many wait to be sent", "organisation", o.name)
	}
}

// sendAttempts sends refused attempts to the service, which records them; those that come together go in one request.
func (o *Organisation) sendAttempts(ctx context.Context) {
	for {
		var some []authzen.Request
		select {
		case <-ctx.Done():
			return
		case one := <-o.refused:
			some = append(some, one)
		}
		for more := true; more && len(some) < mostAttempts; {
			select {
			case one := <-o.refused:
				some = append(some, one)
			default:
				more = false
			}
		}
		if err := o.send(ctx, some); err != nil && ctx.Err() == nil {
			o.follower.options.Log.Warn("refused attempts could not be sent to the service, and are not recorded", "organisation", o.name, "attempts", len(some), "error", err)
		}
	}
}

func (o *Organisation) send(ctx context.Context, some []authzen.Request) error {
	text, err := json.Marshal(map[string]any{"evaluations": some})
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, o.path("attempts"), strings.NewReader(string(text)))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	_, err = authzen.Read(o.follower.service.In(o.name).HTTP(), r)
	return err
}

// saveEvery is how often it is kept on the disk where the organisation stands.
const saveEvery = 5 * time.Minute

func (o *Organisation) file() string {
	return filepath.Join(o.follower.options.Directory, url.PathEscape(o.name)+"-"+url.PathEscape(o.follower.options.Key.ID)+".snapshot")
}

// fromDisk takes up what was kept on the disk, if anything was. Nothing is answered by it before the service has told what led on from it.
func (o *Organisation) fromDisk() error {
	if o.follower.options.Directory == "" {
		return nil
	}
	text, err := os.ReadFile(o.file())
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	state, s, err := feed.Read(text)
	if err != nil {
		return err
	}
	o.publish(state, s)
	o.kept = state
	return nil
}

// keep writes where the organisation stands to the disk, whole or not at all, unless that is there already.
func (o *Organisation) keep() error {
	o.mu.Lock()
	now := o.now.Load()
	same := now != nil && now.state == o.kept
	o.mu.Unlock()
	if o.follower.options.Directory == "" || now == nil || same {
		return nil
	}
	if err := wholefile.Write(o.file(), func(w io.Writer) error { return feed.Write(w, now.state, now.Snapshot) }); err != nil {
		return err
	}
	o.mu.Lock()
	o.kept = now.state
	o.mu.Unlock()
	return nil
}

// AtLeast waits until the organisation is known at a revision or a later one, for as long as the context lasts.
func (o *Organisation) AtLeast(ctx context.Context, revision uint64) error {
	for {
		o.mu.Lock()
		changed := o.changed
		o.mu.Unlock()
		if now := o.now.Load(); now != nil && now.Revision() >= revision {
			return nil
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return fmt.Errorf("organisation %s is not known at revision %d yet: %w", o.name, revision, ctx.Err())
		}
	}
}
