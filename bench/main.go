// Command bench measures Arbora against what an administrator could put beside it: a bare map, a recursive query, a route
// that does nothing. It prints a line a measure and ends with status 1 when one is over its limit.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"runtime/pprof"
	"time"

	"arbora.example/access"
)

// choices say what is measured, and of what.
type choices struct {
	scale                                                                                                     float64
	seed                                                                                                      uint64
	core, console, loam, follow, past, decisions, pages, streams, search, followers, provisioning, simulation bool // that alone
	program, plot                                                                                             string
}

func main() {
	var c choices
	flag.Float64Var(&c.scale, "scale", 1, "how large the organisation is, as a part of the full size")
	flag.Uint64Var(&c.seed, "seed", 7, "what the organisation is made from")
	flag.BoolVar(&c.core, "core", false, "measure the core alone, without database and HTTP")
	flag.BoolVar(&c.console, "console", false, "measure the console alone")
	flag.BoolVar(&c.loam, "loam", false, "measure the making of resources through Loam alone")
	flag.BoolVar(&c.follow, "follow", false, "measure how instances follow one another alone")
	flag.BoolVar(&c.past, "past", false, "measure the start from a snapshot file, and the past, alone")
	flag.BoolVar(&c.decisions, "decisions", false, "measure questions over HTTP alone")
	flag.BoolVar(&c.pages, "pages", false, "measure pages of the tree alone")
	flag.BoolVar(&c.streams, "streams", false, "measure open streams alone")
	flag.BoolVar(&c.search, "search", false, "measure the search for scopes alone")
	flag.BoolVar(&c.followers, "followers", false, "measure a follower alone")
	flag.BoolVar(&c.provisioning, "provisioning", false, "measure people from outside alone: creating them by SCIM, signing in, and reading a directory")
	flag.BoolVar(&c.simulation, "simulation", false, "simulate a thousand followers alone")
	flag.StringVar(&c.program, "program", "build/arbora", "the built arbora, whose console is measured")
	flag.StringVar(&c.plot, "plot", "", "draw decision time against tree size into this file, and measure nothing else")
	profile := flag.String("profile", "", "write where the processor's time goes into this file, for go tool pprof")
	flag.Parse()
	over, err := profiled(*profile, c.run)
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
	}
	if err != nil || over {
		os.Exit(1)
	}
}

// profiled runs something and writes a profile of it into a file; none when the file has no name.
func profiled(file string, run func() (bool, error)) (over bool, err error) {
	if file == "" {
		return run()
	}
	f, err := os.Create(file)
	if err != nil {
		return false, err
	}
	if err := pprof.StartCPUProfile(f); err != nil {
		return false, errors.Join(err, f.Close())
	}
	over, err = run()
	pprof.StopCPUProfile()
	return over, errors.Join(err, f.Close())
}

// run measures what is chosen, and reports whether anything was over its limit.
func (c choices) run() (over bool, err error) {
	if c.plot != "" {
		return false, plotGrowth(c.plot, c.seed)
	}
	r := &report{}
	if c.simulation {
		r.simulation(c.seed)
		return r.over, nil
	}
	if !c.core && !c.loam && !c.follow && !c.past && !c.decisions && !c.pages && !c.streams && !c.search && !c.followers && !c.provisioning {
		if err := r.console(context.Background(), c.program); err != nil || c.console {
			return r.over, err
		}
	}
	o := generate(full.times(c.scale), c.seed)
	if c.loam {
		err := r.withRecords(context.Background(), o, r.loam)
		return r.over, err
	}
	if c.follow {
		err := r.withRecords(context.Background(), o, r.follow)
		return r.over, err
	}
	if c.decisions {
		err := r.withRecords(context.Background(), o, r.decisions)
		return r.over, err
	}
	if c.search {
		err := r.withRecords(context.Background(), o, r.searchAlone)
		return r.over, err
	}
	if c.pages {
		err := r.withRecords(context.Background(), o, r.pages)
		return r.over, err
	}
	if c.streams {
		err := r.withRecords(context.Background(), o, r.streams)
		return r.over, err
	}
	if c.followers {
		err := r.withRecords(context.Background(), o, r.followers)
		return r.over, err
	}
	if c.provisioning {
		err := r.withRecords(context.Background(), o, r.provisioning)
		return r.over, err
	}
	if c.past {
		err := r.withRecords(context.Background(), o, r.past)
		return r.over, err
	}
	small := generate(full.times(c.scale/10), c.seed)
	tenth, err := build(small)
	if err != nil {
		return false, err
	}
	tenthTimes, err := measureChanges(small, tenth)
	if err != nil {
		return false, err
	}
	start := time.Now()
	s, err := build(o)
	if err != nil {
		return false, err
	}
	r.figure("build", time.Since(start).Seconds(), "s")
	err = measure(r, o, s, tenthTimes, c.core)
	return r.over, err
}

func measure(r *report, o *organisation, s *access.Snapshot, tenth changeTimes, coreOnly bool) error {
	decision := r.decide(o, s)
	if err := r.outside(o, s); err != nil {
		return err
	}
	whole, err := measureChanges(o, s)
	if err != nil {
		return err
	}
	r.changes(whole, tenth)
	if err := r.sets(o, s); err != nil {
		return err
	}
	if _, err := r.bytes(o, s); err != nil || coreOnly {
		return err
	}
	return r.service(context.Background(), o, decision)
}
