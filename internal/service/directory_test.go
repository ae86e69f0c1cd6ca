package service_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/standin/identity"
	"arbora.example/internal/standin/slapd"
)

const house = "lindenmere-house" // the provider of the organisation's own people

// reading is a directory of Lindenmere's own people that is read in tests.
type reading struct {
	t     *testing.T
	b     *testbed.Bed
	rowan *client.Client
	there *slapd.Server
}

// ownDirectory sets that the organisation's own directory is read when somebody asks.
func ownDirectory(t *testing.T) reading {
	t.Helper()
	there, b := testbed.Directory(t, slapd.Options{}), testbed.InMemory(t)
	r := reading{t, b, b.As(t, "rowan@lindenmere"), there}
	require.NoError(t, client.Done(r.rowan.CreateProvider(t.Context(), org, api.ProviderNew{Name: house, Title: "Lindenmere's own people", Own: true})))
	require.NoError(t, client.Done(r.rowan.SetDirectory(t.Context(), org, house, nil, testbed.DirectoryWanted(t, r.rowan, house, there))))
	return r
}

func (r reading) read(wanted api.DirectoryReadingWanted) api.DirectoryReading {
	r.t.Helper()
	is, err := r.rowan.ReadDirectory(r.t.Context(), org, house, wanted)
	require.NoError(r.t, err)
	return is
}

// steps returns what a reading did with whom, as texts.
func steps(r api.DirectoryReading) (all []string) {
	for _, s := range r.Steps {
		all = append(all, string(s.Does)+" "+s.Name)
	}
	return all
}

func (r reading) may(name, permission, scope string) bool {
	r.t.Helper()
	answer, err := r.rowan.Check(r.t.Context(), scope, api.Question{Permission: permission, Principal: &api.PrincipalRef{Kind: api.OutsidePersonKind, Name: name + "@" + house}})
	require.NoError(r.t, err)
	return answer.Allowed
}

func (r reading) state(name string) api.State {
	r.t.Helper()
	shown, err := r.rowan.ShowPrincipal(r.t.Context(), org, api.OutsidePersonKind, name+"@"+house)
	require.NoError(r.t, err)
	return shown.State
}

// TestDirectory reads who comes, changes, leaves, returns and is retired.
func TestDirectory(t *testing.T) {
	r := ownDirectory(t)
	ctx, rowan := t.Context(), r.rowan
	require.NoError(t, client.Done(rowan.CreateLink(ctx, org, house, nil, api.GroupLink{OutsideGroup: "seed_curators", Group: "seed-curators"})))
	r.b.Grant(t, "observer", "group", "seed-curators", alpine)
	r.b.Grant(t, "pathfinder", "set", "staff", alpine)

	// The dry run tells all, and changes nothing.
	preview := r.read(api.DirectoryReadingWanted{Preview: true})
	require.Equal(t, api.ReadingPreviewed, preview.Outcome)
	require.Equal(t, []string{
		"comes caspian@" + house, "comes henrike@" + house, "comes odette@" + house, "comes sorrel@" + house, "group comes label-house", "group comes science", "group changes seed_curators",
	}, sortedSteps(preview))
	require.NotNil(t, preview.Impact)
	require.Equal(t, "4 people would gain access.", preview.Impact.Words)
	list, err := rowan.ListReadings(ctx, org, house)
	require.NoError(t, err)
	require.Empty(t, list.Readings)
	_, err = rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "sorrel@"+house)
	require.Error(t, err)

	done := r.read(api.DirectoryReadingWanted{})
	require.Equal(t, api.ReadingDone, done.Outcome)
	require.Equal(t, "rowan@lindenmere", done.By)
	require.Equal(t, 4, done.People)
	require.Equal(t, 3, done.Groups)
	require.True(t, r.may("sorrel", "describe project", alpine), "by the link of a group")
	require.False(t, r.may("caspian", "describe project", alpine))
	shown, err := rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "henrike@"+house)
	require.NoError(t, err)
	require.Equal(t, "Henrike Söll", shown.Title)
	require.Equal(t, api.ByPassword, shown.SignInBy)
	require.Equal(t, "henrike@"+house+"@lindenmere", shown.SignIn)
	link, err := rowan.MailPasswordLink(ctx, org, api.OutsidePersonKind, "henrike@"+house)
	require.NoError(t, err)
	require.True(t, link.Mailed.Sent)
	require.Equal(t, "henrike@lindenmere.example", shown.Email)
	require.Equal(t, []string{"herbarium"}, shown.Claims["departmentNumber"])
	require.Equal(t, []string{"label-house", "science"}, groupNames(shown.OutsideGroups))
	held, err := rowan.Check(ctx, alpine, api.Question{Permission: "list project", Principal: &api.PrincipalRef{Kind: api.OutsidePersonKind, Name: "caspian@" + house}})
	require.NoError(t, err)
	require.True(t, held.Allowed, "the organisation's own people are staff: %s", held.Reason)

	require.Equal(t, api.ReadingUnchanged, r.read(api.DirectoryReadingWanted{}).Outcome)

	// Nothing else lets them in, so they choose a password by a letter, and sign in as anybody here.
	token := linkTo(t, r.b, "odette@lindenmere.example")
	anybody, err := client.Open(r.b.Address, "")
	require.NoError(t, err)
	used, err := anybody.UseLink(ctx, api.LinkUse{Token: token, Password: "ten-quiet-seed-drawers"})
	require.NoError(t, err)
	require.Equal(t, "odette@"+house+"@lindenmere", used.SignIn)
	odette, err := demo.SignIn(ctx, r.b.Address, used.SignIn, "ten-quiet-seed-drawers")
	require.NoError(t, err)
	session, err := odette.GetSession(ctx)
	require.NoError(t, err)
	require.Equal(t, "odette@"+house+"@lindenmere", session.Name)

	// A claim changes, and a statement goes by it at once.
	policy := api.PolicyNew{Name: "garden-people", Text: `people from ` + house + ` with departmentNumber "herbarium" may observe tree`}
	require.NoError(t, client.Done(rowan.CreatePolicyAt(ctx, alpine, policy)))
	require.True(t, r.may("henrike", "describe project", alpine))
	require.NoError(t, r.there.Change(func(conn *ldap.Conn) error {
		change := ldap.NewModifyRequest("uid=henrike,"+slapd.People, nil)
		change.Replace("departmentNumber", []string{"gardens"})
		return conn.Modify(change)
	}))
	moved := r.read(api.DirectoryReadingWanted{})
	require.Equal(t, []string{"changes henrike@" + house}, steps(moved))
	require.Equal(t, `departmentNumber is "gardens" now`, moved.Steps[0].What)
	require.False(t, r.may("henrike", "describe project", alpine))

	// Whoever leaves is out with the next reading.
	require.NoError(t, r.there.Leave("odette"))
	left := r.read(api.DirectoryReadingWanted{})
	require.Equal(t, []string{"leaves odette@" + house, "group changes seed_curators", "group changes science"}, rearranged(left, "leaves"))
	require.Equal(t, api.StateSuspended, r.state("odette"))
	require.False(t, r.may("odette", "describe project", alpine))
	_, err = odette.GetSession(ctx)
	require.ErrorContains(t, err, "revoked", "sessions included")
	require.Equal(t, api.ReadingUnchanged, r.read(api.DirectoryReadingWanted{}).Outcome)
	r.b.Clock.Forward(31 * 24 * time.Hour)
	r.rowan = r.b.As(t, "rowan@lindenmere")
	require.Equal(t, []string{"retires odette@" + house}, steps(r.read(api.DirectoryReadingWanted{})))
	require.Equal(t, api.StateRetired, r.state("odette"))

	list, err = r.rowan.ListReadings(ctx, org, house)
	require.NoError(t, err)
	require.Equal(t, []api.DirectoryReadingOutcome{api.ReadingDone, api.ReadingUnchanged, api.ReadingDone, api.ReadingDone, api.ReadingUnchanged, api.ReadingDone}, outcomes(list.Readings))
}

func outcomes(list []api.DirectoryReading) (all []api.DirectoryReadingOutcome) {
	for _, r := range list {
		all = append(all, r.Outcome)
	}
	return all
}

// sortedSteps are the steps with those of people by name, as the directory gives them in any order.
func sortedSteps(r api.DirectoryReading) []string {
	all := steps(r)
	n := 0
	for n < len(all) && strings.HasPrefix(all[n], "comes ") {
		n++
	}
	for i := range n {
		for j := range i {
			if all[i] < all[j] {
				all[i], all[j] = all[j], all[i]
			}
		}
	}
	return all
}

// rearranged are the steps with those of a kind first, and groups from the shortest name.
func rearranged(r api.DirectoryReading, first string) (all []string) {
	for _, s := range steps(r) {
		if strings.HasPrefix(s, first) || strings.HasSuffix(s, "seed_curators") {
			all = append(all, s)
		}
	}
	for _, s := range steps(r) {
		if strings.HasSuffix(s, "science") {
			all = append(all, s)
		}
	}
	return all
}

// TestLeaverComesBack has whom the directory named again be in again, but nobody whom an administrator suspended.
func TestLeaverComesBack(t *testing.T) {
	r := ownDirectory(t)
	ctx := t.Context()
	r.read(api.DirectoryReadingWanted{})
	file := func(names ...string) string {
		var b strings.Builder
		people, err := r.rowan.ListPeople(ctx, org, &api.ListPeopleParams{Provider: house, Limit: 100})
		require.NoError(t, err)
		for _, p := range people.People {
			shown, err := r.rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, p.Name)
			require.NoError(t, err)
			name, _, _ := strings.Cut(p.Name, "@")
			for _, wanted := range names {
				if wanted == name {
					fmt.Fprintf(&b, "dn: uid=%s,%s\nobjectClass: inetOrgPerson\nentryUUID: %s\nuid: %s\ncn: %s\nmail: %s\n\n", name, slapd.People, shown.Subject, name, shown.Title, shown.Email)
				}
			}
		}
		return b.String()
	}
	require.NoError(t, client.Done(r.rowan.SetState(ctx, org, api.OutsidePersonKind, "caspian@"+house, nil, api.StateChange{State: api.StateSuspended})))
	whole := file("sorrel", "caspian", "henrike", "odette")
	stopped := r.read(api.DirectoryReadingWanted{File: file("sorrel", "henrike")})
	require.Equal(t, api.ReadingStopped, stopped.Outcome)
	require.Equal(t, []string{"2 of 4 people would leave, and 30 percent may at once"}, stopped.Brakes)
	require.Equal(t, api.StateActive, r.state("odette"), "nothing was done")
	done := r.read(api.DirectoryReadingWanted{File: file("sorrel", "henrike"), DespiteBrakes: true})
	require.Equal(t, api.ReadingDone, done.Outcome)
	require.True(t, done.File)
	require.Equal(t, api.StateSuspended, r.state("odette"))
	back := r.read(api.DirectoryReadingWanted{File: whole})
	require.ElementsMatch(t, []string{"changes sorrel@" + house, "changes henrike@" + house, "returns caspian@" + house, "returns odette@" + house}, withoutChanges(back, "sorrel", "henrike"))
	require.Equal(t, api.StateActive, r.state("odette"))
	require.Equal(t, api.StateSuspended, r.state("caspian"), "an administrator decided so")

	// An empty answer suspends nobody, whatever is asked for.
	nobody := strings.ReplaceAll(whole, "inetOrgPerson", "device")
	stopped = r.read(api.DirectoryReadingWanted{File: nobody, DespiteBrakes: true})
	require.Equal(t, api.ReadingStopped, stopped.Outcome)
	require.Contains(t, stopped.Why, "nobody is found")
	_, err := r.rowan.ReadDirectory(ctx, org, house, api.DirectoryReadingWanted{File: "nonsense"})
	require.ErrorContains(t, err, "cannot be read as LDIF")
}

// withoutChanges adds to the steps those of people in whom nothing may have changed.
func withoutChanges(r api.DirectoryReading, names ...string) []string {
	all := steps(r)
	for _, name := range names {
		if text := "changes " + name + "@" + house; !strings.Contains(strings.Join(all, "\n"), text) {
			all = append(all, text)
		}
	}
	return all
}

// TestDirectoryBrakes stops before somebody who governs would be out, and before nobody would govern.
func TestDirectoryBrakes(t *testing.T) {
	r := ownDirectory(t)
	ctx := t.Context()
	r.read(api.DirectoryReadingWanted{})
	r.b.Grant(t, "steward", "outside-person", "odette@"+house, alpine)
	require.NoError(t, r.there.Leave("odette"))
	preview := r.read(api.DirectoryReadingWanted{Preview: true})
	require.Equal(t, []string{"odette@" + house + " would leave, who may govern here"}, preview.Brakes)
	stopped := r.read(api.DirectoryReadingWanted{})
	require.Equal(t, api.ReadingStopped, stopped.Outcome)
	require.Equal(t, api.StateActive, r.state("odette"))
	require.Equal(t, api.ReadingDone, r.read(api.DirectoryReadingWanted{DespiteBrakes: true}).Outcome)
	require.Equal(t, api.StateSuspended, r.state("odette"))

	// A directory that does not answer is told plainly, and shuts out nobody.
	wanted := testbed.DirectoryWanted(t, r.rowan, house, r.there)
	wanted.Settings.Address = "ldap://127.0.0.1:1"
	require.NoError(t, client.Done(r.rowan.SetDirectory(ctx, org, house, nil, wanted)))
	_, err := r.rowan.ReadDirectory(ctx, org, house, api.DirectoryReadingWanted{})
	require.ErrorContains(t, err, "does not answer")
	require.Equal(t, api.StateActive, r.state("sorrel"))
	list, err := r.rowan.ListReadings(ctx, org, house)
	require.NoError(t, err)
	require.Equal(t, api.ReadingFailed, list.Readings[0].Outcome)
	require.Contains(t, list.Readings[0].Why, "does not answer")
	home, err := r.rowan.ShowHome(ctx, org)
	require.NoError(t, err)
	require.Len(t, home.Unread, 1)
	require.Equal(t, house, home.Unread[0].Provider)
	require.False(t, home.Unread[0].Stopped)
	require.Contains(t, home.Unread[0].Why, "does not answer")
}

// TestDirectoryIsReadByItself reads a directory when its time comes, and notes it as the provider's own doing.
func TestDirectoryIsReadByItself(t *testing.T) {
	r := ownDirectory(t)
	ctx := t.Context()
	due := func() int {
		require.NoError(t, r.b.Service.Readings.Due(ctx))
		list, err := r.rowan.ListReadings(ctx, org, house)
		require.NoError(t, err)
		return len(list.Readings)
	}
	require.Zero(t, due(), "it is read when somebody asks")
	wanted := testbed.DirectoryWanted(t, r.rowan, house, r.there)
	wanted.Settings.Every = 60
	require.NoError(t, client.Done(r.rowan.SetDirectory(ctx, org, house, nil, wanted)))
	require.Equal(t, 1, due())
	require.Equal(t, 1, due())
	shown, err := r.rowan.ShowDirectory(ctx, org, house)
	require.NoError(t, err)
	require.WithinDuration(t, r.b.Clock.Now().Add(time.Hour), shown.NextAt, time.Minute)
	r.b.Clock.Forward(61 * time.Minute)
	require.Equal(t, 2, due())
	list, err := r.rowan.ListReadings(ctx, org, house)
	require.NoError(t, err)
	require.Equal(t, house, list.Readings[0].By)

	require.NoError(t, client.Done(r.rowan.SetState(ctx, org, api.ProviderKind, house, nil, api.StateChange{State: api.StateSuspended})))
	r.b.Clock.Forward(61 * time.Minute)
	require.Equal(t, 2, due(), "a provider out of use is not read")
	_, err = r.rowan.ReadDirectory(ctx, org, house, api.DirectoryReadingWanted{})
	require.ErrorContains(t, err, "out of use")
	require.NoError(t, client.Done(r.rowan.SetState(ctx, org, api.ProviderKind, house, nil, api.StateChange{State: api.StateActive})))
	require.NoError(t, client.Done(r.rowan.RemoveDirectory(ctx, org, house, nil)))
	_, err = r.rowan.ReadDirectory(ctx, org, house, api.DirectoryReadingWanted{})
	require.ErrorContains(t, err, "no directory is read for "+house)
}

// TestLongReading has whoever asks for a long reading hear that it goes on, and find it among the readings when it has ended.
func TestLongReading(t *testing.T) {
	r := ownDirectory(t)
	r.b.Service.Readings.Patience = 0
	running := r.read(api.DirectoryReadingWanted{})
	if running.Outcome != api.ReadingRunning {
		require.Equal(t, api.ReadingDone, running.Outcome, "it was quicker than that")
	}
	require.Eventually(t, func() bool {
		list, err := r.rowan.ListReadings(t.Context(), org, house)
		require.NoError(t, err)
		return len(list.Readings) == 1 && list.Readings[0].Id == running.Id && list.Readings[0].Outcome == api.ReadingDone
	}, time.Minute, 10*time.Millisecond)
	require.Equal(t, api.StateActive, r.state("sorrel"))
}

// TestDirectorySettings shows no password, forgets it for another server, and takes the rights that trusting a provider takes.
func TestDirectorySettings(t *testing.T) {
	r := ownDirectory(t)
	ctx := t.Context()
	shown, err := r.rowan.ShowDirectory(ctx, org, house)
	require.NoError(t, err)
	require.True(t, shown.Set)
	require.True(t, shown.HasPassword)
	text, err := json.Marshal(shown)
	require.NoError(t, err)
	require.NotContains(t, string(text), slapd.Password)
	wanted := testbed.DirectoryWanted(t, r.rowan, house, r.there)
	wanted.Password = nil
	require.NoError(t, client.Done(r.rowan.SetDirectory(ctx, org, house, nil, wanted)))
	require.Equal(t, 4, r.read(api.DirectoryReadingWanted{Preview: true}).People, "the password stays")
	wanted.Settings.Address = strings.Replace(r.there.Address, "127.0.0.1", "localhost", 1)
	written, err := r.rowan.SetDirectory(ctx, org, house, &api.SetDirectoryParams{Preview: true}, wanted)
	require.NoError(t, err)
	require.Contains(t, written.Impact.Warnings[0], "The password is forgotten")
	require.NoError(t, client.Done(r.rowan.SetDirectory(ctx, org, house, nil, wanted)))
	_, err = r.rowan.ReadDirectory(ctx, org, house, api.DirectoryReadingWanted{Preview: true})
	require.ErrorContains(t, err, "or not by this password")
	wanted.Settings.People.Filter = "(uid=*"
	require.ErrorContains(t, client.Done(r.rowan.SetDirectory(ctx, org, house, nil, wanted)), `the filter of people: "(uid=*" is not a filter`)

	// A provider manager who holds less than its people does not say who they are; nor does one by what is staff's.
	r.b.Grant(t, "provider-manager", "user", "tomas", org)
	tomas := r.b.As(t, "tomas@lindenmere")
	wanted = testbed.DirectoryWanted(t, r.rowan, house, r.there)
	r.b.Grant(t, "steward", "outside-person", mustCome(t, r)+"@"+house, alpine)
	require.ErrorContains(t, client.Done(tomas.SetDirectory(ctx, org, house, nil, wanted)), "could come as any of its people")
	_, err = tomas.ReadDirectory(ctx, org, house, api.DirectoryReadingWanted{})
	require.ErrorContains(t, err, "could come as any of its people")

	// What he could tag into a group that gathers by a tag of the directory counts, too.
	require.NoError(t, client.Done(r.rowan.CreateProvider(ctx, org, api.ProviderNew{Name: "vault-house"})))
	tagging := wanted
	tagging.Settings.ClaimMap.Tags = map[string]api.ClaimPick{"team": {Path: "$.departmentNumber"}}
	require.NoError(t, client.Done(r.rowan.SetDirectory(ctx, org, "vault-house", nil, tagging)))
	require.NoError(t, client.Done(r.rowan.CreateGroup(ctx, org, api.GroupNew{Name: "vault-hands", Gathers: `tag team is "vault"`})))
	r.b.Grant(t, "steward", "group", "vault-hands", alpine)
	_, err = tomas.ReadDirectory(ctx, org, "vault-house", api.DirectoryReadingWanted{File: "dn: uid=tomas," + slapd.People + "\nobjectClass: inetOrgPerson\nentryUUID: 1\nuid: tomas\ndepartmentNumber: vault\n"})
	require.ErrorContains(t, err, "could come as any of its people")

	// Two systems do not tell of the same people.
	require.NoError(t, client.Done(r.rowan.CreateProvider(ctx, org, api.ProviderNew{Name: "herbarium-house"})))
	require.NoError(t, client.Done(r.rowan.CreateProvisioningToken(ctx, org, "herbarium-house", api.ProvisioningTokenNew{Label: "people system"})))
	require.ErrorContains(t, client.Done(r.rowan.SetDirectory(ctx, org, "herbarium-house", nil, wanted)), "provisions its people by SCIM")
	require.ErrorContains(t, client.Done(r.rowan.CreateProvisioningToken(ctx, org, house, api.ProvisioningTokenNew{Label: "people system"})), "are read from its directory")
}

// mustCome reads the directory and returns one of its people.
func mustCome(t *testing.T, r reading) string {
	require.NoError(t, client.Done(r.rowan.SetDirectory(t.Context(), org, house, nil, testbed.DirectoryWanted(t, r.rowan, house, r.there))))
	require.Equal(t, api.ReadingDone, r.read(api.DirectoryReadingWanted{}).Outcome)
	return "sorrel"
}

// TestDirectoryBesidesTrust has somebody of the directory sign in at the provider: they are one, and what the directory says of them counts.
func TestDirectoryBesidesTrust(t *testing.T) {
	b, there, provider := testbed.InMemory(t), testbed.Directory(t, slapd.Options{}), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, provider)
	testbed.Visit(t, testbed.NewBrowser(t), way(b), "q-1001")
	groupsOf := func(name string) []string {
		shown, err := rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, name+"@"+sso)
		require.NoError(t, err)
		return groupNames(shown.OutsideGroups)
	}
	claimed := groupsOf("juno")
	require.NotEmpty(t, claimed)
	wanted := testbed.DirectoryWanted(t, rowan, sso, there)
	wanted.Settings.Key = "uid" // never so in earnest: it is what the stand-in's subjects can be made equal to
	require.NoError(t, client.Done(rowan.SetDirectory(ctx, org, sso, nil, wanted)))
	_, err := rowan.ReadDirectory(ctx, org, sso, api.DirectoryReadingWanted{})
	require.NoError(t, err)
	require.Equal(t, claimed, groupsOf("juno"), "who is not in the directory is none of its business")
	provider.Put(identity.Person{"sub": "odette", "preferred_username": "odette", "name": "Odette", "departmentNumber": "vault", "groups": []any{"consultants"}})
	browser := testbed.NewBrowser(t)
	testbed.Visit(t, browser, way(b), "odette")
	session, problem := testbed.SessionIn(t, b, browser)
	require.Empty(t, problem)
	require.Equal(t, "odette@"+sso+"@lindenmere", session.Name)
	shown, err := rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "odette@"+sso)
	require.NoError(t, err)
	require.Equal(t, []string{"seeds"}, shown.Claims["departmentNumber"])
	require.Equal(t, []string{"science", "seed_curators"}, groupNames(shown.OutsideGroups))

	require.NoError(t, there.Leave("odette"))
	_, err = rowan.ReadDirectory(ctx, org, sso, api.DirectoryReadingWanted{})
	require.NoError(t, err)
	_, problem = testbed.SessionIn(t, b, browser)
	require.Contains(t, problem, "revoked", "their session ended with the reading")
}
