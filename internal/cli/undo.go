package cli

import (
	"context"
	"strconv"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

func (a *app) undoCommand() *cli.Command {
	return &cli.Command{
		Name: "undo", Usage: "undo your last change, or the change that led to a revision",
		ArgsUsage: "[REVISION]",
		Description: "What the change did is taken back by another change, checked and recorded like any. It is refused where the same\n" +
			"things were changed again since. Nothing is deleted: a scope or a user that was created is retired.\n" +
			"arbora scope show ADDRESS lists the last changes of a scope with their revisions.",
		Flags: []cli.Flag{previewFlag()}, Action: a.undo,
	}
}

func (a *app) undo(ctx context.Context, c *cli.Command) error {
	revision := "last"
	if c.Args().Len() > 0 {
		given, err := arguments(c, "REVISION")
		if err != nil {
			return err
		}
		if n, err := strconv.ParseUint(given[0], 10, 63); err != nil || n == 0 {
			return usage("%q is not a revision: give its number, such as 12", given[0])
		}
		revision = given[0]
	}
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	undone, err := s.UndoChange(ctx, organisation, revision, &api.UndoChangeParams{Preview: c.Bool("preview")})
	if err != nil {
		return err
	}
	did := undone.Undid
	if c.Bool("preview") {
		a.say(c, "Undoing revision %d (%s %s, %s) would do this:", did.Revision, did.By, did.What, moment(did.At))
		return a.printImpact(c, api.Written{Revision: undone.Revision, Impact: undone.Impact})
	}
	a.say(c, "Undid revision %d: %s %s, %s.", did.Revision, did.By, did.What, moment(did.At))
	return a.valueOnly(c, undone)
}
