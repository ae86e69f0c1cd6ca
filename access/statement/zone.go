package statement

import (
	_ "embed"
	"slices"
	"strings"
	"sync"
	"time"
	_ "time/tzdata" // a host may have no zones of its own

	"arbora.example/internal/english"
)

// zonesText has the names of the time zones there are, one on a line, as the IANA time zone database (RFC 6557) has them.
//
//go:embed zones.txt
var zonesText string

// Zones are the names of the time zones that conditions may ask the clock in, such as Europe/Oslo.
var Zones = sync.OnceValue(func() []string { return strings.Fields(zonesText) })

var locations sync.Map // of each zone by its name: a stored condition is read many times

// zone finds a time zone by its name.
func zone(name string) (*time.Location, bool) {
	if found, ok := locations.Load(name); ok {
		return found.(*time.Location), true
	}
	if _, known := slices.BinarySearch(Zones(), name); !known {
		return nil, false
	}
	found, err := time.LoadLocation(name)
	if err != nil {
		return nil, false
	}
	locations.Store(name, found)
	return found, true
}

// zone reads the time zone in brackets after an attribute of the clock, if there is one.
func (p *Parser) zone(a Attribute) (Attribute, *Fault) {
	if !p.SkipMark("(") {
		return a, nil
	}
	t := p.Peek()
	if t.Kind != quoted {
		return a, p.Unexpected(`a time zone in quotes, such as "Europe/Oslo"`)
	}
	found, ok := zone(t.Text)
	if !ok {
		f := p.Fault("there is no time zone %q: write the name of a place in the IANA time zone database, such as \"Europe/Oslo\"", t.Text)
		f.Nearest = english.Nearest(t.Text, Zones())
		return a, f
	}
	p.At++
	if !p.SkipMark(")") {
		return a, p.Unexpected("a closing bracket")
	}
	if a.Zone, a.location = t.Text, found; a.Zone == "UTC" { // as it is written without one
		a.Zone, a.location = "", nil
	}
	return a, nil
}
