package access_test

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	"arbora.example/internal/directory"
	"arbora.example/internal/letters"
	"arbora.example/internal/outside"
	planning "arbora.example/internal/plan"
	"arbora.example/internal/provision"
	"arbora.example/internal/service"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
	"arbora.example/internal/tenant/memory"
)

// sequences is how many random sequences of steps are taken; a run over night takes a million, and `make test` 20,000.
var sequences = flag.Int("sequences", 5_000, "random sequences of steps that TestNoWayUp takes")

// play is a random organisation in which one maker, or two who collude, take steps through the service.
type play struct {
	*rand.Rand
	service *service.Service
	records *memory.Records
	top     model.ID
	start   *naive
	makers  []model.ID
	actAs   map[model.ID]bool  // whom the makers can act as
	mailed  []credential.Token // links that went to others
	token   credential.Token   // by which they tell of a provider's people
	told    []string           // the steps that were taken
	target  string             // whom or what the step in hand is about; empty for anybody or anything
}

// conditions are what grants and statements of a play hang on.
var conditions = map[string]*term{
	`context.location is "north"`:     {of: "context.location", op: "is", values: []string{"north"}},
	`not context.location is "north"`: {op: "not", parts: []*term{{of: "context.location", op: "is", values: []string{"north"}}}},
	`context.hour < 11`:               {of: "context.hour", op: "<", hour: 11},
	`subject.tag.team is "seeds"`:     {of: "subject.tag", name: "team", op: "is", values: []string{"seeds"}},
	`resource.tag.team is "seeds"`:    {of: "resource.tag", name: "team", op: "is", values: []string{"seeds"}},
	`claim.team is "seeds"`:           {of: "claim", name: "team", op: "is", values: []string{"seeds"}},
	`subject.tag.floor is "labels" and context.location is "south"`: {op: "and", parts: []*term{
		{of: "subject.tag", name: "floor", op: "is", values: []string{"labels"}}, {of: "context.location", op: "is", values: []string{"south"}}}},
}

var conditionTexts = func() (texts []string) {
	for text := range conditions {
		texts = append(texts, text)
	}
	slices.Sort(texts)
	return texts
}()

// post takes every letter.
type post struct{ p *play }

func (l post) Send(_ context.Context, letter letters.Letter) error {
	if _, token, found := strings.Cut(letter.Text, "/#/link/"); found {
		l.p.mailed = append(l.p.mailed, credential.Token(strings.Fields(token)[0]))
	}
	return nil
}

func pick[T any](p *play, list []T) T { return list[p.IntN(len(list))] }

func (p *play) one(in int) bool { return p.IntN(in) == 0 }

// reference makes a reference of a snapshot.
func reference(c *catalogue.Catalogue, now *access.Snapshot) *naive {
	n := newNaive()
	for _, builtIn := range []model.ID{model.Public, model.SignedIn, model.Everyone, model.Guests, model.Staff} {
		set, _ := now.Principal(builtIn)
		n.people = append(n.people, set)
	}
	n.people = slices.AppendSeq(n.people, now.Principals(model.PlatformService))
	know := func(c *statement.Condition) {
		if c != nil {
			n.terms[c] = conditions[c.String()]
		}
	}
	for _, change := range now.Changes() {
		switch ch := change.(type) {
		case access.CreateGrant:
			know(ch.Grant.Condition)
		case access.PutPolicy:
			for _, st := range ch.Policy.Statements {
				know(st.Condition)
			}
		}
		n = n.after(change)
	}
	return n
}

// newPlay makes the organisation: rules are laid as [TestRules] writes them, and more at random.
func newPlay(seed uint64, lay ...string) *play {
	p := &play{Rand: rand.New(rand.NewPCG(seed, seed)), actAs: map[model.ID]bool{}}
	c := catalogue.Shipped()
	w := &world{now: access.New(c), ids: map[string]model.ID{"staff": model.Staff, "guests": model.Guests, "everyone": model.Everyone}}
	must := func(err error) {
		if err != nil {
			panic(err)
		}
	}
	put := func(address string, kind model.Kind, tags map[string]string) {
		scope := w.scope(address, kind)
		scope.Scope.Tags = tags
		must(w.try(scope))
	}
	put("top", model.Organisation, nil)
	for _, s := range []struct {
		address string
		kind    model.Kind
	}{{"top/a", model.Folder}, {"top/b", model.Folder}, {"top/a/p", model.Project}, {"top/b/q", model.Project}, {"top/a/p/scans.bucket", model.Resource}, {"top/b/q/log.bucket", model.Resource}} {
		put(s.address, s.kind, p.tags())
	}
	person := func(kind model.PrincipalKind, name, home string, gathers string) {
		who := access.Principal{ID: newID(), Kind: kind, Name: name, Home: w.ids[home]}
		if kind != model.Group {
			who.Tags = p.tags()
		}
		if gathers != "" {
			condition, err := statement.ParseGathering(gathers)
			must(err)
			who.Gathers = condition
		}
		w.ids[name] = who.ID
		must(w.try(access.CreatePrincipal{Principal: who}))
	}
	for _, name := range []string{"rowan", "mallory", "trudy", "ines", "piotr"} {
		person(model.User, name, "", "")
	}
	for _, name := range []string{"curators", "keepers"} {
		person(model.Group, name, "", "")
	}
	w.ids["quaywater-sso"] = newID()
	must(w.try(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["quaywater-sso"], Kind: model.Provider, Name: "quaywater-sso", Own: seed%3 == 0}}))
	w.outside("quaywater-sso", "ilka", map[string][]string{"team": {"labels"}})
	person(model.Group, "seeds", "", `tag team is "seeds"`)
	person(model.ServiceAccount, "robot", "top/a/p", "")
	person(model.Guest, "wren@meadowside.example", "", "")
	must(w.try(access.SetInactive{ID: w.ids["wren@meadowside.example"], Inactive: true})) // invited, and pending
	w.grant2("steward", "rowan", "top", "", statement.Period{})
	for _, name := range []string{"tuner", "shaper"} {
		def := catalogue.RoleDefinition{Name: name, Scope: w.ids["top"], Include: []catalogue.Filter{{Operations: []string{"create", "edit", "retire", "list", "describe"}, Types: []string{"policy", "role"}}}}
		if name == "shaper" {
			def.Include = []catalogue.Filter{{Operations: []string{"retire", "restore", "move", "tag", "list", "describe"}, Services: []string{"tree", "storage"}}}
		}
		must(w.try(access.CreateRole{Definition: def}))
	}
	p.makers = []model.ID{w.ids["mallory"]}
	if slices.ContainsFunc(lay, func(rule string) bool { return strings.HasPrefix(rule, "people-manager robot") }) {
		p.makers = []model.ID{w.ids["robot"]}
	} else if p.one(2) {
		p.makers = append(p.makers, w.ids["trudy"])
	}
	for _, rule := range lay {
		w.layOne(rule)
	}
	p.random(w, len(lay) == 0)
	for _, id := range p.makers {
		p.actAs[id] = true
	}
	p.start = reference(c, w.now)
	p.top, p.records = w.ids["top"], memory.Of(w.now, noon)
	p.service = service.New(service.Options{
		Records: p.records, Catalogue: c, Clock: func() time.Time { return noon }, Log: slog.New(slog.DiscardHandler), Post: post{p},
		Hash: func(context.Context, string) (string, error) { return "hashed", nil },
	})
	return p
}

// grant2 grants on terms; what cannot be is left.
func (w *world) grant2(role, who, at, condition string, period statement.Period) {
	g := access.Grant{ID: newID(), Scope: w.ids[at], Principal: w.ids[who], Role: role, Period: period}
	if condition != "" {
		g.Condition, _ = statement.ParseCondition(condition)
	}
	_ = w.try(access.CreateGrant{Grant: g})
}

// layOne lays a rule down: "ROLE WHO WHERE", "GROUP < MEMBER", "WHERE: STATEMENT", "retired WHO", or "WHO tagged KEY VALUE".
func (w *world) layOne(rule string) {
	var err error
	words := strings.Fields(rule)
	switch at, text, policy := strings.Cut(rule, ": "); {
	case policy:
		var statements []statement.Statement
		if statements, _, err = (access.Reader{Snapshot: w.now, Scope: w.ids[at]}).ParsePolicy(text); err == nil {
			err = w.try(access.PutPolicy{Policy: statement.Policy{ID: newID(), Scope: w.ids[at], Name: fmt.Sprint("laid-", lastID.Load()), Statements: statements}})
		}
	case words[0] == "retired":
		err = w.try(access.SetInactive{ID: w.ids[words[1]], Inactive: true})
	case words[1] == "<":
		err = w.join(words[2], words[0])
	case words[1] == "tagged":
		err = w.try(access.TagPrincipal{ID: w.ids[words[0]], Tags: map[string]string{words[2]: words[3]}})
	default:
		w.grant2(words[0], words[1], words[2], strings.Join(words[3:], " "), statement.Period{})
	}
	if err != nil {
		panic(rule + ": " + err.Error())
	}
}

func (p *play) tags() map[string]string {
	tags := map[string]string{}
	if p.one(3) {
		tags["team"] = pick(p, []string{"seeds", "labels"})
	}
	if p.one(4) {
		tags["floor"] = "labels"
	}
	return tags
}

func (p *play) condition(in int) string {
	if p.one(in) {
		return pick(p, conditionTexts)
	}
	return ""
}

func (p *play) period() (period statement.Period) {
	if p.one(5) {
		period.Until = noon.Add(24 * time.Hour)
	} else if p.one(7) {
		period.From = noon.Add(24 * time.Hour)
	}
	return period
}

var (
	playRoles  = []string{"steward", "builder", "observer", "access-manager", "people-manager", "content-keeper", "content-reader", "storage-builder", "tuner", "shaper"}
	playPlaces = []string{"top", "top/a", "top/b", "top/a/p", "top/b/q", "top/a/p/scans.bucket", "top/b/q/log.bucket"}
	playWho    = []string{"mallory", "trudy", "ines", "piotr", "curators", "keepers", "seeds", "robot", "staff", "guests", "everyone"}
)

// random lays some rules down at random; with all, the makers get something to begin with.
func (p *play) random(w *world, all bool) {
	if all {
		for range 2 {
			w.grant2(pick(p, []string{"people-manager", "access-manager", "builder", "steward", "tuner", "shaper", "provider-manager"}), pick(p, []string{"mallory", "trudy"}), pick(p, playPlaces[:5]), p.condition(6), p.period())
		}
		w.grant2("people-manager", "mallory", "top", "", statement.Period{})
	}
	for range 1 + p.IntN(4) {
		who := pick(p, playWho)
		if !all && (who == "mallory" || who == "trudy" || who == "staff" || who == "everyone") {
			continue
		}
		w.grant2(pick(p, playRoles), who, pick(p, playPlaces), p.condition(3), p.period())
	}
	for range p.IntN(3) {
		_ = w.join(pick(p, playWho[:5]), pick(p, []string{"curators", "keepers"}))
	}
	for range p.IntN(3) {
		if at := pick(p, playPlaces[:5]); all {
			statements, _, err := (access.Reader{Snapshot: w.now, Scope: w.ids[at]}).ParsePolicy(p.statement())
			if err == nil {
				_ = w.try(access.PutPolicy{Policy: statement.Policy{ID: newID(), Scope: w.ids[at], Name: fmt.Sprint("random-", lastID.Load()), Statements: statements}})
			}
		}
	}
	if all && p.one(3) {
		_ = w.try(access.SetInactive{ID: w.ids[pick(p, playWho[2:8])], Inactive: true})
	}
	if all && p.one(4) {
		_ = w.try(access.RetireScope{ID: w.ids[pick(p, playPlaces[1:])]})
	}
}

// statement writes a statement at random.
func (p *play) statement() string {
	who := pick(p, []string{"user mallory", "user ines", "curators", "keepers", "seeds", "staff", "everyone", "everyone except keepers", "curators, people from quaywater-sso", `people from quaywater-sso with team "seeds"`, `people from quaywater-sso except curators`})
	what := pick(p, []string{"may observe data of storage", "may act as builder", "may act as people-manager", "may never do anything", "may never govern anything", "may never destroy anything", "may only observe anything", "may never observe data of storage"})
	text := who + " " + what
	if condition := p.condition(3); condition != "" && !strings.Contains(what, "only") {
		text += " if " + condition
	}
	if p.one(4) {
		text += " until 2026-11-26T12:00:00Z"
	}
	return text
}

// now returns the organisation as it is.
func (p *play) now() *access.Snapshot {
	now, err := p.service.Snapshot(context.Background(), p.top)
	if err != nil {
		panic(err)
	}
	return now
}

// caller has somebody act, just signed in.
func (p *play) caller(who access.Principal) tenant.Caller {
	c := tenant.Caller{Name: who.Name, Organisation: p.top, OrganisationName: "top", Principal: who.ID, Kind: who.Kind, From: "192.0.2.7", ProvedAt: noon, MayGovern: true}
	if who.Kind == model.User || who.Kind == model.Guest {
		c.Identity = store.Identity{ID: who.ID, Organisation: p.top}
	}
	return c
}

// actor returns somebody in use whom the makers can act as.
func (p *play) actor() (access.Principal, bool) {
	now := p.now()
	var can []access.Principal
	for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.ServiceAccount} {
		for who := range now.Principals(kind) {
			if p.actAs[who.ID] && !who.Inactive && (who.Home.IsZero() || !now.IsRetired(who.Home)) {
				can = append(can, who)
			}
		}
	}
	if len(can) == 0 {
		return access.Principal{}, false
	}
	return pick(p, can), true
}

// somebody returns a principal of the organisation as the service is asked about it.
func (p *play) somebody(kinds ...model.PrincipalKind) (tenant.PrincipalRef, access.Principal) {
	now := p.now()
	var all, named []access.Principal
	for _, kind := range kinds {
		for who := range now.Principals(kind) {
			if all = append(all, who); who.Name == p.target {
				named = append(named, who)
			}
		}
	}
	if len(named) > 0 {
		all = named
	}
	if len(all) == 0 {
		return tenant.PrincipalRef{Kind: "user", Name: "nobody"}, access.Principal{}
	}
	who := pick(p, all)
	name := who.Name
	if who.Kind == model.ServiceAccount {
		name = now.Address(who.Home) + "/" + name
	}
	return tenant.PrincipalRef{Kind: who.Kind.String(), Name: name}, who
}

func (p *play) place() string {
	now := p.now()
	if strings.HasPrefix(p.target, "top") {
		return p.target
	}
	top, _ := now.Top()
	all := []string{top.Name}
	var list func(model.ID)
	list = func(above model.ID) {
		for s := range now.Children(above, "") {
			all = append(all, now.Address(s.ID))
			list(s.ID)
		}
	}
	list(top.ID)
	return pick(p, all)
}

// step takes one step, whether it is refused or not: of a kind, and perhaps about somebody or something.
func (p *play) step(step string, c tenant.Caller) {
	ctx, s := context.Background(), p.service
	var kind string
	kind, p.target, _ = strings.Cut(step, " ")
	var err error
	said := ""
	switch kind {
	case "grant":
		who, _ := p.somebody(model.User, model.User, model.Group, model.ServiceAccount, model.BuiltInSet)
		g := change.NewGrant{Scope: p.place(), Kind: who.Kind, Name: who.Name, Role: pick(p, playRoles), Condition: p.condition(3), Period: p.period()}
		_, _, err = s.CreateGrant(g).Make(ctx, c)
		said = fmt.Sprint(g)
	case "grant-self":
		g := change.NewGrant{Scope: p.place(), Kind: c.Kind.String(), Name: c.Name, Role: pick(p, playRoles), Condition: p.condition(4)}
		_, _, err = s.CreateGrant(g).Make(ctx, c)
		said = fmt.Sprint(g)
	case "grant-robot":
		g := change.NewGrant{Scope: p.place(), Kind: "service-account", Name: "top/a/p/robot", Role: "steward"}
		_, _, err = s.CreateGrant(g).Make(ctx, c)
		said = fmt.Sprint(g)
	case "revoke":
		now := p.now()
		if grants := now.GrantsAt(p.scope(now)); len(grants) > 0 {
			g := pick(p, grants)
			_, _, err = s.RevokeGrant(g.ID.String()).Make(ctx, c)
			said = g.Role
		}
	case "policy":
		np := change.NewPolicy{Scope: p.place(), Name: fmt.Sprint("made-", p.IntN(1_000_000)), Text: p.statement()}
		_, _, err = s.CreatePolicy(np).Make(ctx, c)
		said = fmt.Sprint(np)
	case "policy-self":
		np := change.NewPolicy{Scope: p.place(), Name: fmt.Sprint("made-", p.IntN(1_000_000)), Text: "user mallory may observe data of storage"}
		switch p.IntN(4) {
		case 0:
			np.Text = "user mallory may create, reset service-account"
		case 1:
			np.Scope, np.Text = "top/a/p", "under scans.bucket:\n    user mallory may observe data of storage"
		case 2:
			np.Scope, np.Text = "top", "under a/p:\n    user mallory may create, reset service-account"
		}
		_, _, err = s.CreatePolicy(np).Make(ctx, c)
		said = fmt.Sprint(np)
	case "policy-remove":
		if policies := p.now().Policies(); len(policies) > 0 {
			policy := pick(p, policies)
			_, _, err = s.RemovePolicy(policy.ID.String()).Make(ctx, c)
			said = policy.Name
		}
	case "policy-suspend":
		if policies := p.now().Policies(); len(policies) > 0 {
			policy := pick(p, policies)
			_, _, err = s.SuspendPolicy(policy.ID.String(), !policy.Suspended).Make(ctx, c)
			said = policy.Name
		}
	case "policy-edit":
		if policies := p.now().Policies(); len(policies) > 0 {
			policy, text := pick(p, policies), p.statement()
			_, _, err = s.EditPolicy(change.PolicyEdit{Key: policy.ID.String(), Text: &text}).Make(ctx, c)
			said = text
		}
	case "role":
		name := pick(p, []string{"tuner", "shaper"})
		_, _, err = s.EditRole("top", change.NewRole{Name: name, Include: []catalogue.Filter{{Planes: []catalogue.Plane{pick(p, []catalogue.Plane{catalogue.Control, catalogue.Data})}}}}).Make(ctx, c)
		said = name
	case "join", "leave":
		who, _ := p.somebody(model.User, model.User, model.Group, model.ServiceAccount, model.Guest)
		if p.one(2) {
			who = tenant.PrincipalRef{Kind: c.Kind.String(), Name: c.Name}
		}
		m := change.MemberChange{Organisation: "top", Group: pick(p, []string{"curators", "keepers"}), Kind: who.Kind, Name: who.Name, Remove: kind == "leave"}
		_, _, err = s.ChangeMember(m).Make(ctx, c)
		said = fmt.Sprint(m)
	case "suspend", "restore":
		who, _ := p.somebody(model.User, model.Group, model.Group, model.ServiceAccount, model.Guest)
		to := credential.Retired
		if kind == "restore" {
			to = credential.Active
		}
		_, _, err = s.SetState("top", who, to).Make(ctx, c)
		said = fmt.Sprint(who)
	case "tag":
		who, _ := p.somebody(model.User, model.Guest, model.ServiceAccount)
		edit := change.Edit{Tags: map[string]string{"team": pick(p, []string{"seeds", "labels"}), "floor": "labels"}}
		_, _, err = s.EditPrincipal("top", who, edit).Make(ctx, c)
		said = fmt.Sprint(who, edit.Tags)
	case "gathers":
		text := pick(p, []string{`tag team is "labels"`, `kind is "user"`, `name is "mallory"`})
		_, _, err = s.EditPrincipal("top", tenant.PrincipalRef{Kind: "group", Name: "seeds"}, change.Edit{Gathers: &text}).Make(ctx, c)
		said = text
	case "owner":
		_, _, err = s.EditPrincipal("top", tenant.PrincipalRef{Kind: "group", Name: pick(p, []string{"curators", "keepers"})}, change.Edit{Owner: &tenant.PrincipalRef{Kind: c.Kind.String(), Name: c.Name}}).Make(ctx, c)
	case "reset":
		who, person := p.somebody(model.User)
		if _, _, err = s.ResetPassword(ctx, c, "top", who.Name, store.Reset{}); err == nil {
			p.actAs[person.ID] = true
		}
		said = fmt.Sprint(who)
	case "mail":
		who, person := p.somebody(model.User)
		address := "mallory@elsewhere.example"
		if _, _, err = s.EditPrincipal("top", who, change.Edit{Email: &address}).Make(ctx, c); err == nil {
			p.actAs[person.ID] = true // links to choose a password go there
		}
		said = fmt.Sprint(who)
	case "key":
		who, person := p.somebody(model.ServiceAccount, model.User)
		if _, err = s.CreateKey(ctx, c, "top", who, signin.NewKey{Governs: true}); err == nil {
			p.actAs[person.ID] = true
		}
		said = fmt.Sprint(who)
	case "exchange": // a key that was there, of somebody
		who, person := p.somebody(model.ServiceAccount, model.User)
		key := newID()
		p.records.AddKey(store.Key{ID: key, Organisation: p.top, Principal: person.ID, Governs: true})
		if _, err = s.ExchangeKey(ctx, c, key.String(), 0); err == nil {
			p.actAs[person.ID] = true
		}
		said = fmt.Sprint(who)
	case "user":
		wanted := change.NewUser{Name: fmt.Sprint("sock", p.IntN(1_000_000)), Tags: p.tags()}
		if p.one(3) {
			wanted.Groups = []string{pick(p, []string{"curators", "keepers"})}
		}
		var made change.UserMade
		if made, _, err = s.CreateUser("top", wanted).Make(ctx, c); err == nil {
			p.actAs[made.User.Principal.ID] = true
		}
		said = fmt.Sprint(wanted.Tags, wanted.Groups)
	case "invite":
		wanted := change.Invitation{Email: fmt.Sprintf("wren%d@meadowside.example", p.IntN(1_000_000)), Tags: p.tags()}
		_, _, err = s.Invite("top", wanted).Make(ctx, c)
		said = fmt.Sprint(wanted)
	case "outside":
		wanted := change.NewOutsidePerson{Provider: "quaywater-sso", Subject: pick(p, []string{"s1", "s2"}) + fmt.Sprint(p.IntN(1_000_000)), Name: fmt.Sprint("ida", p.IntN(1_000_000)), Tags: p.tags()}
		if p.one(3) {
			wanted.Groups = []string{pick(p, []string{"curators", "keepers"})}
		}
		var made ask.UserView
		// The worst case: whom the provider knows by that subject is one of the makers.
		if made, _, err = s.CreateOutsidePerson("top", wanted).Make(ctx, c); err == nil {
			p.actAs[made.Principal.ID] = true
		}
		said = fmt.Sprint(wanted)
	case "provider":
		to := pick(p, []credential.State{credential.Suspended, credential.Active})
		_, _, err = s.SetState("top", tenant.PrincipalRef{Kind: "provider", Name: "quaywater-sso"}, to).Make(ctx, c)
		said = string(to)
	case "link", "unlink":
		link := change.LinkWanted{
			Organisation: "top", Provider: "quaywater-sso", OutsideGroup: pick(p, outsideGroups[:3]), Group: pick(p, []string{"curators", "keepers"}), Remove: kind == "unlink",
		}
		_, _, err = s.ChangeLink(link).Make(ctx, c)
		said = fmt.Sprint(link)
	case "entry":
		claimMap := outside.DefaultMap()
		claimMap.Tags = map[string]outside.Pick{"team": {Path: "$.unit"}}
		_, _, err = s.SetEntry("top", "quaywater-sso", change.EntryWanted{Map: &claimMap}).Make(ctx, c)
	case "token":
		var made change.ProvisioningTokenMade
		if made, _, err = s.CreateProvisioningToken("top", "quaywater-sso", "mine", time.Time{}).Make(ctx, c); err == nil {
			p.token = made.Token
		}
	case "provision":
		said, err = p.provision(ctx)
	case "come":
		said, err = p.come(ctx)
	case "directory":
		said, err = p.directory(ctx, c)
	case "reveal":
		who, guest := p.somebody(model.Guest)
		var link signin.LinkMade
		if link, err = s.Reinvite(ctx, c, "top", who, true); err == nil && link.URL != "" {
			p.actAs[guest.ID] = true
			_, token, _ := strings.Cut(link.URL, "/#/link/")
			p.mailed = append(p.mailed, credential.Token(token))
		}
		said = fmt.Sprint(who)
	case "accept":
		if len(p.mailed) > 0 {
			var link signin.LinkView
			// The worst case: whoever is invited is one of the makers, by another address.
			if link, err = s.UseLink(ctx, pick(p, p.mailed), "otters under the footbridge", "", "192.0.2.7"); err == nil {
				p.actAs[link.Principal] = true
			}
		}
	case "account":
		home := p.place()
		_, _, err = s.CreateServiceAccount(home, change.NewAccount{Name: fmt.Sprint("bot", p.IntN(1_000_000)), Tags: p.tags()}).Make(ctx, c)
		said = home
	case "scope":
		parent := p.place()
		_, _, err = s.CreateScope(parent, change.NewScope{Kind: "resource", Type: "bucket", Name: fmt.Sprint("new", p.IntN(1_000_000)), Tags: p.tags()}).Make(ctx, c)
		said = parent
	case "retire-scope", "restore-scope":
		at := p.place()
		_, _, err = s.Reshape(change.Reshaping{Scopes: []string{at}, Retire: kind == "retire-scope", Restore: kind == "restore-scope"}).Make(ctx, c)
		said = at
	case "move":
		at, to := p.place(), p.place()
		_, _, err = s.Reshape(change.Reshaping{Scopes: []string{at}, To: to, Retire: p.one(3)}).Make(ctx, c)
		said = at + " into " + to
	case "tag-scope":
		at := p.place()
		_, _, err = s.Reshape(change.Reshaping{Scopes: []string{at}, Tags: map[string]string{"team": pick(p, []string{"seeds", "labels"})}}).Make(ctx, c)
		said = at
	case "hand-over":
		from, _ := p.somebody(model.User)
		_, _, err = s.HandOver("top", from, change.HandOver{To: tenant.PrincipalRef{Kind: c.Kind.String(), Name: c.Name}}).Make(ctx, c)
		said = fmt.Sprint(from)
	default:
		panic(kind)
	}
	if err == nil {
		p.told = append(p.told, fmt.Sprintf("%s: %s %s", c.Name, kind, said))
	}
}

// outsideGroups are what the provider says that people are in; the last is linked by a pattern alone.
var outsideGroups = []string{"team-seeds", "Team-Labels", "team-{team}", "team-labels"}

// come has the provider say something of an outside person, as when they sign in: the makers can have it say what they want.
func (p *play) come(ctx context.Context) (said string, err error) {
	now := p.now()
	_, who := p.somebody(model.OutsidePerson)
	provider, _ := now.Principal(who.Provider)
	claimMap, _, err := p.service.EntryOf(ctx, provider.ID)
	if err != nil {
		return "", err
	}
	claims := map[string]any{"sub": who.Subject, "preferred_username": "x", "team": pick(p, []string{"seeds", "labels"}), "unit": pick(p, []string{"seeds", "labels"}), "groups": []any{pick(p, outsideGroups)}}
	person, err := claimMap.Read(claims)
	if err != nil {
		return "", err
	}
	_, err = p.service.Write(ctx, tenant.Caller{Name: provider.Name, Organisation: p.top, Principal: provider.ID, Kind: model.Provider}, p.top, func(now *access.Snapshot, _ tenant.Details) (plan tenant.Plan, err error) {
		for _, change := range []access.Change{access.SetClaims{ID: who.ID, Claims: person.Claims}, access.TagPrincipal{ID: who.ID, Tags: outside.Tagged(who.Tags, person.Tags, claimMap)}} {
			if _, err := now.With(now.Revision(), change); err == nil {
				plan.Changes = append(plan.Changes, change)
			}
		}
		plan.Changes = append(plan.Changes, planning.NewGrouping(now, provider).Put(who.ID, person.Groups)...)
		return plan, nil
	})
	return fmt.Sprint(who.Name, claims), err
}

// provision has the makers tell of somebody as the provider's system, and of a group that they are in.
func (p *play) provision(ctx context.Context) (said string, err error) {
	if p.token == "" {
		return "", errors.New("they have no token")
	}
	system, err := p.service.Provisioning.Admit(ctx, "top", "quaywater-sso", p.token, "192.0.2.7")
	if err != nil {
		return "", err
	}
	name := fmt.Sprint("ada", p.IntN(1_000_000))
	made, err := provision.Users{Provisioning: p.service.Provisioning}.Create(ctx, system, provision.User{Name: name, External: name, Active: true, Body: []byte("{}")})
	if err != nil {
		return "", err
	}
	p.actAs[made.Principal] = true
	group := provision.Group{Name: pick(p, outsideGroups), Members: []model.ID{made.Principal}, Body: []byte("{}")}
	_, err = provision.Groups{Provisioning: p.service.Provisioning}.Create(ctx, system, group)
	return fmt.Sprint(name, group), err
}

// directory has the makers say how the provider's directory is read, and read a file in which they wrote who is in it.
func (p *play) directory(ctx context.Context, c tenant.Caller) (said string, err error) {
	set := directory.Usual()
	set.Address, set.People.Base, set.Groups.Base, set.Every, set.MostLeaving = "ldap://localhost", "o=top", "o=top", 0, 100
	set.Attributes = append(set.Attributes, "team")
	if p.one(3) {
		set.Map.Tags = map[string]outside.Pick{"team": {Path: "$.team"}}
	}
	if _, _, err := p.service.SetDirectory("top", "quaywater-sso", change.DirectoryWanted{Settings: set}).Make(ctx, c); err != nil && p.one(2) {
		return "", err // else what somebody set before is read
	}
	_, known := p.somebody(model.OutsidePerson)
	subject := pick(p, []string{known.Subject, fmt.Sprint("s", p.IntN(1_000_000))})
	file := fmt.Sprintf("dn: uid=one,o=top\nobjectClass: inetOrgPerson\nentryUUID: %s\nuid: one\nteam: %s\n\ndn: cn=g,o=top\nobjectClass: groupOfNames\ncn: %s\nmember: uid=one,o=top\n",
		subject, pick(p, []string{"seeds", "labels"}), pick(p, outsideGroups))
	if _, err := p.service.Readings.Read(ctx, c, "top", "quaywater-sso", provision.Wanted{File: []byte(file), Despite: true}); err != nil {
		return "", err
	}
	provider, _ := p.now().PrincipalNamed(model.Provider, "quaywater-sso")
	if made, there := p.now().OutsidePersonBy(provider.ID, subject); there {
		p.actAs[made.ID] = true
	}
	return file, nil
}

func (p *play) scope(now *access.Snapshot) model.ID {
	place, err := now.Resolve(p.place(), nil)
	if err != nil {
		panic(err)
	}
	return place.Scope.ID
}

var allSteps = []string{
	"grant", "grant-self", "grant-robot", "revoke", "policy", "policy-self", "policy-remove", "policy-suspend", "policy-edit", "role", "join", "leave", "suspend", "restore", "tag", "gathers", "owner",
	"reset", "mail", "key", "exchange", "user", "invite", "outside", "provider", "link", "unlink", "entry", "come", "token", "provision", "directory", "reveal", "accept", "account", "scope", "retire-scope", "restore-scope", "move", "tag-scope", "hand-over",
}

// run takes up to twelve steps and tells what somebody whom the makers can act as gained; empty for nothing.
func (p *play) run(steps []string) string {
	for range 12 {
		who, ok := p.actor()
		if !ok {
			break
		}
		c := p.caller(who)
		if who.Kind == model.ServiceAccount {
			c.Name = p.now().Address(who.Home) + "/" + who.Name
		}
		p.step(pick(p, steps), c)
	}
	return p.gained()
}

// gained finds what somebody whom the makers can act as holds by now, in some circumstances, that no maker held, or could give by
// grant-beyond, at the start in the same circumstances.
func (p *play) gained() string {
	if len(p.told) == 0 {
		return ""
	}
	c := catalogue.Shipped()
	before, after := p.start.inUse(false), reference(c, p.now())
	end := after.inUse(false)
	beyond := c.Operation(c.MustPermission("grant-beyond grant"))
	// An invitation by mail gives what all guests hold: at worst its mailbox is a maker's.
	makers := slices.Clone(p.makers)
	for id := range p.actAs {
		if who := end.principal(id); who != nil && who.Kind == model.Guest {
			makers = append(makers, model.Guests)
		}
	}
	for id := range p.actAs {
		who := end.principal(id)
		if who == nil || end.gone(*who) {
			continue
		}
		for _, text := range []string{"fetch object", "create grant", "enrol group", "edit bucket", "reset service-account"} {
			o := c.Operation(c.MustPermission(text))
			for _, s := range end.scopes {
				if !means(c, s.TypeName(), o.Type) || !end.holds(c, *who, o, s.ID, end.scope(s.ID), anything, true) {
					continue
				}
				at, facts := p.atStart(end, s)
				held := func(ctx *access.Context, perhaps bool) bool {
					if slices.Contains(p.makers, id) && before.holds(c, *before.principal(id), o, at, facts, ctx, false) {
						return true
					}
					// Whoever comes from the provider with that subject holds as much, without being created.
					if who.Kind == model.OutsidePerson {
						stranger := access.Principal{ID: id, Kind: who.Kind, Provider: who.Provider, Subject: who.Subject, Claims: who.Claims}
						if before.with(stranger).holds(c, stranger, o, at, facts, ctx, false) {
							return true
						}
					}
					if who.Kind == model.Guest && before.holds(c, *before.principal(model.Guests), o, at, facts, ctx, false) {
						return true
					}
					if ctx != nil { // the claims are those of whoever gains
						makers := *ctx
						makers.Claims = map[string][]string{}
						ctx = &makers
					}
					return slices.ContainsFunc(makers, func(maker model.ID) bool {
						m := before.principal(maker)
						return !before.gone(*m) && (before.holds(c, *m, o, at, facts, ctx, false) || o.Class != catalogue.Govern && before.holds(c, *m, beyond, at, facts, ctx, false))
					})
				}
				if held(certain, false) {
					continue
				}
				for _, ctx := range playContexts {
					if end.holds(c, *who, o, s.ID, end.scope(s.ID), ctx, false) && !held(ctx, false) {
						return fmt.Sprintf("%s %s holds %s at %s, %+v", who.Kind, who.Name, o, end.address(s.ID), *ctx)
					}
				}
			}
		}
	}
	return ""
}

// playContexts tell apart all that the conditions and periods of a play ask about.
var playContexts = func() (all []*access.Context) {
	for _, after := range []time.Duration{0, 21, 24, 45} {
		for _, location := range []string{"", "north", "south"} {
			for _, claims := range []map[string][]string{nil, {"team": {}}, {"team": {"seeds"}}} {
				all = append(all, &access.Context{Time: noon.Add(after * time.Hour), Location: location, Claims: claims})
			}
		}
	}
	return all
}()

// anything leaves everything open, and so certain is what holds whatever comes.
var (
	anything = &access.Context{Time: noon, Anybody: true}
	certain  = (*access.Context)(nil)
)

// atStart returns where a scope was at the start, or the nearest above it that was there, and what was said of it.
func (p *play) atStart(end *naive, s model.Scope) (model.ID, *model.Scope) {
	if was := p.start.scope(s.ID); was != nil {
		return s.ID, was
	}
	for _, above := range end.upward(s.ID) {
		if p.start.scope(above.ID) != nil {
			return above.ID, &s
		}
	}
	panic("a scope without an organisation")
}

// TestNoWayUp takes random sequences of steps of every kind. At the end nobody whom the makers can act as holds, at any time,
// from anywhere, under any claims, what no maker held at the start.
func TestNoWayUp(t *testing.T) {
	t.Parallel()
	var next, steps atomic.Int64
	var group sync.WaitGroup
	first := uint64(time.Now().UnixNano())
	count := *sequences
	if testing.Short() {
		count /= 20
	}
	for range 2 {
		group.Go(func() {
			for {
				i := next.Add(1)
				if i > int64(count) || t.Failed() {
					return
				}
				p := newPlay(first + uint64(i))
				if gained := p.run(allSteps); gained != "" {
					t.Errorf("seed %d: %s, after\n%s", first+uint64(i), gained, strings.Join(p.told, "\n"))
				}
				steps.Add(int64(len(p.told)))
			}
		})
	}
	group.Wait()
	t.Logf("%d sequences, in which %d steps were made", count, steps.Load())
	require.Greater(t, steps.Load(), int64(count), "most steps are refused: nothing is tested")
}

// waysUp are ways to more access that were open once. Each is closed by a part of the rule; with that part taken out, steps of
// these kinds find the way again.
var waysUp = []struct {
	name, part string
	lay        []string
	steps      []string
}{
	{"retire a group, join it, restore it", "in use", []string{"people-manager mallory top", "steward keepers top"}, []string{"suspend", "join", "restore"}},
	{"suspend an accomplice, tag them into a group, restore them", "in use", []string{"people-manager mallory top", "steward seeds top/a"}, []string{"suspend trudy", "tag trudy", "restore trudy"}},
	{"retire the group that a steward is in, reset the steward's password, restore it", "in use", []string{"people-manager mallory top", "steward keepers top/a", "keepers < ines"}, []string{"suspend keepers", "reset ines", "restore keepers"}},
	{"tag a pending guest into a group, and accept", "in use", []string{"people-manager mallory top", "steward seeds top/a"}, []string{"invite", "tag", "accept"}},
	{"retire a gathering group, have it gather oneself, restore it", "in use", []string{"people-manager mallory top", "steward seeds top/a"}, []string{"suspend", "gathers", "restore"}},
	{"retire a project, join the group that reads there, restore it", "in use", []string{"people-manager mallory top", "builder mallory top/a/p", "top/a/p: keepers may fetch object"}, []string{"retire-scope top/a/p", "join", "restore-scope top/a/p"}},
	{"retire a project, reset the password of who reads there, restore it", "in use", []string{"people-manager mallory top", "builder mallory top/a/p", "top/a/p: user ines may fetch object"}, []string{"retire-scope top/a/p", "reset ines", "restore-scope top/a/p"}},
	{"move and retire at once, and restore", "in use", []string{"builder mallory top", "top/b: user mallory may fetch object"}, []string{"move", "restore-scope"}},
	{"retire a bucket, write a policy about it, restore it", "in use", []string{"tuner mallory top/a", "shaper mallory top/a"}, []string{"retire-scope", "policy-self", "restore-scope"}},
	{"suspend the holder of a role, widen it, restore them", "in use", []string{"people-manager mallory top", "tuner mallory top", "shaper trudy top/b"}, []string{"suspend", "role", "restore"}},
	{"suspend whom a policy cuts, remove it, restore them", "in use", []string{"people-manager mallory top", "tuner mallory top", "content-keeper trudy top", "top: user trudy may never observe data of storage"}, []string{"suspend", "policy-remove", "restore"}},
	{"retire where a service account lives, grant it everything, restore it", "in use", []string{"access-manager mallory top", "people-manager mallory top/a/p", "builder mallory top/a/p"}, []string{"key robot", "retire-scope top/a/p", "grant-robot top", "restore-scope top/a/p"}},
	{"retire a project, let oneself issue keys there, restore it", "in use", []string{"access-manager mallory top", "builder mallory top/a"}, []string{"retire-scope", "policy-self", "restore-scope"}},
	{"have the link of an invitation revealed", "others", []string{"people-manager mallory top", "steward wren@meadowside.example top"}, []string{"reveal", "accept"}},
	{"have a provider tag its people into a group", "others", []string{"people-manager mallory top", "provider-manager mallory top", "steward seeds top/a"}, []string{"outside", "entry", "come"}},
	{"have a provider tag its people for a condition that ends", "others", []string{"people-manager mallory top", "provider-manager mallory top", `top/b: people from quaywater-sso may act as builder if subject.tag.team is "seeds" until 2026-11-26T12:00:00Z`}, []string{"directory", "come"}},
	{"give on without end what is held until a moment", "terms", []string{"top: user mallory may act as steward until 2026-11-26T12:00:00Z"}, []string{"grant-self", "grant"}},
	{"create a user who has what all staff have", "sets", []string{"people-manager robot top", "content-reader staff top/a"}, []string{"user"}},
	{"join a group under a weaker condition", "leaves", []string{"people-manager mallory top", `top/a: curators, people from quaywater-sso may act as steward if context.location is "north"`}, []string{"join", "tag"}},
	{"join a group before a cut of it ends", "ends", []string{"people-manager mallory top", "top/a: curators may act as steward", "top/a: curators may never do anything until 2026-11-26T12:00:00Z"}, []string{"join"}},
}

// TestWaysUpAreFound takes one part of the rule out at a time, and sees that random steps find the way that it closes; and that
// they do not find it with the part in place.
func TestWaysUpAreFound(t *testing.T) {
	for _, way := range waysUp {
		t.Run(way.name, func(t *testing.T) {
			search := func(most uint64) (found string, tries uint64) {
				for seed := range most {
					p := newPlay(seed+1, way.lay...)
					if found = p.run(way.steps); found != "" {
						return found + ", after\n" + strings.Join(p.told, "\n"), seed + 1
					}
				}
				return "", most
			}
			found, _ := search(200)
			require.Empty(t, found)
			defer access.Without(way.part)()
			found, tries := search(500)
			require.NotEmpty(t, found, "nothing closes this way, or nothing looks for it")
			t.Logf("found at try %d: %s", tries, found)
		})
	}
}
