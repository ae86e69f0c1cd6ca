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
	"arbora.example/internal/english"
	"arbora.example/internal/outside"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// compare finds out what there is to do, and tells it.
func (j *job) compare(ctx context.Context, now *access.Snapshot) error {
	var err error
	if j.choosing, err = j.p.choosesPassword(ctx, j.sys); err != nil {
		return err
	}
	var in []store.Provisioned
	if j.content.Groups != nil { // else it is as the last reading left it
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
			j.reading.told(GroupAlters, name, moved(len(came), len(gone)))
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

// moved says how many come into a group, and how many are out.
func moved(came, gone int) string {
	switch {
	case gone == 0:
		return people(came) + " in"
	case came == 0:
		return people(gone) + " out"
	}
	return people(came) + " in, " + people(gone) + " out"
}

func people(n int) string { return counted(n, "person", "people") }

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

// brakes returns why a reading should not do what it would: too many would leave, or somebody who governs.
func (j *job) brakes(now *access.Snapshot) (why []string, err error) {
	leaving := len(j.leaving)
	if leaving == 0 {
		return nil, nil
	}
	if share := leaving * 100 / max(1, j.before); leaving > 1 && share > j.set.MostLeaving {
		why = append(why, fmt.Sprintf("%d of %d people would leave, and %d percent may at once", leaving, j.before, j.set.MostLeaving))
	}
	var changes []access.Change
	for _, one := range j.leaving {
		if who, _ := now.Principal(one.Principal); !who.Inactive {
			changes = append(changes, access.SetInactive{ID: who.ID, Inactive: true})
		}
	}
	if len(changes) == 0 {
		return why, nil
	}
	proposal, err := now.Propose(changes...)
	if err != nil {
		return nil, problem.Of(err, "")
	}
	var governs []string
	for _, e := range proposal.Impact(&access.Context{Time: j.p.Moment()}) {
		if !e.Delta.Loses.Or(e.Delta.MayLose).Meets(now.Catalogue().Governing()) {
			continue
		}
		for _, who := range e.Principals {
			if !slices.Contains(governs, who.Name) {
				governs = append(governs, who.Name)
			}
		}
	}
	if len(governs) > 0 {
		slices.Sort(governs)
		why = append(why, english.Join(governs)+" would leave, who may govern here")
	}
	return why, nil
}
