package provision

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"slices"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Group is what a system tells of a group.
type Group struct {
	Name     string // by which group links name it
	External string
	Members  []model.ID
	Body     json.RawMessage // all that it told but the members, as JSON
}

// Groups are the groups of which systems tell.
type Groups struct{ *Provisioning }

// Create notes that a group is there, and who is in it.
func (p Groups) Create(ctx context.Context, sys System, g Group) (Record, error) {
	id, at := tenant.NewID(), p.Moment()
	err := p.write(ctx, sys, func(now *access.Snapshot, details tenant.Details) (made tenant.Plan, err error) {
		group, err := p.group(ctx, now, details, sys, g.Name, &made)
		if err != nil {
			return made, err
		}
		if err := filled(now, sys, group, g.Members, &made); err != nil {
			return made, err
		}
		after := store.Provisioned{ID: id, Provider: sys.Provider.ID, Principal: group.ID, Kind: store.ProvisionedGroup, Name: g.Name, External: g.External, Active: true, Body: g.Body, Version: 1, CreatedAt: at, ChangedAt: at}
		made.What = "provisioned group " + group.Name
		made.Beside = func(tx tenant.Tx) error { return tx.PutProvisioned(store.Provisioned{}, after) }
		return made, nil
	})
	if err != nil {
		return Record{}, err
	}
	return p.Get(ctx, sys, id.String())
}

// group finds the outside group of a name that nothing is found by yet, or creates it.
func (p *Provisioning) group(ctx context.Context, now *access.Snapshot, details tenant.Details, sys System, name string, made *tenant.Plan) (access.Principal, error) {
	if err := access.CheckOutsideGroup(name); err != nil {
		return access.Principal{}, problem.Of(err, "displayName")
	}
	is, err := taken(ctx, details, sys, store.ProvisionedGroup, name)
	group, there := now.PrincipalNamed(model.OutsideGroup, access.OutsideGroupName(name, sys.Provider.Name))
	if is || there && group.Pattern || err != nil {
		return group, errors.Join(err, problem.OrNil(err == nil, &problem.Problem{Kind: problem.Conflict, Detail: "there is a group " + name + " already", Next: "choose another name", Field: "displayName"}))
	}
	if !there {
		group = plan.NewOutsideGroup(sys.Provider, name)
		made.Changes = append(made.Changes, access.CreatePrincipal{Principal: group})
	}
	return group, nil
}

// filled has just some people be in a group.
func filled(now *access.Snapshot, sys System, group access.Principal, members []model.ID, made *tenant.Plan) error {
	wanted := map[model.ID]bool{}
	for _, id := range members {
		who, ok := now.Principal(id)
		if !ok || who.Kind != model.OutsidePerson || who.Provider != sys.Provider.ID {
			return &problem.Problem{Kind: problem.Invalid, Detail: "member " + id.String() + " is not among the users of " + sys.Provider.Name, Next: "name users by their id", Field: "members"}
		}
		wanted[id] = true
	}
	for _, who := range now.Members(group.ID) {
		if !wanted[who.ID] {
			made.Changes = append(made.Changes, access.RemoveMember{Membership: access.Membership{Group: group.ID, Member: who.ID}})
		}
		delete(wanted, who.ID)
	}
	for _, id := range members {
		if wanted[id] {
			made.Changes = append(made.Changes, access.AddMember{Membership: access.Membership{Group: group.ID, Member: id}})
			delete(wanted, id)
		}
	}
	return nil
}

// Edit alters what was told of a group. Under another name it is another outside group, which other links name.
func (p Groups) Edit(ctx context.Context, sys System, id string, edit Editing[Group]) (Record, error) {
	err := p.write(ctx, sys, func(now *access.Snapshot, details tenant.Details) (made tenant.Plan, err error) {
		before, err := told(ctx, details, sys, store.ProvisionedGroup, id)
		if err != nil {
			return made, err
		}
		g, err := edit(p.record(now, before))
		if err != nil {
			return made, err
		}
		group, _ := now.Principal(before.Principal)
		if g.Name != before.Name {
			if err := filled(now, sys, group, nil, &made); err != nil {
				return made, err
			}
			if group, err = p.group(ctx, now, details, sys, g.Name, &made); err != nil {
				return made, err
			}
		}
		if err := filled(now, sys, group, g.Members, &made); err != nil {
			return made, err
		}
		if len(made.Changes) == 0 && bytes.Equal(g.Body, before.Body) && g.External == before.External {
			return made, nil
		}
		after := before
		after.Name, after.Principal, after.External, after.Body, after.Version, after.ChangedAt = g.Name, group.ID, g.External, g.Body, before.Version+1, p.Moment()
		made.What = "provisioned group " + group.Name
		made.Beside = func(tx tenant.Tx) error { return tx.PutProvisioned(before, after) }
		return made, nil
	})
	if err != nil {
		return Record{}, err
	}
	return p.Get(ctx, sys, id)
}

// Remove notes that a group is there no more: nobody is in it.
func (p Groups) Remove(ctx context.Context, sys System, id string, match func(Record) error) error {
	return p.write(ctx, sys, func(now *access.Snapshot, details tenant.Details) (made tenant.Plan, err error) {
		before, err := told(ctx, details, sys, store.ProvisionedGroup, id)
		if err != nil {
			return made, err
		}
		if err := match(p.record(now, before)); err != nil {
			return made, err
		}
		group, _ := now.Principal(before.Principal)
		made.What = "removed provisioned group " + group.Name
		made.Beside = func(tx tenant.Tx) error { return tx.RemoveProvisioned(before) }
		return made, filled(now, sys, group, nil, &made)
	})
}

// Get returns what was told of a group.
func (p Groups) Get(ctx context.Context, sys System, id string) (Record, error) {
	is, err := told(ctx, p.Records, sys, store.ProvisionedGroup, id)
	if err != nil {
		return Record{}, err
	}
	now, err := p.Current(ctx, p.Tenant(sys.organisation))
	if err != nil {
		return Record{}, err
	}
	return p.record(now, is), nil
}

// List returns a part of what was told of people or groups, the oldest first, and how much there is.
func (p *Provisioning) List(ctx context.Context, sys System, q store.ProvisionedQuery) ([]Record, int, error) {
	if q.Kind == store.ProvisionedUser {
		q.Name = folded(q.Name)
	}
	list, total, err := p.Records.ProvisionedBy(ctx, sys.Provider.ID, q)
	if err != nil {
		return nil, 0, err
	}
	records, err := p.records(ctx, sys, list)
	return records, total, err
}

// record reads what a snapshot says of what was told of.
func (p *Provisioning) record(now *access.Snapshot, is store.Provisioned) Record {
	r := Record{Provisioned: is}
	who, _ := now.Principal(is.Principal)
	r.InUse = !who.Inactive
	for _, member := range now.Members(is.Principal) {
		r.Members = append(r.Members, member.ID)
	}
	slices.SortFunc(r.Members, model.ID.Compare)
	return r
}

// records is record for several, and finds the groups of people.
func (p *Provisioning) records(ctx context.Context, sys System, list []store.Provisioned) ([]Record, error) {
	now, err := p.Current(ctx, p.Tenant(sys.organisation))
	if err != nil {
		return nil, err
	}
	records, in := make([]Record, len(list)), map[model.ID][]model.ID{}
	var groups []model.ID
	for i, is := range list {
		records[i] = p.record(now, is)
		if is.Kind != store.ProvisionedUser {
			continue
		}
		for _, group := range now.OutsideGroupsOf(is.Principal) {
			in[is.ID] = append(in[is.ID], group.ID)
			if !slices.Contains(groups, group.ID) {
				groups = append(groups, group.ID)
			}
		}
	}
	if len(groups) == 0 {
		return records, nil
	}
	known, _, err := p.Records.ProvisionedBy(ctx, sys.Provider.ID, store.ProvisionedQuery{Kind: store.ProvisionedGroup, Principals: groups, Limit: len(groups)})
	if err != nil {
		return nil, err
	}
	for i, r := range records {
		for _, g := range known {
			if slices.Contains(in[r.ID], g.Principal) {
				records[i].Groups = append(records[i].Groups, Named{g.ID, g.Name})
			}
		}
	}
	return records, nil
}
