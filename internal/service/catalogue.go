package service

import (
	"context"
	"errors"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// ListServices gives the catalogue of the installation, for keepers.
func (s *Changes) ListServices(ctx context.Context, c Caller) (*catalogue.Catalogue, error) {
	if err := needKeeper(c, "look after the catalogue"); err != nil {
		return nil, err
	}
	return s.catalogueNow(ctx)
}

// RegisterService adds a service to the catalogue of the installation, for keepers.
func (s *Changes) RegisterService(ctx context.Context, c Caller, file []byte) (*catalogue.Service, error) {
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
func (s *Changes) RemoveService(ctx context.Context, c Caller, name string) error {
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
