package tenant

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// SnapshotFiles keep snapshots on the host: see package store/snapshots. They are never more than a shorter way: what they hold is in the
// records, too.
type SnapshotFiles interface {
	ID() string
	Revisions(organisation model.ID) ([]uint64, error)
	Read(organisation model.ID, revision uint64) (record [32]byte, file []byte, err error)
	Write(organisation model.ID, record [32]byte, s *access.Snapshot) error
	Thin(organisation model.ID) error
}

// fromFile returns the newest snapshot up to a revision that a file holds; nil when there is none. Files that are torn or are of another
// database or catalogue are passed over, and the log says so.
func (s *Tenants) fromFile(ctx context.Context, id model.ID, upTo uint64, catalogue *catalogue.Catalogue) *access.Snapshot {
	if s.files == nil {
		return nil
	}
	revisions, err := s.files.Revisions(id)
	if err != nil {
		s.Log.Warn("the snapshot files cannot be listed: the records are read", "organisation", id, "error", err)
		return nil
	}
	for _, revision := range slices.Backward(revisions) {
		if revision > upTo {
			continue
		}
		snapshot, err := s.readFile(ctx, id, revision, catalogue)
		if err == nil {
			return snapshot
		}
		s.Log.Warn("a snapshot file is passed over", "organisation", id, "revision", revision, "reason", err)
	}
	s.Log.Info("there is no snapshot file to begin with: the records are read", "organisation", id)
	return nil
}

var errOfAnother = errors.New("it is of another database, or of a state of it that is gone")

func (s *Tenants) readFile(ctx context.Context, id model.ID, revision uint64, catalogue *catalogue.Catalogue) (*access.Snapshot, error) {
	record, file, err := s.files.Read(id, revision)
	if err != nil {
		return nil, err
	}
	there, err := s.Records.RecordMark(ctx, id, revision)
	if errors.Is(err, store.ErrNotFound) || err == nil && there != record {
		return nil, errOfAnother
	} else if err != nil {
		return nil, err
	}
	snapshot, err := access.ReadSnapshot(catalogue, file)
	if err != nil {
		return nil, err
	}
	if top, ok := snapshot.Top(); !ok || top.ID != id || snapshot.Revision() != revision {
		return nil, errOfAnother
	}
	return snapshot, nil
}

// Past returns what an organisation was decided by at a revision, under the catalogue of today: from the newest file before it, or from the
// beginning, by the changes since. It is for those who run the service in their own program; it asks for no permission. The error is a
// [problem.Problem] when the records do not reach back so far, and says from where on they do.
func (s *Tenants) Past(ctx context.Context, organisation model.ID, revision uint64) (*access.Snapshot, error) {
	now, err := s.Current(ctx, s.Tenant(organisation))
	if err != nil {
		return nil, err
	}
	switch {
	case revision == now.Revision():
		return now, nil
	case revision == 0 || revision > now.Revision():
		return nil, &problem.Problem{Kind: problem.NotThere, Detail: fmt.Sprintf("there is no revision %d: the organisation is at revision %d", revision, now.Revision()), Next: "choose one from 1 on"}
	}
	// The changes since the newest file are read beside the file; it is seldom passed over.
	type told struct {
		from        uint64
		steps       []store.Step
		untold, err error
	}
	read := make(chan told, 1)
	go func(since uint64) {
		t := told{from: since}
		t.steps, t.untold, t.err = s.Records.ChangesSince(ctx, organisation, since, revision)
		read <- t
	}(s.newestFile(organisation, revision))
	past := s.fromFile(ctx, organisation, revision, now.Catalogue())
	if past == nil {
		past = access.New(now.Catalogue())
	}
	since := <-read
	if since.from != past.Revision() {
		since.steps, since.untold, since.err = s.Records.ChangesSince(ctx, organisation, past.Revision(), revision)
	}
	switch {
	case since.err != nil:
		return nil, since.err
	case since.untold != nil:
		return nil, s.noPast(ctx, organisation, revision)
	}
	return after(past, since.steps)
}

// newestFile returns the last revision up to another of which there is a file, 0 for none.
func (s *Tenants) newestFile(id model.ID, upTo uint64) (newest uint64) {
	if s.files == nil {
		return 0
	}
	revisions, err := s.files.Revisions(id)
	if err != nil {
		return 0 // whoever reads one then says so
	}
	for _, revision := range revisions {
		if revision <= upTo {
			newest = revision
		}
	}
	return newest
}

// after returns the snapshot that steps lead to.
func after(from *access.Snapshot, steps []store.Step) (*access.Snapshot, error) {
	if len(steps) == 0 {
		return from, nil
	}
	var changes []access.Change
	for _, step := range steps {
		changes = append(changes, step.Changes...)
	}
	return from.With(steps[len(steps)-1].Revision, changes...)
}

func (s *Tenants) noPast(ctx context.Context, organisation model.ID, revision uint64) error {
	oldest, err := s.Records.OldestTold(ctx, organisation)
	if err != nil {
		return err
	}
	if s.files != nil {
		if revisions, err := s.files.Revisions(organisation); err == nil && len(revisions) > 0 {
			oldest = revisions[0]
		}
	}
	return &problem.Problem{
		Kind: problem.NotThere, Detail: fmt.Sprintf("what the organisation was at revision %d is not known: earlier versions of Arbora did not record it", revision),
		Next: fmt.Sprintf("choose a revision from %d on", oldest),
	}
}

// What one instance at a time does in the background is done by whoever holds a lease, for as long as it says so.
const (
	leaseFor  = 20 * time.Second // another takes it over after that
	leaseEach = 5 * time.Second  // is how often it says so
	// fileEach is after how many changes another snapshot file is written: a start makes at most so many changes.
	fileEach = 1000
)

// KeepSnapshots writes snapshot files of the organisations in use, as often as there is something new, until the context ends; then
// once more of what has changed since. Instances that share the files take turns.
func (s *Tenants) KeepSnapshots(ctx context.Context) {
	if s.files == nil {
		return
	}
	lease := "snapshots of " + s.files.ID()
	tick := time.NewTicker(leaseEach)
	defer tick.Stop()
	for ctx.Err() == nil {
		held, err := s.Records.Lease(ctx, lease, s.instance, leaseFor)
		if held {
			err = s.writeFiles(ctx, fileEach)
		}
		if err != nil && ctx.Err() == nil && !errors.Is(err, store.ErrUnavailable) {
			s.Log.Error("snapshot files cannot be written: the next start reads the records", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-tick.C:
		}
	}
	ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), leaseFor)
	defer cancel()
	held, err := s.Records.Lease(ending, lease, s.instance, leaseFor)
	if held {
		err = errors.Join(s.writeFiles(ending, 1), s.Records.EndLease(ending, lease, s.instance))
	}
	if err != nil && !errors.Is(err, store.ErrUnavailable) {
		s.Log.Error("snapshot files cannot be written at the end: the next start reads the records", "error", err)
	}
}

// writeFiles writes the file of each organisation in use that has changed so often since its last one.
func (s *Tenants) writeFiles(ctx context.Context, changes uint64) error {
	var failed []error
	s.tenants.Range(func(_, value any) bool {
		failed = append(failed, s.writeFileOf(ctx, value.(*Tenant), changes))
		return ctx.Err() == nil
	})
	return errors.Join(failed...)
}

func (s *Tenants) writeFileOf(ctx context.Context, h *Tenant, changes uint64) error {
	now := h.snapshot.Load()
	if skipped := h.skipped.Load(); now == nil || now.Revision() == 0 || h.doubtful.Load() || skipped != nil && len(*skipped) > 0 {
		return nil // what cannot be applied is told at every start
	}
	revisions, err := s.files.Revisions(h.id)
	if err != nil {
		return err
	}
	if n := len(revisions); n > 0 && now.Revision() < revisions[n-1]+changes {
		return nil
	}
	record, err := s.Records.RecordMark(ctx, h.id, now.Revision())
	if err != nil {
		return err
	}
	return errors.Join(s.files.Write(h.id, record, now), s.files.Thin(h.id))
}
