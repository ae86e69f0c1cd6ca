package e2e

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/standin/loam"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// nine are the people of the expectation table, in the order of its columns.
var nine = []string{"rowan", "maeve", "tomas", "ines", "piotr", "yuki", "sefa", "oona", "bram"}

// expected is a row of the table.
type expected struct {
	operation, typ, at string
	outcomes           []string
}

// readNine reads the table. An address that begins with ... is in the scope of the row before.
func readNine(t *testing.T) []expected {
	file, err := os.Open("testdata/nine.txt")
	require.NoError(t, err)
	defer file.Close()
	var rows []expected
	within := ""
	for lines := bufio.NewScanner(file); lines.Scan(); {
		words := strings.Fields(lines.Text())
		if len(words) == 0 || words[0] == "#" || strings.HasPrefix(words[0], "#") {
			continue
		}
		require.Len(t, words, 3+len(nine), lines.Text())
		row := expected{words[0], words[1], words[2], words[3:]}
		if rest, inside := strings.CutPrefix(row.at, ".../"); inside {
			row.at = within + "/" + rest
		} else {
			within = row.at
		}
		rows = append(rows, row)
	}
	return rows
}

// startStory starts the scenario as it stands after the story, with Loam, and a stagehand who may do anything in it.
func startStory(t *testing.T) (b *testbed.Bed, stagehand *client.Client) {
	b = testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	stagehand = b.Newcomer(t, "stagehand")
	b.Grant(t, "steward", "user", "stagehand", "lindenmere")
	for _, role := range []string{"content-keeper", "record-keeper", "lab-writer", "machine-visitor"} {
		b.Grant(t, role, "user", "stagehand", "lindenmere")
	}
	require.NoError(t, client.Done(b.As(t, "maeve@lindenmere").AddMember(t.Context(), "lindenmere", "vault-keepers", nil, api.PrincipalRef{Kind: "user", Name: "stagehand"})))
	return b, stagehand
}

// stage prepares what an operation needs, and puts things right after it.
type stage struct {
	t     *testing.T
	hand  *loamclient.Client
	count int
}

func (s *stage) do(at, operation string, in loamapi.Input) {
	_, err := loamclient.Act[any](s.t.Context(), s.hand, at, operation, in)
	require.NoError(s.t, err, "%s %s", operation, at)
}

// before brings a resource into the state in which an operation makes sense.
func (s *stage) before(row expected) {
	switch row.operation + " " + row.typ {
	case "resize machine", "start machine":
		s.do(row.at, "stop", loamapi.Input{})
	case "enter machine", "connect database", "query database", "amend database", "visit app", "run lab":
		s.do(row.at, "start", loamapi.Input{})
	case "erase object", "fetch object":
		_, err := s.hand.Put(s.t.Context(), row.at+"/tried.txt", "text/plain", strings.NewReader("tried"))
		require.NoError(s.t, err)
	case "purge database":
		s.do(row.at, "start", loamapi.Input{})
		made, err := loamclient.Act[loamapi.Connection](s.t.Context(), s.hand, row.at, "connect", loamapi.Input{})
		require.NoError(s.t, err)
		_, err = loamclient.Act[any](s.t.Context(), s.hand.Connected(made), row.at, "amend", loamapi.Input{Key: "tried", Value: "1"})
		require.NoError(s.t, err)
	}
	if row.operation == "restore" {
		s.do(row.at, "retire", loamapi.Input{})
	}
}

func (s *stage) after(row expected) {
	if row.operation != "retire" && row.operation != "restore" {
		return
	}
	_, err := loamclient.Act[any](s.t.Context(), s.hand, row.at, "restore", loamapi.Input{})
	var problem *client.Error
	if !errors.As(err, &problem) || problem.Status != 409 { // it is in use already
		require.NoError(s.t, err)
	}
}

// try does what a row says as somebody.
func (s *stage) try(ctx context.Context, as *loamclient.Client, row expected) error {
	s.count++
	in := loamapi.Input{}
	switch row.operation + " " + row.typ {
	case "list object":
		_, err := as.Objects(ctx, row.at, "")
		return err
	case "fetch object":
		body, _, err := as.Fetch(ctx, row.at+"/tried.txt")
		if err == nil {
			err = body.Close()
		}
		return err
	case "put object":
		_, err := as.Put(ctx, row.at+"/put.txt", "text/plain", strings.NewReader("put"))
		return err
	case "erase object":
		return as.Erase(ctx, row.at+"/tried.txt")
	case "visit app":
		_, err := as.Visit(ctx, row.at)
		return err
	case "query database", "amend database", "purge database":
		made, err := loamclient.Act[loamapi.Connection](ctx, as, row.at, "connect", loamapi.Input{})
		if err != nil {
			return err
		}
		_, err = loamclient.Act[any](ctx, as.Connected(made), row.at, row.operation, loamapi.Input{Key: "tried", Value: "2"})
		return err
	case "enter machine":
		in.Program = []string{"list " + row.at}
	case "write lab":
		text := "list lindenmere/science/herbarium/digitising/scans.bucket"
		in.Text = &text
	case "resize machine", "resize database":
		in.Size = "large"
	case "edit subnet":
		in.Range = "10.40.0.0/24"
	}
	switch row.operation {
	case "list":
		return s.listed(ctx, as, row)
	case "create":
		in = loamapi.Input{At: row.at, Type: row.typ, Name: fmt.Sprint("made-", s.count)}
		if row.typ == "subnet" {
			in.Range = fmt.Sprintf("10.40.%d.0/24", s.count%250+1)
		}
		if row.typ == "lab" {
			in.Network = row.at + "/digitising-lan.network"
		}
		_, err := as.Create(ctx, in)
		return err
	}
	_, err := loamclient.Act[any](ctx, as, row.at, row.operation, in)
	return err
}

// listed turns what is shown of a place into an outcome: types that may not be listed are told.
func (s *stage) listed(ctx context.Context, as *loamclient.Client, row expected) error {
	here, err := as.Here(ctx, row.at)
	if err != nil {
		return err
	}
	if row.at[strings.LastIndex(row.at, "/"):] == "/digitising-lan.network" {
		for _, r := range here.Resources {
			if r.Type == row.typ {
				return nil
			}
		}
	}
	for _, off := range here.Unlisted {
		if off.Type == row.typ {
			return &client.Error{Problem: api.Problem{Status: 403, Permission: off.Permission}}
		}
	}
	return nil
}

// TestNinePeopleTryEverything tries every operation that Loam offers as nine people of the scenario and compares each
// outcome with a table written by hand.
func TestNinePeopleTryEverything(t *testing.T) {
	b, stagehand := startStory(t)
	s := &stage{t: t, hand: loamclient.Through(stagehand)}
	const digitising = "lindenmere/science/herbarium/digitising"
	s.do(digitising+"/digitising-lan.network", "edit", loamapi.Input{Range: "10.40.0.0/16"})
	for _, in := range []loamapi.Input{
		{At: digitising + "/digitising-lan.network", Type: "subnet", Name: "scanners", Range: "10.40.0.0/24"},
		{At: digitising, Type: "lab", Name: "notes", Network: digitising + "/digitising-lan.network"},
	} {
		_, err := s.hand.Create(t.Context(), in)
		require.NoError(t, err)
	}
	s.do(digitising+"/notes.lab", "write", loamapi.Input{Text: ptr("list " + digitising + "/scans.bucket")})
	vents := "lindenmere/gardens/glasshouses/alpine-house"
	require.NoError(t, client.Done(stagehand.CreateServiceAccount(t.Context(), vents, api.AccountNew{Name: "vents"})))
	s.do(vents+"/vent-controller.machine", "edit", loamapi.Input{RunsAs: vents + "/vents"})

	people := map[string]*loamclient.Client{}
	for _, name := range nine {
		people[name] = loamclient.Through(b.As(t, name+"@lindenmere"))
	}
	rows, tried := readNine(t), map[string]bool{}
	for _, row := range rows {
		tried[row.operation+" "+row.typ] = true
		for i, name := range nine {
			s.before(row)
			err := s.try(t.Context(), people[name], row)
			assert.Equal(t, row.outcomes[i], outcome(t, err), "%s: %s %s at %s: %v", name, row.operation, row.typ, row.at, err)
			s.after(row)
		}
	}
	for _, permissions := range loam.Offers() {
		for _, permission := range permissions {
			assert.True(t, tried[permission], "the table leaves out %s", permission)
		}
	}
}

// outcome puts an answer of Loam into a word of the table. A refusal names the permission that is missing.
func outcome(t *testing.T, err error) string {
	var problem *client.Error
	switch {
	case err == nil:
		return "yes"
	case errors.As(err, &problem) && problem.Status == 403:
		assert.NotNil(t, problem.Permission, err)
		return "no"
	case errors.As(err, &problem) && problem.Status == 404:
		return "-"
	}
	return err.Error()
}
