package cli

import (
	"context"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"
)

// apart are flags of which a command takes one at most: with two of them, one would be passed over without a word.
var apart = [][]string{
	{"user", "group", "guest", "outside", "service-account", "provider", "service", "set"},
	{"owner", "owner-group"},
	{"preview", "confirm"},
	{"secret-from", "private-key"},
	{"issued-by", "user"}, {"issued-by", "service-account"}, {"issued-by", "service"},
}

// checkFlags refuses a command line of which a part would be passed over without a word.
func checkFlags(ctx context.Context, c *cli.Command) (context.Context, error) {
	for _, flag := range c.Flags {
		if many, ok := flag.(cli.DocGenerationMultiValueFlag); ok && many.IsMultiValueFlag() {
			continue
		}
		counted, ok := flag.(cli.Countable)
		if _, isSwitch := flag.(*cli.BoolFlag); ok && counted.Count() > 1 && !isSwitch {
			return ctx, usage("--%s is given %d times, and %s takes one: run the command once for each", flag.Names()[0], counted.Count(), c.FullName())
		}
	}
	for _, group := range apart {
		given := slices.DeleteFunc(slices.Clone(group), func(name string) bool { return !c.IsSet(name) || repeatable(c, name) })
		if len(given) > 1 {
			return ctx, usage("--%s cannot be used together: use one", strings.Join(given, " and --"))
		}
	}
	return ctx, nil
}

// repeatable reports whether a flag of a command may be given several times.
func repeatable(c *cli.Command, name string) bool {
	for _, flag := range c.Flags {
		if many, ok := flag.(cli.DocGenerationMultiValueFlag); ok && slices.Contains(flag.Names(), name) {
			return many.IsMultiValueFlag()
		}
	}
	return false
}
