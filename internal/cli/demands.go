package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

// levels are whom demands are made of: by the prefix of their flags, and in words.
var levels = []struct{ prefix, of string }{{"", "everybody"}, {"governing-", "people who may govern"}}

func demandFlags() []cli.Flag {
	var flags []cli.Flag
	for _, level := range levels {
		flags = append(flags,
			&cli.DurationFlag{Name: level.prefix + "idle", Usage: level.of + ": end a session this `TIME` after its last use, such as 30m; 0 sets it back to two hours", HideDefault: true},
			&cli.DurationFlag{Name: level.prefix + "life", Usage: level.of + ": end a session this `TIME` after sign-in, such as 8h; 0 sets it back to twelve hours", HideDefault: true},
			&cli.StringSliceFlag{Name: level.prefix + "network", Usage: level.of + ": let them work from this `NETWORK` only, such as 192.0.2.0/24; may be given several times; \"any\" lets them work from anywhere"},
			&cli.StringSliceFlag{Name: level.prefix + "factor", Usage: level.of + ": they sign in with this `FACTOR`, code or passkey; may be given several times; \"none\" lets a password alone do"},
		)
	}
	return flags
}

// demandsGiven returns demands with what the flags of a level alter.
func demandsGiven(c *cli.Command, level string, d api.Demands) (api.Demands, error) {
	for name, into := range map[string]*int{"idle": &d.Idle, "life": &d.Life} {
		if !c.IsSet(level + name) {
			continue
		}
		long := c.Duration(level + name)
		if long%time.Minute != 0 || long < 0 {
			return d, usage("--%s %s is not a number of minutes: write it as 45m or 8h", level+name, long)
		}
		*into = int(long / time.Minute)
	}
	if networks := c.StringSlice(level + "network"); slices.Contains(networks, "any") {
		d.Networks = nil
	} else if c.IsSet(level + "network") {
		d.Networks = networks
	}
	if given := c.StringSlice(level + "factor"); slices.Contains(given, "none") {
		if len(given) > 1 {
			return d, usage("--%sfactor none stands alone: it lets a password do", level)
		}
		d.Factors = nil
	} else if len(given) > 0 {
		var factors []api.Factor
		for _, name := range given {
			f := api.Factor(name)
			if !f.Valid() {
				return d, usage("--%sfactor %s is not known: use code, passkey or none", level, name)
			}
			factors = append(factors, f)
		}
		d.Factors = factors
	}
	return d, nil
}

// minutesWords writes minutes as they are given: 45m, 8h or 1h30m.
func minutesWords(minutes int) string {
	hours := minutes / 60
	switch minutes %= 60; {
	case hours == 0:
		return fmt.Sprintf("%dm", minutes)
	case minutes == 0:
		return fmt.Sprintf("%dh", hours)
	default:
		return fmt.Sprintf("%dh%dm", hours, minutes)
	}
}

func demandWords(d api.Demands) string {
	var words []string
	if len(d.Factors) > 0 {
		var factors []string
		for _, f := range d.Factors {
			factors = append(factors, string(f))
		}
		words = append(words, "sign in with "+strings.Join(factors, " or "))
	}
	for _, last := range []struct {
		minutes int
		after   string
	}{{d.Idle, "after last use"}, {d.Life, "after sign-in"}} {
		if last.minutes > 0 {
			words = append(words, "sessions end "+minutesWords(last.minutes)+" "+last.after)
		}
	}
	if len(d.Networks) > 0 {
		words = append(words, "work from "+strings.Join(d.Networks, ", "))
	}
	return cmp.Or(strings.Join(words, "; "), "nothing further")
}
