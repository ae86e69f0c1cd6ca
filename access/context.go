package access

import (
	"net/netip"
	"slices"
	"time"

	"arbora.example/access/model"
)

// Context is what a question tells about its circumstances. What it leaves out is unknown: a rule that gives does then
// not apply, one that cuts does.
type Context struct {
	Time     time.Time
	IP       netip.Addr
	Location string

	// Claims ask what would be if the principal's identity provider said this of them. When they are nil, what counts is what it said
	// last, as the snapshot has it.
	Claims map[string][]string

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

// claimed is people from a provider who carry a claim.
type claimed struct {
	provider     model.ID
	claim, value string
}

// carries reports whether a principal comes from a provider with a claim.
func (c *Context) carries(who *principalNode, of claimed) truth {
	switch {
	case who.Kind == model.Provider && who.ID == of.provider: // it stands for those of its people who are not known yet
	case who.Kind != model.OutsidePerson || who.Provider != of.provider:
		return no
	case of.claim == SubjectClaim:
		return truthOf(who.Subject == of.value)
	}
	values, told := c.claim(who, of.claim)
	if !told {
		return unknown
	}
	return truthOf(slices.Contains(values, of.value))
}

// SubjectClaim names, among the claims of people from a provider, what the provider knows them by. It never changes.
const SubjectClaim = "subject"

// claim returns the values of one claim of a principal: as a question has it, or else as their provider said last. Whatever anybody may
// ask, with whatever claims, is not told.
func (c *Context) claim(who *principalNode, name string) (values []string, told bool) {
	switch {
	case c != nil && c.Claims != nil:
		values, told = c.Claims[name]
		return values, told
	case c != nil && c.Anybody || who.Claims == nil:
		return nil, false
	}
	return who.Claims[name], true // what a provider did not say is known to be absent
}
