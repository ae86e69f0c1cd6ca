// Command bench measures Arbora against what an administrator could put beside it: a bare map, a recursive query, a route
// that does nothing. It prints a line a measure and ends with status 1 when one is over its limit.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"time"

	"arbora.example/access"
)

func main() {
	scale := flag.Float64("scale", 1, "how large the organisation is, as a part of the full size")
	seed := flag.Uint64("seed", 7, "what the organisation is made from")
	core := flag.Bool("core", false, "measure the core alone, without database and HTTP")
	console := flag.Bool("console", false, "measure the console alone")
	program := flag.String("program", "build/arbora", "the built arbora, whose console is measured")
	plot := flag.String("plot", "", "draw decision time against tree size into this file, and measure nothing else")
	flag.Parse()
	err := run(*scale, *seed, *core, *plot, *program, *console)
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(scale float64, seed uint64, coreOnly bool, plotFile, program string, consoleOnly bool) error {
	if plotFile != "" {
		return plotGrowth(plotFile, seed)
	}
	r := &report{}
	if !coreOnly {
		if err := r.console(context.Background(), program); err != nil || consoleOnly {
			return err
		}
	}
	small := generate(full.times(scale/10), seed)
	tenth, err := build(small)
	if err != nil {
		return err
	}
	tenthTimes, err := measureChanges(small, tenth)
	if err != nil {
		return err
	}
	o := generate(full.times(scale), seed)
	start := time.Now()
	s, err := build(o)
	if err != nil {
		return err
	}
	r.figure("build", time.Since(start).Seconds(), "s")
	if err := measure(r, o, s, tenthTimes, coreOnly); err != nil {
		return err
	}
	if r.over {
		os.Exit(1)
	}
	return nil
}

func measure(r *report, o *organisation, s *access.Snapshot, tenth changeTimes, coreOnly bool) error {
	decision := r.decide(o, s)
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
