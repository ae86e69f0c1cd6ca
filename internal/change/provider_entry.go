package change

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/english"
	"arbora.example/internal/outside"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Who decides by what a provider is trusted, what is made of what it says, and whom it lets in, decides who somebody is. So it takes the
// permission to edit providers, a fresh proof, and holding all that the provider's people hold.

const (
	shortestClaims = 5 * time.Minute
	longestClaims  = 7 * 24 * time.Hour
)

// EntryWanted is what is wanted of what a provider says, and whom it lets in; nil and zero leave what is.
type EntryWanted struct {
	Map        *outside.Map
	Rule       *string
	ClaimsLast time.Duration
}

// SetEntry says what is made of what a provider says, and whom it lets in. Whom it lets in no more loses the session.
func (s *Changes) SetEntry(organisation, provider string, wanted EntryWanted) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Needs: "change which people an identity provider lets in", Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner {
		return func(d tenant.Viewer) (tenant.Plan, error) { return s.planEntry(ctx, d, organisation, provider, wanted) }
	}}
}

func (s *Changes) planEntry(ctx context.Context, d tenant.Viewer, organisation, name string, wanted EntryWanted) (tenant.Plan, error) {
	if _, err := d.NeedAtTop("edit provider", organisation); err != nil {
		return tenant.Plan{}, err
	}
	provider, err := d.PrincipalCalled(model.Provider.String(), name)
	if err != nil {
		return tenant.Plan{}, err
	}
	claimMap, was, err := s.EntryOf(ctx, provider.ID)
	if err != nil {
		return tenant.Plan{}, err
	}
	is := was
	if wanted.Map != nil {
		claimMap = *wanted.Map
	}
	if err := plan.MayVouch(d, provider, slices.Collect(maps.Keys(claimMap.Tags))); err != nil {
		return tenant.Plan{}, err
	}
	if wanted.Rule != nil {
		is.Rule = *wanted.Rule
	}
	if wanted.ClaimsLast != 0 {
		is.ClaimsLast = wanted.ClaimsLast
	}
	rule, err := CheckEntry(claimMap, is.Rule)
	if err != nil {
		return tenant.Plan{}, err
	}
	if rule != nil {
		is.Rule = rule.String()
	}
	if is.ClaimsLast < shortestClaims || is.ClaimsLast > longestClaims {
		return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: "what a provider says may be used for 5 minutes to 7 days", Next: "choose a time between them", Field: "claimsLast"}
	}
	if is.Map, err = json.Marshal(claimMap); err != nil {
		return tenant.Plan{}, err
	}
	made := tenant.Plan{What: "set which people " + provider.Name + " lets in, and what its claims become"}
	if err := s.shutOutBy(ctx, d, provider, was, rule, &made); err != nil {
		return tenant.Plan{}, err
	}
	out := make([]model.ID, 0, len(made.Imagined))
	for _, change := range made.Imagined {
		if c, ok := change.(access.SetInactive); ok {
			out = append(out, c.ID)
		}
	}
	made.Beside = func(tx tenant.Tx) error { return errors.Join(tx.PutEntry(was, is), tx.EndSessions(out)) }
	return made, nil
}

// CheckEntry reads a claim map and an entry rule, and says what is wrong with them.
func CheckEntry(m outside.Map, rule string) (*statement.Condition, error) {
	if err := m.Check(); err != nil {
		field := ""
		if wrong, ok := outside.IsFieldError(err); ok {
			field = "claimMap." + wrong.Field
		}
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "correct it and try it against claims that came", Field: field}
	}
	if rule == "" {
		return nil, nil
	}
	read, err := statement.ParseEntryRule(rule)
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: "the entry rule cannot be read: " + err.Error(), Next: `write it as claim.contract is "open"`, Field: "entryRule"}
	}
	return read, nil
}

// mostNamed is how many people a warning names.
const mostNamed = 5

// shutOutBy finds whom an entry rule shuts out of those who are there, and lets in of those who were refused, by what was said of them last.
func (s *Changes) shutOutBy(ctx context.Context, d tenant.Viewer, provider access.Principal, was store.Entry, rule *statement.Condition, made *tenant.Plan) error {
	before, err := CheckEntry(outside.DefaultMap(), was.Rule)
	if err != nil {
		return err
	}
	var out, in []string
	for p := range d.PeopleOf(provider.ID) {
		if p.Claims == nil || p.Inactive {
			continue
		}
		was, _ := access.Admits(before, p.Claims)
		is, _ := access.Admits(rule, p.Claims)
		if was && !is {
			out = append(out, p.Name)
			// They keep what they hold and come no more: what is shown is what that takes from them.
			made.Imagined = append(made.Imagined, access.SetInactive{ID: p.ID, Inactive: true})
		}
	}
	arrivals, err := s.Records.Arrivals(ctx, provider.ID, arrivalsRead)
	if err != nil {
		return err
	}
	asked := map[string]bool{}
	for _, a := range arrivals {
		if a.Trial || asked[a.Subject] {
			continue
		}
		asked[a.Subject] = true
		if a.Refused == "" || a.Claims == nil {
			continue
		}
		said, err := outside.Decode(a.Claims)
		if err != nil {
			return err
		}
		claims, err := outside.Claims(said)
		if err != nil {
			continue // they say too much to come in by any rule
		}
		if was, _ := access.Admits(before, claims); was {
			continue
		}
		if is, _ := access.Admits(rule, claims); is {
			in = append(in, a.Subject)
		}
	}
	for _, told := range []struct {
		words string
		who   []string
	}{{"It shuts out %s: their sessions end.", out}, {"It lets in %s, refused before.", in}} {
		if len(told.who) > 0 {
			made.Warnings = append(made.Warnings, fmt.Sprintf(told.words, some(told.who)))
		}
	}
	return nil
}

// some names people, the first of many.
func some(names []string) string {
	if more := len(names) - mostNamed; more > 1 {
		names = append(names[:mostNamed:mostNamed], fmt.Sprintf("%d others", more))
	}
	return english.Join(names)
}

// arrivalsRead is how many arrivals are looked at.
const arrivalsRead = 500
