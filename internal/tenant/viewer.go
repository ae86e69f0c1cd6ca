package tenant

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
)

// Viewer is what a caller works with: the current snapshot of their organisation and what they see of it.
type Viewer struct {
	*access.Snapshot
	Sight   *access.View
	Me      model.ID
	Context *access.Context
	service string       // of a caller that is a platform service: its name
	served  *access.View // of a platform service that acts for somebody: what they see; nil when it acts by itself
	tame    bool         // the caller is a program whose key was not made for governing
	// Settings are the organisation's own settings.
	Settings settings.Settings
	// Details are read as they are; while a change is planned that is then made, within its transaction.
	Details Details
}

// ViewerOf makes the viewer of a caller on a snapshot of the organisation that they work in.
func (s *Tenants) ViewerOf(now *access.Snapshot, c Caller) Viewer {
	context := s.ContextOf(c)
	d := Viewer{Snapshot: now, Sight: now.View(c.Principal, context), Me: c.Principal, Context: context, service: PlatformService(now, c), tame: c.isTame(), Settings: s.Tenant(c.Organisation).Decided(), Details: s.Records}
	if d.service != "" && !c.Served.IsZero() {
		about := &access.Context{Time: context.Time}
		if from, err := netip.ParseAddr(c.ServedFrom); err == nil {
			about.IP = from
		}
		d.served = now.View(c.Served, about)
		d.Me = c.Served
	}
	return d
}

// PartSeen parts things into those that are at scopes the caller sees, and the others.
func PartSeen[T any](d Viewer, things []T, at func(T) model.ID) (seen, unseen []T) {
	for _, thing := range things {
		if d.Sight.Sees(at(thing)) {
			seen = append(seen, thing)
		} else {
			unseen = append(unseen, thing)
		}
	}
	return seen, unseen
}

// OrganisationID returns the id of the viewer's organisation.
func (d Viewer) OrganisationID() model.ID {
	top, _ := d.Top()
	return top.ID
}

// ContextOf tells what is known of a caller's circumstances.
func (s *Tenants) ContextOf(c Caller) *access.Context {
	context := &access.Context{Time: s.Moment()}
	if from, err := netip.ParseAddr(c.From); err == nil {
		context.IP = from
	}
	return context
}

// Anybody returns what is known of whatever others may ask from now on: what is told of them is not to hang on where and when the
// caller asks.
func (d Viewer) Anybody() *access.Context {
	return &access.Context{Time: d.Context.Time, Anybody: true}
}

// Open returns the viewer that a caller is. A keeper is none: keepers hold nothing inside organisations.
func (s *Tenants) Open(ctx context.Context, c Caller) (Viewer, error) {
	if c.Identity.Keeper {
		return Viewer{}, &problem.Problem{
			Kind: problem.Refused, Detail: "a keeper holds nothing inside organisations",
			Next: "sign in as somebody of the organisation, NAME@ORGANISATION",
		}
	}
	if err := WorksSomewhere(c); err != nil {
		return Viewer{}, err
	}
	now, err := s.Current(ctx, s.Tenant(c.Organisation))
	if err != nil {
		return Viewer{}, err
	}
	return s.ViewerOf(now, c), nil
}

// WorksSomewhere refuses a platform service whose access token is for no organisation.
func WorksSomewhere(c Caller) error {
	if !c.Organisation.IsZero() {
		return nil
	}
	return &problem.Problem{
		Kind: problem.Refused, Detail: "the access token belongs to no organisation",
		Next: "ask for one with organisation=NAME in the form for /oauth/token; arbora sign-in --organisation does so",
	}
}

// OpenAt returns the viewer that a caller is, and a scope that they see, where they hold the permissions it takes.
func (s *Tenants) OpenAt(ctx context.Context, c Caller, key string, permissions ...string) (Viewer, model.Scope, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Viewer{}, model.Scope{}, err
	}
	scope, err := d.ScopeAt(key)
	for _, permission := range permissions {
		if err == nil {
			err = d.Need(permission, scope)
		}
	}
	return d, scope, err
}

// OpenOrganisation returns the viewer that a caller is, if the organisation of a name is the one they work in, and gives its top.
func (s *Tenants) OpenOrganisation(ctx context.Context, c Caller, name string) (Viewer, model.Scope, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Viewer{}, model.Scope{}, err
	}
	top, err := d.Organisation(name)
	return d, top, err
}

// ScopeAt finds a scope by id or address, if the caller sees it.
func (d Viewer) ScopeAt(key string) (model.Scope, error) {
	place, err := d.Place(key)
	if err != nil {
		return model.Scope{}, err
	}
	if place.Rest != "" {
		return model.Scope{}, problem.Missing("scope", key, d.Address(place.Scope.ID))
	}
	return place.Scope, nil
}

// Place finds a scope by id or address; an address may lead on into a resource's open contents.
func (d Viewer) Place(key string) (access.Place, error) {
	if id, err := model.ParseID(key); err == nil {
		if scope, ok := d.Scope(id); ok && d.resolver().Sees(id) {
			return access.Place{Scope: scope}, nil
		}
		return access.Place{}, problem.Missing("scope", key, "")
	}
	place, err := d.Resolve(key, d.resolver())
	if err != nil {
		if top, _ := d.Top(); d.AnswersTo(key) {
			return access.Place{}, NothingHeld(top.Name)
		}
		wrong := problem.Of(err, "")
		if p, ok := wrong.(*problem.Problem); ok {
			p.Kind = problem.NotThere
			if d.Sight.Empty() {
				p.Next, p.Nearest = "you hold nothing here yet: ask somebody who can grant for a role", ""
			}
		}
		return access.Place{}, wrong
	}
	return place, nil
}

// resolver returns what scopes are looked up by: what the caller sees, or whoever a platform service acts for.
func (d Viewer) resolver() *access.View {
	if d.served != nil {
		return d.served
	}
	return d.Sight
}

// NothingHeld answers somebody who asks for their own organisation, whose name they know, and sees nothing of it.
func NothingHeld(organisation string) *problem.Problem {
	return &problem.Problem{
		Kind: problem.Refused, Detail: "you hold nothing in " + organisation + " yet, so there is nothing to see",
		Next: "ask somebody who can grant there for a role", HoldsNothing: true,
	}
}

// Need refuses the caller who does not hold a permission at a scope they see.
func (d Viewer) Need(permission string, scope model.Scope) error {
	p, err := d.Catalogue().Permission(permission)
	if err != nil {
		return err
	}
	if !d.holds(p, scope.ID) {
		if !d.Offers(scope.ID, p) {
			o := d.Catalogue().Operation(p)
			return &problem.Problem{
				Kind: problem.BreaksRule, Rule: model.RuleOffered, Detail: fmt.Sprintf("the type %s is of %s, which is not offered in %s", o.Type, o.Service, d.Address(scope.ID)),
				Next: "choose another place, or have the service offered there",
			}
		}
		if d.IsRetired(scope.ID) && d.Sight.Sees(scope.ID) {
			return &problem.Problem{
				Kind: problem.Conflict, Rule: model.RuleRetired, Detail: d.Address(scope.ID) + " is retired: nothing in it can be changed",
				Next: "restore it first",
			}
		}
		return problem.Lacking(permission, d.Address(scope.ID))
	}
	if d.tame && d.Catalogue().Governing().Has(p) {
		return &problem.Problem{
			Kind: problem.Refused, Permission: permission, Detail: "this API key was not made for governing, and this needs the permission \"" + permission + "\"",
			Next: "use a key made with --may-govern, or do it as a person",
		}
	}
	return nil
}

// May reports whether the viewer may use a permission at a scope; [Viewer.Need] says why not.
func (d Viewer) May(permission string, scope model.ID) bool {
	p, err := d.Catalogue().Permission(permission)
	return err == nil && d.holds(p, scope) && !(d.tame && d.Catalogue().Governing().Has(p))
}

// holds reports whether the caller may use a permission at a scope. A platform service that acts for somebody may do what both may;
// of its own types it registers, retires and restores what they may create, retire and restore.
func (d Viewer) holds(p catalogue.Permission, scope model.ID) bool {
	if d.served == nil {
		return d.Sight.May(p, scope)
	}
	return d.served.May(p, scope) && (d.registers(p) || d.Sight.May(p, scope))
}

// registers reports whether a permission is to register, retire or restore what the calling platform service keeps.
func (d Viewer) registers(p catalogue.Permission) bool {
	o := d.Catalogue().Operation(p)
	return o.Service == d.service && o.Plane == catalogue.Control && slices.Contains([]string{"create", "retire", "restore"}, o.Name)
}

// Organisation finds the caller's organisation by name. Any other is answered like one that is not there.
func (d Viewer) Organisation(name string) (model.Scope, error) {
	top, ok := d.Top()
	if !ok || !d.AnswersTo(name) {
		return model.Scope{}, problem.Missing("organisation", name, english.Nearest(name, []string{top.Name}))
	}
	return top, nil
}

// NeedAtTop is need for what belongs to the organisation as a whole, such as its people.
func (d Viewer) NeedAtTop(permission, organisation string) (model.Scope, error) {
	top, err := d.Organisation(organisation)
	if err != nil {
		return model.Scope{}, err
	}
	return top, d.Need(permission, top)
}

// Directory lets the caller read the names of the organisation's users and groups: those who may list them, and those
// who may grant anywhere, since a grant needs a name.
func (d Viewer) Directory(permission, organisation string) (model.Scope, error) {
	top, err := d.NeedAtTop(permission, organisation)
	if err != nil && top.ID != (model.ID{}) && d.Sight.MayAnywhere(d.Catalogue().MustPermission("create grant")) {
		return top, nil
	}
	return top, err
}

// PrincipalCalled finds a principal by kind and name for a caller who may use the directory; the nearest known name helps.
func (d Viewer) PrincipalCalled(kind, name string) (access.Principal, error) {
	k, err := model.ParsePrincipalKind(kind)
	if err != nil {
		return access.Principal{}, problem.Of(err, "kind")
	}
	if k == model.ServiceAccount {
		return d.serviceAccount(name)
	}
	if p, ok := d.PrincipalNamed(k, name); ok {
		return p, nil
	}
	var known []string
	// The nearest name tells of whom there is.
	open := k == model.PlatformService || k == model.BuiltInSet
	if open || d.May("list "+TypeOf(k), d.OrganisationID()) || d.Sight.MayAnywhere(d.Catalogue().MustPermission("create grant")) {
		for p := range d.Principals(k) {
			known = append(known, p.Name)
		}
	}
	nearest := english.Nearest(name, known)
	for _, other := range known { // a guest or an outside person without the part after the @, a user with it
		if (k == model.Guest || k == model.OutsidePerson) && strings.HasPrefix(other, name+"@") || k == model.User && strings.HasPrefix(name, other+"@") {
			nearest = other
		}
	}
	p := problem.Missing(k.Words(), name, nearest)
	p.Field = "name"
	return access.Principal{}, p
}

// serviceAccount finds a service account by the address it lives at and its name.
func (d Viewer) serviceAccount(address string) (access.Principal, error) {
	home, name := model.SplitAddress(address)
	if place, err := d.Resolve(home, d.resolver()); err == nil && place.Rest == "" {
		if p, ok := d.ServiceAccountAt(place.Scope.ID, name); ok {
			return p, nil
		}
	}
	p := problem.Missing("service account", address, "")
	p.Next, p.Field = "write the scope's address, a slash and the account's name", "name"
	return access.Principal{}, p
}

// Ref names a scope.
type Ref struct {
	ID      model.ID
	Address string
	Name    string
}

// Ref names a scope with its address.
func (d Viewer) Ref(scope model.Scope) Ref {
	return Ref{ID: scope.ID, Address: d.Address(scope.ID), Name: scope.FullName()}
}

// PermissionWords writes permissions out, in the catalogue's order.
func (d Viewer) PermissionWords(set catalogue.Set) []string {
	words := make([]string, 0, set.Len())
	for p := range set.All {
		words = append(words, d.Catalogue().Operation(p).String())
	}
	return words
}

// PlatformService returns the name of the platform service that a caller is; empty for others.
func PlatformService(now *access.Snapshot, c Caller) string {
	if c.Kind != model.PlatformService {
		return ""
	}
	name, _ := now.Catalogue().PlatformService(c.Principal)
	return name
}

// NeedKeeper refuses what only keepers may do.
func NeedKeeper(c Caller, what string) error {
	if c.Identity.Keeper {
		return nil
	}
	return &problem.Problem{Kind: problem.Refused, Detail: "only keepers may " + what, Next: "ask a keeper of this installation"}
}

// Governs reports whether the caller holds a permission to govern anywhere.
func (d Viewer) Governs() bool {
	for p := range d.Catalogue().Governing().All {
		if d.Sight.MayAnywhere(p) {
			return true
		}
	}
	return false
}
