package provision

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/directory"
	"arbora.example/internal/english"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Readings are the readings of directories: each compares who is in one with who comes by its provider, and brings these level with it.
type Readings struct {
	*Provisioning
	Patience time.Duration // how long somebody waits for a reading, before they hear that it goes on
}

// Outcome says how a reading ended.
type Outcome string

// The outcomes of readings.
const (
	Done      Outcome = "done"
	Unchanged Outcome = "unchanged"
	Stopped   Outcome = "stopped" // by a brake: nothing was done
	Failed    Outcome = "failed"
	Previewed Outcome = "previewed" // is not kept
	Running   Outcome = "running"   // it goes on after the answer, and is kept when it has ended
)

// Does says what a reading does with somebody, or with a group.
type Does string

// What readings do.
const (
	Comes        Does = "comes"
	Returns      Does = "returns"
	Alters       Does = "changes"
	Leaves       Does = "leaves"
	Retires      Does = "retires"
	GroupComes   Does = "group comes"
	GroupAlters  Does = "group changes"
	GroupEmpties Does = "group empties"
	Fault        Does = "cannot be read"
	Unmailed     Does = "gets no letter" // to choose a password by
)

// Step is one thing that a reading does, or cannot.
type Step struct {
	Does Does   `json:"does"`
	Name string `json:"name"` // of a person or group, or of an entry of which nothing can become
	What string `json:"what"`
}

// Reading is what one reading found and did.
type Reading struct {
	ID      model.ID     `json:"id"`
	BeganAt time.Time    `json:"beganAt"`
	EndedAt time.Time    `json:"endedAt"`
	By      string       `json:"by"`
	File    bool         `json:"file"` // of a file, rather than of the directory itself
	Outcome Outcome      `json:"outcome"`
	Why     string       `json:"why,omitempty"` // it stopped or failed
	Brakes  []string     `json:"brakes,omitempty"`
	People  int          `json:"people"` // found
	Groups  int          `json:"groups"` // found; 0 when none has changed
	Counts  map[Does]int `json:"counts"`
	Steps   []Step       `json:"steps"` // the first of many
	Impact  *plan.Impact `json:"-"`     // of a preview

	failure error // why it failed; nil if it has not
}

// mostSteps is how many steps of each kind are kept of a reading.
const mostSteps = 200

// told adds a step.
func (r *Reading) told(does Does, name, what string) {
	if r.Counts[does]++; r.Counts[does] <= mostSteps {
		r.Steps = append(r.Steps, Step{does, name, what})
	}
}

// Wanted is what is wanted of a reading.
type Wanted struct {
	File    []byte // the entries, as LDIF; nil for what the directory itself has
	Preview bool   // find out, and change nothing
	Despite bool   // of the brakes
	due     bool   // only if its time has come

	id model.ID // of the reading; zero for a new one
}

// Begin reads a directory as [Readings.Read] does. What takes long goes on after the answer, which then says so.
func (p Readings) Begin(ctx context.Context, c tenant.Caller, organisation, provider string, wanted Wanted) (Reading, error) {
	if wanted.Preview {
		return p.Read(ctx, c, organisation, provider, wanted)
	}
	type ended struct {
		Reading
		error
	}
	wanted.id = tenant.NewID()
	end := make(chan ended, 1)
	began := p.Moment()
	p.Aside(ctx, func(ctx context.Context) {
		r, err := p.Read(ctx, c, organisation, provider, wanted)
		end <- ended{r, err}
	})
	wait := time.NewTimer(p.Patience)
	defer wait.Stop()
	select {
	case e := <-end:
		return e.Reading, e.error
	case <-wait.C:
		return Reading{ID: wanted.id, BeganAt: began, By: c.Name, File: wanted.File != nil, Outcome: Running}, nil
	}
}

// Read reads the directory of a provider for somebody who administers it.
func (p Readings) Read(ctx context.Context, c tenant.Caller, organisation, provider string, wanted Wanted) (Reading, error) {
	d, err := p.Open(ctx, c)
	if err != nil {
		return Reading{}, err
	}
	is, err := p.Vouching(ctx, d, organisation, provider)
	if err != nil {
		return Reading{}, err
	}
	if !wanted.Preview && (wanted.File != nil || wanted.Despite) {
		if err := p.NeedProof(c, "say who is in a directory"); err != nil {
			return Reading{}, err
		}
	}
	if is.Inactive {
		return Reading{}, &problem.Problem{Kind: problem.Conflict, Detail: is.Name + " is out of use", Next: "restore it first"}
	}
	kept, err := p.DirectoryOf(ctx, is)
	if err != nil {
		return Reading{}, err
	}
	sys := System{Provider: is, organisation: d.OrganisationID(), caller: c}
	r, err := p.read(ctx, sys, kept, wanted)
	if err == nil {
		err = worded(is, r.failure)
	}
	return r, err
}

// worded says of a failure what it is to whoever asked for the reading; nil for none.
func worded(provider access.Principal, failure error) error {
	var unreadable *unreadable
	if failure == nil {
		return nil
	} else if errors.As(failure, &unreadable) {
		return &problem.Problem{
			Kind: problem.Conflict, Detail: "the directory of " + provider.Name + " cannot be read: " + unreadable.Error(), Next: "correct the directory or its settings; people who come by it stay as they are",
		}
	}
	return &problem.Problem{
		Kind: problem.Conflict, Detail: "reading the directory of " + provider.Name + " was broken off: " + said(failure), Next: "correct that and read it again: it goes on where it stopped",
	}
}

// List lists the readings of a directory, the latest first.
func (p Readings) List(ctx context.Context, c tenant.Caller, organisation, provider string) (list []Reading, err error) {
	d, err := p.Open(ctx, c)
	if err != nil {
		return nil, err
	}
	is, err := p.ProviderToEdit(d, organisation, provider)
	if err != nil {
		return nil, err
	}
	kept, err := p.Records.Readings(ctx, is.ID, store.ReadingsKept)
	for _, one := range kept {
		var r Reading
		if err := json.Unmarshal(one.Told, &r); err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, err
}

// readWithin bounds how long a reading takes.
const readWithin = 10 * time.Minute

// read reads a directory once, unless it is being read, and notes what came of it.
func (p Readings) read(ctx context.Context, sys System, kept store.Directory, wanted Wanted) (r Reading, err error) {
	ctx, cancel := context.WithTimeout(ctx, readWithin)
	defer cancel()
	r = Reading{ID: cmp.Or(wanted.id, tenant.NewID()), BeganAt: p.Moment(), By: sys.caller.Name, File: wanted.File != nil, Counts: map[Does]int{}}
	if wanted.Preview {
		r.failure = p.readInto(ctx, sys, &kept, wanted, &r)
		return r, nil
	}
	lease := "reading of " + sys.Provider.ID.String()
	held, err := p.Records.Lease(ctx, lease, r.ID, readWithin)
	if err != nil {
		return r, err
	}
	if !held {
		return r, &problem.Problem{Kind: problem.Conflict, Detail: "the directory of " + sys.Provider.Name + " is being read now", Next: "look at its readings in a moment"}
	}
	ended := context.WithoutCancel(ctx) // a reading that is broken off is noted, too
	defer func() { err = errors.Join(err, p.Records.EndLease(ended, lease, r.ID)) }()
	if kept, err = p.Records.Directory(ctx, sys.Provider.ID); err != nil { // another instance may have read it, or somebody set it otherwise
		return r, err
	}
	if wanted.due && kept.NextAt.After(r.BeganAt) {
		return r, nil
	}
	set, err := signin.DirectorySettings(kept)
	if err != nil {
		return r, err
	}
	if r.failure = p.readInto(ctx, sys, &kept, wanted, &r); r.failure != nil {
		r.Outcome, r.Why = Failed, said(r.failure)
		kept.Mark = nil // what was done is found again
		p.Log.Warn("a directory cannot be read", "provider", sys.Provider.Name, "error", r.failure)
	}
	r.EndedAt = p.Moment()
	if kept.NextAt = (time.Time{}); set.Every > 0 {
		kept.NextAt = r.EndedAt.Add(set.Every)
	}
	told, err := json.Marshal(r)
	if err != nil {
		return r, err
	}
	return r, p.Records.NoteReading(ended, kept, store.Reading{ID: r.ID, Provider: sys.Provider.ID, Told: told})
}

// said is what a failure says, with what to do.
func said(err error) string {
	var refused *problem.Problem
	if errors.As(err, &refused) {
		return refused.Detail
	}
	return err.Error()
}

// readInto finds who is in a directory, and brings those who come by its provider level with it, or tells what that would do.
func (p Readings) readInto(ctx context.Context, sys System, kept *store.Directory, wanted Wanted, r *Reading) (err error) {
	set, err := signin.DirectorySettings(*kept)
	if err != nil {
		return err
	}
	now, err := p.Current(ctx, p.Tenant(sys.organisation))
	if err != nil {
		return err
	}
	content, err := p.content(ctx, now, sys, kept, set, wanted)
	if err != nil {
		return &unreadable{err}
	}
	r.People, r.Groups = len(content.Keys), len(content.Groups)
	if len(content.Keys) == 0 {
		r.Outcome, r.Why = Stopped, "nobody is found in it: look at the base and the filter of its people"
		r.Brakes = []string{r.Why}
		return nil
	}
	for _, f := range content.Faults {
		r.told(Fault, f.Entry, f.Why)
	}
	job := &job{p: p, sys: sys, set: set, content: content, fresh: map[string]model.ID{}, ours: map[model.ID]bool{}, links: map[string]signin.NewLink{}, reading: r}
	if err := job.compare(ctx, now); err != nil {
		return err
	}
	if r.Brakes, err = job.brakes(now); err != nil {
		return err
	}
	if wanted.Preview {
		r.Outcome = Previewed
		impact, err := job.preview(ctx)
		r.Impact = &impact
		return err
	}
	if len(r.Brakes) > 0 && !wanted.Despite {
		r.Outcome, r.Why = Stopped, english.Join(r.Brakes)
		return nil
	}
	if r.Outcome = Done; job.idle() {
		r.Outcome = Unchanged
	}
	if kept.Mark, err = json.Marshal(content.Mark); err != nil {
		return err
	}
	return errors.Join(job.do(ctx), job.send(ctx))
}

// unreadable is what is wrong with a directory, rather than with what is recorded here.
type unreadable struct{ error }

// content reads a directory, or a file of its entries.
func (p Readings) content(ctx context.Context, now *access.Snapshot, sys System, kept *store.Directory, set directory.Settings, wanted Wanted) (c directory.Content, err error) {
	if wanted.File != nil {
		from, err := directory.File(wanted.File)
		if err != nil {
			return c, err
		}
		return directory.Read(ctx, from, set, directory.Mark{}, nobody, p.Moment())
	}
	from, end, err := p.Connect(ctx, *kept, set)
	if err != nil {
		return c, err
	}
	defer func() { err = errors.Join(err, end()) }()
	var since directory.Mark
	if len(kept.Mark) > 0 {
		if err := json.Unmarshal(kept.Mark, &since); err != nil {
			return c, err
		}
	}
	return directory.Read(ctx, from, set, since, func(key string) bool {
		_, there := now.OutsidePersonBy(sys.Provider.ID, key)
		return there
	}, p.Moment())
}

func nobody(string) bool { return false }

// Due reads the directories whose time has come, as nobody but their schedule asks. The error is of the records: what is wrong with a directory
// is in its readings.
func (p Readings) Due(ctx context.Context) error {
	due, err := p.Records.DirectoriesDue(ctx, p.Moment())
	if err != nil {
		return err
	}
	for _, kept := range due {
		sys, err := p.system(ctx, kept.Organisation, kept.Provider, "")
		if err != nil {
			return err
		}
		if sys.Provider.Inactive {
			continue
		}
		if _, err := p.read(ctx, sys, kept, Wanted{due: true}); err != nil {
			var busy *problem.Problem
			if !errors.As(err, &busy) {
				return err
			}
		}
	}
	return nil
}

// Keep reads the directories whose time comes, until the context ends.
func (p Readings) Keep(ctx context.Context, every time.Duration) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := p.Due(ctx); err != nil && ctx.Err() == nil && !errors.Is(err, store.ErrUnavailable) {
			p.Log.Error("directories cannot be read", "error", err)
		}
	}
}
