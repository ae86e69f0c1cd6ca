package loam

import (
	"context"
	"net/http"
	"strings"

	"github.com/google/uuid"

	"arbora.example/internal/standin/loam/loamapi"
)

// labs is the labs service itself: a lab's machine is made and started by it, and what a notebook does is done as it, never
// as whoever made or runs the lab.
var labs = Subject{Kind: platformService, ID: "labs", Name: "labs"}

// makeLabsMachine has the labs service make the machine that a lab runs on, on the lab's network. It takes that a policy
// lets "service labs" make machines there and attach them to that network.
func (c *call) makeLabsMachine(ctx context.Context, lab *resource, parent uuid.UUID) error {
	if lab.Network == uuid.Nil {
		return invalid("network", "a lab needs a network for its machine", "name one, with --network")
	}
	worker := c.byLabs()
	v, err := worker.may(ctx, "create", "machine", c.key, c.in.Network)
	if err != nil {
		return explainLabs(err)
	}
	machine := newResource(uuid.Must(uuid.NewV7()), lab.Organisation, "machine")
	machine.Network = lab.Network
	if v.Scope != parent {
		return unavailable(nil) // it moved between two questions
	}
	if err := worker.register(ctx, machine, parent, c.in.Name+"-lab", "Machine of lab "+c.in.Name); err != nil {
		return err
	}
	lab.Machine = machine.ID
	return nil
}

// byLabs returns a call of the labs service for a lab that the caller sees.
func (c *call) byLabs() *call {
	worker := c.by(labs)
	worker.revealHidden = true
	return worker
}

// explainLabs returns what a lab needs that the labs service was refused.
func explainLabs(err error) error {
	p, ok := err.(*Problem)
	if !ok || p.Status != http.StatusForbidden || p.Permission == "" {
		return err
	}
	told := *p
	operation, typ, _ := strings.Cut(p.Permission, " ")
	told.Detail = "the lab cannot work: the labs service acts as itself and is not let yet: " + p.needs
	next := "have a policy there say: service labs may " + operation + " " + typ
	told.Next = next
	return &told
}

func startLab(ctx context.Context, c *call, r resource) (any, error) {
	if err := c.runLabsMachine(ctx, r, "start"); err != nil {
		return nil, err
	}
	return start(ctx, c, r)
}

func stopLab(ctx context.Context, c *call, r resource) (any, error) {
	if err := c.runLabsMachine(ctx, r, "stop"); err != nil {
		return nil, err
	}
	return stop(ctx, c, r)
}

// runLabsMachine has the labs service start or stop a lab's machine.
func (c *call) runLabsMachine(ctx context.Context, lab resource, operation string) error {
	if lab.Machine == uuid.Nil {
		return problem(http.StatusConflict, "conflict", "the lab has no machine, since it was not made in Loam", "create one with arbora-demo loam create")
	}
	machine, _, err := c.byLabs().use(ctx, operation, "machine", lab.Machine.String())
	if err != nil {
		return explainLabs(err)
	}
	machine.Running = operation == "start"
	return c.records.save(ctx, machine)
}

func readLab(_ context.Context, _ *call, r resource) (any, error) {
	return loamapi.Notebook{Text: r.Text}, nil
}

func writeLab(ctx context.Context, c *call, r resource) (any, error) {
	if c.in.Text == nil {
		return nil, invalid("text", "there is nothing to write", "send the notebook's text")
	}
	if err := checkPage(c); err != nil {
		return nil, err
	}
	r.Text = *c.in.Text
	return loamapi.Notebook{Text: r.Text}, c.records.save(ctx, r)
}

// runLab runs a notebook, each line as the labs service.
func runLab(ctx context.Context, c *call, r resource) (any, error) {
	if !r.Running {
		return nil, problem(http.StatusConflict, "conflict", "the lab is stopped", "start it first")
	}
	var lines []string
	for line := range strings.Lines(r.Text) {
		if line = strings.TrimSpace(line); line != "" && !strings.HasPrefix(line, "#") {
			lines = append(lines, line)
		}
	}
	return c.run(ctx, labs, lines)
}
