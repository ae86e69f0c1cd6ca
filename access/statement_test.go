package access_test

import (
	"bufio"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/docs"
)

// trust is an organisation for statements to be about.
func trust(t testing.TB) *world {
	w := &world{now: access.New(catalogue.Shipped()), ids: map[string]model.ID{}}
	if t, ok := t.(*testing.T); ok {
		w.t = t
	}
	must := func(changes ...access.Change) {
		if err := w.try(changes...); err != nil {
			t.Fatal(err)
		}
	}
	for _, at := range []struct {
		address string
		kind    model.Kind
	}{
		{"lindenmere", model.Organisation}, {"lindenmere/science", model.Folder}, {"lindenmere/gardens", model.Folder},
		{"lindenmere/science/seedbank-trial", model.Project}, {"lindenmere/science/herbarium", model.Project},
		{"lindenmere/science/herbarium/digitising", model.Compartment},
		{"lindenmere/science/herbarium/digitising/scans.bucket", model.Resource}, {"lindenmere/science/here", model.Project},
	} {
		must(w.scope(at.address, at.kind))
	}
	for _, name := range []string{"seed-curators", "network-team", "herbarium-digitisers", "vault-keepers", "contractors", "may"} {
		w.ids[name] = newID()
		must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids[name], Kind: model.Group, Name: name}})
	}
	for _, name := range []string{"rowan", "bram"} {
		w.ids[name] = newID()
		must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids[name], Kind: model.User, Name: name}})
	}
	w.outside("quaywater-sso", "ilka", nil)
	w.ids["juno"], w.ids["label-indexer"] = newID(), newID()
	must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["juno"], Kind: model.Guest, Name: "juno@quaywater"}},
		access.CreatePrincipal{Principal: access.Principal{ID: w.ids["label-indexer"], Kind: model.ServiceAccount, Name: "label-indexer", Home: w.ids["lindenmere/science/herbarium/digitising"]}},
		access.CreateRole{Definition: catalogue.RoleDefinition{Name: "trial-hand", Scope: w.ids["lindenmere/science/seedbank-trial"], Include: []catalogue.Filter{{Services: []string{"storage"}}}}})
	return w
}

// scienceText is a policy at lindenmere/science in its one form.
const scienceText = `everyone except vault-keepers may never destroy anything
under seedbank-trial:
    seed-curators may act as storage-builder, databases-builder
under herbarium/digitising:
    # the network team looks after this one
    network-team may observe, operate, modify networking
    herbarium-digitisers may fetch, put object if context.location is "north"
    service labs may observe, attach network
    user rowan may observe data of storage until 2027-03-31  # while the move lasts
    contractors may only observe anything
at herbarium:
    people from quaywater-sso with department "seeds" may act as observer
    people from quaywater-sso with "urn:oid:2.5.4.11" "seeds" may list tree if claim."urn:oid:1.3" is not "guest" and claim.eduPersonEntitlement is "x"
at here:
    "may", user juno@quaywater may list tree
under "here":
    service account herbarium/digitising/label-indexer may put object
    public except everyone may never do anything
    signed-in may do anything to bucket, storage from 2026-11-01 until 2026-12-01T18:30:00Z
    staff, guests may govern user, people
    seed-curators may describe folder if context.hour >= 8 and (context.weekday in ("monday", "friday") or not claim.level starts with "x\"y") and context.ip within "192.0.2.0/24"
# nothing more
`

func read(w *world, at, text string) (statement.Policy, error) {
	p := statement.Policy{ID: model.ID{99}, Scope: w.ids[at], Name: "p"}
	var err error
	p.Statements, p.Notes, err = access.Reader{Snapshot: w.now, Scope: p.Scope}.ParsePolicy(text)
	return p, err
}

func TestStatementsHaveOneForm(t *testing.T) {
	w := trust(t)
	p, err := read(w, "lindenmere/science", scienceText)
	require.NoError(t, err)
	require.Equal(t, scienceText, w.now.Print(p))
	require.Len(t, p.Statements, 15)

	loose := "under  herbarium/digitising :network-team   may observe,operate ,modify networking\r\n\n" +
		"  \t \n# a note\nuser rowan may observe anything until 2027-03-31T00:00:00+00:00\nat here:\n\tstaff may do anything to anything # look\n"
	p, err = read(w, "lindenmere/science", loose)
	require.NoError(t, err)
	require.Equal(t, "under herbarium/digitising:\n    network-team may observe, operate, modify networking\n"+
		"# a note\nuser rowan may observe anything until 2027-03-31\nat here:\n    staff may do anything  # look\n", w.now.Print(p))
}

// TestStatementsKeepTheirMeaning renames and moves what a policy names: its text follows, and a place that leaves the
// policy's scope makes its statement dormant until it comes back.
func TestStatementsKeepTheirMeaning(t *testing.T) {
	w := trust(t)
	id := w.policy("lindenmere/science", "care", scienceText)
	digitising := w.ids["lindenmere/science/herbarium/digitising"]
	ask := func() bool {
		w.ids["labs"] = model.PlatformServiceID("labs")
		return w.may("labs", "attach network", "lindenmere/science/herbarium/digitising")
	}
	text := func() string {
		p, _ := w.now.Policy(id)
		return w.now.Print(p)
	}
	require.True(t, ask())
	w.must(access.RenameScope{ID: digitising, Name: "scanning"})
	require.Contains(t, text(), "under herbarium/scanning:\n")
	w.must(access.RenameScope{ID: digitising, Name: "digitising"}, access.MoveScope{ID: w.ids["lindenmere/science/herbarium"], Parent: w.ids["lindenmere/gardens"]})
	require.False(t, ask())
	require.True(t, w.now.Dormant(id, 2))
	require.Contains(t, text(), "under /lindenmere/gardens/herbarium/digitising:\n")

	p, _ := w.now.Policy(id)
	_, err := read(w, "lindenmere/science", text())
	require.ErrorContains(t, err, "is outside lindenmere/science, the scope of this policy")
	var before []model.ID
	for _, st := range p.Statements {
		before = append(before, st.Place)
	}
	_, _, err = access.Reader{Snapshot: w.now, Scope: p.Scope, Before: before}.ParsePolicy(text())
	require.NoError(t, err, "what a move has put outside may stay in the text")

	w.must(access.MoveScope{ID: w.ids["lindenmere/science/herbarium"], Parent: w.ids["lindenmere/science"]})
	require.True(t, ask())
	require.Equal(t, scienceText, text())
}

// TestWrongStatements reads what each of many wrong statements gets told, in testdata/wrong-statements.txt: the statement,
// then the message after "=>"; a \n in the statement is a line's end.
func TestWrongStatements(t *testing.T) {
	w := trust(t)
	file, err := os.Open("testdata/wrong-statements.txt")
	require.NoError(t, err)
	defer file.Close()
	var written strings.Builder
	count := 0
	for lines := bufio.NewScanner(file); lines.Scan(); {
		line := lines.Text()
		if line == "" || strings.HasPrefix(line, "#") {
			written.WriteString(line + "\n")
			continue
		}
		statement, message, _ := strings.Cut(line, " => ")
		_, err := read(w, "lindenmere/science", strings.ReplaceAll(statement, `\n`, "\n"))
		said := "reads well"
		if err != nil {
			said = strings.ReplaceAll(err.Error(), "\n", " | ")
		}
		written.WriteString(statement + " => " + said + "\n")
		if os.Getenv("ARBORA_WRITE_TESTDATA") == "" {
			require.Error(t, err, statement)
			require.Equal(t, message, said, statement)
		}
		count++
	}
	require.GreaterOrEqual(t, count, 60)
	if os.Getenv("ARBORA_WRITE_TESTDATA") != "" {
		require.NoError(t, os.WriteFile("testdata/wrong-statements.txt", []byte(written.String()), 0o644))
	}
}

// TestStatementsOfTheReference reads every example of docs/statements.md, and sees that each is in its one form.
func TestStatementsOfTheReference(t *testing.T) {
	w := trust(t)
	count := 0
	for i, part := range strings.Split(docs.Statements, "```") {
		text, example := strings.CutPrefix(part, "statements\n")
		if i%2 == 0 || !example {
			continue
		}
		policy, err := read(w, "lindenmere/science", text)
		require.NoError(t, err, text)
		require.Equal(t, text, w.now.Print(policy))
		count++
	}
	require.Greater(t, count, 12)
}

// FuzzPolicies reads any text: it never panics, and what it accepts is printed and read back as the same.
func FuzzPolicies(f *testing.F) {
	w := trust(f)
	f.Add(scienceText)
	wrong, err := os.ReadFile("testdata/wrong-statements.txt")
	if err != nil {
		f.Fatal(err)
	}
	for line := range strings.SplitSeq(string(wrong), "\n") {
		statement, _, _ := strings.Cut(line, " => ")
		f.Add(strings.ReplaceAll(statement, `\n`, "\n"))
	}
	f.Fuzz(func(t *testing.T, text string) {
		p, err := read(w, "lindenmere/science", text)
		if err != nil {
			return
		}
		printed := w.now.Print(p)
		again, err := read(w, "lindenmere/science", printed)
		if err != nil {
			t.Fatalf("what was printed is refused: %v\n%s", err, printed)
		}
		require.Equal(t, p, again, printed)
		require.Equal(t, printed, w.now.Print(again))
	})
}

// TestPatterns fills every pattern and reads what comes of it.
func TestPatterns(t *testing.T) {
	w := trust(t)
	values := map[string]string{"subject": "seed-curators", "place": "herbarium/digitising", "service": "labs", "role": "observer", "provider": "quaywater-sso", "instant": "2027-03-31", "name": "team", "text": `se"eds`}
	for _, p := range statement.Patterns() {
		filled := map[string]string{}
		for _, b := range p.Blanks {
			filled[b.Name] = values[b.Kind]
		}
		text, err := p.Fill(filled)
		require.NoError(t, err, p.Name)
		policy, err := read(w, "lindenmere/science", text)
		require.NoError(t, err, p.Name)
		require.Equal(t, text, w.now.Print(policy), "a pattern is in the one form")
		delete(filled, "where")
		text, err = p.Fill(filled)
		require.NoError(t, err)
		require.NotContains(t, text, "under", "without a place it holds where the policy stands")
	}
	for name, says := range map[string]string{"upload-onli": "did you mean upload-only?"} {
		t.Run(name, func(t *testing.T) {
			_, err := statement.FindPattern(name)
			require.ErrorContains(t, err, says)
		})
	}
	p, err := statement.FindPattern("for-a-while")
	require.NoError(t, err)
	for blank, says := range map[string]string{"hwo": `has no blank "hwo"`, "until": "characters that do not belong", "who": "characters that do not belong"} {
		t.Run(blank, func(t *testing.T) {
			values := map[string]string{"who": "contractors", "role": "observer", "until": "2027-03-31"}
			values[blank] = "#x"
			_, err := p.Fill(values)
			require.ErrorContains(t, err, says)
		})
	}
	_, err = p.Fill(map[string]string{"who": "contractors", "role": "observer", "until": "tomorrow"})
	require.ErrorContains(t, err, "is not a valid time")
	_, err = p.Fill(nil)
	require.ErrorContains(t, err, "the blank who is empty: say who helps")
	require.True(t, p.Matches("while role"))
	require.False(t, p.Matches("upload"))
}

func TestConditionsAndInstants(t *testing.T) {
	for text, says := range map[string]string{
		"context.location is \"a\"\n": "a condition is one line", `context.location is "a" # x`: "takes no comment",
		`context.location`: "context.location takes is, is not, in or starts with", `(context.hour < 3`: "a closing bracket", `context.hour < 3 request`: "expected and, or, or the end",
		strings.Repeat("not ", 60) + `context.hour < 3`: "nested too deep",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := statement.ParseCondition(text)
			require.ErrorContains(t, err, says, text)
		})
	}
	at, err := statement.ParseInstant("2027-03-31T20:00:00+02:00")
	require.NoError(t, err)
	require.Equal(t, time.Date(2027, 3, 31, 18, 0, 0, 0, time.UTC), at)
	for _, bad := range []string{"", "tomorrow", "2027-13-01", "2027-03-31 18:00"} {
		_, err := statement.ParseInstant(bad)
		require.ErrorContains(t, err, "is not a valid time")
	}
}
