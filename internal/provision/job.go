package provision

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

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

// compare finds out what there is to do, and tells it.
func (j *job) compare(ctx context.Context, now *access.Snapshot) error {
	if err := j.mayChoose(ctx); err != nil {
		return err
	}
	var in []store.Provisioned
	if j.content.Groups != nil { // else it is as the last reading left it
		var err error
		if in, _, err = j.p.Records.ProvisionedBy(ctx, j.sys.Provider.ID, store.ProvisionedQuery{Kind: store.ProvisionedUser, Limit: everybody}); err != nil {
			return err
		}
	}
	left, _, err := j.p.Records.ProvisionedBy(ctx, j.sys.Provider.ID, store.ProvisionedQuery{Kind: store.ProvisionedLeft, Limit: everybody})
	if err != nil {
		return err
	}
	j.before = len(in)
	told := map[model.ID]store.ProvisionedKind{}
	for _, one := range in {
		j.ours[one.Principal] = true
		if told[one.Principal] = one.Kind; !j.content.Keys[one.External] {
			j.leaving = append(j.leaving, one)
			who, _ := now.Principal(one.Principal)
			j.reading.told(Leaves, who.Name, "is suspended, and out of all groups of the directory")
		}
	}
	if err := j.comparePeople(ctx, now, left, told); err != nil {
		return err
	}
	j.compareGroups(now)
	return j.compareLeft(ctx, now, left)
}

// mayChoose finds out whether people choose a password: where they are the organisation's own, and the provider is trusted by nothing.
func (j *job) mayChoose(ctx context.Context) error {
	if !j.sys.Provider.Own {
		return nil
	}
	trusts, err := j.p.Records.Trusts(ctx, j.sys.organisation)
	j.choosing = !slices.ContainsFunc(trusts, func(t store.Trust) bool { return t.Provider == j.sys.Provider.ID })
	return err
}

// comparePeople finds who comes, returns or is another.
func (j *job) comparePeople(ctx context.Context, now *access.Snapshot, left []store.Provisioned, told map[model.ID]store.ProvisionedKind) error {
	for _, one := range left {
		told[one.Principal] = one.Kind
	}
	details, err := j.detailsOf(ctx, now, j.p.Records, j.content.People)
	if err != nil {
		return err
	}
	for _, person := range j.content.People {
		known, there := now.OutsidePersonBy(j.sys.Provider.ID, person.Subject)
		switch kind := told[known.ID]; {
		case !there:
			j.fresh[person.Subject] = tenant.NewID()
			j.ours[j.fresh[person.Subject]] = true
			if j.choosing && person.Email != "" {
				j.links[person.Subject] = j.p.NewLink(j.sys.caller, credential.ToPassword, j.fresh[person.Subject], person.Email)
			}
			j.reading.told(Comes, person.Name+"@"+j.sys.Provider.Name, cmp.Or(person.Title, person.Name))
		case details[known.ID].State == credential.Retired:
			j.reading.told(Fault, known.Name, "is in the directory and retired here: restore them by hand")
			continue
		case kind == store.ProvisionedLeft:
			j.ours[known.ID] = true
			j.reading.told(Returns, known.Name, "is in the directory again")
		case kind == "":
			j.ours[known.ID] = true
			j.reading.told(Comes, known.Name, "was here, and is in the directory now")
		case !j.alters(known, details[known.ID], person):
			continue
		default:
			j.reading.told(Alters, known.Name, j.difference(known, details[known.ID], person))
		}
		j.people = append(j.people, person)
	}
	return nil
}

// user is a person as a system would tell of them.
func user(p outside.Person) User {
	return User{Name: p.Subject, External: p.Subject, Title: p.Title, Email: p.Email, Active: true, Body: json.RawMessage("{}")}
}

// tagged returns the tags that a person of the directory has.
func (j *job) tagged(known access.Principal, person outside.Person) map[string]string {
	return outside.Tagged(known.Tags, person.Tags, j.set.Map)
}

func (j *job) alters(known access.Principal, is store.PrincipalDetails, person outside.Person) bool {
	return user(person).described(is) != is || !maps.Equal(j.tagged(known, person), known.Tags) || !maps.EqualFunc(known.Claims, person.Claims, slices.Equal)
}

// difference says what is another of a person.
func (j *job) difference(known access.Principal, is store.PrincipalDetails, person outside.Person) string {
	for _, name := range slices.Sorted(maps.Keys(person.Claims)) {
		if !slices.Equal(person.Claims[name], known.Claims[name]) {
			return fmt.Sprintf("%s is %s now", name, quoted(person.Claims[name]))
		}
	}
	for _, name := range slices.Sorted(maps.Keys(known.Claims)) {
		if _, there := person.Claims[name]; !there {
			return name + " is gone"
		}
	}
	if next := user(person).described(is); next != is {
		return fmt.Sprintf("is called %s, at %s", next.Title, cmp.Or(next.Email, "no address"))
	}
	return "has other tags"
}

func quoted(values []string) (text string) {
	for i, value := range values {
		if i > 0 {
			text += ", "
		}
		text += fmt.Sprintf("%q", value)
	}
	return text
}

// compareGroups finds the groups in which others are.
func (j *job) compareGroups(now *access.Snapshot) {
	if j.content.Groups == nil {
		return // as they were
	}
	for _, name := range slices.Sorted(maps.Keys(j.content.Groups)) {
		group, there := now.PrincipalNamed(model.OutsideGroup, access.OutsideGroupName(name, j.sys.Provider.Name))
		if group.Pattern {
			j.reading.told(Fault, name, "a name pattern is called so: nobody is put into it")
			continue
		}
		came, gone := j.membership(now, group, j.content.Groups[name])
		if there && len(came)+len(gone) == 0 {
			continue
		}
		j.groups = append(j.groups, name)
		switch {
		case !there:
			j.reading.told(GroupComes, name, people(len(came))+" in it")
		default:
			j.reading.told(GroupAlters, name, fmt.Sprintf("%s in, %s out", people(len(came)), people(len(gone))))
		}
	}
	for group := range now.OutsideGroups(j.sys.Provider.ID) {
		if _, there := j.content.Groups[group.Subject]; there || group.Pattern {
			continue
		}
		if _, gone := j.membership(now, group, nil); len(gone) == 0 {
			continue
		}
		j.groups = append(j.groups, group.Subject)
		j.reading.told(GroupEmpties, group.Subject, "is not in the directory: nobody is in it from then on")
	}
}

func people(n int) string {
	if n == 1 {
		return "1 person"
	}
	return fmt.Sprintf("%d people", n)
}

// membership returns who is to come into a group, and who is to go.
func (j *job) membership(now *access.Snapshot, group access.Principal, keys []string) (came, gone []model.ID) {
	in := map[model.ID]bool{}
	for _, member := range now.Members(group.ID) {
		if j.ours[member.ID] {
			in[member.ID] = true
		}
	}
	for _, key := range keys {
		who, there := now.OutsidePersonBy(j.sys.Provider.ID, key)
		if !there {
			if who.ID, there = j.fresh[key]; !there {
				continue // nobody could become of the entry
			}
		}
		if !in[who.ID] && j.ours[who.ID] {
			came = append(came, who.ID)
		}
		delete(in, who.ID)
	}
	gone = slices.SortedFunc(maps.Keys(in), model.ID.Compare)
	return came, gone
}

// compareLeft finds who left so long ago that they are retired.
func (j *job) compareLeft(ctx context.Context, now *access.Snapshot, left []store.Provisioned) error {
	if j.set.RetireAfter == 0 {
		return nil
	}
	ids := make([]model.ID, len(left))
	for i, one := range left {
		ids[i] = one.Principal
	}
	details, err := j.p.Records.PrincipalDetails(ctx, j.sys.organisation, ids)
	if err != nil {
		return err
	}
	for _, one := range left {
		if j.content.Keys[one.External] || details[one.Principal].State != credential.Suspended || j.p.Moment().Sub(one.ChangedAt) < j.set.RetireAfter {
			continue
		}
		who, _ := now.Principal(one.Principal)
		j.retired = append(j.retired, one)
		j.reading.told(Retires, who.Name, "left "+one.ChangedAt.Format(time.DateOnly))
	}
	return nil
}

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
		made := j.p.SendLink(ctx, j.sys.caller, link, person.Email, credential.SignIn{Name: who.Name, Organisation: j.sys.caller.OrganisationName}.String())
		if !made.Mailed.Sent {
			j.reading.told(Unmailed, who.Name, "to choose a password by: "+made.Mailed.Why)
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
