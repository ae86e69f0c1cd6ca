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
	"arbora.example/internal/signin"
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
	before, was, err := s.EntryOf(ctx, provider.ID)
	if err != nil {
		return tenant.Plan{}, err
	}
	claimMap, is := before, was
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
	out, err := s.weighEntry(ctx, d, provider, entry{was.Rule, before}, rule, claimMap, &made)
	if err != nil {
		return tenant.Plan{}, err
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
	read, err := statement.ParseEntryRule(rule)
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: "the entry rule cannot be read: " + err.Error(), Next: `write it as claim.contract is "open"`, Field: "entryRule"}
	}
	return read, nil
}

// mostNamed is how many people a warning names.
const mostNamed = 5

// entry is whom a provider lets in, and as whom.
type entry struct {
	rule     string
	claimMap outside.Map
}

// weighEntry finds what another entry rule and claim map do to people, by what was said of them last: whom they shut out and let in, who would
// be somebody else, and whose tags change. It returns those who are shut out.
func (s *Changes) weighEntry(ctx context.Context, d tenant.Viewer, provider access.Principal, was entry, rule *statement.Condition, is outside.Map, made *tenant.Plan) (shut []model.ID, err error) {
	before, err := statement.ParseEntryRule(was.rule)
	if err != nil {
		return nil, err
	}
	var out, in, lost []string
	for p := range d.PeopleOf(provider.ID) {
		if p.Claims == nil || p.Inactive {
			continue
		}
		let, _ := access.Admits(before, p.Claims)
		lets, _ := access.Admits(rule, p.Claims)
		if let && !lets {
			out, shut = append(out, p.Name), append(shut, p.ID)
			// They keep what they hold and come no more: what is shown is what that takes from them.
			made.Imagined = append(made.Imagined, access.SetInactive{ID: p.ID, Inactive: true})
		}
	}
	grouping := plan.NewGrouping(d.Snapshot, provider)
	last, err := s.lastSaid(ctx, provider.ID)
	if err != nil {
		return nil, err
	}
	for _, one := range last {
		known, there := d.OutsidePersonBy(provider.ID, one.arrival.Subject)
		claims, err := outside.Claims(one.said)
		if err != nil {
			continue // they say too much to come in by any rule
		}
		let, _ := access.Admits(before, claims)
		lets, _ := access.Admits(rule, claims)
		if one.arrival.Refused != "" && !let && lets {
			in = append(in, one.arrival.Subject)
		}
		if !there || known.Inactive || !lets {
			continue
		}
		person, err := is.Read(one.said)
		if err != nil || person.Subject != known.Subject {
			lost = append(lost, known.Name)
			continue
		}
		if tags := outside.Tagged(known.Tags, person.Tags, was.claimMap, is); !maps.Equal(tags, known.Tags) {
			made.Imagined = append(made.Imagined, access.TagPrincipal{ID: known.ID, Tags: tags})
		}
		if is.Groups != was.claimMap.Groups {
			groups, err := signin.GroupsSaid(ctx, grouping, d.Details, is, known.ID, person)
			if err != nil {
				return nil, err
			}
			made.Imagined = append(made.Imagined, groups...)
		}
	}
	for _, told := range []struct {
		words string
		who   []string
	}{
		{"It shuts out %s: their sessions end.", out}, {"It lets in %s, refused before.", in},
		{"It no longer finds %s: they would come as somebody new, or not at all.", lost},
	} {
		if len(told.who) > 0 {
			made.Warnings = append(made.Warnings, fmt.Sprintf(told.words, some(told.who)))
		}
	}
	return shut, nil
}

// saidOf is what a provider said last of somebody.
type saidOf struct {
	arrival store.Arrival
	said    map[string]any
}

// lastSaid returns what a provider said last of each who came or was refused, trials left out.
func (s *Changes) lastSaid(ctx context.Context, provider model.ID) (last []saidOf, err error) {
	arrivals, err := s.Records.Arrivals(ctx, provider, store.ArrivalsKept)
	if err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	for _, a := range arrivals {
		if a.Trial || seen[a.Subject] || a.Claims == nil {
			continue
		}
		seen[a.Subject] = true
		said, err := outside.Decode(a.Claims)
		if err != nil {
			return nil, err
		}
		last = append(last, saidOf{a, said})
	}
	return last, nil
}

// some names people, the first of many.
func some(names []string) string {
	if more := len(names) - mostNamed; more > 1 {
		names = append(names[:mostNamed:mostNamed], fmt.Sprintf("%d others", more))
	}
	return english.Join(names)
}
