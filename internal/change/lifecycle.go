package change

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Edit is what is to be altered of a principal; nil leaves a thing as it is.
type Edit struct {
	Name, Title, Description, Email *string
	Tags                            map[string]string    // nil leaves them
	Owner                           *tenant.PrincipalRef // of a group; an empty name takes the owner away
	Gathers                         *string              // of a gathering group
	SignInBy                        *credential.SignInBy // of a user
	Was                             plan.AsRead
}

// EditPrincipal alters what is said of a user, guest, group or service account. Its id and access stay.
func (s *Changes) EditPrincipal(organisation string, who tenant.PrincipalRef, edit Edit) plan.Change[plan.Nothing] {
	if edit.Email == nil && edit.SignInBy == nil {
		return plan.Change[plan.Nothing]{Of: s.Maker, Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner { return planEdit(ctx, organisation, who, edit) }}
	}
	needs := "change a mail address"
	if edit.SignInBy != nil {
		needs = "change how somebody signs in"
	}
	return plan.Change[plan.Nothing]{Of: s.Maker, Needs: needs, Plan: func(ctx context.Context, c tenant.Caller) plan.Planner {
		return func(d tenant.Viewer) (tenant.Plan, error) {
			if edit.SignInBy != nil && who.Kind != model.User.String() {
				return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: "only users sign in in different ways", Next: "leave it out", Field: "signInBy"}
			}
			p, err := planEdit(ctx, organisation, who, edit)(d)
			if err != nil {
				return p, err
			}
			of, err := d.PrincipalCalled(who.Kind, who.Name)
			if err != nil {
				return p, err
			}
			if edit.Email != nil {
				p.Notices, err = plan.Notice(d, ctx, c, of, "Your mail address was changed to "+*edit.Email+".", "changed your mail address to "+*edit.Email+".")
				if err != nil {
					return p, err
				}
			}
			if edit.Email != nil {
				if p.Warnings, err = sameEmail(ctx, d, p.Warnings, of.ID, *edit.Email); err != nil {
					return p, err
				}
			}
			if edit.SignInBy == nil {
				return p, nil
			}
			err = s.planSignInBy(ctx, c, d, of, *edit.SignInBy, &p)
			return p, err
		}
	}}
}

// planSignInBy adds to a plan that a user signs in another way from then on.
func (s *Changes) planSignInBy(ctx context.Context, c tenant.Caller, d tenant.Viewer, of access.Principal, by credential.SignInBy, p *tenant.Plan) error {
	if err := plan.MayActAs(d, of); err != nil {
		return err
	}
	identity, err := s.Records.Identity(ctx, of.ID)
	if err != nil || identity.By == by {
		return err
	}
	if len(p.Changes) > 0 || len(p.Described.Principals) > 0 { // undoing could not bring back one without the other
		return &problem.Problem{Kind: problem.Invalid, Detail: "how somebody signs in is edited alone: unlike the rest, it cannot be undone", Next: "make two edits", Field: "signInBy"}
	}
	p.What += ", who signs in by " + by.Words() + " from then on"
	p.Beside = func(tx tenant.Tx) error { return tx.SetSignInBy(identity, by) }
	p.Final = true
	if identity.By.TakesKeys() && !by.TakesKeys() {
		p.Warnings = append(p.Warnings, "The API keys of "+of.Name+" are revoked.")
	}
	switch {
	case identity.By.TakesPassword() && !by.TakesPassword():
		p.Warnings = append(p.Warnings, "The password of "+of.Name+" no longer works, and all sessions end.")
	case !identity.By.TakesPassword() && by.TakesPassword():
		p.Warnings = append(p.Warnings, of.Name+" has no password yet: reset it, or mail a link to choose one.")
	}
	notices, err := plan.Notice(d, ctx, c, of, "You sign in by "+by.Words()+" from now on.", "changed how you sign in: by "+by.Words()+" from now on.")
	p.Notices = append(p.Notices, notices...)
	return err
}

func planEdit(ctx context.Context, organisation string, who tenant.PrincipalRef, edit Edit) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		operations := edit.operations()
		switch {
		case len(operations) == 0:
			return tenant.Plan{}, plan.NothingToEdit()
		case edit.Name != nil && who.Kind == model.Provider.String():
			return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: "a provider keeps its name: the names of its people end with it", Next: "give it another title, or create another provider", Field: "name"}
		}
		if edit.Was != (plan.AsRead{}) {
			operations = append(operations, "describe") // comparing tells as much as reading
		}
		before, err := d.Governed(organisation, who, operations...)
		if err != nil {
			return tenant.Plan{}, err
		}
		was, err := d.DetailsOf(ctx, before)
		if err != nil {
			return tenant.Plan{}, err
		}
		if err := edit.Was.OfPrincipal(d, before, was); err != nil {
			return tenant.Plan{}, err
		}
		return planEdited(d, before, was, edit)
	}
}

// operations returns what an edit takes.
func (e Edit) operations() []string {
	var all []string
	for operation, wanted := range map[string]bool{
		"rename": e.Name != nil, "tag": e.Tags != nil, "reset": e.SignInBy != nil,
		"edit": e.Title != nil || e.Description != nil || e.Email != nil || e.Owner != nil || e.Gathers != nil,
	} {
		if wanted {
			all = append(all, operation)
		}
	}
	slices.Sort(all)
	return all
}

func planEdited(d tenant.Viewer, before access.Principal, was store.PrincipalDetails, edit Edit) (tenant.Plan, error) {
	after, is := before, was
	var p tenant.Plan
	if edit.Name != nil && *edit.Name != before.Name {
		if before.Kind == model.Guest { // under another name they would come in as somebody else
			return p, &problem.Problem{Kind: problem.Invalid, Detail: "a guest is named by the address that they sign in by", Next: "invite them anew to use another address", Field: "name"}
		}
		after.Name = *edit.Name
		if _, provider, _ := strings.Cut(before.Name, "@"); before.Kind == model.OutsidePerson && !strings.Contains(after.Name, "@") {
			after.Name += "@" + provider
		}
		p.Changes = append(p.Changes, access.RenamePrincipal{ID: before.ID, Name: after.Name})
	}
	if edit.Tags != nil && !maps.Equal(edit.Tags, before.Tags) {
		after.Tags = edit.Tags
		p.Changes = append(p.Changes, access.TagPrincipal{ID: before.ID, Tags: edit.Tags})
	}
	if edit.Owner != nil {
		if edit.Owner.Name != "" {
			owner, err := d.PrincipalCalled(edit.Owner.Kind, edit.Owner.Name)
			if err != nil {
				return tenant.Plan{}, err
			}
			after.Owner = owner.ID
		} else {
			after.Owner = model.ID{}
		}
		if after.Owner != before.Owner {
			p.Changes = append(p.Changes, access.SetOwner{Group: before.ID, Owner: after.Owner})
		}
	}
	if edit.Gathers != nil {
		condition, err := gathering(*edit.Gathers)
		if err != nil {
			return tenant.Plan{}, err
		}
		after.Gathers = condition
		p.Changes = append(p.Changes, access.SetGathers{Group: before.ID, Condition: condition})
	}
	for _, line := range []struct {
		given *string
		field string
		what  string
		into  *string
	}{{edit.Title, "title", "the title", &is.Title}, {edit.Description, "", "", &is.Description}, {edit.Email, "email", "", &is.Email}} {
		if line.given == nil {
			continue
		}
		if *line.into = *line.given; line.what != "" {
			if err := tenant.CheckLine(line.field, line.what, *line.given); err != nil {
				return tenant.Plan{}, err
			}
		}
	}
	if is.Email != was.Email {
		if err := mayMendEmail(d, before, is.Email); err != nil {
			return tenant.Plan{}, err
		}
	}
	if is != was {
		p.Describe(before.ID, is)
	}
	p.What = fmt.Sprintf("edited %s %s", before.Kind.Words(), before.Name)
	if after.Name != before.Name {
		p.What += ", now called " + after.Name
	}
	return p, nil
}

// gathering reads the condition of a gathering group; empty for a group whose members are put in one by one.
func gathering(text string) (*statement.Condition, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	condition, err := statement.ParseGathering(text)
	return condition, problem.OfText(err, "gathers")
}

// mayMendEmail refuses another address for a user whose access the caller may not give: links to a new password go there.
func mayMendEmail(d tenant.Viewer, p access.Principal, email string) error {
	if p.Kind != model.User {
		return &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("a %s has no email to change", p.Kind), Next: "invite a guest anew to use another address", Field: "email"}
	}
	if err := tenant.CheckEmail(email); err != nil {
		return err
	}
	return plan.MayActAs(d, p)
}

// SetState suspends, retires or restores somebody. It reaches every session, key, token and decision at once.
func (s *Changes) SetState(organisation string, who tenant.PrincipalRef, to credential.State) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner { return planState(ctx, organisation, who, to) }}
}

// stateOperation is what it takes to bring a principal to a state.
var stateOperation = map[credential.State]string{credential.Active: "restore", credential.Suspended: "suspend", credential.Retired: "retire"}

func planState(ctx context.Context, organisation string, who tenant.PrincipalRef, to credential.State) plan.Planner {
	operation := stateOperation[to]
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if who.Kind == model.Group.String() && to == credential.Suspended {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: "a group is not suspended", Next: "retire it: it can be restored", Field: "state"}
		}
		p, err := d.Governed(organisation, who, operation)
		if err != nil {
			return tenant.Plan{}, err
		}
		details, err := d.DetailsOf(ctx, p)
		if err != nil {
			return tenant.Plan{}, err
		}
		if err := credential.CheckStep(details.State, to); err != nil {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: fmt.Sprintf("%s %s cannot become %s", p.Kind, p.Name, to), Next: err.Error(), Field: "state"}
		}
		if p.Kind == model.Guest && to == credential.Active && details.Identity.IsZero() {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: p.Name + " never accepted the invitation", Next: "invite them once more", Field: "state"}
		}
		planned := tenant.Plan{What: fmt.Sprintf("%s %s %s", map[credential.State]string{credential.Active: "restored", credential.Suspended: "suspended", credential.Retired: "retired"}[to], p.Kind.Words(), p.Name)}
		details.State = to
		planned.Describe(p.ID, details)
		if planned.Warnings, err = issued(d, ctx, p, to); err != nil {
			return tenant.Plan{}, err
		}
		if inactive := to != credential.Active; inactive != p.Inactive {
			planned.Changes = []access.Change{access.SetInactive{ID: p.ID, Inactive: inactive}}
		}
		return planned, nil
	}
}

// issued warns of the API keys that somebody who leaves for good issued for programs: the leaver may know their secrets, and they work on.
func issued(d tenant.Viewer, ctx context.Context, p access.Principal, to credential.State) (warnings []string, err error) {
	if to != credential.Retired {
		return nil, nil
	}
	top, _ := d.Top()
	keys, err := d.Details.KeysIssuedBy(ctx, top.ID, p.ID)
	for _, k := range keys {
		of, seen := signin.HolderSeen(d, k)
		if !seen {
			warnings = append(warnings, p.Name+" issued an API key that you may not see. It keeps working.")
			continue
		}
		warnings = append(warnings, fmt.Sprintf("%s issued API key %s of %s %s. It keeps working: exchange it.", p.Name, k.ID, of.Kind.Words(), d.Called(of).Name))
	}
	slices.Sort(warnings)
	return slices.Compact(warnings), err
}

// HandOver returns all grants that name somebody directly to somebody else, and takes them from the first.
func (s *Changes) HandOver(organisation string, from tenant.PrincipalRef, over HandOver) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, planHandOver(organisation, from, over))
}

// HandOver is what is handed over, and to whom.
type HandOver struct {
	To     tenant.PrincipalRef
	Grants []string // only these, by id; nil for all
	Groups bool     // they become members, too, of the groups that the other is a direct member of
}

func planHandOver(organisation string, from tenant.PrincipalRef, over HandOver) plan.Planner {
	to := over.To
	return func(d tenant.Viewer) (tenant.Plan, error) {
		giver, err := d.Governed(organisation, from, "describe")
		if err != nil {
			return tenant.Plan{}, err
		}
		taker, err := d.PrincipalCalled(to.Kind, to.Name)
		if err != nil {
			return tenant.Plan{}, err
		}
		if giver.ID == taker.ID {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: "grants cannot be handed over to their own holder", Next: "name somebody else", Field: "to"}
		}
		p := tenant.Plan{What: fmt.Sprintf("handed over what %s %s held to %s %s", from.Words(), from.Name, to.Words(), to.Name)}
		given := 0
		for _, grant := range d.GrantsFor(giver.ID) {
			if over.Grants != nil && !slices.Contains(over.Grants, grant.ID.String()) {
				continue
			}
			given++
			scope, _ := d.Scope(grant.Scope)
			for _, permission := range []string{"create grant", "revoke grant"} {
				if err := d.Need(permission, scope); err != nil {
					return tenant.Plan{}, err
				}
			}
			next := grant
			next.ID, next.Principal = tenant.NewID(), taker.ID
			p.DescribeGrant(next.ID, "handed over from "+giver.Kind.String()+" "+giver.Name)
			p.Changes = append(p.Changes, access.RevokeGrant{ID: grant.ID}, access.CreateGrant{Grant: next})
		}
		if given < len(over.Grants) {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("not all of these grants are direct grants of %s %s", from.Words(), from.Name), Next: "read them again, and leave out the others", Field: "grants"}
		}
		if over.Groups {
			if err := planIntoGroups(d, organisation, giver, taker, &p); err != nil {
				return tenant.Plan{}, err
			}
		}
		if len(p.Changes) == 0 {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: fmt.Sprintf("%s %s has no direct grants", from.Words(), from.Name), Next: "access through groups is not handed over: add them to the groups"}
		}
		return p, nil
	}
}

// planIntoGroups adds somebody to the groups that another is a direct member of. Gathering groups take their members by tags.
func planIntoGroups(d tenant.Viewer, organisation string, giver, taker access.Principal, p *tenant.Plan) error {
	already := d.Groups(taker.ID)
	for _, group := range d.Groups(giver.ID) {
		if group.Gathers != nil || slices.ContainsFunc(already, func(other access.Principal) bool { return other.ID == group.ID }) {
			continue
		}
		if _, err := (MemberChange{Organisation: organisation, Group: group.Name}).group(d); err != nil {
			return err
		}
		p.Changes = append(p.Changes, access.AddMember{Membership: access.Membership{Group: group.ID, Member: taker.ID}})
	}
	return nil
}
