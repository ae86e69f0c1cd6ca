package change

import (
	"context"
	"errors"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// ListServices returns the catalogue of the installation, for keepers.
func (s *Changes) ListServices(ctx context.Context, c tenant.Caller) (*catalogue.Catalogue, error) {
	if err := tenant.NeedKeeper(c, "manage the catalogue"); err != nil {
		return nil, err
	}
	return s.CatalogueNow(ctx)
}

// RegisterService adds a service to the catalogue of the installation, for keepers.
func (s *Changes) RegisterService(ctx context.Context, c tenant.Caller, file []byte) (*catalogue.Service, error) {
	if err := tenant.NeedKeeper(c, "register services"); err != nil {
		return nil, err
	}
	before, err := s.CatalogueNow(ctx)
	if err != nil {
		return nil, err
	}
	wider, err := before.With(file)
	if err != nil {
		var fault *catalogue.FileError
		if errors.As(err, &fault) {
			return nil, &problem.Problem{
				Kind: problem.Invalid, Detail: "the file is not right: " + fault.Detail, Next: "correct it there and register it again", Field: "file",
				Faults: []problem.Fault{{Line: fault.Line, Column: fault.Column, Detail: fault.Detail}},
			}
		}
		return nil, err
	}
	// A role of an organisation may have the name of one that the service brings.
	if err := s.EverySnapshot(ctx, func(now *access.Snapshot) error {
		_, err := now.Under(wider)
		return problem.Of(err, "file")
	}); err != nil {
		return nil, err
	}
	services := wider.Services()
	service := services[len(services)-1]
	if err := s.Records.AddService(context.WithoutCancel(ctx), service.Name, file, s.Author(c)); err != nil {
		return nil, err
	}
	return service, s.CatchUpCatalogue(ctx)
}

// RemoveService takes a registered service off the catalogue when nothing uses it, for keepers.
func (s *Changes) RemoveService(ctx context.Context, c tenant.Caller, name string) error {
	if err := tenant.NeedKeeper(c, "remove services"); err != nil {
		return err
	}
	before, err := s.CatalogueNow(ctx)
	if err != nil {
		return err
	}
	if _, err := before.Without(name); err != nil {
		wrong := problem.Of(err, "")
		if p, ok := wrong.(*problem.Problem); ok && p.Rule == model.RuleUnknown {
			p.Kind = problem.NotThere
		}
		return wrong
	}
	if err := s.EverySnapshot(ctx, func(now *access.Snapshot) error {
		if use := now.UsesService(name); use != "" {
			top, _ := now.Top()
			// A keeper holds nothing inside organisations, and learns only which one it is.
			return &problem.Problem{
				Kind: problem.Conflict, Rule: model.RuleInUse, Detail: name + " is still used in organisation " + top.Name,
				Next: "ask a steward there to retire its resources and to delete its grants and statements first",
			}
		}
		return nil
	}); err != nil {
		return err
	}
	if err := s.Records.RemoveService(context.WithoutCancel(ctx), name, s.Author(c)); err != nil {
		return err
	}
	return s.CatchUpCatalogue(ctx)
}
