package main

import (
	"runtime"
	"strconv"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// outside compares decisions for people with 50 claims, by rules that ask for some of them, with decisions for users by rules as many.
func (r *report) outside(o *organisation, s *access.Snapshot) error {
	const people, claims = 1000, 50
	top := o.containers[0].ID
	b := s.Builder()
	provider := access.Principal{ID: o.id(), Kind: model.Provider, Name: "bench-sso"}
	group := access.Principal{ID: o.id(), Kind: model.Group, Name: "bench-users"}
	changes := []access.Change{access.CreatePrincipal{Principal: provider}, access.CreatePrincipal{Principal: group}}
	var users, outsiders []model.ID
	for i := range people {
		user := access.Principal{ID: o.id(), Kind: model.User, Name: nameOf("bench", i), Tags: map[string]string{"team": "t" + strconv.Itoa(i%7)}}
		outsider := access.Principal{ID: o.id(), Kind: model.OutsidePerson, Name: nameOf("bench", i) + "@bench-sso", Provider: provider.ID, Subject: strconv.Itoa(i), Claims: map[string][]string{}}
		for c := range claims {
			outsider.Claims["claim"+strconv.Itoa(c)] = []string{"t" + strconv.Itoa((i+c)%7)}
		}
		users, outsiders = append(users, user.ID), append(outsiders, outsider.ID)
		changes = append(changes, access.CreatePrincipal{Principal: user}, access.CreatePrincipal{Principal: outsider}, access.AddMember{Membership: access.Membership{Group: group.ID, Member: user.ID}})
	}
	const rules = 2 // at the top, which ask something of the person
	for i := range rules {
		for holder, asks := range map[model.ID]string{group.ID: `subject.tag.team is "t` + strconv.Itoa(i) + `"`, provider.ID: `claim.claim` + strconv.Itoa(20*i) + ` is "t` + strconv.Itoa(i) + `"`} {
			condition, err := statement.ParseCondition(asks)
			if err != nil {
				return err
			}
			changes = append(changes, access.CreateGrant{Grant: access.Grant{ID: o.id(), Scope: top, Principal: holder, Role: "observer", Condition: condition}})
		}
	}
	for _, change := range changes {
		if err := b.Apply(change); err != nil {
			return err
		}
	}
	now, err := b.Done(s.Revision() + 1)
	if err != nil {
		return err
	}
	asked := questions(o, 1<<16)
	allowed := 0
	ask := func(who []model.ID) time.Duration {
		return each(len(asked), func(i int) {
			q := asked[i]
			q.Principal = who[i%len(who)]
			if now.Decide(q).Allowed {
				allowed++
			}
		})
	}
	byTag, byClaim := ask(users), ask(outsiders)
	runtime.KeepAlive(allowed)
	r.figure("decide-outside", float64(byClaim.Nanoseconds()), "ns")
	r.atMost("decide-outside/decide-user", float64(byClaim)/float64(byTag), 1.3)
	return nil
}
