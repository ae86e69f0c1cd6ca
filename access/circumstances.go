package access

import (
	"maps"
	"math"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"arbora.example/access/catalogue"
	"arbora.example/access/statement"
)

// circumstances gathers what some rules ask about, and walks contexts that stand for every context there can be: wherever and
// whenever somebody asks, one of these meets the rules alike. So a claim about all of them needs no sampling.
type circumstances struct {
	catalogue *catalogue.Catalogue
	now       time.Time
	beneath   bool // the resource is any that may come
	moments   []time.Time
	clock     []*statement.Expression // of the hour or the weekday
	networks  []netip.Prefix
	texts     map[statement.Attribute]*texts // locations, claims and what is said of a resource
	vague     bool                           // something is asked that values cannot stand for
}

// texts are the values that an attribute is compared with.
type texts struct {
	values, prefixes []string
	numbers          []float64
}

func (s *Snapshot) newCircumstances(now time.Time, beneath bool) *circumstances {
	return &circumstances{catalogue: s.catalogue, now: now, beneath: beneath, texts: map[statement.Attribute]*texts{}}
}

// add takes in what a rule asks about.
func (cs *circumstances) add(r *rule) {
	cs.moment(r.period.From)
	cs.moment(r.period.Until)
	for _, claims := range [][]claimed{r.claims, r.exceptClaim} {
		for _, claim := range claims {
			of := cs.of(statement.Attribute{Of: "claim", Name: claim.claim})
			of.values = append(of.values, claim.value)
		}
	}
	if r.condition != nil {
		cs.expression(r.condition.Root)
	}
}

func (cs *circumstances) moment(at time.Time) {
	if at.After(cs.now) {
		cs.moments = append(cs.moments, at)
	}
}

func (cs *circumstances) of(a statement.Attribute) *texts {
	if cs.texts[a] == nil {
		cs.texts[a] = &texts{}
	}
	return cs.texts[a]
}

func (cs *circumstances) expression(e *statement.Expression) {
	if e.Op <= statement.OpNot {
		cs.expression(e.Left)
		if e.Right != nil {
			cs.expression(e.Right)
		}
		return
	}
	a := e.Attribute
	switch {
	case a.Of == "subject", a.Of == "resource" && !cs.beneath:
		return // known
	case e.Op == statement.OpBefore || e.Op == statement.OpAfter:
		cs.moment(e.Instant)
		return
	case e.Op == statement.OpWithin:
		cs.networks = append(cs.networks, e.Network.Masked())
		return
	case a.Clock():
		cs.clock = append(cs.clock, e)
		return
	}
	t := cs.of(a)
	switch e.Op {
	case statement.OpIs, statement.OpIsNot, statement.OpIn:
		t.values = append(t.values, e.Values...)
	case statement.OpStartsWith:
		t.prefixes = append(t.prefixes, e.Values[0])
	default:
		t.numbers = append(t.numbers, e.Number)
	}
	cs.vague = cs.vague || len(t.prefixes) > 0 && len(t.numbers) > 0
}

// mostWalked is how many contexts are walked at the most; what takes more is too intricate to be judged.
const mostWalked = 1 << 14

// setting is one value of one variable.
type setting func(*Context, *scopeNode)

// walk calls fn with contexts that stand for all there can be, and with what is said of the resource where that may be
// anything, until fn returns false. It reports whether it could walk them all.
func (cs *circumstances) walk(w world, fn func(*Context, *scopeNode) bool) bool {
	variables := cs.variables()
	count := 1
	for _, settings := range variables {
		if count *= len(settings); count > mostWalked {
			return false
		}
	}
	if cs.vague {
		return false
	}
	chosen := make([]int, len(variables))
	for {
		c := &Context{Time: cs.now, Claims: map[string][]string{}, world: w}
		var resource *scopeNode
		if cs.beneath {
			resource = &scopeNode{name: "any", more: &scopeMore{tags: map[string]string{}}}
		}
		for i, settings := range variables {
			settings[chosen[i]](c, resource)
		}
		if !fn(c, resource) {
			return true
		}
		at := 0
		for ; at < len(chosen); at++ {
			if chosen[at]++; chosen[at] < len(variables[at]) {
				break
			}
			chosen[at] = 0
		}
		if at == len(chosen) {
			return true
		}
	}
}

// variables returns the values that stand for all that each thing asked about can be. Of what a question may leave out, nothing
// is one of them.
func (cs *circumstances) variables() [][]setting {
	all := [][]setting{cs.times()}
	if len(cs.networks) > 0 {
		all = append(all, cs.addresses())
	}
	attributes := slices.SortedFunc(maps.Keys(cs.texts), func(a, b statement.Attribute) int { return strings.Compare(a.String(), b.String()) })
	named := false
	for _, a := range attributes {
		values := cs.texts[a].stand()
		switch {
		case a.Of == "context":
			all = append(all, settingsOf(append(values, ""), func(c *Context, _ *scopeNode, value string) { c.Location = value }))
		case a.Of == "claim":
			all = append(all, cs.claims(a.Name, values))
		case a.Tag:
			settings := settingsOf(values, func(_ *Context, r *scopeNode, value string) { r.more.tags[a.Name] = value })
			all = append(all, append(settings, func(*Context, *scopeNode) {}))
		case a.Name == "type":
			all = append(all, cs.types())
		default:
			named = true
			all = append(all, settingsOf(values, func(_ *Context, r *scopeNode, value string) { r.name = value }))
		}
	}
	if named { // a resource's name carries its type in a node, and conditions ask without it
		all = append(all, []setting{func(_ *Context, r *scopeNode) {
			if t := cs.catalogue.TypeAt(r.typ); !t.IsContainer() {
				r.name += "." + t.Name
			}
		}})
	}
	return all
}

func settingsOf[T any](values []T, set func(*Context, *scopeNode, T)) []setting {
	settings := make([]setting, len(values))
	for i, value := range values {
		settings[i] = func(c *Context, r *scopeNode) { set(c, r, value) }
	}
	return settings
}

// stand returns values that stand for all texts: each that something is compared with, some with each prefix, some between
// numbers, and another.
func (t *texts) stand() []string {
	values := slices.Clone(t.values)
	for _, prefix := range t.prefixes {
		values = append(values, prefix, prefix+"\x01")
	}
	numbers := slices.Clone(t.numbers)
	slices.Sort(numbers)
	number := func(n float64) { values = append(values, strconv.FormatFloat(n, 'g', -1, 64)) }
	for i, n := range numbers {
		if number(n); i > 0 {
			number((numbers[i-1] + n) / 2)
		}
	}
	if len(numbers) > 0 {
		number(math.Nextafter(numbers[0], math.Inf(-1)))
		number(math.Nextafter(numbers[len(numbers)-1], math.Inf(1)))
	}
	slices.Sort(values)
	return slices.Compact(append(values, "\x02another"))
}

// times stands for every moment from now on: the first of each span between moments asked about, the moment itself, and,
// where the hour or the weekday counts, every hour of a week within each. Time zones move against each other: of those there is
// a week after each of their shifts in the year that follows, by quarters of an hour, for some are not off by whole ones.
func (cs *circumstances) times() []setting {
	slices.SortFunc(cs.moments, time.Time.Compare)
	starts := []time.Time{cs.now}
	for _, at := range slices.CompactFunc(cs.moments, time.Time.Equal) {
		starts = append(starts, at, at.Add(1)) // before and after leave the moment itself out
	}
	var moments []time.Time
	for i, start := range starts {
		moments = append(moments, start)
		if len(cs.clock) == 0 {
			continue
		}
		seen := map[string]bool{cs.reading(start): true}
		shifts, step := cs.shifts(start)
		for _, from := range shifts {
			for at := from.Truncate(step); at.Sub(from) <= 8*24*time.Hour; at = at.Add(step) {
				if i+1 < len(starts) && !at.Before(starts[i+1]) {
					break
				}
				if !at.After(start) {
					continue
				}
				if read := cs.reading(at); !seen[read] {
					seen[read] = true
					moments = append(moments, at)
				}
			}
		}
	}
	return settingsOf(moments, func(c *Context, _ *scopeNode, at time.Time) { c.Time = at })
}

// shifts returns a moment, and each in the year after it at which a time zone that is asked about shifts its clocks, with the
// step in which clocks are to be read.
func (cs *circumstances) shifts(start time.Time) (shifts []time.Time, step time.Duration) {
	shifts, step = []time.Time{start}, time.Hour
	for _, e := range cs.clock {
		if e.Attribute.Zone == "" {
			continue
		}
		step = 15 * time.Minute
		for at := start; ; {
			_, next := e.Attribute.Local(at).ZoneBounds()
			if next.IsZero() || next.Sub(start) > 366*24*time.Hour {
				break
			}
			shifts, at = append(shifts, next), next
		}
	}
	return shifts, step
}

// reading returns what the clock makes of each comparison with it.
func (cs *circumstances) reading(at time.Time) string {
	read := make([]byte, len(cs.clock))
	for i, e := range cs.clock {
		read[i] = byte(ofContext(e, &Context{Time: at}))
	}
	return string(read)
}

// addresses stands for every network address, and for none told: the ends of each network, and what lies next to them.
func (cs *circumstances) addresses() []setting {
	addresses := []netip.Addr{{}, netip.IPv4Unspecified(), netip.IPv6Unspecified()}
	for _, network := range cs.networks {
		first := network.Addr()
		last := lastOf(network)
		addresses = append(addresses, first, last, first.Prev(), last.Next())
	}
	slices.SortFunc(addresses, netip.Addr.Compare)
	return settingsOf(slices.Compact(addresses), func(c *Context, _ *scopeNode, ip netip.Addr) { c.IP = ip })
}

func lastOf(network netip.Prefix) netip.Addr {
	raw := network.Addr().AsSlice()
	for bit := network.Bits(); bit < len(raw)*8; bit++ {
		raw[bit/8] |= 1 << (7 - bit%8)
	}
	last, _ := netip.AddrFromSlice(raw)
	return last
}

// mostClaimed is how many values of one claim are told apart; each can be there or not, beside each other.
const mostClaimed = 6

// claims stands for all values of a claim, beside each other, and for a claim that is not told.
func (cs *circumstances) claims(name string, values []string) []setting {
	if len(values) > mostClaimed {
		cs.vague = true
		return []setting{func(*Context, *scopeNode) {}}
	}
	settings := []setting{func(*Context, *scopeNode) {}}
	for mask := range 1 << len(values) {
		claimed := []string{}
		for i, value := range values {
			if mask&(1<<i) != 0 {
				claimed = append(claimed, value)
			}
		}
		settings = append(settings, func(c *Context, _ *scopeNode) { c.Claims[name] = claimed })
	}
	return settings
}

func (cs *circumstances) types() []setting {
	indexes := make([]uint16, len(cs.catalogue.Types()))
	for i := range indexes {
		indexes[i] = uint16(i)
	}
	return settingsOf(indexes, func(_ *Context, r *scopeNode, typ uint16) { r.typ = typ })
}
