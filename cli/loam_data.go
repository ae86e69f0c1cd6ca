package cli

import (
	"context"
	"fmt"
	"io"
	"mime"
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/client"
	"arbora.example/standin/loam/loamapi"
)

// What is in Loam's resources: objects of buckets, records of databases, notebooks of labs.

func (a *app) listObjects(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "BUCKET")
	if err != nil {
		return err
	}
	all, _, err := client.Pages(0, func(after *string) ([]loamapi.Object, *string, error) {
		list, err := cloud.Objects(ctx, given[0], value(after))
		if err != nil || len(list) == 0 {
			return nil, nil, err
		}
		return list, &list[len(list)-1].Name, nil
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Object", "Bytes", "Type", "Put", "By"}, value: all, empty: "The bucket is empty."}
	for _, o := range all {
		l.rows = append(l.rows, []string{o.Name, fmt.Sprint(o.Size), o.MediaType, moment(o.PutAt), o.PutBy})
	}
	return a.print(c, l)
}

func (a *app) fetchObject(ctx context.Context, c *cli.Command) (err error) {
	cloud, given, err := a.loam(c, "BUCKET/OBJECT")
	if err != nil {
		return err
	}
	body, _, err := cloud.Fetch(ctx, given[0])
	if err != nil {
		return err
	}
	defer body.Close()
	name := c.String("to")
	if name == "" {
		_, err = io.Copy(a.Out, body)
		return err
	}
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	n, err := io.Copy(file, body)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err == nil {
		a.say(c, "Fetched %d bytes into %s.", n, name)
	}
	return err
}

func (a *app) putObject(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "FILE", "BUCKET/OBJECT")
	if err != nil {
		return err
	}
	file, err := os.Open(given[0])
	if err != nil {
		return err
	}
	defer file.Close()
	o, err := cloud.Put(ctx, given[1], mime.TypeByExtension(filepath.Ext(given[0])), file)
	if err != nil {
		return err
	}
	a.say(c, "Put %d bytes as %s.", o.Size, path.Base(o.Name))
	return a.valueOnly(c, o)
}

func (a *app) eraseObject(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "BUCKET/OBJECT")
	if err != nil {
		return err
	}
	if err := cloud.Erase(ctx, given[0]); err != nil {
		return err
	}
	a.say(c, "Erased %s.", given[0])
	return nil
}

func (a *app) connectDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "DATABASE")
	if err != nil {
		return err
	}
	made, err := client.LoamAct[loamapi.Connection](ctx, cloud, given[0], "connect", loamapi.Input{})
	if err != nil {
		return err
	}
	return a.printFacts(c, made, fact{"Connection, shown this once", made.Token}, fact{"Works until", moment(made.EndsAt)})
}

// database carries out an operation on a database by the connection given, or by one made for it.
func database[T any](ctx context.Context, c *cli.Command, cloud *client.Loam, address, operation string, in loamapi.Input) (T, error) {
	connection := loamapi.Connection{Token: c.String("connection")}
	if connection.Token == "" {
		var err error
		if connection, err = client.LoamAct[loamapi.Connection](ctx, cloud, address, "connect", loamapi.Input{}); err != nil {
			var none T
			return none, err
		}
	}
	return client.LoamAct[T](ctx, cloud.Connected(connection), address, operation, in)
}

func (a *app) queryDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "DATABASE")
	if err != nil {
		return err
	}
	entries, err := database[[]loamapi.Entry](ctx, c, cloud, given[0], "query", loamapi.Input{Prefix: c.String("prefix")})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Key", "Value"}, value: entries, empty: "No record is like that."}
	for _, e := range entries {
		l.rows = append(l.rows, []string{e.Name, e.Value})
	}
	return a.print(c, l)
}

func (a *app) amendDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "DATABASE", "KEY", "VALUE")
	if err != nil {
		return err
	}
	_, err = database[loamapi.Entry](ctx, c, cloud, given[0], "amend", loamapi.Input{Key: given[1], Value: given[2]})
	if err == nil {
		a.say(c, "Wrote %s.", given[1])
	}
	return err
}

func (a *app) purgeDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "DATABASE", "KEY")
	if err != nil {
		return err
	}
	_, err = database[loamapi.Entry](ctx, c, cloud, given[0], "purge", loamapi.Input{Key: given[1]})
	if err == nil {
		a.say(c, "Removed %s.", given[1])
	}
	return err
}

func (a *app) readLab(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	notebook, err := client.LoamAct[loamapi.Notebook](ctx, cloud, given[0], "read", loamapi.Input{})
	if err != nil {
		return err
	}
	text := strings.TrimRight(notebook.Text, "\n")
	if a.width() > 0 { // a terminal; a file gets the text as it is
		text = printable(text)
	}
	_, err = fmt.Fprintln(a.Out, text)
	return err
}

func (a *app) writeLab(ctx context.Context, c *cli.Command) error {
	cloud, given, err := a.loam(c, "ADDRESS", "FILE")
	if err != nil {
		return err
	}
	var text []byte
	if given[1] == "-" {
		text, err = io.ReadAll(a.lines)
	} else {
		text, err = os.ReadFile(given[1])
	}
	if err != nil {
		return err
	}
	notebook := string(text)
	_, err = client.LoamAct[loamapi.Notebook](ctx, cloud, given[0], "write", loamapi.Input{Text: &notebook})
	if err == nil {
		a.say(c, "Wrote the notebook of %s.", given[0])
	}
	return err
}
