package service

import (
	"context"
	"log/slog"
	"time"

	"arbora.example/access/catalogue"
	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/plan"
	"arbora.example/internal/provision"
	"arbora.example/internal/signin"
	"arbora.example/internal/tenant"
)

// Service carries out the use cases on one database of records. It is safe for concurrent use.
type Service struct {
	*change.Changes
	Provisioning *provision.Provisioning // for the systems of identity providers
	Readings     provision.Readings      // of directories
}

// Options are what a service works with.
type Options struct {
	Records   tenant.Records
	Catalogue *catalogue.Catalogue
	Clock     func() time.Time // asked for every moment that is recorded
	Log       *slog.Logger
	Sealer    *credential.Sealer                                         // seals what must be kept readable
	Post      plan.Post                                                  // sends mail; nil when none can be sent
	Hash      func(ctx context.Context, password string) (string, error) // of passwords; [credential.HashPassword] when it is nil
	Fetch     outside.Fetcher                                            // asks identity providers
	Files     tenant.SnapshotFiles                                       // nil keeps none: each start reads the records whole
	Address   string                                                     // where people and programs reach it, such as https://arbora.example: it issues tokens under this name
}

// patience is how long a request waits for a reading of a directory: clients give up after a minute.
const patience = 20 * time.Second

// New makes a service.
func New(o Options) *Service {
	if o.Hash == nil {
		o.Hash = credential.HashPassword
	}
	tenants := tenant.NewTenants(o.Records, o.Catalogue, o.Clock, o.Log, o.Files, o.Address)
	changes := change.NewChanges(signin.NewSignIns(plan.NewMaker(tenants, o.Post), o.Sealer, o.Hash, o.Fetch), ask.NewAnswers(tenants))
	provisioning := &provision.Provisioning{Changes: changes}
	return &Service{Changes: changes, Provisioning: provisioning, Readings: provision.Readings{Provisioning: provisioning, Patience: patience}}
}
