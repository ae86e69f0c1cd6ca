package service

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
	"arbora.example/internal/store"
)

// Edit is what is to be altered of a principal; nil leaves a thing as it is.
type Edit struct {
	Name, Title, Description, Email *string
	Tags                            map[string]string // nil leaves them
	Owner                           *Somebody         // of a group; an empty name takes the owner away
	Gathers                         *string           // of a gathering group
	Was                             AsRead
}

// EditPrincipal alters what is said of a user, guest, group or service account. Its id and access stay.
func (s *Changes) EditPrincipal(organisation string, who Somebody, edit Edit) Change[Nothing] {
	if edit.Email == nil {
		return Change[Nothing]{of: s.Maker, plan: func(ctx context.Context, _ Caller) planner { return planEdit(ctx, organisation, who, edit) }}
	}
	return Change[Nothing]{of: s.Maker, needs: "alter a mail address", plan: func(ctx context.Context, c Caller) planner {
		return func(d desk) (plan, error) {
			p, err := planEdit(ctx, organisation, who, edit)(d)
			if err != nil {
				return p, err
			}
			of, err := d.governed(organisation, who, "edit")
			if err != nil {
				return p, err
			}
			p.notices, err = d.notice(ctx, c, of, "Your mail address was changed to "+*edit.Email+".", "changed your mail address to "+*edit.Email+".")
			return p, err
		}
	}}
}

func planEdit(ctx context.Context, organisation string, who Somebody, edit Edit) planner {
	return func(d desk) (plan, error) {
		operations := edit.operations()
		if len(operations) == 0 {
			return plan{}, nothingToEdit()
		}
		if edit.Was != (AsRead{}) {
			operations = append(operations, "describe") // comparing tells as much as reading
		}
		before, err := d.governed(organisation, who, operations...)
		if err != nil {
			return plan{}, err
		}
		was, err := d.detailsOf(ctx, before)
		if err != nil {
			return plan{}, err
		}
		if err := edit.Was.ofPrincipal(d, before, was); err != nil {
			return plan{}, err
		}
		return d.planEdited(before, was, edit)
	}
}

// operations gives what an edit takes.
func (e Edit) operations() []string {
	var all []string
	for operation, wanted := range map[string]bool{
		"rename": e.Name != nil, "tag": e.Tags != nil,
		"edit": e.Title != nil || e.Description != nil || e.Email != nil || e.Owner != nil || e.Gathers != nil,
	} {
		if wanted {
			all = append(all, operation)
		}
	}
	slices.Sort(all)
	return all
}

func (d desk) planEdited(before access.Principal, was store.PrincipalDetails, edit Edit) (plan, error) {
	after, is := before, was
	var p plan
	if edit.Name != nil && *edit.Name != before.Name {
		if before.Kind == model.Guest { // under another name they would come in as somebody else
			return p, &Problem{Kind: Invalid, Detail: "a guest is called by the name that they sign in by", Next: "invite them anew to use another address", Field: "name"}
		}
		after.Name = *edit.Name
		p.changes = append(p.changes, access.RenamePrincipal{ID: before.ID, Name: after.Name})
	}
	if edit.Tags != nil && !maps.Equal(edit.Tags, before.Tags) {
		after.Tags = edit.Tags
		p.changes = append(p.changes, access.TagPrincipal{ID: before.ID, Tags: edit.Tags})
	}
	if edit.Owner != nil {
		if edit.Owner.Name != "" {
			owner, err := d.principal(edit.Owner.Kind, edit.Owner.Name)
			if err != nil {
				return plan{}, err
			}
			after.Owner = owner.ID
		} else {
			after.Owner = model.ID{}
		}
		if after.Owner != before.Owner {
			p.changes = append(p.changes, access.SetOwner{Group: before.ID, Owner: after.Owner})
		}
	}
	if edit.Gathers != nil {
		condition, err := gathering(*edit.Gathers)
		if err != nil {
			return plan{}, err
		}
		after.Gathers = condition
		p.changes = append(p.changes, access.SetGathers{Group: before.ID, Condition: condition})
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
			if err := checkLine(line.field, line.what, *line.given); err != nil {
				return plan{}, err
			}
		}
	}
	if is.Email != was.Email {
		if err := d.mayMendEmail(before, is.Email); err != nil {
			return plan{}, err
		}
	}
	if is != was {
		p.describe(before.ID, is)
	}
	p.what = fmt.Sprintf("altered %s %s", before.Kind.Words(), before.Name)
	if after.Name != before.Name {
		p.what += ", now called " + after.Name
	}
	return p, nil
}

// gathering reads the condition of a gathering group; empty for a group whose members are put in one by one.
func gathering(text string) (*statement.Condition, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	condition, err := statement.ParseGathering(text)
	return condition, textProblem(err, "gathers")
}

// mayMendEmail refuses another address for a user whose access the caller may not give: links to a new password go there.
func (d desk) mayMendEmail(p access.Principal, email string) error {
	if p.Kind != model.User {
		return &Problem{Kind: Invalid, Detail: fmt.Sprintf("a %s has no email to alter", p.Kind), Next: "invite a guest anew to use another address", Field: "email"}
	}
	if err := checkEmail(email); err != nil {
		return err
	}
	return d.mayActAs(p)
}

// SetState suspends, retires or restores somebody. It reaches every session, key, token and decision at once.
func (s *Changes) SetState(organisation string, who Somebody, to credential.State) Change[Nothing] {
	return Change[Nothing]{of: s.Maker, plan: func(ctx context.Context, _ Caller) planner { return planState(ctx, organisation, who, to) }}
}

// stateOperation is what it takes to bring a principal to a state.
var stateOperation = map[credential.State]string{credential.Active: "restore", credential.Suspended: "suspend", credential.Retired: "retire"}

func planState(ctx context.Context, organisation string, who Somebody, to credential.State) planner {
	operation := stateOperation[to]
	return func(d desk) (plan, error) {
		if who.Kind == model.Group.String() && to == credential.Suspended {
			return plan{}, &Problem{Kind: Invalid, Detail: "a group is not suspended", Next: "retire it: it can be restored", Field: "state"}
		}
		p, err := d.governed(organisation, who, operation)
		if err != nil {
			return plan{}, err
		}
		details, err := d.detailsOf(ctx, p)
		if err != nil {
			return plan{}, err
		}
		if err := credential.CheckStep(details.State, to); err != nil {
			return plan{}, &Problem{Kind: Conflict, Detail: fmt.Sprintf("%s %s cannot be made %s", p.Kind, p.Name, to), Next: err.Error(), Field: "state"}
		}
		if p.Kind == model.Guest && to == credential.Active && details.Identity.IsZero() {
			return plan{}, &Problem{Kind: Conflict, Detail: p.Name + " never accepted the invitation", Next: "invite them once more", Field: "state"}
		}
		planned := plan{what: fmt.Sprintf("%s %s %s", map[credential.State]string{credential.Active: "restored", credential.Suspended: "suspended", credential.Retired: "retired"}[to], p.Kind.Words(), p.Name)}
		details.State = to
		planned.describe(p.ID, details)
		if planned.warnings, err = d.issued(ctx, p, to); err != nil {
			return plan{}, err
		}
		if inactive := to != credential.Active; inactive != p.Inactive {
			planned.changes = []access.Change{access.SetInactive{ID: p.ID, Inactive: inactive}}
		}
		return planned, nil
	}
}

// issued warns of the API keys that somebody who leaves for good issued for programs: the leaver may know their secrets, and they work on.
func (d desk) issued(ctx context.Context, p access.Principal, to credential.State) (warnings []string, err error) {
	if to != credential.Retired {
		return nil, nil
	}
	top, _ := d.Top()
	keys, err := d.details.KeysIssuedBy(ctx, top.ID, p.ID)
	for _, k := range keys {
		of, seen := d.holderSeen(k)
		if !seen {
			warnings = append(warnings, p.Name+" issued an API key that you may not see. It keeps working.")
			continue
		}
		warnings = append(warnings, fmt.Sprintf("%s issued API key %s of %s %s. It keeps working: exchange it.", p.Name, k.ID, of.Kind.Words(), d.called(of).Name))
	}
	slices.Sort(warnings)
	return slices.Compact(warnings), err
}

// HandOver gives all grants that name somebody directly to somebody else, and takes them from the first.
func (s *Changes) HandOver(organisation string, from, to Somebody) Change[Nothing] {
	return planned(s.Maker, planHandOver(organisation, from, to))
}

func planHandOver(organisation string, from, to Somebody) planner {
	return func(d desk) (plan, error) {
		giver, err := d.governed(organisation, from, "describe")
		if err != nil {
			return plan{}, err
		}
		taker, err := d.principal(to.Kind, to.Name)
		if err != nil {
			return plan{}, err
		}
		if giver.ID == taker.ID {
			return plan{}, &Problem{Kind: Invalid, Detail: "what somebody holds cannot be handed over to themselves", Next: "name somebody else", Field: "to"}
		}
		p := plan{what: fmt.Sprintf("handed over what %s %s held to %s %s", from.words(), from.Name, to.words(), to.Name)}
		for _, grant := range d.GrantsFor(giver.ID) {
			scope, _ := d.Scope(grant.Scope)
			for _, permission := range []string{"create grant", "revoke grant"} {
				if err := d.need(permission, scope); err != nil {
					return plan{}, err
				}
			}
			next := grant
			next.ID, next.Principal = newID(), taker.ID
			p.describeGrant(next.ID, "handed over from "+giver.Kind.String()+" "+giver.Name)
			p.changes = append(p.changes, access.RevokeGrant{ID: grant.ID}, access.CreateGrant{Grant: next})
		}
		if len(p.changes) == 0 {
			return plan{}, &Problem{Kind: Conflict, Detail: fmt.Sprintf("no grant names %s %s directly", from.words(), from.Name), Next: "what comes through groups is handed over by membership"}
		}
		return p, nil
	}
}
