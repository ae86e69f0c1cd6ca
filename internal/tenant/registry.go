package tenant

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"

	"arbora.example/access"
	"arbora.example/access/catalogue"
)

// registry keeps the catalogue of the installation: what came with Arbora, and the services registered since.
type registry struct {
	mutex sync.Mutex                          // held while it is read from the records, or changed
	now   atomic.Pointer[catalogue.Catalogue] // nil until it was read
	files [][]byte
}

// CatalogueNow returns the catalogue, reading it from the records when it was not read yet.
func (s *Tenants) CatalogueNow(ctx context.Context) (*catalogue.Catalogue, error) {
	if now := s.registry.now.Load(); now != nil {
		return now, nil
	}
	s.registry.mutex.Lock()
	defer s.registry.mutex.Unlock()
	if s.registry.now.Load() == nil {
		if _, err := s.readCatalogue(ctx); err != nil {
			return nil, err
		}
	}
	return s.registry.now.Load(), nil
}

// readCatalogue reads the catalogue from the records and reports whether it is another than before. The caller holds the
// mutex.
func (s *Tenants) readCatalogue(ctx context.Context) (changed bool, err error) {
	files, err := s.Records.Services(ctx)
	if err != nil {
		return false, err
	}
	if s.registry.now.Load() != nil && slices.EqualFunc(files, s.registry.files, slices.Equal) {
		return false, nil
	}
	catalogue := s.shipped
	for _, file := range files {
		if catalogue, err = catalogue.With(file); err != nil {
			return false, fmt.Errorf("a registered service cannot be read: %w", err)
		}
	}
	s.registry.files = files
	s.registry.now.Store(catalogue)
	return true, nil
}

// CatchUpCatalogue follows what other instances register.
func (s *Tenants) CatchUpCatalogue(ctx context.Context) error {
	s.registry.mutex.Lock()
	known := s.registry.now.Load() != nil
	changed, err := s.readCatalogue(ctx)
	s.registry.mutex.Unlock()
	if err != nil || !known || !changed {
		return err
	}
	return s.reloadAll(ctx)
}

// lookAtCatalogue has what other instances registered known: organisations in use are led to it before they are used again.
func (s *Tenants) lookAtCatalogue(ctx context.Context) error {
	s.registry.mutex.Lock()
	defer s.registry.mutex.Unlock()
	if s.registry.now.Load() == nil {
		return nil // it is read when it is first needed
	}
	changed, err := s.readCatalogue(ctx)
	if changed {
		s.behind.Store(true)
	}
	return err
}

// reloadAll makes the snapshots in use anew.
func (s *Tenants) reloadAll(ctx context.Context) error {
	var failed []error
	s.tenants.Range(func(_, value any) bool {
		h := value.(*Tenant)
		h.writing.Lock()
		defer h.writing.Unlock()
		if h.snapshot.Load() != nil {
			if _, err := s.reload(ctx, h); err != nil {
				failed = append(failed, err)
			}
		}
		return true
	})
	return errors.Join(failed...)
}

// EverySnapshot calls fn with the snapshot of every organisation.
func (s *Tenants) EverySnapshot(ctx context.Context, fn func(*access.Snapshot) error) error {
	revisions, err := s.Records.Revisions(ctx)
	if err != nil {
		return err
	}
	for id := range revisions {
		now, err := s.Current(ctx, s.Tenant(id))
		if err != nil {
			return err
		}
		if err := fn(now); err != nil {
			return err
		}
	}
	return nil
}
