package demo

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/client"
)

// loader loads the scenario through the API, as the people of the scenario would.
type loader struct {
	address, token string
	*client.Client
	clock Clock
}

// Clock sets the service's clock to some days before now. A nil one sets nothing: all happens at once.
type Clock func(daysAgo int)

// on goes on some days before now. Sessions have ended by then, so whoever acts signs in again.
func (l *loader) on(ctx context.Context, daysAgo int) error {
	if l.clock == nil {
		return nil
	}
	l.clock(daysAgo)
	again, err := as(ctx, l.address, "rowan@lindenmere")
	again.clock = l.clock
	*l = again
	return err
}

// as returns a loader that acts as somebody of the demo.
func as(ctx context.Context, address, name string) (loader, error) {
	token, err := tokenFor(ctx, address, name, Passphrase)
	if err != nil {
		return loader{}, err
	}
	arbora, err := client.Open(address, token)
	return loader{address: address, token: token, Client: arbora}, err
}

// SignIn opens a client for somebody of the demo.
func SignIn(ctx context.Context, address, name, password string) (*client.Client, error) {
	token, err := tokenFor(ctx, address, name, password)
	if err != nil {
		return nil, err
	}
	return client.Open(address, token)
}

func tokenFor(ctx context.Context, address, name, password string) (string, error) {
	arbora, err := client.Open(address, "")
	if err != nil {
		return "", err
	}
	token := true
	s, err := arbora.SignIn(ctx, api.SignIn{Name: name, Password: password, Token: token})
	if err != nil {
		return "", fmt.Errorf("sign in %s: %w", name, err)
	}
	return s.Token, nil
}

// LoadStart loads what there is before the story, into a service whose keeper is [Keeper] with [Passphrase].
func LoadStart(ctx context.Context, address string) error { return loadStart(ctx, address, nil) }

// Began is how many days ago the history of the demo began.
const Began = 182

// LoadHistory loads the same and what the story leaves behind, as it came about over half a year. Letters is the page of the mail sink
// that takes what the service sends.
func LoadHistory(ctx context.Context, address, letters string, clock Clock) error {
	clock(Began)
	if err := loadStart(ctx, address, clock); err != nil {
		return err
	}
	err := loadStory(ctx, address, letters, clock)
	clock(0)
	return err
}

func loadStart(ctx context.Context, address string, clock Clock) error {
	keeper, err := SignIn(ctx, address, Keeper, Passphrase)
	if err != nil {
		return err
	}
	for _, o := range []struct{ name, title, steward, stewardTitle, does string }{
		{lindenmere, "Lindenmere Botanic Trust", "rowan", "Rowan Ashdown", "Platform lead"},
		{quaywater, "Quaywater Seed Exchange", "juno", "Juno Marchetti", "Consultant"},
	} {
		err := client.Done(keeper.CreateOrganisation(ctx, api.OrganisationNew{
			Name: o.name, Title: o.title,
			Steward: api.UserNew{Name: o.steward, Title: o.stewardTitle, Description: o.does, Email: mail(o.steward, o.name), Password: Passphrase},
		}))
		if err != nil {
			return fmt.Errorf("create %s: %w", o.name, err)
		}
	}
	l, err := as(ctx, address, "rowan@lindenmere")
	if err != nil {
		return err
	}
	l.clock = clock
	return l.chapters(ctx, []chapter{
		{181, func() error { return l.scopes(ctx, tree) }},
		{178, func() error { return l.everybody(ctx, people) }},
		{175, func() error { return l.groups(ctx) }},
		{174, func() error { return l.grants(ctx, firstGrants) }},
	})
}

// chapter is what happened on one day, some days ago.
type chapter struct {
	daysAgo int
	happens func() error
}

func (l *loader) chapters(ctx context.Context, chapters []chapter) error {
	for _, c := range chapters {
		if err := l.on(ctx, c.daysAgo); err != nil {
			return err
		}
		if err := c.happens(); err != nil {
			return err
		}
	}
	return nil
}

// LoadStory loads what the story leaves behind, some refused attempts among it. Letters is the page of the mail sink that takes
// what the service sends.
func LoadStory(ctx context.Context, address, letters string) error {
	return loadStory(ctx, address, letters, nil)
}

func loadStory(ctx context.Context, address, letters string, clock Clock) error {
	l, err := as(ctx, address, "rowan@lindenmere")
	if err != nil {
		return err
	}
	l.clock = clock
	bramsOwn := func(g grant) bool { return g.kind == "user" && g.name == bram.name }
	early := slices.DeleteFunc(slices.Clone(storyGrants), bramsOwn)
	half := len(early) / 2
	return l.chapters(ctx, []chapter{
		{150, func() error { return l.scopes(ctx, lastTouches) }},
		{121, func() error { return l.labelPrograms(ctx) }},
		{120, func() error { return l.grants(ctx, early[:half]) }},
		{84, func() error { return l.grants(ctx, early[half:]) }},
		{60, func() error { return l.juno(ctx, letters) }},
		{45, func() error { return l.seedPeople(ctx) }},
		{30, func() error { return l.policies(ctx) }},
		{9, func() error { return l.person(ctx, bram) }},
		{8, func() error { return l.member(ctx, "glasshouse-engineers", "user", bram.name) }},
		{7, func() error {
			return l.grants(ctx, slices.DeleteFunc(slices.Clone(storyGrants), func(g grant) bool { return !bramsOwn(g) }))
		}},
		{2, func() error { return l.refusals(ctx) }},
	})
}

// refusals are attempts beyond what somebody holds; that they are refused is expected.
func (l loader) refusals(ctx context.Context) error {
	ines, err := SignIn(ctx, l.address, "ines@lindenmere", Passphrase)
	if err != nil {
		return err
	}
	tries := []func() error{
		func() error {
			return client.Done(ines.CreateGrant(ctx, "lindenmere/science/seedbank/seedbank-vault", api.GrantNew{
				Principal: api.PrincipalRef{Kind: api.UserKind, Name: "ines"}, Role: "builder",
			}))
		},
		func() error {
			return client.Done(ines.CreateScope(ctx, "lindenmere/science", api.ScopeNew{Kind: "folder", Name: "seed-exchange"}))
		},
	}
	for _, try := range tries {
		var problem *client.Error
		if err := try(); !errors.As(err, &problem) || problem.Status != 403 {
			return fmt.Errorf("an attempt that should be refused gave: %w", errors.Join(err, errors.New("not refused")))
		}
	}
	return nil
}

func (l loader) scopes(ctx context.Context, scopes []scope) error {
	for _, s := range scopes {
		parent, last := model.SplitAddress(s.address)
		name, typeName := model.SplitFullName(last)
		wanted := api.ScopeNew{Kind: api.ScopeNewKind(s.kind), Name: name, Title: s.title, Description: s.description, Tags: s.tags}
		if s.kind == "" {
			wanted.Kind, wanted.Type = "resource", typeName
		}
		if s.tags == nil {
			wanted.Tags = nil
		}
		if err := client.Done(l.CreateScope(ctx, parent, wanted)); err != nil {
			return fmt.Errorf("create %s: %w", s.address, err)
		}
	}
	return nil
}

func (l loader) everybody(ctx context.Context, people []person) error {
	for _, p := range people {
		if err := l.person(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

func (l loader) person(ctx context.Context, p person) error {
	err := client.Done(l.CreateUser(ctx, lindenmere, api.UserNew{
		Name: p.name, Title: p.title, Description: p.does, Email: mail(p.name, lindenmere), Password: Passphrase,
	}))
	if err != nil {
		return fmt.Errorf("create user %s: %w", p.name, err)
	}
	return nil
}

func (l loader) groups(ctx context.Context) error {
	for _, g := range groups {
		if err := client.Done(l.CreateGroup(ctx, lindenmere, api.GroupNew{Name: g.name, Title: g.title})); err != nil {
			return fmt.Errorf("create group %s: %w", g.name, err)
		}
	}
	for _, g := range groups {
		for _, user := range g.users {
			if err := l.member(ctx, g.name, "user", user); err != nil {
				return err
			}
		}
		for _, inner := range g.groups {
			if err := l.member(ctx, g.name, "group", inner); err != nil {
				return err
			}
		}
	}
	return nil
}

func (l loader) member(ctx context.Context, group, kind, name string) error {
	err := client.Done(l.AddMember(ctx, lindenmere, group, nil, api.PrincipalRef{Kind: api.PrincipalKind(kind), Name: name}))
	if err != nil {
		return fmt.Errorf("put %s into %s: %w", name, group, err)
	}
	return nil
}

func (l loader) grants(ctx context.Context, grants []grant) error {
	for _, g := range grants {
		wanted := api.GrantNew{Principal: api.PrincipalRef{Kind: api.PrincipalKind(g.kind), Name: g.name}, Role: g.role, Description: g.why}
		confirmed, err := l.confirming(ctx, g, wanted)
		if err == nil {
			err = client.Done(confirmed.CreateGrant(ctx, g.at, wanted))
		}
		if err != nil {
			return fmt.Errorf("grant %s to %s: %w", g.role, g.name, err)
		}
	}
	return nil
}

// confirming returns a client that confirms the impact of what opens something to strangers.
func (l loader) confirming(ctx context.Context, g grant, wanted api.GrantNew) (*client.Client, error) {
	if g.kind != "set" {
		return l.Client, nil
	}
	written, err := l.PreviewCreateGrant(ctx, g.at, wanted)
	if err != nil {
		return nil, err
	}
	return client.Open(l.address, l.token, client.Confirmed(written.Impact.Confirmation))
}

// labelPrograms makes the service accounts of the labels, and a key for one, whose secret nobody keeps.
func (l loader) labelPrograms(ctx context.Context) error {
	title, label := "Label indexer", "nightly"
	if err := client.Done(l.CreateServiceAccount(ctx, digitising, api.AccountNew{Name: "label-uploader", Title: "Label uploader"})); err != nil {
		return fmt.Errorf("create label-uploader: %w", err)
	}
	if err := client.Done(l.CreateServiceAccount(ctx, digitising, api.AccountNew{Name: "label-indexer", Title: title})); err != nil {
		return fmt.Errorf("create label-indexer: %w", err)
	}
	if err := client.Done(l.CreateKey(ctx, lindenmere, api.ServiceAccountKind, digitising+"/label-indexer", api.KeyNew{Label: label})); err != nil {
		return fmt.Errorf("issue its key: %w", err)
	}
	return nil
}

// seedPeople makes a group that gathers by tags, owned by ines, and somebody it gathers.
func (l loader) seedPeople(ctx context.Context) error {
	gathers, title := `tag team is "seeds"`, "People who work with seeds"
	owner := api.PrincipalRef{Kind: api.UserKind, Name: "ines"}
	if err := client.Done(l.CreateGroup(ctx, lindenmere, api.GroupNew{Name: "seed-people", Title: title, Gathers: gathers, Owner: &owner})); err != nil {
		return fmt.Errorf("create group seed-people: %w", err)
	}
	if err := client.Done(l.EditPrincipal(ctx, lindenmere, api.UserKind, "ines", nil, api.PrincipalEdit{Tags: &api.Tags{"team": "seeds"}})); err != nil {
		return fmt.Errorf("tag ines: %w", err)
	}
	return nil
}

// juno invites the consultant, who accepts.
func (l loader) juno(ctx context.Context, letters string) error {
	const address = "juno@quaywater.example"
	title, does, groups := "Juno Marchetti", "Consultant of the Quaywater Seed Exchange", []string{"contractors"}
	if err := client.Done(l.InviteGuest(ctx, lindenmere, api.GuestNew{Email: address, Title: title, Description: does, Groups: groups})); err != nil {
		return fmt.Errorf("invite juno: %w", err)
	}
	juno, err := SignIn(ctx, l.address, "juno@quaywater", Passphrase)
	if err != nil {
		return err
	}
	letter, err := letterTo(ctx, letters, address)
	if err != nil {
		return err
	}
	_, link, _ := strings.Cut(letter, "/#/link/")
	token, _, _ := strings.Cut(link, "\n")
	return client.Done(juno.AcceptInvitation(ctx, api.LinkToken{Token: token}))
}

func (l loader) policies(ctx context.Context) error {
	for _, p := range storyPolicies {
		if err := client.Done(l.CreatePolicyAt(ctx, p.at, api.PolicyNew{Name: p.name, Text: p.text, Description: p.why})); err != nil {
			return fmt.Errorf("write policy %s: %w", p.name, err)
		}
	}
	return nil
}

func mail(name, organisation string) string { return name + "@" + organisation + ".example" }

// SignIns lists who can sign in once everything is loaded, and as what they are good to try.
func SignIns() [][2]string {
	list := [][2]string{
		{Keeper, "keeper: creates organisations, holds nothing inside them"},
		{"rowan@lindenmere", "platform lead, steward of the organisation"},
	}
	for _, p := range append(people, bram) {
		list = append(list, [2]string{p.name + "@" + lindenmere, p.does})
	}
	return append(list, [2]string{"juno@quaywater", "steward of the partner organisation"})
}
