// Package loamcmd has the commands that work in Loam, the stand-in cloud, as a person with access to its resources would.
package loamcmd

import (
	"context"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/access/model"
	arbora "arbora.example/internal/cli"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// work is done with what all commands share.
type work struct{ arbora.Tools }

// Command returns the command loam with all beneath it.
func Command(tools arbora.Tools) *cli.Command {
	w := work{tools}
	return &cli.Command{
		Name: "loam", Usage: "work in Loam, the stand-in cloud, to try what access lets you do",
		Commands: []*cli.Command{
			{
				Name: "show", Usage: "show what is at an address and what you may do with it", ArgsUsage: "[ADDRESS]", Action: w.showLoam,
				Flags: []cli.Flag{&cli.BoolFlag{Name: "why", Usage: "say why each thing is off, and how to ask for it"}},
			},
			{
				Name: "create", Usage: "create a machine, network, subnet, bucket, database, lab or app", ArgsUsage: "ADDRESS", Action: w.createInLoam,
				Description: "The last part of the address is the new name with the type, as in\nlindenmere/science/herbarium/digitising/notes.bucket.",
				Flags:       append(attributeFlags(), &cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"}, sizeFlag()),
			},
			{Name: "describe", Usage: "show the attributes of a resource", ArgsUsage: "ADDRESS", Action: w.actInLoam("describe", "")},
			{Name: "edit", Usage: "edit the attributes of a resource", ArgsUsage: "ADDRESS", Flags: attributeFlags(), Action: w.actInLoam("edit", "Edited %s.")},
			{Name: "start", Usage: "start a machine, database, lab or app", ArgsUsage: "ADDRESS", Action: w.actInLoam("start", "Started %s.")},
			{Name: "stop", Usage: "stop a machine, database, lab or app", ArgsUsage: "ADDRESS", Action: w.actInLoam("stop", "Stopped %s.")},
			{Name: "resize", Usage: "give a machine or database another size", ArgsUsage: "ADDRESS", Flags: []cli.Flag{sizeFlag()}, Action: w.actInLoam("resize", "Resized %s.")},
			{Name: "retire", Usage: "retire a resource; its content is kept", ArgsUsage: "ADDRESS", Action: w.actInLoam("retire", "Retired %s.")},
			{Name: "restore", Usage: "restore a resource, as it was", ArgsUsage: "ADDRESS", Action: w.actInLoam("restore", "Restored %s.")},
			{
				Name: "enter", Usage: "run a program on a machine, as the machine's service account", ArgsUsage: "ADDRESS", Action: w.runInLoam("enter"),
				Description: "A line of a program is one of: list BUCKET; fetch BUCKET/OBJECT; put BUCKET/OBJECT TEXT;\nerase BUCKET/OBJECT; query DATABASE PREFIX; amend DATABASE KEY VALUE.",
				Flags:       []cli.Flag{&cli.StringSliceFlag{Name: "run", Usage: "a `LINE` of the program; may be repeated"}},
			},
			{Name: "watch", Usage: "see what is attached to a network", ArgsUsage: "ADDRESS", Action: w.watchInLoam},
			{Name: "visit", Usage: "open an app's page", ArgsUsage: "ADDRESS", Action: w.visitInLoam},
			{Name: "objects", Usage: "list the objects of a bucket", ArgsUsage: "BUCKET", Action: w.listObjects},
			{
				Name: "fetch", Usage: "fetch an object", ArgsUsage: "BUCKET/OBJECT", Action: w.fetchObject,
				Flags: []cli.Flag{&cli.StringFlag{Name: "to", Usage: "write it to `FILE` instead of printing it"}},
			},
			{Name: "put", Usage: "put a file into a bucket", ArgsUsage: "FILE BUCKET/OBJECT", Action: w.putObject},
			{Name: "erase", Usage: "delete an object from a bucket for good", ArgsUsage: "BUCKET/OBJECT", Action: w.eraseObject},
			{Name: "connect", Usage: "connect to a database for a few minutes", ArgsUsage: "DATABASE", Action: w.connectDatabase},
			{
				Name: "query", Usage: "connect to a database and list its records", ArgsUsage: "DATABASE", Action: w.queryDatabase,
				Flags: []cli.Flag{connectionFlag(), &cli.StringFlag{Name: "prefix", Usage: "only records whose keys begin with this `TEXT`"}},
			},
			{Name: "amend", Usage: "connect to a database and write a record", ArgsUsage: "DATABASE KEY VALUE", Flags: []cli.Flag{connectionFlag()}, Action: w.amendDatabase},
			{Name: "purge", Usage: "connect to a database and remove a record", ArgsUsage: "DATABASE KEY", Flags: []cli.Flag{connectionFlag()}, Action: w.purgeDatabase},
			{Name: "read", Usage: "read the notebook of a lab", ArgsUsage: "ADDRESS", Action: w.readLab},
			{Name: "write", Usage: "write the notebook of a lab", ArgsUsage: "ADDRESS FILE", Action: w.writeLab},
			{Name: "run", Usage: "run the notebook of a lab, as the labs service", ArgsUsage: "ADDRESS", Action: w.runInLoam("run")},
		},
	}
}

func sizeFlag() cli.Flag {
	return &cli.StringFlag{Name: "size", Usage: "`SIZE` of a machine or database: small, medium or large"}
}

func connectionFlag() cli.Flag {
	return &cli.StringFlag{Name: "connection", Usage: "`TOKEN` of a connection, from arbora-demo loam connect; without it a new connection is made"}
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

// loam returns Loam as the session reaches it, and the arguments that a command takes.
func (w work) loam(c *cli.Command, names ...string) (*loamclient.Client, []string, error) {
	s, given, err := w.Open(c, names...)
	if err != nil {
		return nil, nil, err
	}
	return loamclient.Through(s), given, nil
}

func (w work) showLoam(ctx context.Context, c *cli.Command) error {
	s, address, err := w.At(c)
	if err != nil {
		return err
	}
	here, err := loamclient.Through(s).Here(ctx, address)
	if err != nil {
		return err
	}
	l := arbora.Listing{Columns: []string{"Resource", "State", "You may", "Off"}, Value: here, Empty: "There is no resource right here that you may use."}
	for _, r := range here.Resources {
		l.Rows = append(l.Rows, []string{r.Name, r.State, actsText(r.Acts, true), actsText(r.Acts, false)})
	}
	if err := w.Print(c, l); err != nil {
		return err
	}
	w.tellUnlisted(c, here)
	if names := actsText(here.Creatable, true); names != "" {
		w.Say(c, "\nYou may create here: %s", names)
	}
	for _, n := range here.Containers {
		w.Say(c, "%s", "  ↳ arbora-demo loam show "+n.Address)
	}
	if c.Bool("why") {
		w.Section(c, "Why it is off", whyOff(here))
	}
	return nil
}

// tellUnlisted says of which types only those are shown that one holds something on.
func (w work) tellUnlisted(c *cli.Command, here loamapi.Here) {
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
		w.Say(c, "\n! You may not list %s here (that takes %q): only what you may use is shown.", strings.Join(types, ", "), "list "+types[0])
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

func whyOff(here loamapi.Here) arbora.Listing {
	l := arbora.Listing{Columns: []string{"Off", "Why"}, Empty: "nothing is"}
	add := func(where string, acts []loamapi.Act) {
		for _, act := range acts {
			if !act.On {
				l.Rows = append(l.Rows, []string{act.Permission + where, act.Reason}, []string{"", "→ " + act.Ask})
			}
		}
	}
	for _, r := range here.Resources {
		add(", "+r.Name, r.Acts)
	}
	add(" here", here.Creatable)
	return l
}

func (w work) createInLoam(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	in, err := loamInput(c)
	if err != nil {
		return err
	}
	parent, last := model.SplitAddress(given[0])
	if in.Name, in.Type = model.SplitFullName(last); parent == "" || in.Type == "" {
		return arbora.UsageError("%s names no resource: write the scope to create it in, then its name and type, as in lindenmere/visitors/ticketing/notes.bucket", given[0])
	}
	in.At = parent
	made, err := cloud.Create(ctx, in)
	if err != nil {
		return err
	}
	w.Say(c, "Created %s.", made.Address)
	return w.Value(c, made)
}

// actInLoam carries out an operation and says so; without words it prints the resource.
func (w work) actInLoam(operation, words string) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		cloud, given, err := w.loam(c, "ADDRESS")
		if err != nil {
			return err
		}
		in, err := loamInput(c)
		if err != nil {
			return err
		}
		d, err := loamclient.Act[loamapi.Description](ctx, cloud, given[0], operation, in)
		if err != nil {
			return err
		}
		if words != "" {
			w.Say(c, words, d.Address)
			return w.Value(c, d)
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
		largest := ""
		if at.Largest > 0 {
			largest = fmt.Sprint(at.Largest, " bytes")
		}
		return w.Facts(c, d, arbora.Fact{Name: "Address", Value: d.Address}, arbora.Fact{Name: "Type", Value: d.Type}, arbora.Fact{Name: "State", Value: d.State}, arbora.Fact{Name: "Size", Value: at.Size},
			arbora.Fact{Name: "Network", Value: named(at.Network, at.Network == [16]byte{})}, arbora.Fact{Name: "Runs as", Value: at.AsNamed}, arbora.Fact{Name: "Machine", Value: named(at.Machine, at.Machine == [16]byte{})},
			arbora.Fact{Name: "Range", Value: at.Range}, arbora.Fact{Name: "Takes at most", Value: largest}, arbora.Fact{Name: "Rules", Value: strings.Join(at.Rules, "; ")}, arbora.Fact{Name: "Id", Value: d.ID.String()})
	}
}

// runInLoam runs a program on a machine, or a lab's notebook, and prints what came of each line.
func (w work) runInLoam(operation string) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		cloud, given, err := w.loam(c, "ADDRESS")
		if err != nil {
			return err
		}
		ran, err := loamclient.Act[loamapi.Ran](ctx, cloud, given[0], operation, loamapi.Input{Program: c.StringSlice("run")})
		if err != nil {
			return err
		}
		w.Say(c, "Ran as %s.", ran.As)
		l := arbora.Listing{Columns: []string{"Line", "Done", "Output"}, Value: ran}
		refused := false
		for _, step := range ran.Steps {
			done := "yes"
			if step.Refused != "" {
				refused, done = true, "! refused"
			}
			l.Rows = append(l.Rows, []string{step.Line, done, strings.TrimRight(step.Output+step.Refused, "\n")})
		}
		if err := w.Print(c, l); err != nil {
			return err
		}
		if refused {
			return arbora.ErrNo
		}
		return nil
	}
}

func (w work) watchInLoam(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	seen, err := loamclient.Act[loamapi.Traffic](ctx, cloud, given[0], "watch", loamapi.Input{})
	if err != nil {
		return err
	}
	l := arbora.Listing{Columns: []string{"Attached", "State", "Range", "Address"}, Value: seen, Empty: "Nothing is attached to the network."}
	for _, other := range seen.Attached {
		address := other.Address
		if address == "" {
			address = "(you do not see it)"
		}
		l.Rows = append(l.Rows, []string{other.Type, other.State, other.Range, address})
	}
	return w.Print(c, l)
}

func (w work) visitInLoam(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	page, err := cloud.Visit(ctx, given[0])
	if err != nil {
		return err
	}
	_, err = io.WriteString(w.Out(), page)
	return err
}
