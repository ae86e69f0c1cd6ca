package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// registry keeps the catalogue of the installation: what came with Arbora, and the services registered since.
type registry struct {
	mutex sync.Mutex // held while it is read from the records, or changed
	now   *catalogue.Catalogue
	files [][]byte
}

// catalogueNow gives the catalogue, reading it from the records when it was not read yet.
func (s *Service) catalogueNow(ctx context.Context) (*catalogue.Catalogue, error) {
	s.registry.mutex.Lock()
	defer s.registry.mutex.Unlock()
	if s.registry.now == nil {
		if _, err := s.readCatalogue(ctx); err != nil {
			return nil, err
		}
	}
	return s.registry.now, nil
}

// readCatalogue reads the catalogue from the records and reports whether it is another than before. The caller holds the
// mutex.
func (s *Service) readCatalogue(ctx context.Context) (changed bool, err error) {
	files, err := s.records.Services(ctx)
	if err != nil {
		return false, err
	}
	if s.registry.now != nil && slices.EqualFunc(files, s.registry.files, slices.Equal) {
		return false, nil
	}
	catalogue := s.shipped
	for _, file := range files {
		if catalogue, err = catalogue.With(file); err != nil {
			return false, fmt.Errorf("a registered service cannot be read: %w", err)
		}
	}
	s.registry.now, s.registry.files = catalogue, files
	return true, nil
}

// catchUpCatalogue follows what other instances register.
func (s *Service) catchUpCatalogue(ctx context.Context) error {
	s.registry.mutex.Lock()
	known := s.registry.now != nil
	changed, err := s.readCatalogue(ctx)
	s.registry.mutex.Unlock()
	if err != nil || !known || !changed {
		return err
	}
	return s.reloadAll(ctx)
}

// reloadAll makes the snapshots in use anew.
func (s *Service) reloadAll(ctx context.Context) error {
	var failed []error
	s.houses.Range(func(_, value any) bool {
		h := value.(*house)
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

// ListServices gives the catalogue of the installation, for keepers.
func (s *Service) ListServices(ctx context.Context, c Caller) (*catalogue.Catalogue, error) {
	if err := needKeeper(c, "look after the catalogue"); err != nil {
		return nil, err
	}
	return s.catalogueNow(ctx)
}

// RegisterService adds a service to the catalogue of the installation, for keepers.
func (s *Service) RegisterService(ctx context.Context, c Caller, file []byte) (*catalogue.Service, error) {
	if err := needKeeper(c, "register services"); err != nil {
		return nil, err
	}
	before, err := s.catalogueNow(ctx)
	if err != nil {
		return nil, err
	}
	wider, err := before.With(file)
	if err != nil {
		var fault *catalogue.FileError
		if errors.As(err, &fault) {
			return nil, &Problem{
				Kind: Invalid, Detail: "the file is not right: " + fault.Detail, Next: "mend it there and register it again", Field: "file",
				Faults: []Fault{{Line: fault.Line, Column: fault.Column, Detail: fault.Detail}},
			}
		}
		return nil, err
	}
	// A role of an organisation may have the name of one that the service brings.
	if err := s.everySnapshot(ctx, func(now *access.Snapshot) error {
		_, err := now.Under(wider)
		return broken(err, "file")
	}); err != nil {
		return nil, err
	}
	services := wider.Services()
	service := services[len(services)-1]
	if err := s.records.AddService(context.WithoutCancel(ctx), service.Name, file, s.author(c)); err != nil {
		return nil, err
	}
	return service, s.catchUpCatalogue(ctx)
}

// RemoveService takes a registered service off the catalogue when nothing uses it, for keepers.
func (s *Service) RemoveService(ctx context.Context, c Caller, name string) error {
	if err := needKeeper(c, "remove services"); err != nil {
		return err
	}
	before, err := s.catalogueNow(ctx)
	if err != nil {
		return err
	}
	if _, err := before.Without(name); err != nil {
		problem := broken(err, "")
		if p, ok := problem.(*Problem); ok && p.Rule == model.RuleUnknown {
			p.Kind = NotThere
		}
		return problem
	}
	if err := s.everySnapshot(ctx, func(now *access.Snapshot) error {
		if use := now.UsesService(name); use != "" {
			top, _ := now.Top()
			// A keeper holds nothing inside organisations, and learns only which one it is.
			return &Problem{
				Kind: Conflict, Rule: model.RuleInUse, Detail: name + " is still used in organisation " + top.Name,
				Next: "ask a steward there to take its resources, grants and statements away first",
			}
		}
		return nil
	}); err != nil {
		return err
	}
	if err := s.records.RemoveService(context.WithoutCancel(ctx), name, s.author(c)); err != nil {
		return err
	}
	return s.catchUpCatalogue(ctx)
}

// everySnapshot calls fn with the snapshot of every organisation.
func (s *Service) everySnapshot(ctx context.Context, fn func(*access.Snapshot) error) error {
	revisions, err := s.records.Revisions(ctx)
	if err != nil {
		return err
	}
	for id := range revisions {
		now, err := s.now(ctx, s.house(id))
		if err != nil {
			return err
		}
		if err := fn(now); err != nil {
			return err
		}
	}
	return nil
}

// Catalogue gives the catalogue to whoever sees anything of the organisation, and its roles.
func (s *Service) Catalogue(ctx context.Context, c Caller, organisation string) (*access.Snapshot, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return nil, err
	}
	if _, err := d.organisation(organisation); err != nil {
		return nil, err
	}
	if d.view.Empty() {
		return nil, nothingHeld(organisation)
	}
	return d.Snapshot, nil
}
