package change

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/internal/directory"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// A directory says who comes by its provider and in which groups they are, so setting how it is read takes what trusting the provider takes.

const needsDirectory = "change how a directory is read"

// DirectoryWanted is how a directory is to be read.
type DirectoryWanted struct {
	directory.Settings
	Password *string // of whom it is read as; nil leaves it
}

// DirectoryView is a directory as its administrators see it.
type DirectoryView struct {
	directory.Settings
	Set         bool // somebody has said so; else it is what is usual
	HasPassword bool
	NextAt      time.Time // when it is read again; zero for when somebody asks
}

// SetDirectory says how the directory of a provider is read: from then on all of it is read anew.
func (s *Changes) SetDirectory(organisation, provider string, wanted DirectoryWanted) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Needs: needsDirectory, Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner {
		return func(d tenant.Viewer) (tenant.Plan, error) {
			p, err := s.Vouching(ctx, d, organisation, provider)
			if err != nil {
				return tenant.Plan{}, err
			}
			return s.planDirectory(ctx, d, p, wanted)
		}
	}}
}

func (s *Changes) planDirectory(ctx context.Context, d tenant.Viewer, p access.Principal, wanted DirectoryWanted) (tenant.Plan, error) {
	set := wanted.Settings
	if err := set.Check(); err != nil {
		p := &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "correct it"}
		if wrong := (*directory.SettingError)(nil); errors.As(err, &wrong) {
			p.Field = wrong.Field
		}
		return tenant.Plan{}, p
	}
	if err := plan.MayVouch(d, p, slices.Collect(maps.Keys(set.Map.Tags))); err != nil {
		return tenant.Plan{}, err
	}
	tokens, err := s.Records.ProvisioningTokens(ctx, p.ID)
	if err != nil {
		return tenant.Plan{}, err
	}
	if slices.ContainsFunc(tokens, func(t store.ProvisioningToken) bool { return t.RevokedAt.IsZero() && s.Moment().Before(t.Until) }) {
		return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: "the system of " + p.Name + " provisions its people by SCIM, and a directory would contradict it", Next: "revoke its provisioning tokens, or read the directory for another provider"}
	}
	before, err := s.Records.Directory(ctx, p.ID)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return tenant.Plan{}, err
	}
	after := store.Directory{Provider: p.ID, Sealed: before.Sealed}
	if after.Settings, err = json.Marshal(set); err != nil {
		return tenant.Plan{}, err
	}
	var warnings []string
	switch was, err := signin.DirectorySettings(before); {
	case err != nil:
		return tenant.Plan{}, err
	case wanted.Password != nil && *wanted.Password != "":
		after.Sealed = s.SealDirectory(p.ID, *wanted.Password)
	case wanted.Password != nil:
		after.Sealed = nil
	case before.Sealed != nil && (was.Address != set.Address || was.BindName != set.BindName):
		after.Sealed = nil // a password is for the server that it was given for, and is shown to no other
		warnings = []string{"The password is forgotten, since the directory or its reader is another: give it once more."}
	}
	if set.Every > 0 {
		after.NextAt = s.Moment()
	}
	what := "set how the directory of " + p.Name + " is read"
	return tenant.Plan{What: what, Warnings: warnings, Beside: func(tx tenant.Tx) error { return tx.PutDirectory(before, after) }}, nil
}

// RemoveDirectory has the directory of a provider be read no more. Its people stay as they are.
func (s *Changes) RemoveDirectory(organisation, provider string) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner {
		return func(d tenant.Viewer) (tenant.Plan, error) {
			p, err := s.ProviderToEdit(d, organisation, provider)
			if err != nil {
				return tenant.Plan{}, err
			}
			is, err := s.DirectoryOf(ctx, p)
			if err != nil {
				return tenant.Plan{}, err
			}
			return tenant.Plan{
				What: "stopped reading the directory of " + p.Name + "", Beside: func(tx tenant.Tx) error { return tx.RemoveDirectory(is) },
				Warnings: []string{"Its people stay as they are. People who leave it from now on are not suspended here."},
			}, nil
		}
	}}
}

// DirectoryOf returns the directory of a provider as it is recorded.
func (s *Changes) DirectoryOf(ctx context.Context, p access.Principal) (store.Directory, error) {
	is, err := s.Records.Directory(ctx, p.ID)
	if errors.Is(err, store.ErrNotFound) {
		err = &problem.Problem{Kind: problem.NotThere, Detail: "no directory is read for " + p.Name, Next: "set a directory for it"}
	}
	return is, err
}

// Directory tells how the directory of a provider is read, or what is usual where none is set.
func (s *Changes) Directory(ctx context.Context, c tenant.Caller, organisation, provider string) (v DirectoryView, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return v, err
	}
	p, err := s.ProviderToEdit(d, organisation, provider)
	if err != nil {
		return v, err
	}
	is, err := s.Records.Directory(ctx, p.ID)
	if errors.Is(err, store.ErrNotFound) {
		v.Settings = directory.Usual()
		return v, nil
	} else if err != nil {
		return v, err
	}
	v.Settings, err = signin.DirectorySettings(is)
	v.Set, v.HasPassword, v.NextAt = true, len(is.Sealed) > 0, is.NextAt
	return v, err
}
