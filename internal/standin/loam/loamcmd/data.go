package loamcmd

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
	arbora "arbora.example/internal/cli"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// What is in Loam's resources: objects of buckets, records of databases, notebooks of labs.

func (w work) listObjects(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "BUCKET")
	if err != nil {
		return err
	}
	all, _, err := client.Pages(0, func(after *string) ([]loamapi.Object, *string, error) {
		from := ""
		if after != nil {
			from = *after
		}
		list, err := cloud.Objects(ctx, given[0], from)
		if err != nil || len(list) == 0 {
			return nil, nil, err
		}
		return list, &list[len(list)-1].Name, nil
	})
	if err != nil {
		return err
	}
	l := arbora.Listing{Columns: []string{"Object", "Bytes", "Type", "Put", "By"}, Value: all, Empty: "The bucket is empty."}
	for _, o := range all {
		l.Rows = append(l.Rows, []string{o.Name, fmt.Sprint(o.Size), o.MediaType, arbora.Moment(o.PutAt), o.PutBy})
	}
	return w.Print(c, l)
}

func (w work) fetchObject(ctx context.Context, c *cli.Command) (err error) {
	cloud, given, err := w.loam(c, "BUCKET/OBJECT")
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
		_, err = io.Copy(w.Out(), body)
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
		w.Say(c, "Fetched %d bytes into %s.", n, name)
	}
	return err
}

func (w work) putObject(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "FILE", "BUCKET/OBJECT")
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
	w.Say(c, "Put %d bytes as %s.", o.Size, path.Base(o.Name))
	return w.Value(c, o)
}

func (w work) eraseObject(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "BUCKET/OBJECT")
	if err != nil {
		return err
	}
	if err := cloud.Erase(ctx, given[0]); err != nil {
		return err
	}
	w.Say(c, "Erased %s.", given[0])
	return nil
}

func (w work) connectDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "DATABASE")
	if err != nil {
		return err
	}
	made, err := loamclient.Act[loamapi.Connection](ctx, cloud, given[0], "connect", loamapi.Input{})
	if err != nil {
		return err
	}
	return w.Facts(c, made, arbora.Fact{Name: "Connection, shown this once", Value: made.Token}, arbora.Fact{Name: "Works until", Value: arbora.Moment(made.EndsAt)})
}

// database carries out an operation on a database by the connection given, or by one made for it.
func database[T any](ctx context.Context, c *cli.Command, cloud *loamclient.Client, address, operation string, in loamapi.Input) (T, error) {
	connection := loamapi.Connection{Token: c.String("connection")}
	if connection.Token == "" {
		var err error
		if connection, err = loamclient.Act[loamapi.Connection](ctx, cloud, address, "connect", loamapi.Input{}); err != nil {
			var none T
			return none, err
		}
	}
	return loamclient.Act[T](ctx, cloud.Connected(connection), address, operation, in)
}

func (w work) queryDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "DATABASE")
	if err != nil {
		return err
	}
	entries, err := database[[]loamapi.Entry](ctx, c, cloud, given[0], "query", loamapi.Input{Prefix: c.String("prefix")})
	if err != nil {
		return err
	}
	l := arbora.Listing{Columns: []string{"Key", "Value"}, Value: entries, Empty: "No record is like that."}
	for _, e := range entries {
		l.Rows = append(l.Rows, []string{e.Name, e.Value})
	}
	return w.Print(c, l)
}

func (w work) amendDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "DATABASE", "KEY", "VALUE")
	if err != nil {
		return err
	}
	_, err = database[loamapi.Entry](ctx, c, cloud, given[0], "amend", loamapi.Input{Key: given[1], Value: given[2]})
	if err == nil {
		w.Say(c, "Wrote %s.", given[1])
	}
	return err
}

func (w work) purgeDatabase(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "DATABASE", "KEY")
	if err != nil {
		return err
	}
	_, err = database[loamapi.Entry](ctx, c, cloud, given[0], "purge", loamapi.Input{Key: given[1]})
	if err == nil {
		w.Say(c, "Removed %s.", given[1])
	}
	return err
}

func (w work) readLab(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "ADDRESS")
	if err != nil {
		return err
	}
	notebook, err := loamclient.Act[loamapi.Notebook](ctx, cloud, given[0], "read", loamapi.Input{})
	if err != nil {
		return err
	}
	text := strings.TrimRight(notebook.Text, "\n")
	if w.Terminal() { // a terminal; a file gets the text as it is
		text = arbora.Printable(text)
	}
	_, err = fmt.Fprintln(w.Out(), text)
	return err
}

func (w work) writeLab(ctx context.Context, c *cli.Command) error {
	cloud, given, err := w.loam(c, "ADDRESS", "FILE")
	if err != nil {
		return err
	}
	var text []byte
	if given[1] == "-" {
		text, err = io.ReadAll(w.In())
	} else {
		text, err = os.ReadFile(given[1])
	}
	if err != nil {
		return err
	}
	notebook := string(text)
	_, err = loamclient.Act[loamapi.Notebook](ctx, cloud, given[0], "write", loamapi.Input{Text: &notebook})
	if err == nil {
		w.Say(c, "Wrote the notebook of %s.", given[0])
	}
	return err
}
