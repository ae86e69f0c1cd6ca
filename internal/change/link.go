package change

import (
	"fmt"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/english"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// A group link ties an outside group to a group: whoever the provider says is in the one is in the other. It takes what changing the members of
// the group takes, and the rule on gains is asked of the outside group itself, whoever may come to be in it.

// LinkWanted is an outside group, or a pattern of them, and the group that its people are to be in.
type LinkWanted struct {
	Organisation, Provider string
	OutsideGroup           string // what the provider calls it; a pattern if a part of it stands in braces
	Group                  string
	Remove                 bool
}

// ChangeLink makes a group link, or removes it.
func (s *Changes) ChangeLink(wanted LinkWanted) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, wanted.plan)
}

func (w LinkWanted) plan(d tenant.Viewer) (tenant.Plan, error) {
	group, err := MemberChange{Organisation: w.Organisation, Group: w.Group}.group(d)
	if err != nil {
		return tenant.Plan{}, problem.InField(err, "group")
	}
	provider, err := d.PrincipalCalled(model.Provider.String(), w.Provider)
	if err != nil {
		return tenant.Plan{}, problem.InField(err, "provider")
	}
	outside, there := d.PrincipalNamed(model.OutsideGroup, access.OutsideGroupName(w.OutsideGroup, provider.Name))
	if w.Remove {
		if !there {
			return tenant.Plan{}, problem.Missing("outside group", w.OutsideGroup, nearest(d, provider, w.OutsideGroup))
		}
		return tenant.Plan{Changes: []access.Change{access.RemoveMember{Membership: access.Membership{Group: group.ID, Member: outside.ID}}}}, nil
	}
	var p tenant.Plan
	if !there {
		outside = plan.NewOutsideGroup(provider, w.OutsideGroup)
		outside.Pattern = strings.ContainsAny(w.OutsideGroup, "{}")
		p.Changes = append(p.Changes, access.CreatePrincipal{Principal: outside})
		p.Warnings = unseen(d, provider, outside)
	}
	p.Changes = append(p.Changes, access.AddMember{Membership: access.Membership{Group: group.ID, Member: outside.ID}})
	p.What = fmt.Sprintf("linked outside group %s to group %s", outside.Name, group.Name)
	return p, nil
}

// nearest returns the outside group that is called most like a name.
func nearest(d tenant.Viewer, provider access.Principal, name string) string {
	return english.Nearest(name, subjects(d, provider))
}

func subjects(d tenant.Viewer, provider access.Principal) (names []string) {
	for p := range d.OutsideGroups(provider.ID) {
		names = append(names, p.Subject)
	}
	return names
}

// unseen warns that nobody has come by a group that is to be linked, and of those that are called nearly so.
func unseen(d tenant.Viewer, provider, group access.Principal) []string {
	if group.Pattern {
		return nil
	}
	near := ask.NearlyCalled(group.Subject, subjects(d, provider))
	if len(near) == 0 {
		return []string{fmt.Sprintf("%s has named no group %s yet.", provider.Name, group.Subject)}
	}
	return []string{fmt.Sprintf("%s has named no group %s yet, but %s. Names have to match letter by letter.", provider.Name, group.Subject, english.Join(near))}
}
