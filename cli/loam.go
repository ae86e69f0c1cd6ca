package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/access"
	"arbora.example/client"
	"arbora.example/standin/loam/loamapi"
)

// loamCommand works with Loam, the stand-in cloud, as a person with access to its resources would.
func (a *app) loamCommand() *cli.Command {
	return &cli.Command{
		Name: "loam", Usage: "work in Loam, the stand-in cloud, to try what access lets you do",
		Commands: []*cli.Command{
			{
				Name: "show", Usage: "show what is at an address and what you may do with it", ArgsUsage: "[ADDRESS]", Action: a.showLoam,
				Flags: []cli.Flag{&cli.BoolFlag{Name: "why", Usage: "tell why each thing is off, and how to ask for it"}},
			},
			{
				Name: "create", Usage: "make a machine, network, subnet, bucket, database, lab or app", ArgsUsage: "ADDRESS", Action: a.createInLoam,
				Description: "The last part of the address is the new name with the type, as in\nlindenmere/science/herbarium/digitising/notes.bucket.",
				Flags:       append(attributeFlags(), &cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"}, sizeFlag()),
			},
			{Name: "describe", Usage: "tell what a resource is made of", ArgsUsage: "ADDRESS", Action: a.actInLoam("describe", "")},
			{Name: "edit", Usage: "alter what a resource is made of", ArgsUsage: "ADDRESS", Flags: attributeFlags(), Action: a.actInLoam("edit", "Edited %s.")},
			{Name: "start", Usage: "start a machine, database, lab or app", ArgsUsage: "ADDRESS", Action: a.actInLoam("start", "Started %s.")},
			{Name: "stop", Usage: "stop a machine, database, lab or app", ArgsUsage: "ADDRESS", Action: a.actInLoam("stop", "Stopped %s.")},
			{Name: "resize", Usage: "give a machine or database another size", ArgsUsage: "ADDRESS", Flags: []cli.Flag{sizeFlag()}, Action: a.actInLoam("resize", "Resized %s.")},
			{Name: "retire", Usage: "take a resource out of use; what is in it is kept", ArgsUsage: "ADDRESS", Action: a.actInLoam("retire", "Retired %s.")},
			{Name: "restore", Usage: "take a resource into use again, as it was", ArgsUsage: "ADDRESS", Action: a.actInLoam("restore", "Restored %s.")},
			{
				Name: "enter", Usage: "run a program on a machine, as the machine's service account", ArgsUsage: "ADDRESS", Action: a.runInLoam("enter"),
				Description: "A line of a program is one of: list BUCKET; fetch BUCKET/OBJECT; put BUCKET/OBJECT TEXT;\nerase BUCKET/OBJECT; query DATABASE PREFIX; amend DATABASE KEY VALUE.",
				Flags:       []cli.Flag{&cli.StringSliceFlag{Name: "run", Usage: "a `LINE` of the program; may be repeated"}},
			},
			{Name: "watch", Usage: "see what is attached to a network", ArgsUsage: "ADDRESS", Action: a.watchInLoam},
			{Name: "visit", Usage: "open an app's page", ArgsUsage: "ADDRESS", Action: a.visitInLoam},
			{Name: "objects", Usage: "list the objects of a bucket", ArgsUsage: "BUCKET", Action: a.listObjects},
			{
				Name: "fetch", Usage: "fetch an object", ArgsUsage: "BUCKET/OBJECT", Action: a.fetchObject,
				Flags: []cli.Flag{&cli.StringFlag{Name: "to", Usage: "write it to `FILE` instead of printing it"}},
			},
			{Name: "put", Usage: "put a file into a bucket", ArgsUsage: "FILE BUCKET/OBJECT", Action: a.putObject},
			{Name: "erase", Usage: "take an object out of a bucket for good", ArgsUsage: "BUCKET/OBJECT", Action: a.eraseObject},
			{Name: "connect", Usage: "connect to a database for a few minutes", ArgsUsage: "DATABASE", Action: a.connectDatabase},
			{
				Name: "query", Usage: "connect to a database and list its records", ArgsUsage: "DATABASE", Action: a.queryDatabase,
				Flags: []cli.Flag{connectionFlag(), &cli.StringFlag{Name: "prefix", Usage: "only records whose keys begin with this `TEXT`"}},
			},
			{Name: "amend", Usage: "connect to a database and write a record", ArgsUsage: "DATABASE KEY VALUE", Flags: []cli.Flag{connectionFlag()}, Action: a.amendDatabase},
			{Name: "purge", Usage: "connect to a database and remove a record", ArgsUsage: "DATABASE KEY", Flags: []cli.Flag{connectionFlag()}, Action: a.purgeDatabase},
			{Name: "read", Usage: "read the notebook of a lab", ArgsUsage: "ADDRESS", Action: a.readLab},
			{Name: "write", Usage: "write the notebook of a lab", ArgsUsage: "ADDRESS FILE", Action: a.writeLab},
			{Name: "run", Usage: "run the notebook of a lab, as the labs service", ArgsUsage: "ADDRESS", Action: a.runInLoam("run")},
		},
	}
}

func sizeFlag() cli.Flag {
	return &cli.StringFlag{Name: "size", Usage: "`SIZE` of a machine or database: small, medium or large"}
}

func connectionFlag() cli.Flag {
	return &cli.StringFlag{Name: "connection", Usage: "`TOKEN` of a connection, from arbora loam connect; otherwise one is made"}
}

func attributeFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "network", Usage: "attach a machine or lab to the network at this `ADDRESS`"},
		&cli.StringFlag{Name: "run-as", Usage: "have what runs on a machine act as the service account at this `ADDRESS`"},
		&cli.StringFlag{Name: "range", Usage: "addresses of a network or subnet, as `CIDR`"},
		&cli.StringSliceFlag{Name: "rule", Usage: "what a network lets pass, as a `RULE` such as \"let in tcp 443 from 10.0.0.0/8\"; may be repeated"},
		&cli.IntFlag{Name: "largest", Usage: "the largest object or record that a bucket or database takes, in `BYTES`; 0 for no bound"},
		&cli.StringFlag{Name: "page", Usage: "an app's page, from this `FILE`"},
	}
}

// loamInput reads what flags say about a resource.
func loamInput(c *cli.Command) (loamapi.Input, error) {
	in := loamapi.Input{
		Size: c.String("size"), Network: c.String("network"), RunsAs: c.String("run-as"), Range: c.String("range"),
		Rules: c.StringSlice("rule"), Title: c.String("title"),
	}
	if c.IsSet("largest") {
		largest := c.Int("largest")
		in.Largest = &largest
	}
	if len(in.Rules) == 0 {
		in.Rules = nil
	}
	if file := c.String("page"); file != "" {
		text, err := os.ReadFile(file)
		if err != nil {
			return in, err
		}
		page := string(text)
		in.Text = &page
	}
	return in, nil
}

// loam gives Loam as the session reaches it, and the arguments that a command takes.
func (a *app) loam(c *cli.Command, names ...string) (*client.Loam, []string, error) {
	s, given, err := a.open(c, names...)
	if err != nil {
		return nil, nil, err
	}
	return s.Loam(), given, nil
}

func (a *app) showLoam(ctx context.Context, c *cli.Command) error {
	s, address, err := a.at(c)
	if err != nil {
		return err
	}
	here, err := s.Loam().Here(ctx, address)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Resource", "State", "You may", "Off"}, value: here, empty: "There is no resource right here that you may use."}
	for _, r := range here.Resources {
		l.rows = append(l.rows, []string{r.Name, r.State, actsText(r.Acts, true), actsText(r.Acts, false)})
	}
	if err := a.print(c, l); err != nil {
		return err
	}
	a.tellUnlisted(c, here)
	if names := actsText(here.Creatable, true); names != "" {
		a.say(c, "\nYou may make here: %s", names)
	}
	for _, n := range here.Containers {
		a.say(c, "%s", "  ↳ arbora loam show "+n.Address)
	}
	if c.Bool("why") {
		a.section(c, "Why it is off", whyOff(here))
	}
	return nil
}

// tellUnlisted says of which types only those are shown that one holds something on.
func (a *app) tellUnlisted(c *cli.Command, here loamapi.Here) {
	shown := map[string]bool{}
	for _, r := range here.Resources {
		shown[r.Type] = true
	}
	var types []string
	for _, off := range here.Unlisted {
		if shown[off.Type] {
			types = append(types, off.Type)
		}
	}
	if len(types) > 0 {
		a.say(c, "\n! You may not list %s here (that takes %q): what is shown is what you hold something on.", strings.Join(types, ", "), "list "+types[0])
	}
}

// actsText names the operations that are on, or off; those on another type than the first are named with it.
func actsText(acts []loamapi.Act, on bool) string {
	var names []string
	for _, act := range acts {
		name := act.Operation
		switch {
		case act.Operation == "create":
			name = act.Type
		case act.Type == "object":
			name = act.Permission
		}
		if act.On == on {
			names = append(names, name)
		}
	}
	return strings.Join(names, ", ")
}

func whyOff(here loamapi.Here) listing {
	l := listing{columns: []string{"Off", "Why"}, empty: "nothing is"}
	add := func(where string, acts []loamapi.Act) {
		for _, act := range acts {
			if !act.On {
				l.rows = append(l.rows, []string{act.Permission + where, act.Reason}, []string{"", "→ " + act.Ask})
			}
		}
	}
	for _, r := range here.Resources {
		add(", "+r.Name, r.Acts)
	}
	add(" here", here.Creatable)
	return l
}

func (a *app) createInLoam(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	in, err := loamInput(c)
	if err != nil {
		return err
	}
	parent, last := access.SplitAddress(given[0])
	if in.Name, in.Type = access.SplitFullName(last); parent == "" || in.Type == "" {
		return usage("%s names no resource: write where it is to be made, its name and its type, as in lindenmere/visitors/ticketing/notes.bucket", given[0])
	}
	in.At = parent
	made, err := cloud.Create(ctx, in)
	if err != nil {
		return err
	}
	a.say(c, "Made %s.", made.Address)
	return a.valueOnly(c, made)
}

// actInLoam carries out an operation and says so; without words it prints the resource.
func (a *app) actInLoam(operation, words string) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		cloud, given, err := a.loam(c, "ADDRESS")
		if err != nil {
			return err
		}
		in, err := loamInput(c)
		if err != nil {
			return err
		}
		d, err := client.LoamAct[loamapi.Description](ctx, cloud, given[0], operation, in)
		if err != nil {
			return err
		}
		if words != "" {
			a.say(c, words, d.Address)
			return a.valueOnly(c, d)
		}
		named := func(id fmt.Stringer, none bool) string {
			if none {
				return ""
			}
			for known, address := range d.Addresses {
				if known.String() == id.String() {
					return address
				}
			}
			return id.String() + " (you do not see it)"
		}
		at := d.Attributes
		return a.printFacts(c, d, fact{"Address", d.Address}, fact{"Type", d.Type}, fact{"State", d.State}, fact{"Size", at.Size},
			fact{"Network", named(at.Network, at.Network == [16]byte{})}, fact{"Runs as", at.AsNamed}, fact{"Machine", named(at.Machine, at.Machine == [16]byte{})},
			fact{"Range", at.Range}, fact{"Takes at most", yesNo(at.Largest > 0, fmt.Sprint(at.Largest, " bytes"), "")}, fact{"Rules", strings.Join(at.Rules, "; ")}, fact{"Id", d.ID.String()})
	}
}

// runInLoam runs a program on a machine, or a lab's notebook, and prints what came of each line.
func (a *app) runInLoam(operation string) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		cloud, given, err := a.loam(c, "ADDRESS")
		if err != nil {
			return err
		}
		ran, err := client.LoamAct[loamapi.Ran](ctx, cloud, given[0], operation, loamapi.Input{Program: c.StringSlice("run")})
		if err != nil {
			return err
		}
		a.say(c, "Ran as %s.", ran.As)
		l := listing{columns: []string{"Line", "Done", "Output"}, value: ran}
		refused := false
		for _, step := range ran.Steps {
			refused = refused || step.Refused != ""
			l.rows = append(l.rows, []string{step.Line, yesNo(step.Refused == "", "yes", "! refused"), strings.TrimRight(step.Output+step.Refused, "\n")})
		}
		if err := a.print(c, l); err != nil {
			return err
		}
		if refused {
			return errNo
		}
		return nil
	}
}

func (a *app) watchInLoam(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	seen, err := client.LoamAct[loamapi.Traffic](ctx, cloud, given[0], "watch", loamapi.Input{})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Attached", "State", "Range", "Address"}, value: seen, empty: "Nothing is attached to the network."}
	for _, other := range seen.Attached {
		address := other.Address
		if address == "" {
			address = "(you do not see it)"
		}
		l.rows = append(l.rows, []string{other.Type, other.State, other.Range, address})
	}
	return a.print(c, l)
}

func (a *app) visitInLoam(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	page, err := cloud.Visit(ctx, given[0])
	if err != nil {
		return err
	}
	_, err = io.WriteString(a.Out, page)
	return err
}
