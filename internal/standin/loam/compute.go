package loam

import (
	"context"
	"net/http"

	"github.com/google/uuid"

	"arbora.example/internal/standin/loam/loamapi"
)

// What a machine, or a lab, is attached to.
var (
	toNetwork = reference{
		word: "network", typ: "network", of: func(in *loamapi.Input) *string { return &in.Network },
		keep: func(a *loamapi.Attributes, id, _ string) (err error) {
			a.Network, err = uuid.Parse(id)
			return err
		},
	}
	toAccount = reference{
		word: "runs-as", of: func(in *loamapi.Input) *string { return &in.RunsAs },
		keep: func(a *loamapi.Attributes, id, named string) (err error) {
			a.AsNamed = named
			a.RunsAs, err = uuid.Parse(id)
			return err
		},
	}
)

// enter runs a program on a machine. It acts as the machine's service account, never as whoever entered, nor as whoever
// made the machine.
func enter(ctx context.Context, c *call, r resource) (any, error) {
	switch {
	case !r.Running:
		return nil, problem(http.StatusConflict, "conflict", "the machine is stopped", "start it first")
	case r.RunsAs == uuid.Nil:
		return nil, problem(http.StatusConflict, "conflict", "no service account is attached to the machine, so what runs on it is nobody and may do nothing",
			"attach one: arbora-demo loam edit "+c.key+" --run-as ADDRESS; it needs the permission \"attach service-account\"")
	}
	return c.run(ctx, Subject{Kind: serviceAccount, ID: r.RunsAs.String(), Name: r.AsNamed}, c.in.Program)
}
