package main

import (
	"fmt"
	"slices"
	"strconv"
	"time"
)

// report prints lines as they come and remembers whether a limit was passed.
type report struct{ over bool }

func (r *report) figure(name string, value float64, unit string) {
	fmt.Printf("figure %s %.4g %s\n", name, value, unit)
}

func (r *report) atMost(name string, value, limit float64) {
	r.ratio(name, value, limit, value <= limit)
}

func (r *report) atLeast(name string, value, limit float64) {
	r.ratio(name, value, limit, value >= limit)
}

func (r *report) ratio(name string, value, limit float64, ok bool) {
	verdict := "ok"
	if !ok {
		verdict, r.over = "over", true
	}
	fmt.Printf("ratio %s %.3g limit %.3g %s\n", name, value, limit, verdict)
}

// milliseconds prints a time, and its ratio to the most it may be.
func (r *report) milliseconds(name string, took time.Duration, most float64) {
	ms := float64(took.Microseconds()) / 1000
	r.figure(name, ms, "ms")
	r.atMost(name+"-time", ms/most, 1)
}

func nameOf(prefix string, i int) string { return prefix + strconv.Itoa(i) }

// median returns the middle of some times.
func median(times []time.Duration) time.Duration {
	sorted := slices.Sorted(slices.Values(times))
	return sorted[len(sorted)/2]
}
