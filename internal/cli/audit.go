package cli

import (
	"context"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
)

func (a *app) auditCommand(verify *cli.Command) *cli.Command {
	return &cli.Command{
		Name: "audit", Usage: "read the audit log: changes, sign-ins and refusals, each with the person",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "event", Usage: "only this `EVENT`, such as change, refused, sign-in or viewed-as"},
			&cli.StringFlag{Name: "who", Usage: "only what `WHO` did: a name such as rowan@lindenmere, or part of one"},
			&cli.StringFlag{Name: "text", Usage: "only records that hold this `TEXT`"},
			&cli.StringFlag{Name: "from", Usage: "only from this `MOMENT` on: a date, or RFC 3339"},
			&cli.StringFlag{Name: "until", Usage: "only before this `MOMENT`"},
			&cli.IntFlag{Name: "most", Value: 50, Usage: "stop after this `NUMBER`"},
		},
		Commands: []*cli.Command{
			{Name: "show", Usage: "show one record in full: for a change, what each thing was before and is after", ArgsUsage: "NUMBER", Action: a.showAuditRecord},
			verify,
		},
		Action: a.readAudit,
	}
}

func (a *app) showAuditRecord(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "NUMBER")
	if err != nil {
		return err
	}
	number, err := strconv.ParseInt(given[0], 10, 64)
	if err != nil || number < 1 {
		return usage("%q is not the number of a record: take it from arbora audit", given[0])
	}
	s, err := a.as(c)
	if err != nil {
		return err
	}
	organisation, err := s.organisation()
	if err != nil {
		return err
	}
	told, err := s.DescribeAuditRecord(ctx, organisation, number)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Of", "Field", "Before", "After"}, value: told}
	for _, thing := range told.Things {
		for _, f := range thing.Fields {
			l.rows = append(l.rows, []string{thing.What, f.Field, f.Before, f.After})
		}
	}
	if c.String("output") != "table" {
		return a.printValue(c, l)
	}
	facts := []fact{{"Number", given[0]}, {"When", moment(told.Record.At)}, {"Who", told.Record.By}, {"From", told.Record.From}, {"Event", string(told.Record.Event)}, {"What", told.Record.Detail}}
	if told.Revision > 0 {
		facts = append(facts, fact{"Revision", strconv.FormatInt(told.Revision, 10)})
	}
	if err := a.printFacts(c, told, facts...); err != nil || len(l.rows) == 0 {
		return err
	}
	a.section(c, "Changed", l)
	return nil
}

func (a *app) readAudit(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	most, page, err := most(c)
	if err != nil {
		return err
	}
	params := &api.ListAuditRecordsParams{Event: api.AuditEvent(c.String("event")), Who: c.String("who"), Text: c.String("text"), Limit: page}
	for flag, into := range map[string]*time.Time{"from": &params.From, "until": &params.Until} {
		if *into, err = instant(c, flag); err != nil {
			return err
		}
	}
	records, more, err := client.Pages(most, func(after string) ([]api.AuditRecord, string, error) {
		params.After = after
		if s.saved.Organisation == "" { // a keeper reads the installation's own
			own := api.ListInstallationAuditRecordsParams(*params)
			list, err := s.ListInstallationAuditRecords(ctx, &own)
			return list.Records, list.Next, err
		}
		list, err := s.ListAuditRecords(ctx, s.saved.Organisation, params)
		return list.Records, list.Next, err
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Number", "When", "Who", "Event", "What"}, empty: "No matching records.", value: records}
	for _, r := range records {
		l.rows = append(l.rows, []string{strconv.FormatInt(r.Number, 10), moment(r.At), r.By, string(r.Event), r.Detail})
	}
	if err := a.print(c, l); err != nil || !more {
		return err
	}
	a.say(c, "There are more: raise --most %d, or narrow by --event, --who, --text, --from and --until.", most)
	return nil
}
