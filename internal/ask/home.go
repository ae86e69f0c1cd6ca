package ask

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Home is what somebody finds when they come in: what they may use and, for whoever looks after others, what needs attention.
// A part that the caller may not see is left out.
type Home struct {
	Mine       []MyAccess
	MoreMine   int            // how many places more there are
	Pending    []PendingGuest // guests who have not accepted
	Ending     []GrantView    // access that ends soon
	Keys       []StaleKey     // keys that end soon or are long unused
	Privileged []Privileged   // who holds permissions of class govern by grants
	Strangers  []RuleView     // what is open to public or signed-in
	Unread     []Unread       // directories that were not read the last time
	Refused    []store.RefusedTimes
	Skipped    []string // what of the records could not be applied, and counts for nothing
}

// MyAccess is a place where the caller's access changes, and what they hold there.
type MyAccess struct {
	Scope model.Scope
	At    tenant.Ref
	Title string
	// Held and Conditional are the classes of act that they hold something of, by plane.
	Held, Conditional map[catalogue.Plane][]catalogue.Class
}

// PendingGuest is a guest who was invited and has not accepted.
type PendingGuest struct {
	Guest access.Principal
	Since time.Time
}

// StaleKey is a key that ends soon, or has not been used for long.
type StaleKey struct {
	Key    store.Key
	Of     access.Principal
	Unused bool
}

// Privileged is somebody who holds permissions to govern by a grant.
type Privileged struct {
	Who access.Principal
	At  []tenant.Ref
}

// Unread is a directory whose last reading failed, or was stopped by a brake.
type Unread struct {
	Provider access.Principal
	Outcome  string    `json:"outcome"`
	Why      string    `json:"why"`
	BeganAt  time.Time `json:"beganAt"`
}

const (
	mineMost      = 60
	attentionMost = 12
	endsSoon      = 30 * 24 * time.Hour
	keyEndsSoon   = 14 * 24 * time.Hour
	longUnused    = 90 * 24 * time.Hour
	recent        = 7 * 24 * time.Hour
)

// ShowHome returns the caller's home in the organisation they work in.
func (s *Answers) ShowHome(ctx context.Context, c tenant.Caller, organisation string) (Home, error) {
	d, top, err := s.OpenOrganisation(ctx, c, organisation)
	if err != nil {
		return Home{}, err
	}
	if d.Sight.Empty() {
		return Home{}, tenant.NothingHeld(top.Name)
	}
	var h Home
	if err := s.addMine(ctx, d, &h); err != nil {
		return Home{}, err
	}
	if err := s.addGrantsToMind(ctx, d, &h); err != nil {
		return Home{}, err
	}
	if d.May("list user", top.ID) {
		if err := s.addPeopleToMind(ctx, d, top, &h); err != nil {
			return Home{}, err
		}
	}
	if d.May("edit provider", top.ID) {
		if err := s.addUnread(ctx, d, top, &h); err != nil {
			return Home{}, err
		}
	}
	if d.May("list audit-record", top.ID) {
		if h.Refused, err = s.Records.RefusedSince(ctx, top.ID, s.Moment().Add(-recent), attentionMost); err != nil {
			return Home{}, err
		}
		h.Skipped = s.Tenant(top.ID).LeftOut()
	}
	return h, nil
}

// addUnread adds the directories that were not read the last time: who has left them since is still in.
func (s *Answers) addUnread(ctx context.Context, d tenant.Viewer, top model.Scope, h *Home) error {
	last, err := s.Records.LastReadings(ctx, top.ID)
	for _, r := range last {
		var u Unread
		if err := json.Unmarshal(r.Told, &u); err != nil {
			return err
		}
		provider, there := d.Principal(r.Provider)
		if u.Provider = provider; there && !provider.Inactive && (u.Outcome == "failed" || u.Outcome == "stopped") {
			h.Unread = append(h.Unread, u)
		}
	}
	return err
}

// addMine tells where the caller's access changes.
func (s *Answers) addMine(ctx context.Context, d tenant.Viewer, h *Home) error {
	ids := []model.ID{}
	for _, r := range asOne(d.Reach(d.Me, d.Context)) {
		if r.Held.Len()+r.Conditional.Len() == 0 {
			continue
		}
		if len(h.Mine) == mineMost {
			h.MoreMine++
			continue
		}
		h.Mine = append(h.Mine, MyAccess{Scope: r.Scope, At: d.Ref(r.Scope), Held: classes(d, r.Held), Conditional: classes(d, r.Conditional)})
		if d.May("describe "+r.Scope.TypeName(), r.Scope.ID) {
			ids = append(ids, r.Scope.ID)
		}
	}
	details, err := s.Records.ScopeDetails(ctx, ids)
	for i := range h.Mine {
		h.Mine[i].Title = details[h.Mine[i].Scope.ID].Title
	}
	return err
}

// asOne makes one of what somebody reaches of a scope alone and of what is beneath it.
func asOne(reach []access.Reached) (places []access.Reached) {
	at := map[model.ID]int{}
	for _, r := range reach {
		i, told := at[r.Scope.ID]
		if !told {
			at[r.Scope.ID] = len(places)
			places = append(places, r)
			continue
		}
		places[i].Held = places[i].Held.Or(r.Held)
		places[i].Conditional = places[i].Conditional.Or(r.Conditional)
	}
	return places
}

// classes returns the classes of act that a set holds something of, by plane, from the mildest on.
func classes(d tenant.Viewer, held catalogue.Set) map[catalogue.Plane][]catalogue.Class {
	found := map[catalogue.Plane][]catalogue.Class{}
	for p := range held.All {
		o := d.Catalogue().Operation(p)
		if !slices.Contains(found[o.Plane], o.Class) {
			found[o.Plane] = append(found[o.Plane], o.Class)
		}
	}
	for _, list := range found {
		slices.SortFunc(list, func(a, b catalogue.Class) int {
			return slices.Index(catalogue.Classes, a) - slices.Index(catalogue.Classes, b)
		})
	}
	return found
}

// addGrantsToMind goes through the grants at scopes whose grants the caller may list: those that end soon, those that let
// somebody govern, and what is open to strangers.
func (s *Answers) addGrantsToMind(ctx context.Context, d tenant.Viewer, h *Home) error {
	now := s.Moment()
	lists := d.Catalogue().MustPermission("list grant")
	if !d.Sight.MayAnywhere(lists) {
		return nil
	}
	mayList := map[model.ID]bool{}
	listed := func(scope model.ID) bool {
		may, known := mayList[scope]
		if !known {
			may = d.Sight.Sees(scope) && d.Sight.May(lists, scope)
			mayList[scope] = may
		}
		return may
	}
	var ending []access.Grant
	for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.OutsidePerson, model.Group, model.ServiceAccount, model.Provider, model.PlatformService} {
		for p := range d.Principals(kind) {
			var governs []tenant.Ref
			for _, g := range d.GrantsFor(p.ID) {
				if !listed(g.Scope) {
					continue
				}
				if !g.Until.IsZero() && g.Until.After(now) && g.Until.Before(now.Add(endsSoon)) {
					ending = append(ending, g)
				}
				if role, err := d.Role(g.Role); err == nil && role.Privileged && !p.Inactive {
					scope, _ := d.Scope(g.Scope)
					governs = append(governs, d.Ref(scope))
				}
			}
			if governs != nil {
				h.Privileged = append(h.Privileged, Privileged{Who: d.Called(p), At: governs})
			}
		}
	}
	slices.SortFunc(ending, func(a, b access.Grant) int { return a.Until.Compare(b.Until) })
	slices.SortFunc(h.Privileged, func(a, b Privileged) int { return cmp.Compare(a.Who.Name, b.Who.Name) })
	var err error
	if h.Ending, err = s.GrantViews(ctx, d, ending[:min(len(ending), attentionMost)], model.ID{}); err != nil {
		return err
	}
	var open []access.RuleRef
	for _, set := range []model.ID{model.Public, model.SignedIn} {
		for _, ref := range d.RulesFor(set) {
			grant, st := d.Rule(ref)
			place := model.ID{}
			switch {
			case grant != nil:
				place = grant.Scope
			case st != nil && st.Modal == statement.May:
				place = st.Place
			default:
				continue
			}
			if listed(place) && !slices.Contains(open, ref) {
				open = append(open, ref)
			}
		}
	}
	h.Strangers, err = s.ruleViews(ctx, d, open[:min(len(open), attentionMost)], model.ID{})
	return err
}

// addPeopleToMind tells of guests who have not accepted and of keys that end soon or are long unused.
func (s *Answers) addPeopleToMind(ctx context.Context, d tenant.Viewer, top model.Scope, h *Home) error {
	pending, err := s.Records.PendingGuests(ctx, top.ID, attentionMost)
	if err != nil {
		return err
	}
	details, err := s.Records.PrincipalDetails(ctx, top.ID, pending)
	if err != nil {
		return err
	}
	for _, id := range pending {
		if p, ok := d.Principal(id); ok {
			h.Pending = append(h.Pending, PendingGuest{Guest: p, Since: details[id].CreatedAt})
		}
	}
	if !d.May("describe user", top.ID) {
		return nil
	}
	now := s.Moment()
	keys, err := s.Records.KeysToMind(ctx, top.ID, now.Add(keyEndsSoon), now.Add(-longUnused), attentionMost)
	for _, k := range keys {
		if p, ok := d.Principal(k.Principal); ok {
			ends := !k.Until.IsZero() && k.Until.Before(now.Add(keyEndsSoon))
			h.Keys = append(h.Keys, StaleKey{Key: k, Of: d.Called(p), Unused: !ends})
		}
	}
	return err
}
