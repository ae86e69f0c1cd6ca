package server

import (
	"arbora.example/access/statement"
	"arbora.example/api"
	"arbora.example/internal/change"
)

// readingOf converts what a text says; a text with faults is handed back as it was given.
func readingOf(given string, r change.ParsedPolicy) api.Reading {
	reading := api.Reading{Text: r.Text, Statements: each(r.Statements, statementOf), Parts: each(r.Parts, partsOf), Notes: words(r.Notes), Faults: each(r.Faults, faultOf)}
	if len(r.Faults) > 0 {
		reading.Text = given
	}
	return reading
}

func partsOf(p statement.Parts) api.StatementParts {
	return api.StatementParts{
		Place: p.Place, Here: p.Here, Who: words(p.Who), Except: words(p.Except), Modal: api.StatementPartsModal(p.Modal),
		Roles: words(p.Roles), Acts: words(p.Acts), Data: p.Data, Things: words(p.Things),
		Condition: p.Condition, From: p.From, Until: p.Until, Notes: words(p.Notes), Note: p.Note,
	}
}

func givenParts(p api.StatementParts) statement.Parts {
	return statement.Parts{
		Place: p.Place, Here: p.Here, Who: p.Who, Except: p.Except, Modal: statement.Modal(p.Modal),
		Roles: p.Roles, Acts: p.Acts, Data: p.Data, Things: p.Things,
		Condition: p.Condition, From: p.From, Until: p.Until, Notes: p.Notes, Note: p.Note,
	}
}
