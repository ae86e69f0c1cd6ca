package e2e

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// pictures is where the story's pictures go, a step each.
const pictures = "../build/story"

// storyteller does the story in the browser, as one person after another.
type storyteller struct {
	t       *testing.T
	bed     *testbed.Bed
	console *browser.Browser
	who     string
	own     map[string]string // passwords that are not the demo's
}

// step does a step of the story as the parts it has, and keeps the page as it is at the end.
func (s *storyteller) step(number int, title string, parts func()) {
	began := time.Now()
	parts()
	require.NoError(s.t, s.console.Do(browser.Settle()))
	png, err := s.console.Picture()
	require.NoError(s.t, err)
	require.NoError(s.t, os.WriteFile(filepath.Join(pictures, fmt.Sprintf("%02d.png", number)), png, 0o644))
	s.t.Logf("%2d %s (%s)", number, title, time.Since(began).Round(time.Second))
}

// as goes on as somebody.
func (s *storyteller) as(who string, steps ...browser.Step) {
	s.t.Helper()
	if s.who != who {
		if s.who != "" {
			require.NoError(s.t, s.console.Do(browser.SignOut()))
		}
		password := demo.Passphrase
		if own, ok := s.own[who]; ok {
			password = own
		}
		require.NoError(s.t, s.console.Do(s.console.SignIn(who, password)))
		s.who = who
	}
	require.NoError(s.t, s.console.Do(steps...), "as %s", who)
}

func (s *storyteller) open(page string) browser.Step  { return s.console.Open(page) }
func (s *storyteller) at(address string) browser.Step { return s.console.Open("/tree/" + address) }
func (s *storyteller) loam(address string) browser.Step {
	return s.console.Open("/loam/" + address)
}

// grant fills the dialog at a scope that is open, reads the impact, grants, and sees the new row marked.
func (s *storyteller) grant(role, kind, who, at, impact string) []browser.Step {
	confirm := []browser.Step{browser.Click(`[data-test=confirm-grant]`)}
	if who == "public" { // that takes a second press
		confirm = append(confirm, browser.See(`[data-test=confirm-grant]`, "Open it to anybody at all?"), browser.Click(`[data-test=confirm-grant]`))
	}
	return slices.Concat([]browser.Step{
		s.at(at),
		browser.Press("Grant a role"),
		browser.Click(`dialog input[name=kind][value=` + kind + `]`),
		browser.Type(`dialog input[name=who]`, who),
		browser.Type(`dialog input[name=role]`, role),
		browser.See(`[data-test=impact]`, impact),
	}, confirm, []browser.Step{
		browser.Closed(),
		browser.See(`[data-test=access] tr`, role),
		browser.See(`[data-test=access] tr`, "granted here new"),
		browser.See(`[data-test=undo]`, role+" granted to "+who),
	})
}

func (s *storyteller) revoke(role, from, at string) []browser.Step {
	return []browser.Step{
		s.at(at),
		browser.Click(`button[aria-label="Revoke ` + role + ` from ` + from + `"]`),
		browser.Visible(`[data-test=impact]`),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=undo]`, role+" revoked from "+from),
	}
}

// create makes a scope in the tree.
func (s *storyteller) create(kind, name, title, in string) []browser.Step {
	return []browser.Step{
		s.at(in),
		browser.Press("Create in it"),
		browser.Click(`dialog input[name=what][value=` + kind + `]`),
		browser.Type(`dialog input[name=name]`, name),
		browser.Type(`dialog input[name=title]`, title),
		browser.Click(`[data-test=confirm-create]`),
		browser.Closed(),
		browser.See(`h1`, title),
	}
}

// build makes a resource in Loam, with the fields that it takes.
func (s *storyteller) build(kind, name, in string, fields ...browser.Step) []browser.Step {
	steps := []browser.Step{s.loam(in), browser.Click(`[data-act="create ` + kind + `"][data-on=true]`), browser.Type(`dialog input[name=name]`, name)}
	steps = append(steps, fields...)
	return append(steps, browser.Click(`[data-test=confirm-loam]`), browser.Closed(), browser.Visible(`[data-resource="`+name+`.`+kind+`"]`))
}

// inLoam presses what is on for a resource in Loam; refused presses what is off, and reads why.
func inLoam(resource, permission string) browser.Step {
	return browser.Click(`[data-resource="` + resource + `"] [data-act="` + permission + `"][data-on=true]`)
}

func refused(resource, permission string) []browser.Step {
	return []browser.Step{
		browser.Click(`[data-resource="` + resource + `"] [data-act="` + permission + `"][data-on=false]`),
		browser.See(`[data-resource="`+resource+`"] [data-test=reason]`, "You may not "+permission),
	}
}

func together(parts ...[]browser.Step) (all []browser.Step) {
	for _, part := range parts {
		all = append(all, part...)
	}
	return all
}

// TestStoryInTheBrowser does the whole story by mouse and keyboard, and leaves a picture a step in build/story.
func TestStoryInTheBrowser(t *testing.T) {
	t.Parallel()
	require.NoError(t, os.MkdirAll(pictures, 0o755))
	b := testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadLoam(t.Context(), b.Address))
	s := &storyteller{t: t, bed: b, console: openConsole(t, b), own: map[string]string{}}
	const palm = glasshouses + "/palm-house"
	const rowan, bram, ines, yuki, piotr, sefa, oona = "rowan@lindenmere", "bram@lindenmere", "ines@lindenmere", "yuki@lindenmere", "piotr@lindenmere", "sefa@lindenmere", "oona@lindenmere"

	s.step(1, "rowan signs in and reads the tree", func() {
		s.as(rowan,
			browser.See(`[role=tree]`, "gardens"),
			s.at(alpine), browser.See(`[role=tree]`, "alpine-house"),
			s.at("lindenmere"),
			browser.See(`[data-test=access] tr`, "rowan steward"),
			browser.See(`[data-test=access] tr`, "internal-audit auditor"),
		)
	})
	s.step(2, "lays out a folder, a project and a compartment", func() {
		s.as(rowan, together(
			s.create("folder", "grounds", "Grounds", "lindenmere/gardens"),
			s.create("project", "irrigation", "Irrigation", "lindenmere/gardens/grounds"),
			s.create("compartment", "loans", "Loans", herbarium),
			[]browser.Step{
				s.at("lindenmere"), browser.Press("Create in it"), browser.See(`dialog`, "Folder"), browser.SeeNot(`dialog`, "Bucket"), // kept out of the top
				browser.Press("Cancel"), browser.Closed(),
				s.at("lindenmere/gardens/grounds"), browser.See(`main`, "irrigation"),
			})...)
	})
	s.step(3, "creates bram, who chooses his own password and sees nothing", func() {
		const first = "left-on-the-potting-bench"
		s.as(rowan,
			browser.Press("People"), browser.Press("Create a person"),
			browser.Type(`input[name=user-name]`, "bram"), browser.Type(`input[name=user-title]`, "Bram de Wolff"),
			browser.Click(`input[name=first][value=given]`), browser.Type(`input[name=user-password]`, first),
			browser.See(`[data-test=account]`, "Nothing yet: all is denied"),
			browser.Click(`[data-test=confirm-person]`), browser.See(`[data-test=result]`, "bram@lindenmere"),
		)
		s.own[bram] = first
		s.as(bram, browser.See(`h1`, "Choose your own password"),
			browser.Type(`input[name=new]`, "nine-quiet-greenhouse-mice"), browser.Type(`input[name=again]`, "nine-quiet-greenhouse-mice"),
			browser.Press("Save password"))
		s.own[bram] = "nine-quiet-greenhouse-mice"
		s.as(bram, browser.See(`[data-test=nothing-yet]`, "You hold nothing in lindenmere yet"))
	})
	s.step(4, "bram joins a group, which is granted observer at one project", func() {
		s.as(rowan, s.open("/groups/glasshouse-engineers"), browser.Press("Add members"), browser.Type(`input[name=member]`, "bram"),
			browser.Click(`[data-test=confirm-change]`), browser.Closed(), browser.See(`[data-test=members]`, "bram"))
		s.as(bram, browser.See(`[data-test=nothing-yet]`, "You hold nothing"))
		s.as(rowan, s.grant("observer", "group", "glasshouse-engineers", alpine, "bram, tomas gain")...)
		s.as(bram, browser.See(`[role=tree]`, "alpine-house"), browser.SeeNot(`[role=tree]`, "palm-house"), browser.SeeNot(`[role=tree]`, "science"),
			s.at(alpine), browser.See(`h1`, "Alpine house"), browser.SeeNot(`main`, "Create in it"), browser.SeeNot(`main`, "Grant a role"))
	})
	s.step(5, "that grant is removed, and builder granted at the folder above", func() {
		s.as(rowan, s.revoke("observer", "glasshouse-engineers", alpine)...)
		s.as(bram, browser.See(`[data-test=nothing-yet]`, "You hold nothing"))
		s.as(rowan, together(s.grant("builder", "group", "glasshouse-engineers", glasshouses, "at glasshouses and 7 scopes below"),
			[]browser.Step{s.at(palm), browser.See(`[data-test=access] tr`, "glasshouse-engineers builder inherited from glasshouses")})...)
		s.as(bram, browser.See(`[role=tree]`, "palm-house"), browser.See(`[role=tree]`, "mist-controller.machine"), browser.SeeNot(`[role=tree]`, "science"))
	})
	s.step(6, "what is made afterwards is covered", func() {
		s.as(rowan, s.create("project", "fern-house", "Fern house", glasshouses)...)
		fern := glasshouses + "/fern-house"
		s.as(bram, together(
			s.build("bucket", "misting-plan", fern),
			s.build("network", "fern-lan", fern, browser.Type(`dialog input[name=range]`, "10.21.0.0/16")),
			s.build("machine", "mister", fern, browser.Type(`dialog input[name=network]`, fern+"/fern-lan.network")),
			[]browser.Step{inLoam("mister.machine", "start machine"), browser.See(`[data-resource="mister.machine"]`, "running"),
				s.open("/check?user=bram&may=edit+bucket&at=" + fern + "/misting-plan.bucket"), browser.See(`[data-test=answer]`, "Yes"), browser.See(`[data-test=way]`, "decides")})...)
	})
	s.step(7, "seed-curators build in the trial, read in the vault; ines grants in the trial herself", func() {
		s.as(rowan, together(
			s.grant("builder", "group", "seed-curators", trial, "ines gains"),
			s.grant("storage-observer", "group", "seed-curators", vault, "ines gains"),
			s.grant("content-reader", "group", "seed-curators", vault+"/vault-scans.bucket", "ines gains"),
			s.grant("steward", "user", "ines", trial, "It gives permissions to govern"))...)
		s.as(ines, together(s.build("bucket", "tray-log", trial),
			s.grant("observer", "group", "herbarium-digitisers", trial, "would gain access"),
			[]browser.Step{s.loam(vault), browser.SeeNot(`main`, "vault-lan"),
				inLoam("vault-scans.bucket", "list object"), browser.See(`[data-test=objects]`, "accession-1187.svg")},
			refused("vault-scans.bucket", "retire bucket"),
			[]browser.Step{s.at(vault), browser.See(`h1`, "seedbank-vault"), browser.SeeNot(`main`, "Grant a role")})...)
	})
	s.step(8, "a statement opens the networks of one compartment; labs wait until they are let", func() {
		s.as(rowan, s.open("/policies/new?at="+herbarium), browser.Type(`input[name=policy-name]`, "networks"),
			browser.Keys(`.cm-content`, "under digitising: network-taem may observe, operate, modify networking"),
			browser.See(`[data-test=faults]`, `there is no group "network-taem"`),
			browser.Click(`[data-test=faults] button`), // what was meant
			browser.See(`[data-test=reads-well]`, "1 statement"), browser.See(`[data-test=places]`, digitising),
			browser.Click(`[data-test=review]`), browser.See(`[data-test=impact]`, "yuki gains"),
			browser.Click(`[data-test=save]`), browser.See(`h1`, "networks"))
		s.as(yuki, together(
			s.build("network", "scanner-lan", digitising, browser.Type(`dialog input[name=range]`, "10.41.0.0/16")),
			[]browser.Step{browser.SeeNot(`main`, "scans.bucket"), browser.Click(`[data-act="create bucket"][data-on=false]`), browser.See(`[data-test=reason]`, "You may not create bucket"),
				s.loam(herbarium + "/loans"), browser.See(`[data-test=problem]`, "There is no scope")})...)
		lab := []browser.Step{s.loam(digitising), browser.Click(`[data-act="create lab"]`), browser.Type(`dialog input[name=name]`, "leaves"),
			browser.Type(`dialog input[name=network]`, digitising+"/digitising-lan.network"), browser.Click(`[data-test=confirm-loam]`)}
		s.as(rowan, together(lab, []browser.Step{browser.See(`dialog [role=alert]`, "the labs service acts as itself and is not let yet"), browser.Press("Cancel"), browser.Closed(),
			s.open("/policies?find=network"), browser.Press("networks"),
			browser.Visible(`.cm-content`), browser.Press("A platform service may act"), browser.Type(`[data-test=patterns] label:nth-of-type(1) input`, "labs"),
			browser.Press("Put it into the text"), browser.See(`.cm-content`, "service labs may observe, attach network"),
			browser.Keys(`.cm-content`, "service labs may create, start, stop machine \n"), browser.See(`[data-test=reads-well]`, "3 statements"),
			browser.Click(`[data-test=review]`), browser.See(`[data-test=impact]`, "labs gains"), browser.Click(`[data-test=save]`), browser.SeeNot(`[data-test=save]`, "Save")},
			lab, []browser.Step{browser.Closed(), inLoam("leaves.lab", "start lab"), browser.See(`[data-resource="leaves.lab"]`, "running")})...)
	})
	s.step(9, "a narrower grant below removes nothing, and is what is left", func() {
		edit := []browser.Step{s.loam(alpine), inLoam("sensor-log.bucket", "edit bucket"), browser.Type(`dialog input[name=largest]`, "65536"), browser.Click(`[data-test=confirm-loam]`), browser.Closed()}
		s.as(rowan, s.grant("observer", "user", "bram", sensorLog, "Nothing changes")...)
		s.as(bram, edit...)
		s.as(rowan, s.revoke("builder", "glasshouse-engineers", glasshouses)...)
		s.as(bram, together([]browser.Step{s.loam(alpine), browser.See(`[data-test=unlisted]`, "You may not list bucket here"), browser.SeeNot(`main`, "vent-controller")},
			refused("sensor-log.bucket", "edit bucket"),
			[]browser.Step{inLoam("sensor-log.bucket", "describe bucket"), browser.See(`[data-test=made]`, "65536 bytes")})...)
		s.as(rowan, s.open("/check?user=bram&may=describe+project&at="+palm), browser.See(`[data-test=steps] li`, "Grant observer to bram"))
	})
	s.step(10, "a role on the control plane opens no data", func() {
		s.as(rowan, s.grant("builder", "group", "herbarium-digitisers", digitising, "piotr gains")...)
		s.as(piotr, together([]browser.Step{s.loam(digitising), inLoam("scans.bucket", "edit bucket"), browser.Type(`dialog input[name=largest]`, "1048576"), browser.Click(`[data-test=confirm-loam]`), browser.Closed()},
			refused("scans.bucket", "list object"))...)
		s.as(rowan, s.grant("content-reader", "user", "piotr", digitising+"/scans.bucket", "piotr gains 2 permissions")...)
		s.as(piotr, s.loam(digitising), inLoam("scans.bucket", "list object"), browser.See(`[data-test=objects]`, "labels/00412.txt"),
			browser.Visible(`[data-test=objects] [data-act="fetch object"][data-on=true]`),
			browser.Click(`[data-test=objects] [data-act="erase object"][data-on=false]`), browser.See(`[data-test=reason]`, "please let user piotr erase object"))
	})
	s.step(11, "trail-guide moves to science and back, after its impact was read", func() {
		s.as(rowan, together(
			s.grant("builder", "group", "visitor-apps", "lindenmere/visitors", "sefa gains"),
			s.grant("observer", "group", "curators", "lindenmere/science", "would gain access"),
			[]browser.Step{browser.Drag(`[role=treeitem][title="Trail guide"]`, `[role=treeitem][title="Science"]`),
				browser.See(`[data-test=impact]`, "sefa loses"), browser.See(`[data-test=impact]`, "ines, piotr gain"), browser.See(`[data-test=impact]`, "moves with 2 scopes below it"),
				browser.Click(`[data-test=confirm-change]`), browser.Closed(), browser.See(`nav[aria-label=Address]`, "lindenmere / science / trail-guide")})...)
		s.as(sefa, s.loam("lindenmere/science/trail-guide"), browser.See(`[data-test=problem]`, "There is no scope"))
		s.as(ines, s.loam("lindenmere/science/trail-guide"), browser.Visible(`[data-resource="guide.app"]`))
		s.as(rowan, s.at("lindenmere/science/trail-guide"), browser.Press("Move"), browser.Type(`input[name=move-to]`, "lindenmere/visitors"),
			browser.See(`[data-test=impact]`, "sefa gains"), browser.Click(`[data-test=confirm-change]`), browser.Closed(),
			browser.See(`nav[aria-label=Address]`, "lindenmere / visitors / trail-guide"))
		s.as(sefa, s.loam("lindenmere/visitors/trail-guide"), inLoam("guide.app", "stop app"), browser.See(`[data-resource="guide.app"]`, "stopped"))
	})
	s.step(12, "label-indexer gets two roles and a key", func() {
		account := digitising + "/label-indexer"
		fill := func(role, at string) []browser.Step {
			return []browser.Step{browser.Press("Grant a role"), browser.Type(`dialog input[name=where]`, at), browser.Type(`dialog input[name=role]`, role),
				browser.See(`[data-test=impact]`, "label-indexer gains"), browser.Click(`[data-test=confirm-grant]`), browser.Closed(), browser.See(`[data-test=holds] tr`, role+" new")}
		}
		s.as(rowan, together([]browser.Step{s.at(digitising), browser.Press("Create one here"), browser.Type(`input[name=account-name]`, "label-indexer"), browser.Type(`input[name=account-title]`, "Label indexer"),
			browser.Click(`[data-test=confirm-change]`), browser.See(`h1`, "Label indexer"), browser.Closed()},
			fill("content-reader", digitising+"/scans.bucket"), fill("compute-observer", digitising),
			[]browser.Step{browser.Type(`input[name=key-label]`, "nightly"), browser.Click(`[data-test=issue-key]`), browser.See(`[data-test=result]`, "shown this once")})...)
		key, err := s.console.Text(`[data-test=told-key]`)
		require.NoError(t, err)
		secret, err := s.console.Text(`[data-test=told-secret]`)
		require.NoError(t, err)
		s.as(rowan, browser.Press("Copy all"), browser.See(`[data-test=result]`, "Copied"), browser.Press("Done"), browser.Closed())
		c := newTerminal(t)
		status, out, errs := c.run(secret+"\n", "sign-in", "--key", key, "--secret-from", "-", "--save-as", "indexer", "--server", b.Address)
		require.Zero(t, status, errs)
		require.Contains(t, out+errs, "Signed in as "+account)
		require.Contains(t, c.must("--with indexer tree"), "label-reader.machine")
		s.as(rowan, s.open("/service-accounts/"+account), browser.See(`[data-test=keys] tr`, "nightly"), browser.SeeNot(`main`, secret),
			s.loam(digitising), inLoam("label-reader.machine", "edit machine"), browser.Type(`dialog input[name=runsAs]`, account), browser.Click(`[data-test=confirm-loam]`), browser.Closed(),
			inLoam("label-reader.machine", "describe machine"), browser.See(`[data-test=made]`, "label-indexer"),
			s.open("/service-accounts/"+account), browser.Click(`button[aria-label="Revoke key nightly"]`), browser.See(`main`, "None yet; there may be"))
		status, _, errs = c.run("", "--with", "indexer", "tree")
		require.NotZero(t, status)
		require.Contains(t, errs, "revoked")
	})
	s.step(13, "guide-media.bucket is opened to the public, with a warning first", func() {
		welcome := "/loam/v1/objects/lindenmere/visitors/trail-guide/guide-media.bucket/welcome.txt"
		// A stranger fetches it, with no session at all.
		stranger := func() (int, string) {
			response, err := http.Get(b.Address + welcome)
			require.NoError(t, err)
			defer response.Body.Close()
			text, err := io.ReadAll(response.Body)
			require.NoError(t, err)
			return response.StatusCode, string(text)
		}
		status, text := stranger()
		require.Equal(t, http.StatusNotFound, status)
		require.NotContains(t, text, "Welcome to Lindenmere")
		s.as(rowan, s.grant("content-reader", "set", "public", "lindenmere/visitors/trail-guide/guide-media.bucket", "known to the organisation or not")...)
		status, text = stranger()
		require.Equal(t, http.StatusOK, status)
		require.Contains(t, text, "Welcome to Lindenmere")
		s.as(rowan, s.open("/check?set=public&may=fetch+object&at=lindenmere/visitors/trail-guide/guide-media.bucket"), browser.See(`[data-test=answer]`, "Yes"))
	})
	s.step(14, "juno is invited, comes, and is retired", func() {
		s.as(rowan, s.open("/people/new?guest"), browser.Type(`input[name=guest-email]`, "juno@quaywater.example"), browser.Type(`input[name=user-title]`, "Juno Marchetti"),
			browser.Type(`input[name=into-group]`, "contractors"), browser.Type(`input[name=grant-at]`, vault), browser.Type(`input[name=grant-role]`, "observer"), browser.Type(`input[name=grant-until]`, "01012099"),
			browser.Click(`[data-test=add-grant]`), browser.See(`[data-test=lines]`, "until 1 Jan 2099"), browser.See(`[data-test=impact]`, "at seedbank-vault"),
			browser.Click(`[data-test=confirm-person]`), browser.See(`[data-test=result]`, "is invited"),
			s.at(vault), browser.See(`[data-test=access] tr`, "pending holds nothing by it until they accept"))
		link := linkTo(t, b, "juno@quaywater.example")
		s.as("juno@quaywater", s.open("/link/"+link), browser.Press("Accept as juno@quaywater"), browser.See(`[data-test=organisation]`, "lindenmere, as a guest"),
			s.open("/tree"), browser.See(`[role=tree]`, "seedbank-vault"), browser.SeeNot(`[role=tree]`, "glasshouses"))
		s.as(rowan, s.open("/guests/juno@quaywater"), browser.Press("Retire"), browser.See(`[data-test=impact]`, "loses"), browser.Click(`[data-test=confirm-change]`), browser.Closed(),
			browser.See(`[data-test=out-of-use]`, "is retired"))
	})
	s.step(15, "the auditor asks who holds erase object in the vault, and why", func() {
		s.as(rowan, s.grant("content-keeper", "group", "vault-keepers", vault, "maeve gains")...)
		s.as(oona, s.open("/groups/vault-keepers"), browser.See(`[data-test=holds]`, "content-keeper"),
			s.at(vault), browser.Visible(`[data-test=access]`), browser.SeeNot(`main`, "Grant a role"),
			s.open("/check"), browser.Type(`input[name=check-who]`, "maeve"), browser.Type(`input[name=check-permission]`, "erase object"), browser.Type(`input[name=check-at]`, vault), browser.Click(`[data-test=ask]`),
			browser.See(`[data-test=holders] tr`, "maeve Maeve Corrigan content-keeper through vault-keepers"), browser.See(`[data-test=could-hold]`, "may grant content-keeper there"))
	})
}
