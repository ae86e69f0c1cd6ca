package loam

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/google/uuid"

	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/internal/standin/loam/loamapi"
)

// sizes are those of machines and databases, smallest first.
var sizes = []string{"small", "medium", "large"}

func (c *call) describe(r resource) loamapi.Description {
	d := loamapi.Description{ID: r.ID, Address: c.key, Type: r.Type, Attributes: r.Attributes}
	// What is in an app or a lab is on the data plane.
	d.Attributes.Text = ""
	d.State = r.state()
	return d
}

// state reports whether a resource runs; empty for one that does not run at all.
func (r resource) state() string {
	switch {
	case !kinds[r.Type].runs:
		return ""
	case r.Running:
		return "running"
	}
	return "stopped"
}

func describe(ctx context.Context, c *call, r resource) (any, error) {
	d := c.describe(r)
	d.Addresses = map[uuid.UUID]string{}
	for _, id := range []uuid.UUID{r.Network, r.Machine, r.Within} {
		if id == uuid.Nil {
			continue
		}
		address, err := c.addressOf(ctx, id)
		if err != nil {
			return nil, err
		}
		if address != "" {
			d.Addresses[id] = address
		}
	}
	return d, nil
}

// addressOf returns the address of a scope as Arbora shows it to whoever calls; empty when they do not see it.
func (c *call) addressOf(ctx context.Context, id uuid.UUID) (string, error) {
	if c.token == "" {
		return "", nil
	}
	arbora, err := c.arbora.passingOn(c.token, c.viewAs)
	if err != nil {
		return "", err
	}
	scope, err := arbora.ShowScope(ctx, id.String())
	var told *Problem
	if err = answered(err); errors.As(err, &told) && told.Status == http.StatusNotFound {
		return "", nil
	}
	return scope.Address, err
}

// act carries out an operation on a resource, if Arbora lets the subject.
func (c *call) act(ctx context.Context, operation string) (any, error) {
	run, ok := acts[operation+" "+c.typ]
	if !ok {
		return nil, invalid("operation", fmt.Sprintf("Loam has no operation %q for a %s", operation, c.typ), "it has "+strings.Join(kinds[c.typ].operations, ", "))
	}
	if operation != "describe" {
		if err := c.asOneself(); err != nil {
			return nil, err
		}
	}
	refers, _ := c.referring()
	if operation != "edit" {
		refers = nil
	}
	r, v, err := c.use(ctx, operation, c.typ, c.key, refers...)
	if err != nil {
		return nil, err
	}
	if operation == "edit" {
		if err := c.refer(&r.Attributes, v); err != nil {
			return nil, err
		}
	}
	return run(ctx, c, r)
}

// referring lists what the input refers to, in the order of the type's references.
func (c *call) referring() (keys []string, of []reference) {
	for _, reference := range kinds[c.typ].refers {
		if key := *reference.of(&c.in); key != "" {
			keys, of = append(keys, key), append(of, reference)
		}
	}
	return keys, of
}

// refer keeps what Arbora found for what the input refers to.
func (c *call) refer(a *loamapi.Attributes, v verdict) error {
	keys, of := c.referring()
	if len(v.Context.Refers) != len(keys) {
		return unavailable(fmt.Errorf("it found %d of %d things referred to", len(v.Context.Refers), len(keys)))
	}
	for i, reference := range of {
		// Arbora has found it fit for one of what may be referred to; its address tells for which.
		_, last := model.SplitAddress(keys[i])
		if _, typ := model.SplitFullName(last); typ != reference.typ && uuid.Validate(keys[i]) != nil {
			wanted := cmp.Or(reference.typ, "service account")
			return invalid(reference.word, fmt.Sprintf("%s is no %s", keys[i], wanted), "name a "+wanted+" by its address")
		}
		if err := reference.keep(a, v.Context.Refers[i], keys[i]); err != nil {
			return err
		}
	}
	return nil
}

// create makes a resource: it is recorded here, then registered with Arbora under the same id.
func (c *call) create(ctx context.Context) (loamapi.Description, error) {
	k, ok := kinds[c.in.Type]
	if !ok {
		return loamapi.Description{}, unknownType("type", c.in.Type)
	}
	if err := c.asOneself(); err != nil {
		return loamapi.Description{}, err
	}
	c.typ = c.in.Type
	if k.check != nil {
		if err := k.check(c); err != nil {
			return loamapi.Description{}, err
		}
	}
	refers, _ := c.referring()
	v, err := c.may(ctx, "create", c.typ, c.key, refers...)
	if err != nil {
		return loamapi.Description{}, err
	}
	r := newResource(uuid.Must(uuid.NewV7()), c.subject.Organisation, c.typ)
	if err := c.refer(&r.Attributes, v); err != nil {
		return loamapi.Description{}, err
	}
	c.fill(&r.Attributes)
	if c.typ == "subnet" {
		if err := c.fitSubnet(ctx, &r, v.Scope); err != nil {
			return loamapi.Description{}, err
		}
	}
	if c.typ == "lab" {
		if err := c.makeLabsMachine(ctx, &r, v.Scope); err != nil {
			return loamapi.Description{}, err
		}
	}
	if err := c.register(ctx, r, v.Scope, c.in.Name, c.in.Title); err != nil {
		return loamapi.Description{}, err
	}
	c.key += "/" + c.in.Name + "." + c.typ
	return c.describe(r), nil
}

// register records a resource and has Arbora register it. Where Arbora refuses, the record goes again; where it does not
// answer, nobody knows yet, and [Cloud.Settle] finds out.
func (c *call) register(ctx context.Context, r resource, parent uuid.UUID, name, title string) error {
	if err := c.records.add(ctx, r, c.moment(), false); err != nil {
		return err
	}
	arbora, err := c.arbora.api(c.seat(r.Type), c.subject, c.ip)
	if err != nil {
		return err
	}
	id := r.ID.String()
	wanted := api.ScopeNew{Kind: "resource", Id: id, Name: name, Type: r.Type}
	if title != "" {
		wanted.Title = title
	}
	made, err := arbora.CreateScope(ctx, parent.String(), wanted)
	if err = answered(err); err == nil {
		c.arbora.changed(r.Organisation, made.Revision)
		return nil
	} else if isUnavailable(err) {
		return err
	}
	if forgotten := c.records.forget(ctx, r.ID); forgotten != nil {
		return forgotten
	}
	return err
}

// fill takes over what the input tells about a resource, where it tells anything.
func (c *call) fill(a *loamapi.Attributes) {
	if c.in.Size != "" {
		a.Size = c.in.Size
	}
	if c.in.Largest != nil {
		a.Largest = *c.in.Largest
	}
	if c.in.Range != "" {
		a.Range = c.in.Range
	}
	if c.in.Rules != nil {
		a.Rules = c.in.Rules
	}
	if c.in.Text != nil && c.typ == "app" {
		a.Text = *c.in.Text
	}
}

func edit(ctx context.Context, c *call, r resource) (any, error) {
	if check := kinds[c.typ].check; check != nil {
		if err := check(c); err != nil {
			return nil, err
		}
	}
	if c.in.Size != "" {
		return nil, invalid("size", "a size is not edited", "resize it instead: that needs the permission \"resize "+c.typ+"\"")
	}
	c.fill(&r.Attributes)
	if c.typ == "subnet" {
		if err := c.fitSubnet(ctx, &r, r.Within); err != nil {
			return nil, err
		}
	}
	return c.saved(ctx, r)
}

// saved records what was altered and tells it.
func (c *call) saved(ctx context.Context, r resource) (any, error) {
	return c.describe(r), c.records.save(ctx, r)
}

func start(ctx context.Context, c *call, r resource) (any, error) {
	r.Running = true
	return c.saved(ctx, r)
}

func stop(ctx context.Context, c *call, r resource) (any, error) {
	r.Running = false
	return c.saved(ctx, r)
}

func resize(ctx context.Context, c *call, r resource) (any, error) {
	if err := checkSize(c); err != nil {
		return nil, err
	}
	switch {
	case c.in.Size == "":
		return nil, invalid("size", "no size is given", "use "+strings.Join(sizes, ", "))
	case r.Running && r.Type == "machine":
		return nil, problem(http.StatusConflict, "conflict", "the machine runs, and is resized only while it is stopped", "stop it first")
	}
	r.Size = c.in.Size
	return c.saved(ctx, r)
}

func checkSize(c *call) error {
	if c.in.Size != "" && !slices.Contains(sizes, c.in.Size) {
		return invalid("size", fmt.Sprintf("there is no size %q", c.in.Size), "use "+strings.Join(sizes, ", "))
	}
	return nil
}

// checkLargest refuses a bound on what is taken that makes no sense.
func checkLargest(c *call) error {
	if c.in.Largest != nil && (*c.in.Largest < 0 || *c.in.Largest > mostBytes) {
		return invalid("largest", fmt.Sprintf("%d bytes cannot be the largest that is taken", *c.in.Largest), fmt.Sprintf("give 1 to %d, or 0 for no bound but Loam's own", mostBytes))
	}
	return nil
}

// fits refuses what is larger than a resource takes.
func (r resource) fits(size int) error {
	if r.Largest > 0 && size > r.Largest {
		return problem(http.StatusRequestEntityTooLarge, "too-large", fmt.Sprintf("that is %d bytes, and at most %d are taken here", size, r.Largest), "send less, or have the bound edited")
	}
	return nil
}

// retire and restore are Arbora's to do; what is in the resource stays, so that it comes back as it was.
func retire(ctx context.Context, c *call, r resource) (any, error) {
	return c.reshape(ctx, r, "retired")
}

func restore(ctx context.Context, c *call, r resource) (any, error) {
	return c.reshape(ctx, r, "active")
}

func (c *call) reshape(ctx context.Context, r resource, state string) (any, error) {
	arbora, err := c.arbora.api(c.seat(r.Type), c.subject, c.ip)
	if err != nil {
		return nil, err
	}
	wanted := api.ReshapingState(state)
	written, err := arbora.ReshapeScopes(ctx, c.subject.Organisation, nil, api.Reshaping{Scopes: []string{r.ID.String()}, State: wanted})
	if err = answered(err); err != nil {
		return nil, err
	}
	c.arbora.changed(c.subject.Organisation, written.Revision)
	d := c.describe(r)
	d.State = state
	return d, nil
}
