package server

import (
	"arbora.example/access/statement"
	"arbora.example/api"
	"arbora.example/internal/change"
)

// readingOf converts what a text says; a text with faults is handed back as it was given.
func readingOf(given string, r change.Reading) api.Reading {
	reading := api.Reading{Text: r.Text, Statements: each(r.Statements, statementOf), Parts: each(r.Parts, partsOf), Notes: words(r.Notes), Faults: each(r.Faults, faultOf)}
	if len(r.Faults) > 0 {
		reading.Text = given
	}
	return reading
}

func partsOf(p statement.Parts) api.StatementParts {
	return api.StatementParts{
		Place: optional(p.Place), Here: &p.Here, Who: words(p.Who), Except: someOf(p.Except), Modal: api.StatementPartsModal(p.Modal),
		Roles: someOf(p.Roles), Acts: someOf(p.Acts), Data: &p.Data, Things: someOf(p.Things),
		Condition: optional(p.Condition), From: optional(p.From), Until: optional(p.Until), Notes: someOf(p.Notes), Note: optional(p.Note),
	}
}

func givenParts(p api.StatementParts) statement.Parts {
	return statement.Parts{
		Place: text(p.Place), Here: yes(p.Here), Who: p.Who, Except: value(p.Except), Modal: statement.Modal(p.Modal),
		Roles: value(p.Roles), Acts: value(p.Acts), Data: yes(p.Data), Things: value(p.Things),
		Condition: text(p.Condition), From: text(p.From), Until: text(p.Until), Notes: value(p.Notes), Note: text(p.Note),
	}
}
