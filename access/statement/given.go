package statement

import (
	"fmt"
	"strings"
)

// Given is what somebody is given in one line: a role at a scope, for a time.
type Given struct {
	Role, Scope string // the scope by address or id
	Period      Period
}

// ParseGiven reads ROLE at ADDRESS [from INSTANT] [until INSTANT].
func ParseGiven(text string) (g Given, err error) {
	words := strings.Fields(text)
	wrong := fmt.Errorf("%q is not a valid grant: write ROLE at ADDRESS, with from or until and a date after it if wanted", text)
	if len(words) < 3 || words[1] != "at" || len(words)%2 == 0 {
		return g, wrong
	}
	g.Role, g.Scope = words[0], words[2]
	for rest := words[3:]; len(rest) > 0; rest = rest[2:] {
		moment, err := ParseInstant(rest[1])
		if err != nil {
			return g, err
		}
		switch rest[0] {
		case "from":
			g.Period.From = moment
		case "until":
			g.Period.Until = moment
		default:
			return g, wrong
		}
	}
	return g, nil
}
