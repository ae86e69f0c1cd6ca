package access

import (
	"net/netip"
	"slices"
	"time"

	"arbora.example/access/statement"
)

// Context is what a question tells about its circumstances. What it leaves out is unknown: a rule that gives does then
// not apply, one that cuts does.
type Context struct {
	Time     time.Time
	IP       netip.Addr
	Location string
	Provider string              // the identity provider that vouches for the principal; empty when that is not told
	Local    bool                // it is known that no identity provider vouches for the principal: they signed in here
	Claims   map[string][]string // what the provider says of the principal; nil when that is not told

	// Anybody says that it is not one question that is meant, but whatever anybody may ask from Time on: the clock, and who
	// vouches for them, are unknown too, but for what time has settled already.
	Anybody bool

	later bool  // what begins or ends after Time is unknown
	world world // what is taken to be in use
}

// world says what is taken to be in use, whatever its state: the rule on gains judges by it.
type world uint8

const (
	asIs        world = iota
	scopesInUse       // retired scopes decide as if they were active
	allInUse          // and everybody inactive, and every group, is as if active
)

// scopesInUse reports whether retired scopes are taken to be active.
func (c *Context) scopesInUse() bool { return c != nil && c.world >= scopesInUse }

// peopleInUse reports whether inactive principals are taken to be active.
func (c *Context) peopleInUse() bool { return c != nil && c.world == allInUse }

func (c *Context) moment() time.Time {
	if c == nil {
		return time.Time{}
	}
	return c.Time
}

// fromNowOn returns what is known of whatever anybody may ask from the moment of a context on.
func (c *Context) fromNowOn() *Context { return &Context{Time: c.moment(), Anybody: true} }

// inTime returns the context with all that is still to begin, or to end, unknown.
func (c *Context) inTime() *Context {
	later := Context{later: true}
	if c != nil {
		later = *c
		later.later = true
	}
	return &later
}

// settled returns what the clock says: of anybody's questions only what it says from then on for ever.
func (c *Context) settled(says, forever truth) truth {
	if c.Anybody && says != forever {
		return unknown
	}
	return says
}

// carries reports whether the principal comes from a subject's provider with its claim.
func (c *Context) carries(s statement.Subject) truth {
	switch {
	case c != nil && c.Anybody:
		return unknown
	case c == nil || c.Provider == "" && !c.Local:
		return unknown
	case c.Provider != s.Provider:
		return no
	}
	if s.Claim == "" {
		return yes
	}
	values, told := c.Claims[s.Claim]
	if !told {
		return unknown
	}
	return truthOf(slices.Contains(values, s.Value))
}
