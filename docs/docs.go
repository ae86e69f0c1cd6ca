// Package docs has the pages that the program itself shows.
package docs

import _ "embed"

// Statements is the reference of the statement language, in Markdown.
//
//go:embed statements.md
var Statements string
