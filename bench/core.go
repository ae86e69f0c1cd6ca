package main

import (
	"runtime"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// build makes the snapshot of an organisation.
func build(o *organisation) (*access.Snapshot, error) {
	b := access.New(catalogue.Shipped()).Builder()
	for _, change := range o.changes {
		if err := b.Apply(change); err != nil {
			return nil, err
		}
	}
	return b.Done(1)
}

// questions are about random people, permissions and resources.
func questions(o *organisation, n int) []access.Question {
	c := catalogue.Shipped()
	verbs := map[string][]string{
		"bucket": {"describe", "edit", "retire"}, "machine": {"describe", "start", "edit", "retire"},
		"network": {"describe", "attach", "edit"}, "database": {"describe", "edit"},
	}
	permissions := map[string][]catalogue.Permission{}
	for name, list := range verbs {
		for _, verb := range list {
			permissions[name] = append(permissions[name], c.MustPermission(verb+" "+name))
		}
	}
	asked := make([]access.Question, n)
	for i := range asked {
		r := o.resources[o.random.IntN(len(o.resources))]
		of := permissions[r.Type]
		asked[i] = access.Question{Principal: o.users[o.random.IntN(len(o.users))].ID, Permission: of[o.random.IntN(len(of))], Scope: r.ID, Context: now}
	}
	return asked
}

var now = &access.Context{Time: time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)}

// rounds is how often a measure is taken: its limit is held against the median.
const rounds = 5

// each runs fn n times and gives the time one took: the median of five rounds.
func each(n int, fn func(i int)) time.Duration {
	times := make([]time.Duration, rounds)
	for round := range times {
		runtime.GC()
		start := time.Now()
		for i := range n {
			fn(i)
		}
		times[round] = time.Since(start) / time.Duration(n)
	}
	slices.Sort(times)
	return times[rounds/2]
}

// decide compares a decision with finding the resource's id in a map of as many ids.
func (r *report) decide(o *organisation, s *access.Snapshot) time.Duration {
	byID := make(map[model.ID]int, len(o.resources))
	for i, resource := range o.resources {
		byID[resource.ID] = i
	}
	asked := questions(o, 1<<20)
	allowed, found := 0, 0
	lookUp := each(len(asked), func(i int) { found += byID[asked[i].Scope] })
	decision := each(len(asked), func(i int) {
		if s.Decide(asked[i]).Allowed {
			allowed++
		}
	})
	r.figure("allowed", 100*float64(allowed)/float64(5*len(asked)), "%")
	runtime.KeepAlive(byID)
	runtime.KeepAlive(found)
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	for i := range 100_000 {
		found += len(s.Decide(asked[i]).Reason)
	}
	runtime.ReadMemStats(&after)
	r.figure("map-lookup", float64(lookUp.Nanoseconds()), "ns")
	r.figure("decide", float64(decision.Nanoseconds()), "ns")
	r.figure("decide/map-lookup", float64(decision)/float64(lookUp), "times")
	r.atMost("decide-time", float64(decision)/float64(2*time.Microsecond), 1)
	// The same few questions are answered from the processor's own memory.
	const few = 16
	warm := each(1<<18, func(i int) {
		if s.Decide(asked[i%few]).Allowed {
			allowed++
		}
	})
	r.figure("decide-warm", float64(warm.Nanoseconds()), "ns")
	r.atMost("decide-warm-time", float64(warm)/float64(400*time.Nanosecond), 1)
	r.atMost("decide-allocations", float64(after.Mallocs-before.Mallocs)/100_000, 0.001)
	return decision
}

// bytes measures what one more registered resource costs of live heap. The snapshot is given up for one with more.
func (r *report) bytes(o *organisation, s *access.Snapshot) (*access.Snapshot, error) {
	const more = 100_000
	homes := make([]model.ID, more)
	for i := range homes {
		homes[i] = o.resources[i%len(o.resources)].Parent
	}
	heap := liveHeap()
	b := s.Builder()
	for i, home := range homes {
		scope := model.Scope{ID: o.id(), Parent: home, Kind: model.Resource, Name: nameOf("x", i), Type: "bucket"}
		if err := b.Apply(access.CreateScope{Scope: scope}); err != nil {
			return nil, err
		}
	}
	grown, err := b.Done(2)
	if err != nil {
		return nil, err
	}
	s, b = nil, nil
	cost := float64(liveHeap()-heap) / more
	runtime.KeepAlive(grown)
	runtime.KeepAlive(o)
	r.atMost("bytes", cost, 250)
	return grown, nil
}

func liveHeap() int64 {
	var m runtime.MemStats
	runtime.GC()
	runtime.GC()
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}

// changeTimes is how long changes take into the snapshot.
type changeTimes struct{ create, grant, move time.Duration }

func measureChanges(o *organisation, s *access.Snapshot) (t changeTimes, err error) {
	with := func(change access.Change) {
		if _, failed := s.With(2, change); failed != nil {
			err = failed
		}
	}
	homes, people := o.resources, o.users
	t.create = each(2000, func(i int) {
		home := homes[(i*7919)%len(homes)].Parent
		with(access.CreateScope{Scope: model.Scope{ID: o.id(), Parent: home, Kind: model.Resource, Name: nameOf("y", i), Type: "bucket"}})
	})
	t.grant = each(500, func(i int) {
		with(access.CreateGrant{Grant: access.Grant{ID: o.id(), Scope: o.containers[(i*31)%len(o.containers)].ID, Principal: people[(i*17)%len(people)].ID, Role: "auditor"}})
	})
	t.move = each(20, func(int) { with(access.MoveScope{ID: o.folder, Parent: o.elsewhere}) })
	return t, err
}

// changes compares the times at full size with those at a tenth.
func (r *report) changes(whole, tenth changeTimes) {
	line := func(name string, a, b time.Duration, limit time.Duration) {
		r.figure(name, float64(a.Microseconds()), "µs")
		r.atMost(name+"-time", float64(a)/float64(limit), 1)
		r.figure(name+"/tenth", float64(a)/float64(b), "times")
	}
	line("create", whole.create, tenth.create, 50*time.Microsecond)
	line("grant", whole.grant, tenth.grant, 2*time.Millisecond)
	line("move", whole.move, tenth.move, 20*time.Millisecond)
}

// sets measures the answers over sets.
func (r *report) sets(o *organisation, s *access.Snapshot) error {
	p := catalogue.Shipped().MustPermission("edit bucket")
	var buckets []model.Scope
	for _, resource := range o.resources {
		if resource.Type == "bucket" {
			buckets = append(buckets, resource)
		}
	}
	holders := 0
	took := each(50, func(i int) { holders += len(s.Holders(p, buckets[(i*104729)%len(buckets)].ID, now)) })
	r.figure("holders-found", float64(holders)/250, "people")
	r.milliseconds("holders", took, 5)
	scopes := 0
	took = each(50, func(i int) { scopes += len(s.Reach(o.users[1+(i*7919)%(len(o.users)-1)].ID, now)) })
	r.figure("reach-found", float64(scopes)/250, "scopes")
	r.milliseconds("reach", took, 10)
	effects, err := s.Impact(now, access.MoveScope{ID: o.folder, Parent: o.elsewhere})
	if err != nil {
		return err
	}
	r.figure("impact-effects", float64(len(effects)), "effects")
	took = each(3, func(int) {
		if _, failed := s.Impact(now, access.MoveScope{ID: o.folder, Parent: o.elsewhere}); failed != nil {
			err = failed
		}
	})
	r.milliseconds("impact-of-move", took, 500)
	return err
}
