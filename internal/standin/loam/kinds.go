package loam

import (
	"context"
	"maps"
	"slices"

	"github.com/google/uuid"

	"arbora.example/internal/standin/loam/loamapi"
)

// kind is a type of resource as Loam runs it.
type kind struct {
	service    string
	operations []string          // what can be done with one, in the order people think of it
	inside     []string          // operations on what is in it, as permissions
	runs       bool              // it can be started and stopped
	begins     bool              // it runs as soon as it is made
	sized      bool              // it has a size
	refers     []reference       // what it refers to
	check      func(*call) error // refuses attributes that make no sense
}

// reference is something a resource refers to.
type reference struct {
	word string // as it is called in the input
	typ  string // of a resource; empty for a service account
	of   func(*loamapi.Input) *string
	keep func(a *loamapi.Attributes, id, named string) error
}

// act carries out an operation once it is allowed; what it returns is told to the asker.
type act func(ctx context.Context, c *call, r resource) (any, error)

// kinds are the types that Loam runs.
var kinds = map[string]kind{
	"machine": {
		service: "compute", runs: true, sized: true, check: checkSize, refers: []reference{toNetwork, toAccount},
		operations: []string{"describe", "start", "stop", "resize", "edit", "enter", "retire", "restore"},
	},
	"network": {
		service: "networking", check: checkNetwork,
		operations: []string{"describe", "edit", "watch", "retire", "restore"},
	},
	"subnet": {
		service: "networking", check: checkSubnet,
		operations: []string{"describe", "edit", "retire", "restore"},
	},
	"bucket": {
		service: "storage", check: checkLargest, operations: []string{"describe", "edit", "retire", "restore"},
		inside: []string{"list object", "fetch object", "put object", "erase object"},
	},
	"database": {
		service: "databases", runs: true, begins: true, sized: true, check: checkDatabase,
		operations: []string{"describe", "start", "stop", "resize", "edit", "connect", "query", "amend", "purge", "retire", "restore"},
	},
	"lab": {
		service: "labs", runs: true, check: checkPage, refers: []reference{toNetwork},
		operations: []string{"describe", "start", "stop", "edit", "read", "write", "run", "retire", "restore"},
	},
	"app": {
		service: "apps", runs: true, begins: true, check: checkPage,
		operations: []string{"describe", "start", "stop", "edit", "visit", "retire", "restore"},
	},
}

// acts carry out the operations, by permission; it is filled by the files that hold them.
var acts = map[string]act{}

func init() {
	for name, k := range kinds {
		acts["describe "+name], acts["edit "+name] = describe, edit
		acts["retire "+name], acts["restore "+name] = retire, restore
		if k.runs {
			acts["start "+name], acts["stop "+name] = start, stop
		}
	}
	acts["resize machine"], acts["resize database"] = resize, resize
	acts["enter machine"] = enter
	acts["watch network"] = watch
	acts["connect database"], acts["query database"], acts["amend database"], acts["purge database"] = connect, query, amend, purge
	acts["start lab"], acts["stop lab"] = startLab, stopLab
	acts["read lab"], acts["write lab"], acts["run lab"] = readLab, writeLab, runLab
	acts["visit app"] = visit
}

// newResource is a resource as it is made, before anything is said of it.
func newResource(id uuid.UUID, organisation, typ string) resource {
	r := resource{ID: id, Organisation: organisation, Type: typ, Running: kinds[typ].begins}
	if kinds[typ].sized {
		r.Size = sizes[0]
	}
	return r
}

// typesOf lists the types a service runs, by name.
func typesOf(service string) []string {
	var list []string
	for _, name := range slices.Sorted(maps.Keys(kinds)) {
		if kinds[name].service == service {
			list = append(list, name)
		}
	}
	return list
}
