package provision

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/directory"
	"arbora.example/internal/outside"
	"arbora.example/internal/plan"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// job is what one reading has to do. Whatever it does is planned on what stands by then, so that it can be broken off and begun again.
type job struct {
	p       Readings
	sys     System
	set     directory.Settings
	content directory.Content
	fresh   map[string]model.ID // by key, of those who come
	reading *Reading

	links map[string]signin.NewLink // by key, of those who come and choose a password

	ours map[model.ID]bool // who is in the directory, was, or comes: of others who come by the provider it says nothing

	before   int  // how many people were in the directory
	choosing bool // whoever comes chooses a password, since the provider is trusted by nothing that they could sign in by

	people  []outside.Person
	groups  []string
	leaving []store.Provisioned
	retired []store.Provisioned // left long ago
}

// part is how much of a job is one change: others need not wait for the whole.
const part = 1000

// everybody is how many are asked for where all are.
const everybody = 1 << 30

// idle reports whether there is nothing to do.
func (j *job) idle() bool {
	return len(j.people)+len(j.groups)+len(j.leaving)+len(j.retired) == 0
}

// planner plans a part of a job on what stands.
type planner = func(*access.Snapshot, tenant.Details) (tenant.Plan, error)

// do makes the changes, those first by which somebody is out.
func (j *job) do(ctx context.Context) error {
	for _, planned := range slices.Concat(parts(ctx, j.leaving, j.planLeaving), parts(ctx, j.people, j.planPeople), parts(ctx, j.groups, j.planGroups), parts(ctx, j.retired, j.planRetired)) {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := j.p.write(ctx, j.sys, planned); err != nil {
			return err
		}
	}
	return nil
}

// send mails those who have come the links to choose a password.
func (j *job) send(ctx context.Context) error {
	now, err := j.p.Current(ctx, j.p.Tenant(j.sys.organisation))
	if err != nil {
		return err
	}
	for _, person := range j.people {
		link, wanted := j.links[person.Subject]
		who, there := now.OutsidePersonBy(j.sys.Provider.ID, person.Subject)
		if !wanted || !there || who.ID != link.Principal {
			continue
		}
		if mailed := j.p.mailLink(ctx, j.sys, link, who, person.Email); !mailed.Sent {
			j.reading.told(Unmailed, who.Name, "to choose a password by: "+mailed.Why)
		}
	}
	return nil
}

// parts plans a list part by part.
func parts[T any](ctx context.Context, list []T, planned func(context.Context, *access.Snapshot, tenant.Details, []T) (tenant.Plan, error)) (all []planner) {
	for some := range slices.Chunk(list, part) {
		all = append(all, func(now *access.Snapshot, details tenant.Details) (tenant.Plan, error) {
			return planned(ctx, now, details, some)
		})
	}
	return all
}

// preview tells what all the changes would do to what people may do.
func (j *job) preview(ctx context.Context) (plan.Impact, error) {
	return j.p.Preview(ctx, j.sys.caller, func(d tenant.Viewer) (all tenant.Plan, err error) {
		for _, planned := range []func() (tenant.Plan, error){
			func() (tenant.Plan, error) { return j.planLeaving(ctx, d.Snapshot, d.Details, j.leaving) },
			func() (tenant.Plan, error) { return j.planPeople(ctx, d.Snapshot, d.Details, j.people) },
			func() (tenant.Plan, error) { return j.planGroups(ctx, d.Snapshot, d.Details, j.groups) },
			func() (tenant.Plan, error) { return j.planRetired(ctx, d.Snapshot, d.Details, j.retired) },
		} {
			one, err := planned()
			if err != nil {
				return all, err
			}
			all.Imagined = append(all.Imagined, one.Changes...)
		}
		if all.Imagined == nil {
			all.Imagined = []access.Change{}
		}
		all.What = "read a directory"
		return all, nil
	})
}

// detailsOf returns what is known besides of those who are there already.
func (j *job) detailsOf(ctx context.Context, now *access.Snapshot, details tenant.Details, people []outside.Person) (map[model.ID]store.PrincipalDetails, error) {
	var ids []model.ID
	for _, person := range people {
		if known, there := now.OutsidePersonBy(j.sys.Provider.ID, person.Subject); there {
			ids = append(ids, known.ID)
		}
	}
	all := map[model.ID]store.PrincipalDetails{}
	for some := range slices.Chunk(ids, 1000) {
		part, err := details.PrincipalDetails(ctx, j.sys.organisation, some)
		if err != nil {
			return nil, err
		}
		maps.Copy(all, part)
	}
	return all, nil
}

// toldOf returns what is kept of people of whom a directory told.
func (j *job) toldOf(ctx context.Context, details tenant.Details, ids []model.ID) (map[model.ID]store.Provisioned, error) {
	all := map[model.ID]store.Provisioned{}
	for some := range slices.Chunk(ids, 1000) {
		for _, kind := range []store.ProvisionedKind{store.ProvisionedUser, store.ProvisionedLeft} {
			list, _, err := details.ProvisionedBy(ctx, j.sys.Provider.ID, store.ProvisionedQuery{Kind: kind, Principals: some, Limit: everybody})
			if err != nil {
				return nil, err
			}
			for _, one := range list {
				all[one.Principal] = one
			}
		}
	}
	return all, nil
}

// planPeople plans that people are there, and as the directory has them.
func (j *job) planPeople(ctx context.Context, now *access.Snapshot, details tenant.Details, people []outside.Person) (made tenant.Plan, err error) {
	known, err := j.detailsOf(ctx, now, details, people)
	if err != nil {
		return made, err
	}
	before, err := j.toldOf(ctx, details, slices.Collect(maps.Keys(known)))
	if err != nil {
		return made, err
	}
	at, taken := j.p.Moment(), map[string]bool{}
	for _, person := range people {
		who, there := now.OutsidePersonBy(j.sys.Provider.ID, person.Subject)
		was := known[who.ID]
		if !there {
			who = access.Principal{
				ID: j.fresh[person.Subject], Kind: model.OutsidePerson, Name: signin.FreeName(now, person.Name, j.sys.Provider.Name), Tags: person.Tags,
				Provider: j.sys.Provider.ID, Subject: person.Subject, Claims: person.Claims,
			}
			for n := 2; taken[who.Name]; n++ { // by somebody who comes by the same change
				who.Name = signin.FreeName(now, fmt.Sprintf("%s-%d", person.Name, n), j.sys.Provider.Name)
			}
			taken[who.Name] = true
			was = store.PrincipalDetails{State: credential.Active, CreatedAt: at}
			made.Changes = append(made.Changes, access.CreatePrincipal{Principal: who})
		} else {
			if who.Claims == nil || !maps.EqualFunc(who.Claims, person.Claims, slices.Equal) {
				made.Changes = append(made.Changes, access.SetClaims{ID: who.ID, Claims: person.Claims})
			}
			if tags := j.tagged(who, person); !maps.Equal(tags, who.Tags) {
				made.Changes = append(made.Changes, access.TagPrincipal{ID: who.ID, Tags: tags})
			}
		}
		last := before[who.ID]
		if last.Kind == store.ProvisionedUser {
			if is := user(person).described(was); is != was {
				made.Describe(who.ID, is)
			}
			continue
		}
		if last.Kind == "" {
			last = store.Provisioned{Active: true}
		}
		after := store.Provisioned{
			ID: who.ID, Provider: j.sys.Provider.ID, Principal: who.ID, Kind: store.ProvisionedUser, Name: person.Subject, External: person.Subject, Active: true, Body: json.RawMessage("{}"),
			Version: last.Version + 1, CreatedAt: at, ChangedAt: at,
		}
		told := user(person)
		if j.choosing {
			told.By = credential.ByPassword
		}
		bring(who, was, last, after, told, &made)
		if link, wanted := j.links[person.Subject]; wanted && !there {
			made.Also(link.Write)
		}
	}
	made.What = "read of " + counted(len(people), "person", "people") + " in the directory of " + j.sys.Provider.Name
	return made, nil
}

func counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// planLeaving plans that people who have left are out.
func (j *job) planLeaving(ctx context.Context, now *access.Snapshot, details tenant.Details, leaving []store.Provisioned) (made tenant.Plan, err error) {
	ids := make([]model.ID, len(leaving))
	for i, one := range leaving {
		ids[i] = one.Principal
	}
	known, err := details.PrincipalDetails(ctx, j.sys.organisation, ids)
	if err != nil {
		return made, err
	}
	before, err := j.toldOf(ctx, details, ids)
	if err != nil {
		return made, err
	}
	for _, id := range ids {
		who, there := now.Principal(id)
		if last := before[id]; there && last.Kind == store.ProvisionedUser {
			leave(now, who, known[id], last, j.p.Moment(), &made)
		}
	}
	made.What = "suspended " + counted(len(leaving), "person who has", "people who have") + " left the directory of " + j.sys.Provider.Name
	return made, nil
}

// planGroups plans that those are in the directory's groups who are in them there.
func (j *job) planGroups(_ context.Context, now *access.Snapshot, _ tenant.Details, groups []string) (made tenant.Plan, err error) {
	for _, name := range groups {
		group, there := now.PrincipalNamed(model.OutsideGroup, access.OutsideGroupName(name, j.sys.Provider.Name))
		if !there {
			group = plan.NewOutsideGroup(j.sys.Provider, name)
			made.Changes = append(made.Changes, access.CreatePrincipal{Principal: group})
		}
		came, gone := j.membership(now, group, j.content.Groups[name])
		for _, id := range gone {
			if left := slices.ContainsFunc(j.leaving, func(p store.Provisioned) bool { return p.Principal == id }); !left { // whom leaving takes out
				made.Changes = append(made.Changes, access.RemoveMember{Membership: access.Membership{Group: group.ID, Member: id}})
			}
		}
		for _, id := range came {
			made.Changes = append(made.Changes, access.AddMember{Membership: access.Membership{Group: group.ID, Member: id}})
		}
	}
	made.What = "read of " + counted(len(groups), "group", "groups") + " in the directory of " + j.sys.Provider.Name
	return made, nil
}

// planRetired plans that people who left long ago are retired.
func (j *job) planRetired(ctx context.Context, _ *access.Snapshot, details tenant.Details, gone []store.Provisioned) (made tenant.Plan, err error) {
	ids := make([]model.ID, len(gone))
	for i, one := range gone {
		ids[i] = one.Principal
	}
	known, err := details.PrincipalDetails(ctx, j.sys.organisation, ids)
	if err != nil {
		return made, err
	}
	for _, id := range ids {
		if is := known[id]; is.State == credential.Suspended {
			is.State = credential.Retired
			made.Describe(id, is)
		}
	}
	made.What = "retired " + counted(len(gone), "person who", "people who") + " left the directory of " + j.sys.Provider.Name + " long ago"
	return made, nil
}
