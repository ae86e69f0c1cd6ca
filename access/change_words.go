package access

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// Words says in a few words each what the changes of a proposal do, as a sentence without its subject: "granted builder to user bram
// at lindenmere/greenhouse".
func (p *Proposal) Words() []string {
	all := make([]string, len(p.Changes))
	for i, change := range p.Changes {
		all[i] = change.words(p)
	}
	return all
}

// at returns the address of a scope as it is before the changes, or after them where they create it.
func (p *Proposal) at(id model.ID) string {
	if _, ok := p.Before.Scope(id); ok {
		return p.Before.Address(id)
	}
	return p.After.Address(id)
}

// who names a principal with its kind as it is before the changes, or after them where they create it.
func (p *Proposal) who(id model.ID) string {
	one, ok := p.Before.Principal(id)
	if !ok {
		one, _ = p.After.Principal(id)
	}
	return one.Kind.Words() + " " + one.Name
}

func (c CreateScope) words(p *Proposal) string {
	what := "created " + c.Scope.TypeName() + " " + c.Scope.FullName()
	if c.Scope.Kind == model.Organisation {
		return what
	}
	return what + " in " + p.at(c.Scope.Parent)
}

func (c RenameScope) words(p *Proposal) string {
	return "renamed " + p.at(c.ID) + ", now called " + c.Name
}

func (c MoveScope) words(p *Proposal) string {
	return "moved " + p.at(c.ID) + " into " + p.at(c.Parent)
}

func (c TagScope) words(p *Proposal) string {
	return "tagged " + p.at(c.ID) + tagWords(c.Tags)
}

func tagWords(tags map[string]string) string {
	if len(tags) == 0 {
		return " with nothing"
	}
	var words []string
	for _, key := range slices.Sorted(maps.Keys(tags)) {
		words = append(words, key+"="+tags[key])
	}
	return " " + english.Join(words)
}

func (c OfferServices) words(p *Proposal) string {
	if c.Services == nil {
		return "offered all services at " + p.at(c.ID)
	}
	return fmt.Sprintf("offered %s only at %s", strings.Join(c.Services, ", "), p.at(c.ID))
}

func (c RetireScope) words(p *Proposal) string  { return "retired " + p.at(c.ID) }
func (c RestoreScope) words(p *Proposal) string { return "restored " + p.at(c.ID) }

func (c CreatePrincipal) words(p *Proposal) string {
	what := "created " + c.Principal.Kind.Words() + " " + c.Principal.Name
	if c.Principal.Home.IsZero() {
		return what
	}
	return what + " at " + p.at(c.Principal.Home)
}

func (c RenamePrincipal) words(p *Proposal) string {
	return "renamed " + p.who(c.ID) + ", now called " + c.Name
}

func (c TagPrincipal) words(p *Proposal) string { return "tagged " + p.who(c.ID) + tagWords(c.Tags) }

func (c SetClaims) words(p *Proposal) string { return "recorded the claims of " + p.who(c.ID) }

func (c SetOwner) words(p *Proposal) string {
	if c.Owner.IsZero() {
		return "left " + p.who(c.Group) + " without an owner"
	}
	return "made " + p.who(c.Owner) + " the owner of " + p.who(c.Group)
}

func (c SetGathers) words(p *Proposal) string {
	return fmt.Sprintf("had %s gather its members if %s", p.who(c.Group), c.Condition)
}

func (c SetInactive) words(p *Proposal) string {
	if c.Inactive {
		return "put " + p.who(c.ID) + " out of use"
	}
	return "restored " + p.who(c.ID)
}

func (c AddMember) words(p *Proposal) string {
	if p.links(c.Membership) {
		return "linked " + p.who(c.Membership.Member) + " to " + p.who(c.Membership.Group)
	}
	return "added " + p.who(c.Membership.Member) + " to " + p.who(c.Membership.Group)
}

func (c RemoveMember) words(p *Proposal) string {
	if p.links(c.Membership) {
		return "removed the link of " + p.who(c.Membership.Member) + " to " + p.who(c.Membership.Group)
	}
	return "removed " + p.who(c.Membership.Member) + " from " + p.who(c.Membership.Group)
}

// links reports whether a membership is a group link.
func (p *Proposal) links(m Membership) bool {
	member, _ := p.After.Principal(m.Member)
	return member.Kind == model.OutsideGroup
}

func (c CreateGrant) words(p *Proposal) string {
	return fmt.Sprintf("granted %s to %s at %s", c.Grant.Role, p.who(c.Grant.Principal), p.at(c.Grant.Scope))
}

func (c RevokeGrant) words(p *Proposal) string {
	g, _ := p.Before.Grant(c.ID)
	return fmt.Sprintf("revoked %s from %s at %s", g.Role, p.who(g.Principal), p.at(g.Scope))
}

func (c EditGrant) words(p *Proposal) string {
	return fmt.Sprintf("edited the grant of %s to %s at %s", c.Grant.Role, p.who(c.Grant.Principal), p.at(c.Grant.Scope))
}

func (c CreateRole) words(p *Proposal) string {
	return "created role " + c.Definition.Name + " at " + p.at(c.Definition.Scope)
}

func (c EditRole) words(*Proposal) string   { return "edited role " + c.Definition.Name }
func (c RemoveRole) words(*Proposal) string { return "deleted role " + c.Name }

func (c PutPolicy) words(p *Proposal) string {
	verb := "created"
	if was, there := p.Before.Policy(c.Policy.ID); there {
		switch verb = "edited"; {
		case c.Policy.Suspended && !was.Suspended:
			verb = "suspended"
		case was.Suspended && !c.Policy.Suspended:
			verb = "resumed"
		}
	}
	return fmt.Sprintf("%s policy %s at %s", verb, c.Policy.Name, p.at(c.Policy.Scope))
}

func (c RemovePolicy) words(p *Proposal) string {
	was, _ := p.Before.Policy(c.ID)
	return fmt.Sprintf("deleted policy %s at %s", was.Name, p.at(was.Scope))
}

// About is what a change is about: the kind of the thing, as a permission calls it, or "scope"; and the scopes that are changed, or at
// which it is, with those that hold them. What belongs to the organisation as a whole is at none.
type About struct {
	Kind   string
	Places []model.ID
}

// About tells what each change is about.
func (p *Proposal) About() []About {
	all := make([]About, len(p.Changes))
	for i, change := range p.Changes {
		all[i] = change.about(p)
		all[i].Places = slices.DeleteFunc(all[i].Places, model.ID.IsZero)
	}
	return all
}

// aboutScope is about a scope that is there before and after.
func (p *Proposal) aboutScope(id model.ID) About {
	was, _ := p.Before.Scope(id)
	is, _ := p.After.Scope(id)
	places := []model.ID{id, was.Parent}
	if is.Parent != was.Parent {
		places = append(places, is.Parent)
	}
	return About{"scope", places}
}

func (p *Proposal) aboutPrincipal(id model.ID) About {
	one, _ := p.After.Principal(id)
	return About{one.Kind.String(), []model.ID{one.Home}}
}

func (c CreateScope) about(*Proposal) About {
	return About{"scope", []model.ID{c.Scope.ID, c.Scope.Parent}}
}
func (c RenameScope) about(p *Proposal) About   { return p.aboutScope(c.ID) }
func (c MoveScope) about(p *Proposal) About     { return p.aboutScope(c.ID) }
func (c TagScope) about(p *Proposal) About      { return p.aboutScope(c.ID) }
func (c OfferServices) about(p *Proposal) About { return p.aboutScope(c.ID) }
func (c RetireScope) about(p *Proposal) About   { return p.aboutScope(c.ID) }
func (c RestoreScope) about(p *Proposal) About  { return p.aboutScope(c.ID) }

func (c CreatePrincipal) about(p *Proposal) About { return p.aboutPrincipal(c.Principal.ID) }
func (c RenamePrincipal) about(p *Proposal) About { return p.aboutPrincipal(c.ID) }
func (c TagPrincipal) about(p *Proposal) About    { return p.aboutPrincipal(c.ID) }
func (c SetClaims) about(p *Proposal) About       { return p.aboutPrincipal(c.ID) }
func (c SetOwner) about(p *Proposal) About        { return p.aboutPrincipal(c.Group) }
func (c SetGathers) about(p *Proposal) About      { return p.aboutPrincipal(c.Group) }
func (c SetInactive) about(p *Proposal) About     { return p.aboutPrincipal(c.ID) }
func (AddMember) about(*Proposal) About           { return About{Kind: model.Group.String()} }
func (RemoveMember) about(*Proposal) About        { return About{Kind: model.Group.String()} }

func (c CreateGrant) about(*Proposal) About { return About{"grant", []model.ID{c.Grant.Scope}} }

func (c RevokeGrant) about(p *Proposal) About {
	g, _ := p.Before.Grant(c.ID)
	return About{"grant", []model.ID{g.Scope}}
}

func (c EditGrant) about(*Proposal) About { return About{"grant", []model.ID{c.Grant.Scope}} }

func (c CreateRole) about(*Proposal) About { return About{"role", []model.ID{c.Definition.Scope}} }
func (c EditRole) about(p *Proposal) About { return p.aboutRole(c.Definition.Name) }
func (c RemoveRole) about(p *Proposal) About {
	return p.aboutRole(c.Name)
}

func (p *Proposal) aboutRole(name string) About {
	role, err := p.Before.Role(name)
	if err != nil {
		return About{Kind: "role"}
	}
	return About{"role", []model.ID{role.Scope}}
}

func (c PutPolicy) about(*Proposal) About { return About{"policy", []model.ID{c.Policy.Scope}} }

func (c RemovePolicy) about(p *Proposal) About {
	was, _ := p.Before.Policy(c.ID)
	return About{"policy", []model.ID{was.Scope}}
}
