package service

import (
	"context"
	"fmt"
	"net/netip"
	"slices"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/settings"
)

// desk is what a caller works with: the current snapshot of their organisation and what they see of it.
type desk struct {
	*access.Snapshot
	view    *access.View
	me      model.ID
	context *access.Context
	service string       // of a caller that is a platform service: its name
	served  *access.View // of a platform service that acts for somebody: what they see; nil when it acts by itself
	tame    bool         // the caller is a program whose key was not made for governing
	// settings are what the organisation has decided for itself.
	settings settings.Settings
	// details are read as they are; while a change is planned that is then made, within its transaction.
	details Details
}

func (s *Tenants) deskOf(now *access.Snapshot, c Caller) desk {
	context := s.contextOf(c)
	d := desk{Snapshot: now, view: now.View(c.Principal, context), me: c.Principal, context: context, service: platformService(now, c), tame: c.isTame(), settings: settings.DefaultSettings(), details: s.records}
	if settings := s.house(c.Organisation).settings.Load(); settings != nil {
		d.settings = *settings
	}
	if d.service != "" && !c.Served.IsZero() {
		about := &access.Context{Time: context.Time, Local: true}
		if from, err := netip.ParseAddr(c.ServedFrom); err == nil {
			about.IP = from
		}
		d.served = now.View(c.Served, about)
		d.me = c.Served
	}
	return d
}

// partSeen parts things into those that are at scopes the caller sees, and the others.
func partSeen[T any](d desk, things []T, at func(T) model.ID) (seen, unseen []T) {
	for _, thing := range things {
		if d.view.Sees(at(thing)) {
			seen = append(seen, thing)
		} else {
			unseen = append(unseen, thing)
		}
	}
	return seen, unseen
}

func (d desk) organisationID() model.ID {
	top, _ := d.Top()
	return top.ID
}

// contextOf tells what is known of a caller's circumstances.
func (s *Tenants) contextOf(c Caller) *access.Context {
	context := &access.Context{Time: s.moment(), Local: true}
	if from, err := netip.ParseAddr(c.From); err == nil {
		context.IP = from
	}
	return context
}

// anybody gives what is known of whatever others may ask from now on: what is told of them is not to hang on where and when the
// caller asks.
func (d desk) anybody() *access.Context { return &access.Context{Time: d.context.Time, Anybody: true} }

// open opens the caller's desk. A keeper has none: keepers hold nothing inside organisations.
func (s *Tenants) open(ctx context.Context, c Caller) (desk, error) {
	if c.Identity.Keeper {
		return desk{}, &Problem{
			Kind: Refused, Detail: "a keeper holds nothing inside organisations",
			Next: "sign in as somebody of the organisation, NAME@ORGANISATION",
		}
	}
	if err := worksSomewhere(c); err != nil {
		return desk{}, err
	}
	now, err := s.now(ctx, s.house(c.Organisation))
	if err != nil {
		return desk{}, err
	}
	return s.deskOf(now, c), nil
}

// worksSomewhere refuses a platform service whose access token is for no organisation.
func worksSomewhere(c Caller) error {
	if !c.Organisation.IsZero() {
		return nil
	}
	return &Problem{
		Kind: Refused, Detail: "the access token works in no organisation",
		Next: "ask for one with organisation=NAME in the form for /oauth/token; arbora sign-in --organisation does so",
	}
}

// openAt opens the caller's desk at a scope that they see, where they hold the permissions it takes.
func (s *Tenants) openAt(ctx context.Context, c Caller, key string, permissions ...string) (desk, model.Scope, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return desk{}, model.Scope{}, err
	}
	scope, err := d.scope(key)
	for _, permission := range permissions {
		if err == nil {
			err = d.need(permission, scope)
		}
	}
	return d, scope, err
}

// openOrganisation opens the caller's desk, if the organisation of a name is the one they work in, and gives its top.
func (s *Tenants) openOrganisation(ctx context.Context, c Caller, name string) (desk, model.Scope, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return desk{}, model.Scope{}, err
	}
	top, err := d.organisation(name)
	return d, top, err
}

// scope finds a scope by id or address, if the caller sees it.
func (d desk) scope(key string) (model.Scope, error) {
	place, err := d.place(key)
	if err != nil {
		return model.Scope{}, err
	}
	if place.Rest != "" {
		return model.Scope{}, notThere("scope", key, d.Address(place.Scope.ID))
	}
	return place.Scope, nil
}

// place finds a scope by id or address; an address may lead on into a resource's open contents.
func (d desk) place(key string) (access.Place, error) {
	if id, err := model.ParseID(key); err == nil {
		if scope, ok := d.Scope(id); ok && d.eyes().Sees(id) {
			return access.Place{Scope: scope}, nil
		}
		return access.Place{}, notThere("scope", key, "")
	}
	place, err := d.Resolve(key, d.eyes())
	if err != nil {
		if top, _ := d.Top(); d.AnswersTo(key) {
			return access.Place{}, nothingHeld(top.Name)
		}
		problem := broken(err, "")
		if p, ok := problem.(*Problem); ok {
			p.Kind = NotThere
			if d.view.Empty() {
				p.Next, p.Nearest = "you hold nothing here yet: ask somebody who can grant for a role", ""
			}
		}
		return access.Place{}, problem
	}
	return place, nil
}

// eyes gives what scopes are looked up by: what the caller sees, or whoever a platform service acts for.
func (d desk) eyes() *access.View {
	if d.served != nil {
		return d.served
	}
	return d.view
}

// nothingHeld answers somebody who asks for their own organisation, whose name they know, and sees nothing of it.
func nothingHeld(organisation string) *Problem {
	return &Problem{
		Kind: Refused, Detail: "you hold nothing in " + organisation + " yet, so there is nothing to see",
		Next: "ask somebody who can grant there for a role", HoldsNothing: true,
	}
}

// need refuses the caller who does not hold a permission at a scope they see.
func (d desk) need(permission string, scope model.Scope) error {
	p, err := d.Catalogue().Permission(permission)
	if err != nil {
		return err
	}
	if !d.holds(p, scope.ID) {
		if !d.Offers(scope.ID, p) {
			o := d.Catalogue().Operation(p)
			return &Problem{
				Kind: BreaksRule, Rule: model.RuleOffered, Detail: fmt.Sprintf("the type %s is of %s, which is not offered in %s", o.Type, o.Service, d.Address(scope.ID)),
				Next: "choose another place, or have the service offered there",
			}
		}
		return refused(permission, d.Address(scope.ID))
	}
	if d.tame && d.Catalogue().Governing().Has(p) {
		return &Problem{
			Kind: Refused, Permission: permission, Detail: "this API key was not made for governing, and this takes the permission \"" + permission + "\"",
			Next: "use a key made with --may-govern, or do it as a person",
		}
	}
	return nil
}

func (d desk) may(permission string, scope model.ID) bool {
	p, err := d.Catalogue().Permission(permission)
	return err == nil && d.holds(p, scope) && !(d.tame && d.Catalogue().Governing().Has(p))
}

// holds reports whether the caller may use a permission at a scope. A platform service that acts for somebody may do what both may;
// of its own types it registers, retires and restores what they may create, retire and restore.
func (d desk) holds(p catalogue.Permission, scope model.ID) bool {
	if d.served == nil {
		return d.view.May(p, scope)
	}
	return d.served.May(p, scope) && (d.registers(p) || d.view.May(p, scope))
}

// registers reports whether a permission is to register, retire or restore what the calling platform service keeps.
func (d desk) registers(p catalogue.Permission) bool {
	o := d.Catalogue().Operation(p)
	return o.Service == d.service && o.Plane == catalogue.Control && slices.Contains([]string{"create", "retire", "restore"}, o.Name)
}

// organisation finds the caller's organisation by name. Any other is answered like one that is not there.
func (d desk) organisation(name string) (model.Scope, error) {
	top, ok := d.Top()
	if !ok || !d.AnswersTo(name) {
		return model.Scope{}, notThere("organisation", name, english.Nearest(name, []string{top.Name}))
	}
	return top, nil
}

// needAtTop is need for what belongs to the organisation as a whole, such as its people.
func (d desk) needAtTop(permission, organisation string) (model.Scope, error) {
	top, err := d.organisation(organisation)
	if err != nil {
		return model.Scope{}, err
	}
	return top, d.need(permission, top)
}

// directory lets the caller read the names of the organisation's users and groups: those who may list them, and those
// who may grant anywhere, since a grant needs a name.
func (d desk) directory(permission, organisation string) (model.Scope, error) {
	top, err := d.needAtTop(permission, organisation)
	if err != nil && top.ID != (model.ID{}) && d.view.MayAnywhere(d.Catalogue().MustPermission("create grant")) {
		return top, nil
	}
	return top, err
}

// principal finds a principal by kind and name for a caller who may use the directory; the nearest known name helps.
func (d desk) principal(kind, name string) (access.Principal, error) {
	k, err := model.ParsePrincipalKind(kind)
	if err != nil {
		return access.Principal{}, broken(err, "kind")
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
	if open || d.may("list "+typeOf(k), d.organisationID()) || d.view.MayAnywhere(d.Catalogue().MustPermission("create grant")) {
		for p := range d.Principals(k) {
			known = append(known, p.Name)
		}
	}
	p := notThere(kind, name, english.Nearest(name, known))
	p.Field = "name"
	return access.Principal{}, p
}

// serviceAccount finds a service account by the address it lives at and its name.
func (d desk) serviceAccount(address string) (access.Principal, error) {
	home, name := model.SplitAddress(address)
	if place, err := d.Resolve(home, d.eyes()); err == nil && place.Rest == "" {
		if p, ok := d.ServiceAccountAt(place.Scope.ID, name); ok {
			return p, nil
		}
	}
	p := notThere("service account", address, "")
	p.Next, p.Field = "write the address it lives at and its name", "name"
	return access.Principal{}, p
}

// Ref names a scope.
type Ref struct {
	ID      model.ID
	Address string
	Name    string
}

func (d desk) ref(scope model.Scope) Ref {
	return Ref{ID: scope.ID, Address: d.Address(scope.ID), Name: scope.FullName()}
}

func (d desk) permissionWords(set catalogue.Set) []string {
	words := make([]string, 0, set.Len())
	for p := range set.All {
		words = append(words, d.Catalogue().Operation(p).String())
	}
	return words
}

// platformService gives the name of the platform service that a caller is; empty for others.
func platformService(now *access.Snapshot, c Caller) string {
	if c.Kind != model.PlatformService {
		return ""
	}
	name, _ := now.Catalogue().PlatformService(c.Principal)
	return name
}

func needKeeper(c Caller, what string) error {
	if c.Identity.Keeper {
		return nil
	}
	return &Problem{Kind: Refused, Detail: "only keepers may " + what, Next: "ask a keeper of this installation"}
}

// governs reports whether the caller holds a permission to govern anywhere.
func (d desk) governs() bool {
	for p := range d.Catalogue().Governing().All {
		if d.view.MayAnywhere(p) {
			return true
		}
	}
	return false
}
