package access_test

import (
	"encoding/binary"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

var lastID atomic.Uint64

// newID returns an id that no other has, later ones greater.
func newID() model.ID {
	var id model.ID
	binary.BigEndian.PutUint64(id[7:], lastID.Add(1)+1000)
	return id
}

// drawer draws changes on what is there; many of them break a rule.
type drawer struct {
	t *rapid.T
	c *catalogue.Catalogue
	n *naive
}

func (d drawer) one(most int, label string) bool {
	return rapid.IntRange(0, most).Draw(d.t, label) == 0
}

func (d drawer) scope() model.ID { return rapid.SampledFrom(d.n.scopes).Draw(d.t, "scope").ID }

func (d drawer) someone() access.Principal { return rapid.SampledFrom(d.n.people).Draw(d.t, "who") }

func (d drawer) container() model.ID {
	containers := slices.DeleteFunc(slices.Clone(d.n.scopes), func(s model.Scope) bool { return s.Kind == model.Resource })
	return rapid.SampledFrom(containers).Draw(d.t, "container").ID
}

func (d drawer) tags() map[string]string {
	return rapid.MapOfN(rapid.SampledFrom([]string{"team", "floor"}), rapid.SampledFrom([]string{"seeds", "labels"}), 0, 2).Draw(d.t, "tags")
}

func (d drawer) change() access.Change {
	switch rapid.IntRange(0, 33).Draw(d.t, "change") {
	case 0, 1, 2, 3, 4:
		return access.CreateScope{Scope: d.newScope()}
	case 5, 6:
		return access.CreatePrincipal{Principal: d.newPrincipal()}
	case 7, 8, 9:
		return access.AddMember{Membership: access.Membership{Group: d.someone().ID, Member: d.someone().ID}}
	case 10:
		if len(d.n.members) > 0 {
			return access.RemoveMember{Membership: rapid.SampledFrom(d.n.members).Draw(d.t, "membership")}
		}
		return access.RemoveMember{Membership: access.Membership{Group: model.Staff, Member: d.someone().ID}}
	case 11:
		if len(d.n.grants) > 0 {
			return access.RevokeGrant{ID: rapid.SampledFrom(d.n.grants).Draw(d.t, "grant").ID}
		}
		return access.RevokeGrant{ID: newID()}
	case 29:
		if len(d.n.grants) > 0 {
			g := rapid.SampledFrom(d.n.grants).Draw(d.t, "grant")
			on := d.newGrant()
			g.Condition, g.Period = on.Condition, on.Period
			return access.EditGrant{Grant: g}
		}
		return access.EditGrant{Grant: d.newGrant()}
	case 12:
		return access.RetireScope{ID: d.scope()}
	case 13:
		return access.RestoreScope{ID: d.scope()}
	case 14, 15:
		return access.MoveScope{ID: d.scope(), Parent: d.scope()}
	case 16:
		return access.RenameScope{ID: d.scope(), Name: rapid.SampledFrom(scopeNames).Draw(d.t, "name")}
	case 17:
		return access.TagScope{ID: d.scope(), Tags: d.tags()}
	case 18:
		return access.TagPrincipal{ID: d.someone().ID, Tags: d.tags()}
	case 19:
		return access.SetInactive{ID: d.someone().ID, Inactive: rapid.Bool().Draw(d.t, "inactive")}
	case 26:
		name := fmt.Sprint("p", rapid.IntRange(0, 9).Draw(d.t, "name"))
		if d.one(3, "guest") {
			name += "@quaywater"
		}
		return access.RenamePrincipal{ID: d.someone().ID, Name: name}
	case 27:
		return access.SetGathers{Group: d.someone().ID, Condition: d.gathers()}
	case 30:
		services := rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"compute", "networking", "storage", "labs"}), 1, 4, rapid.ID[string]).Draw(d.t, "services")
		if d.one(3, "all") {
			services = nil
		}
		return access.OfferServices{ID: d.scope(), Services: services}
	case 31:
		people := d.ofKind(model.OutsidePerson)
		if len(people) == 0 || d.one(4, "anybody") {
			people = d.n.people
		}
		return access.SetClaims{ID: rapid.SampledFrom(people).Draw(d.t, "outside person").ID, Claims: d.claims()}
	case 28:
		return access.SetOwner{Group: d.someone().ID, Owner: d.someone().ID}
	case 20, 21, 22, 23:
		return access.PutPolicy{Policy: d.policy()}
	case 24:
		if len(d.n.policies) > 0 {
			return access.RemovePolicy{ID: rapid.SampledFrom(d.n.policies).Draw(d.t, "policy").ID}
		}
		return access.RemovePolicy{ID: newID()}
	case 25:
		def := catalogue.RoleDefinition{Name: rapid.SampledFrom([]string{"sower", "reaper", "steward"}).Draw(d.t, "role"), Scope: d.scope(), Include: []catalogue.Filter{d.filter()}}
		if d.one(2, "exclude") {
			def.Exclude = []catalogue.Filter{d.filter()}
		}
		if d.n.custom(def.Name) != nil && rapid.Bool().Draw(d.t, "edit") {
			return access.EditRole{Definition: def}
		}
		return access.CreateRole{Definition: def}
	}
	return access.CreateGrant{Grant: d.newGrant()}
}

var scopeNames = []string{"alder", "birch", "cedar"}

func (d drawer) newScope() model.Scope {
	kinds := []model.Kind{model.Folder, model.Project, model.Compartment, model.Resource, model.Resource}
	s := model.Scope{ID: newID(), Parent: d.scope(), Kind: rapid.SampledFrom(kinds).Draw(d.t, "kind"), Name: rapid.SampledFrom(scopeNames).Draw(d.t, "name")}
	if s.Kind == model.Resource {
		s.Type = rapid.SampledFrom([]string{"bucket", "machine", "network", "subnet", "object", "grant", "nothing"}).Draw(d.t, "type")
	}
	if d.one(3, "tagged") {
		s.Tags = d.tags()
	}
	return s
}

// gathers draws a condition by which a gathering group has its members.
func (d drawer) gathers() *statement.Condition {
	text := rapid.SampledFrom([]string{`tag team is "seeds"`, `not tag floor is "labels"`, `kind is "guest"`, `name is "p1"`}).Draw(d.t, "gathers")
	c, err := statement.ParseGathering(text)
	if err != nil {
		panic(err)
	}
	return c
}

func (d drawer) newPrincipal() access.Principal {
	p := access.Principal{
		ID: newID(), Name: fmt.Sprint("p", rapid.IntRange(0, 9).Draw(d.t, "name")),
		Kind:     rapid.SampledFrom([]model.PrincipalKind{model.User, model.User, model.Group, model.Group, model.Guest, model.ServiceAccount, model.Provider, model.OutsidePerson, model.OutsidePerson, model.OutsideGroup}).Draw(d.t, "kind"),
		Inactive: d.one(6, "inactive"), Tags: d.tags(),
	}
	switch p.Kind {
	case model.Group:
		if d.one(3, "gathering") {
			p.Gathers = d.gathers()
		}
	case model.Guest:
		p.Name += "@quaywater"
	case model.Provider:
		p.Own = d.one(3, "own")
	case model.ServiceAccount:
		p.Home = d.scope()
	case model.OutsidePerson, model.OutsideGroup:
		providers := d.ofKind(model.Provider)
		if len(providers) == 0 {
			p.Kind = model.Provider
			break
		}
		provider := rapid.SampledFrom(providers).Draw(d.t, "provider")
		if p.Kind == model.OutsideGroup {
			p.Provider, p.Tags, p.Inactive = provider.ID, nil, false
			p.Subject = rapid.SampledFrom([]string{"team-seeds", "Team-Seeds", "team-labels", "team-{team}"}).Draw(d.t, "outside group")
			p.Pattern = strings.Contains(p.Subject, "{")
			p.Name = access.OutsideGroupName(p.Subject, provider.Name)
			break
		}
		p.Name += "@" + provider.Name
		p.Provider, p.Subject = provider.ID, rapid.SampledFrom([]string{"s1", "s2", "s3"}).Draw(d.t, "subject")
		if !d.one(3, "silent") {
			p.Claims = d.claims()
		}
	}
	return p
}

func (d drawer) ofKind(kind model.PrincipalKind) []access.Principal {
	return slices.DeleteFunc(slices.Clone(d.n.people), func(p access.Principal) bool { return p.Kind != kind })
}

// claims draws what a provider says of somebody.
func (d drawer) claims() map[string][]string {
	return rapid.MapOfN(rapid.SampledFrom([]string{"team", "floor"}), rapid.SliceOfN(rapid.SampledFrom([]string{"seeds", "labels"}), 1, 2), 0, 2).Draw(d.t, "claims")
}

func (d drawer) filter() catalogue.Filter {
	f := catalogue.Filter{}
	if rapid.Bool().Draw(d.t, "by class") {
		f.Classes = []catalogue.Class{rapid.SampledFrom(catalogue.Classes).Draw(d.t, "class")}
	}
	if rapid.Bool().Draw(d.t, "by service") {
		f.Services = []string{rapid.SampledFrom([]string{"storage", "tree", "access", "networking"}).Draw(d.t, "service")}
	}
	return f
}

func (d drawer) role() string {
	names := []string{"steward", "builder", "observer", "access-manager", "content-keeper", "storage-builder", "people-manager"}
	for _, def := range d.n.roles {
		names = append(names, def.Name)
	}
	return rapid.SampledFrom(names).Draw(d.t, "role")
}

func (d drawer) newGrant() (g access.Grant) {
	g = access.Grant{ID: newID(), Scope: d.scope(), Principal: d.someone().ID, Role: d.role()}
	if d.one(4, "conditional") {
		g.Condition = d.condition()
	}
	if d.one(4, "limited") {
		g.Period = d.period()
	}
	return g
}

func (d drawer) period() (p statement.Period) {
	days := func(label string) time.Time {
		return noon.Add(time.Duration(rapid.IntRange(-2, 2).Draw(d.t, label)) * 24 * time.Hour)
	}
	if rapid.Bool().Draw(d.t, "has from") {
		p.From = days("from")
	}
	if rapid.Bool().Draw(d.t, "has until") {
		p.Until = days("until")
	}
	return p
}

// condition draws a condition, and keeps for the reference what it was written from.
func (d drawer) condition() *statement.Condition {
	written := d.term(2)
	c, err := statement.ParseCondition(written.text())
	if err != nil {
		d.t.Fatalf("%s: %v", written.text(), err)
	}
	if back, err := statement.ParseCondition(c.String()); err != nil || back.String() != c.String() {
		d.t.Fatalf("%s does not read back: %v", c, err)
	}
	d.n.terms[c] = written
	return c
}

func (d drawer) term(deep int) *term {
	if deep > 0 {
		switch op := rapid.SampledFrom([]string{"and", "or", "not", "", "", ""}).Draw(d.t, "op"); op {
		case "and", "or":
			return &term{op: op, parts: []*term{d.term(deep - 1), d.term(deep - 1)}}
		case "not":
			return &term{op: op, parts: []*term{d.term(deep - 1)}}
		}
	}
	text := func() string { return rapid.SampledFrom([]string{"seeds", "labels", "see"}).Draw(d.t, "value") }
	leaf := &term{of: rapid.SampledFrom([]string{"context.location", "context.hour", "claim", "subject.tag", "subject.kind", "resource.tag", "resource.type"}).Draw(d.t, "of")}
	ops := []string{"is", "is not", "in"}
	switch leaf.of {
	case "context.hour":
		leaf.op, leaf.hour, leaf.zone = "<", rapid.IntRange(10, 14).Draw(d.t, "hour"), rapid.SampledFrom([]string{"", "Europe/Oslo"}).Draw(d.t, "zone")
		return leaf
	case "subject.kind":
		leaf.values = []string{rapid.SampledFrom([]string{"user", "guest", "outside-person", "provider", "set", "service-account"}).Draw(d.t, "kind")}
	case "resource.type":
		leaf.values = []string{rapid.SampledFrom([]string{"bucket", "folder", "network"}).Draw(d.t, "type")}
	case "subject.tag", "resource.tag", "claim":
		leaf.name = rapid.SampledFrom([]string{"team", "floor"}).Draw(d.t, "tag")
		ops = append(ops, "starts with")
		leaf.values = []string{text()}
	default:
		leaf.values = []string{rapid.SampledFrom([]string{"north", "south"}).Draw(d.t, "location")}
	}
	leaf.op = rapid.SampledFrom(ops).Draw(d.t, "comparison")
	return leaf
}

func (d drawer) policy() statement.Policy {
	p := statement.Policy{ID: newID(), Scope: d.container()}
	if len(d.n.policies) > 0 && d.one(2, "replace") {
		was := rapid.SampledFrom(d.n.policies).Draw(d.t, "policy")
		p.ID, p.Scope = was.ID, was.Scope
	}
	p.Suspended = d.one(6, "suspended")
	p.Name = fmt.Sprint("policy-", binary.BigEndian.Uint64(p.ID[7:]))
	for range rapid.IntRange(1, 3).Draw(d.t, "statements") {
		p.Statements = append(p.Statements, d.statement(p.Scope))
	}
	return p
}

func (d drawer) statement(scope model.ID) statement.Statement {
	st := statement.Statement{
		Place: scope, Here: d.one(4, "here"), Who: d.subjects("who"),
		Modal: rapid.SampledFrom([]statement.Modal{statement.May, statement.May, statement.MayNever, statement.MayOnly}).Draw(d.t, "modal"),
	}
	if rapid.Bool().Draw(d.t, "elsewhere") {
		var beneath []model.ID
		for _, s := range d.n.scopes {
			if d.n.isUnder(s.ID, scope) {
				beneath = append(beneath, s.ID)
			}
		}
		st.Place = rapid.SampledFrom(beneath).Draw(d.t, "place")
	}
	if d.one(3, "except") {
		st.Except = d.subjects("except")
	}
	switch {
	case st.Modal == statement.May && rapid.Bool().Draw(d.t, "as role"):
		st.Roles = []string{d.role()}
	default:
		acts := []string{"observe", "operate", "modify", "destroy", "govern", "describe", "list", "fetch", "create"}
		st.Acts = rapid.SliceOfNDistinct(rapid.SampledFrom(acts), 0, 3, rapid.ID[string]).Draw(d.t, "acts")
		things := []string{"storage", "bucket", "object", "tree", "folder", "access", "networking"}
		st.Things = rapid.SliceOfNDistinct(rapid.SampledFrom(things), 0, 2, rapid.ID[string]).Draw(d.t, "things")
		st.Data = len(st.Acts) > 0 && d.one(3, "data")
	}
	if st.Modal != statement.MayOnly && d.one(3, "conditional") {
		st.Condition = d.condition()
	}
	if d.one(5, "limited") {
		if p := d.period(); p.From.IsZero() || p.Until.IsZero() || p.From.Before(p.Until) {
			st.Period = p
		}
	}
	return st
}

func (d drawer) subjects(label string) []statement.Subject {
	var subjects []statement.Subject
	for range rapid.IntRange(1, 2).Draw(d.t, label) {
		if providers := d.ofKind(model.Provider); len(providers) > 0 && d.one(3, "claims") {
			s := statement.Subject{Principal: rapid.SampledFrom(providers).Draw(d.t, "provider").ID}
			switch rapid.IntRange(0, 3).Draw(d.t, "with") {
			case 0, 1:
				s.Claim, s.Value = "team", "seeds"
			case 2:
				s.Claim, s.Value = access.SubjectClaim, "s1"
			}
			subjects = append(subjects, s)
			continue
		}
		subjects = append(subjects, statement.Subject{Principal: d.someone().ID})
	}
	return subjects
}

// context draws what a question tells; nil tells nothing.
func (d drawer) context() *access.Context {
	if d.one(5, "untold") {
		return nil
	}
	c := &access.Context{Location: rapid.SampledFrom([]string{"", "north", "south"}).Draw(d.t, "location")}
	if !d.one(3, "timeless") {
		c.Time = noon
	}
	if c.Anybody = d.one(5, "anybody"); c.Anybody {
		return c
	}
	if d.one(2, "what if") {
		c.Claims = d.claims()
	}
	return c
}

// at draws what somebody's own question tells at a moment.
func (d drawer) at(moment time.Time) *access.Context {
	c := d.context()
	if c == nil {
		c = &access.Context{}
	}
	c.Time, c.Anybody = moment, false
	return c
}
